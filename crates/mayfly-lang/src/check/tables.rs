//! Weighted tables and records: rows of values of one type each.
//!
//! Invariant: a table's type is found when it is first asked for; a row of records is a list of values,
//! one for each column, all known beforehand.

use super::names::Def;
use super::{Checker, Frame};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;

impl Checker {
    /// A table's type; its rows are read when it is first asked for.
    pub fn table_type(&mut self, id: TableId) -> Ty {
        let (node, done) = self.table_nodes[id.index()].clone();
        if !done {
            self.table_nodes[id.index()].1 = true;
            let name = self.level.tables[id.index()].name.clone();
            let mut f = Frame { title: name.clone(), ..Frame::default() };
            let mut of = node.child(K::TYPE).map(|t| self.type_of(&t));
            let mut rows = vec![];
            for row in node.all(K::TABLE_ROW) {
                let exprs = row.exprs();
                let [value, weight] = exprs.as_slice() else {
                    let span = self.span(&row);
                    self.error("bad-row", span, "a row of a table is a value and its weight", "write `eel 9`");
                    continue;
                };
                let (v, ty) = self.expr(value, of.as_ref(), &mut f);
                match &of {
                    None => of = Some(ty),
                    Some(t) if !ty.fits(t, self) => {
                        let (is, want) = (ty.show(self), t.show(self));
                        self.error(
                            "wrong-type",
                            v.span,
                            format!("this row is {is}, the others are {want}"),
                            "a table's values are of one type",
                        );
                    }
                    Some(_) => {}
                }
                let w = self.expect(weight, &Ty::Number, &mut f);
                rows.push((v, w));
            }
            if rows.is_empty() {
                let span = self.declared(&node).map_or_else(|| self.span(&node), |(_, s)| s);
                self.error(
                    "empty",
                    span,
                    format!("the table `{name}` has no rows"),
                    "write `eel 9; perch 4` between its braces",
                );
            }
            let t = &mut self.level.tables[id.index()];
            t.of = of.unwrap_or(Ty::Broken);
            t.rows = rows;
        }
        Ty::Table(Box::new(self.level.tables[id.index()].of.clone()))
    }

    pub fn fill_tables(&mut self) {
        for i in 0..self.level.tables.len() {
            self.table_type(TableId::at(i));
        }
    }

    /// The columns of records, as soon as they are asked for.
    pub fn record_columns(&mut self, n: &Node) -> Vec<(String, Ty)> {
        let mut columns = vec![];
        for p in n.child(K::PARAMS).map(|p| p.all(K::PARAM)).unwrap_or_default() {
            let Some((name, span)) = self.declared(&p) else { continue };
            self.refuse_reserved(&name, span);
            if columns.iter().any(|(n, _)| *n == name) {
                self.name_taken(span, format!("there are two columns `{name}`"), "rename one of them");
            }
            let ty = match p.child(K::TYPE) {
                Some(t) => self.type_of(&t),
                None => {
                    let help = format!("write `{name}: number`, say");
                    self.error("no-type", span, format!("the column `{name}` has no type"), help);
                    Ty::Broken
                }
            };
            columns.push((name, ty));
        }
        columns
    }

    pub fn fill_record_columns(&mut self, root: &Node) {
        for n in root.all(K::RECORDS_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            if let Some((Def::Records(id), at)) = self.names.get(&name).copied()
                && at == span
            {
                self.level.records[id as usize].columns = self.record_columns(&n);
            }
        }
    }

    pub fn fill_records(&mut self, root: &Node) {
        for n in root.all(K::RECORDS_DECL) {
            let Some((name, span)) = self.declared(&n) else { continue };
            let Some((Def::Records(id), at)) = self.names.get(&name).copied() else { continue };
            if at != span {
                continue;
            }
            let columns = self.level.records[id as usize].columns.clone();
            let mut rows = vec![];
            for row in n.all(K::RECORD_ROW) {
                let cells = row.exprs().first().map(|e| if e.kind() == K::PAREN_EXPR { e.exprs() } else { vec![] });
                let cells = cells.unwrap_or_default();
                if cells.len() != columns.len() {
                    let span = self.span(&row);
                    let names: Vec<&str> = columns.iter().map(|(n, _)| n.as_str()).collect();
                    self.error(
                        "bad-row",
                        span,
                        format!(
                            "a row of `{name}` has {}, and {} given",
                            number::counted(columns.len(), "value"),
                            number::are(cells.len())
                        ),
                        format!("write `({})`", names.join(", ")),
                    );
                    continue;
                }
                let values =
                    Value::list(cells.iter().zip(&columns).map(|(e, (_, ty))| self.cell(e, ty)).collect::<Vec<_>>());
                rows.push(values);
            }
            if rows.is_empty() {
                self.error("empty", span, format!("the records `{name}` have no rows"), "write rows: `(1, 2); (3, 4)`");
            }
            self.level.records[id as usize].rows = Value::list(rows);
        }
    }

    fn cell(&mut self, e: &Node, ty: &Ty) -> Value {
        let mut f = Frame::default();
        let before = self.diagnostics.len();
        match self.expect(e, ty, &mut f).kind {
            ExprKind::Const(v) => v,
            _ => {
                if self.diagnostics.len() == before {
                    let span = self.span(e);
                    self.error(
                        "no-constant",
                        span,
                        "a row of records must be known before the level runs",
                        "write numbers, texts, names and constants",
                    );
                }
                Value::None
            }
        }
    }
}
