//! What a level declares, by name: collected before anything is read, so that order does not matter.
//!
//! Invariant: one name means one thing in the whole level; members of a kind are names of that kind.

use super::{Checker, functions};
use crate::ast::{self, AstNode};
use crate::diagnostic::Diagnostic;
use crate::level::*;
use crate::parser::{OVER, RESERVED, begins_action, is_reserved};
use crate::syntax::{Kind as K, Node};
use crate::types::Ty;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashMap;

/// How many names an error lists.
const MAX_LISTED: usize = 20;

/// `a, b, c`; of very many only the first: `a, b, c and others`.
pub(super) fn listed<'a>(mut names: impl Iterator<Item = &'a str>) -> String {
    let first: Vec<&str> = names.by_ref().take(MAX_LISTED).collect();
    let others = if names.next().is_some() { " and others" } else { "" };
    format!("{}{others}", first.join(", "))
}

/// What a name stands for.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) enum Def {
    Var(VarId),
    Const(usize),
    Define(DefineId),
    Enum(EnumId),
    Kind(KindId),
    Actor(ActorId),
    Zone(ZoneId),
    Message(MessageId),
    Input(InputId),
    Timer(TimerId),
    Tile(TileId),
    Tag(TagId),
    Machine(MachineId),
    Table(TableId),
    Clock(ClockId),
    Path(PathId),
    Area(AreaId),
    Records(u32),
    Routine(RoutineId),
}

impl Def {
    pub fn what(self) -> &'static str {
        match self {
            Self::Var(_) => "a variable",
            Self::Const(_) => "a constant",
            Self::Define(_) => "a defined value",
            Self::Enum(_) => "an enum",
            Self::Kind(_) => "a kind",
            Self::Actor(_) => "an actor",
            Self::Zone(_) => "a zone",
            Self::Message(_) => "a message",
            Self::Input(_) => "an input",
            Self::Timer(_) => "a timer",
            Self::Tile(_) => "a tile",
            Self::Tag(_) => "a tag",
            Self::Machine(_) => "a machine",
            Self::Table(_) => "a table",
            Self::Clock(_) => "a clock",
            Self::Path(_) => "a path",
            Self::Area(_) => "an area",
            Self::Records(_) => "records",
            Self::Routine(_) => "a routine",
        }
    }
}

/// A constant: its text, and its value once it was asked for.
#[derive(Clone, Debug)]
pub(crate) struct Const {
    pub node: Node,
    pub value: Option<(Value, Ty)>,
    pub busy: bool,
}

impl Checker {
    /// Says so where a member or a local takes a word of the language.
    pub fn refuse_reserved(&mut self, name: &str, span: Span) {
        if let Some((_, meaning)) = RESERVED.iter().find(|(w, _)| *w == name) {
            self.error(
                "reserved-word",
                span,
                format!("`{name}` is a word of the language: {meaning}"),
                format!("choose another name, such as `{name}_1`"),
            );
        }
    }

    /// Says so where a routine is called as a function of the language is, or, giving nothing, as an action: no call
    /// could reach it.
    fn refuse_called(&mut self, routine: &Node, name: &str, span: Span) {
        let why = if functions().chain(OVER.iter().copied()).any(|f| f == name) {
            format!("`{name}(…)` is that function")
        } else if routine.child(K::TYPE).is_none() && begins_action(name) && !is_reserved(name) {
            "a line that begins with it is that action, and calls no routine".to_string()
        } else {
            return;
        };
        self.error(
            "reserved-word",
            span,
            format!("`{name}` is a word of the language: {why}"),
            format!("choose another name, such as `{name}_routine`"),
        );
    }

    /// Says that a name is taken. What is said of its uses follows from that, and is left out.
    pub fn name_taken(&mut self, span: Span, message: impl Into<String>, help: impl Into<String>) {
        let mut d = Diagnostic::error("name-taken", span, message, help);
        d.twice = true;
        self.diagnostics.push(d);
    }

    /// Takes a name for something; says so where it is taken or reserved.
    pub fn take(&mut self, name: &str, span: Span, def: Def) {
        if let Some(meaning) = RESERVED.iter().find(|(w, _)| *w == name).map(|(_, m)| *m) {
            self.error(
                "reserved-word",
                span,
                format!("`{name}` is a word of the language: {meaning}"),
                format!("choose another name, such as `{name}_{}`", def.what().rsplit(' ').next().unwrap_or("1")),
            );
            return;
        }
        if let Some((old, at)) = self.names.taken(name, span) {
            let mut d = Diagnostic::error(
                "name-taken",
                span,
                format!("`{name}` is declared twice"),
                "give one of the two another name",
            )
            .and(at, format!("`{name}` is {} here", old.what()));
            d.twice = true;
            self.diagnostics.push(d);
            return;
        }
        self.names.insert(name.to_string(), (def, span));
    }

    /// First pass: every declaration's name.
    pub fn collect(&mut self, root: &Node) {
        for (i, e) in self.level.enums.clone().iter().enumerate() {
            self.names.insert(e.name.clone(), (Def::Enum(EnumId::at(i)), Span::default()));
            self.know_enum(EnumId::at(i));
        }
        if self.project.has("private") {
            for n in root.children().filter(|n| n.has_word("private")) {
                if let Some((_, span)) = self.declared(&n) {
                    self.names.keep_private(span);
                }
            }
        }
        self.names.insert("main".into(), (Def::Area(AreaId::MAIN), Span::default()));
        let mut actors = 0;
        let mut keys: FxHashMap<String, String> = FxHashMap::default();
        for n in root.children() {
            match n.kind() {
                K::TILES_DECL => self.collect_tiles(&n),
                K::TAG_DECL => {
                    for name in n.all(K::NAME) {
                        let span = self.span(&name);
                        self.declare_tag(name.word(), span);
                    }
                }
                K::AREA_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Area(AreaId::at(self.level.areas.len())));
                        self.level.areas.push(Area { name, width: 0, height: 0, cells: vec![] });
                    }
                }
                K::ENUM_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.collect_enum(&n, name, span);
                    }
                }
                K::CONST_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Const(self.consts.len()));
                        self.consts.push(Const { node: n.clone(), value: None, busy: false });
                    }
                }
                K::VAR_DECL => self.collect_var(&n),
                K::DEFINE_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        let id = DefineId::at(self.level.defines.len());
                        self.take(&name, span, Def::Define(id));
                        self.level.defines.push(Define {
                            name,
                            of: None,
                            ty: Ty::Broken,
                            expr: Expr::constant(Value::None),
                            span,
                        });
                        self.level.listed.push(Listed::Define(id));
                        self.define_nodes.push((n.clone(), false));
                    }
                }
                K::MESSAGE_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Message(MessageId::at(self.level.messages.len())));
                        self.level.messages.push(Message { name, params: vec![], span });
                    }
                }
                K::INPUT_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Input(InputId::at(self.level.inputs.len())));
                        let key = n.tok(K::TEXT).map_or(String::new(), |t| t.text().trim_matches('"').to_string());
                        if let Some(other) = keys.insert(key.clone(), name.clone()) {
                            self.error(
                                "key-taken",
                                span,
                                format!("the key \"{key}\" is already that of `{other}`"),
                                "give one of the two another key",
                            );
                        }
                        self.level.inputs.push(Input { name, key });
                    }
                }
                K::TIMER_DECL => self.collect_timer(&n),
                K::KIND_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Kind(KindId::at(self.level.kinds.len())));
                        let of_zones = self.is_of_zones(&n);
                        self.level.kinds.push(Kind {
                            name,
                            of_zones,
                            like: None,
                            steered: false,
                            attrs: vec![],
                            fields: vec![],
                            tags: vec![],
                            zones: vec![],
                            machines: vec![],
                            passes: vec![],
                            sights: vec![],
                            carries: vec![],
                            falls: None,
                            defines: vec![],
                            listed: vec![],
                            span,
                            doc: Self::doc_of(&n),
                        });
                        self.field_nodes.push(vec![]);
                    }
                }
                K::PLACE_DECL => {
                    let points = ast::PlaceDecl::cast(&n).map_or(0, |p| p.points().len());
                    if let Some((name, span)) = self.declared(&n).filter(|_| points > 0) {
                        self.take(&name, span, Def::Actor(ActorId::at(actors)));
                    }
                    self.gaps.places |= self.is_broken(&n);
                    actors += points;
                }
                K::ZONE_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        let id = ZoneId::at(self.level.zones.len());
                        self.take(&name, span, Def::Zone(id));
                        self.new_zone(name, None, span, Self::doc_of(&n));
                    }
                }
                K::TABLE_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Table(TableId::at(self.level.tables.len())));
                        self.level.tables.push(Table { name, of: Ty::Broken, rows: vec![] });
                        self.table_nodes.push((n.clone(), false));
                    }
                }
                K::RECORDS_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Records(self.level.records.len() as u32));
                        self.level.records.push(Records { name, columns: vec![], rows: Value::list([]), span });
                    }
                }
                K::CLOCK_DECL => self.collect_clock(&n),
                K::PATH_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.take(&name, span, Def::Path(PathId::at(self.level.paths.len())));
                        self.level.paths.push(Path { name, points: vec![], end: PathEnd::Once, span });
                    }
                }
                K::ROUTINE_DECL => {
                    if let Some((name, span)) = self.declared(&n) {
                        self.refuse_called(&n, &name, span);
                        self.take(&name, span, Def::Routine(RoutineId::at(self.level.routines.len())));
                        self.level.routines.push(Routine {
                            name,
                            params: vec![],
                            gives: None,
                            pure: false,
                            body: vec![],
                            slots: vec![],
                            span,
                            doc: Self::doc_of(&n),
                        });
                        self.routine_nodes.push(n.clone());
                    }
                }
                K::CHECK_DECL => {
                    let span = self.span(&n);
                    self.diagnostics.push(Diagnostic::finding(
                        "not-built",
                        Span { end: span.start + 5, ..span },
                        "checks are read over: they are not built yet",
                        "the level flies without them",
                    ));
                }
                _ => {}
            }
        }
    }

    /// `kind NAME of zone`.
    fn is_of_zones(&mut self, n: &Node) -> bool {
        let Some(of) = ast::KindDecl::cast(n).and_then(|k| k.of()) else { return false };
        if of.word() != "zone" {
            let span = self.span(&of);
            self.error("no-kind", span, "only zones can have kinds `of` them", "write `kind NAME of zone { }`");
        }
        true
    }

    pub fn declare_tag(&mut self, name: &str, span: Span) {
        let id = TagId::at(self.level.tags.len());
        self.take(name, span, Def::Tag(id));
        self.level.tags.push(name.to_string());
    }

    fn collect_enum(&mut self, n: &Node, name: String, span: Span) {
        let id = EnumId::at(self.level.enums.len());
        self.take(&name, span, Def::Enum(id));
        let mut values: Vec<String> = vec![];
        for v in n.all(K::NAME).into_iter().skip(1) {
            let word = v.word().to_string();
            let at = self.span(&v);
            let std::collections::hash_map::Entry::Vacant(first) = self.enum_values.entry((id, word.clone())) else {
                self.error("name-taken", at, format!("`{name}` has `{word}` twice"), "take one of the two out");
                continue;
            };
            if is_reserved(&word) {
                self.refuse_reserved(&word, at);
            } else {
                first.insert(values.len() as u32);
                self.enums_of.entry(word.clone()).or_insert(id);
                values.push(word);
            }
        }
        if values.is_empty() {
            self.error("empty", span, format!("`{name}` has no values"), "write them between the braces");
        }
        self.level.enums.push(Enum { name, values });
    }

    fn collect_var(&mut self, n: &Node) {
        let Some((name, span)) = self.declared(n) else { return };
        let id = VarId::at(self.level.vars.len());
        self.take(&name, span, Def::Var(id));
        self.level.vars.push(Var {
            name,
            ty: Ty::Broken,
            first: Expr::constant(Value::None),
            bounds: None,
            keep: n.has_word("keep"),
            span,
            doc: Self::doc_of(n),
        });
        self.level.listed.push(Listed::Var(id));
        self.var_nodes.push((n.clone(), false));
    }

    fn collect_timer(&mut self, n: &Node) {
        let Some((name, span)) = self.declared(n) else { return };
        self.take(&name, span, Def::Timer(TimerId::at(self.level.timers.len())));
        let words = n.words();
        let length = self.timer_length(n);
        self.level.timers.push(Timer {
            name,
            length,
            repeating: words.contains(&"repeating"),
            running: words.contains(&"running"),
            span,
        });
    }

    /// How long a timer runs, as it is declared.
    pub fn timer_length(&mut self, n: &Node) -> Micros {
        let length = n.exprs().first().map(|e| self.constant(e, &Ty::Duration));
        match (length, self.declared(n)) {
            (Some(Some(Value::Duration(d))), _) if d >= 0 => d,
            (Some(Some(_)), Some((name, span))) => {
                self.error(
                    "bad-duration",
                    span,
                    format!("`{name}` cannot last shorter than nothing"),
                    "write a duration such as `30s`",
                );
                1
            }
            _ => 1,
        }
    }

    pub fn new_zone(&mut self, name: String, of: Option<KindId>, span: Span, doc: String) -> ZoneId {
        let id = ZoneId::at(self.level.zones.len());
        self.level.zones.push(Zone {
            name,
            of,
            kind: None,
            overrides: vec![],
            area: AreaId::MAIN,
            shape: Shape::Cells(vec![]),
            notices: vec![],
            span,
            doc,
        });
        id
    }

    /// An actor by its own name or its number: `keeper`, `lamp#2`.
    pub fn actor_named(&self, name: &str) -> Option<ActorId> {
        self.actors_by_name.get(name).copied()
    }

    /// Takes the values of an enum up, so that each is found at once.
    pub fn know_enum(&mut self, id: EnumId) {
        for (v, name) in self.level.enums[id.index()].values.iter().enumerate() {
            self.enum_values.insert((id, name.clone()), v as u32);
            self.enums_of.entry(name.clone()).or_insert(id);
        }
    }

    /// The value of that name of an enum.
    pub fn enum_value_named(&self, id: EnumId, name: &str) -> Option<u32> {
        self.enum_values.get(&(id, name.to_string())).copied()
    }
}
