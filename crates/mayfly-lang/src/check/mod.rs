//! Trees to meaning: names, types, and everything that is wrong, all at once.
//!
//! The way: [`names`] collects what is declared; [`decls`], [`maps`] and [`shapes`] fill the tables;
//! [`rules`], [`events`], [`stmts`] and [`exprs`] read what happens. A form of the language that is not
//! built yet is an error that says so (`not-built`).
//!
//! Invariant: a [`Level`] comes out only where no error was found; one mistake gives one error,
//! because whatever is wrong has the type [`Ty::Broken`], which fits everything.

mod actors;
mod after;
mod again;
mod again_declaration;
mod binary;
mod broken;
mod by_hand;
mod calls;
mod changed_words;
mod clocks;
mod complementary;
mod contradictions;
mod decls;
mod events;
mod exprs;
mod files;
mod findings;
mod follow_ups;
mod gaps;
mod kept;
mod kinds;
mod loops;
mod machines;
mod maps;
mod members;
mod names;
mod narrow;
mod orders;
mod paths;
mod proposals;
mod relations;
mod rounded;
mod routines;
mod rules;
mod scope;
mod shapes;
mod stmts;
mod subjects;
mod suspects;
mod tables;
mod texts;
mod todo;
mod unchanged;
mod unguarded;
mod used;
mod walks;

use crate::diagnostic::{Diagnostic, Severity, Source};
use crate::level::*;
use crate::parser::{self, Parse};
use crate::placed::Placed;
use crate::syntax::{Kind as K, Node};
use crate::types::{Ty, TypeNames};
pub use by_hand::{ByHand, action, drawn, duration, expression};
pub(crate) use calls::{functions, is_built_in};
pub(crate) use files::Project;
pub use files::{Load, LoadError, Trees, file_at};
pub(crate) use kept::Patch;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::{FxHashMap, FxHashSet};
use std::borrow::Cow;
use std::sync::Arc;

/// What became of a text.
#[derive(Clone, Debug)]
pub struct Checked {
    pub sources: Vec<Source>,
    /// In order of place. Errors and findings.
    pub diagnostics: Vec<Diagnostic>,
    /// There only without errors.
    pub level: Option<Arc<Level>>,
}

impl Checked {
    /// How many errors there are.
    pub fn errors(&self) -> usize {
        self.diagnostics.iter().filter(|d| d.severity == Severity::Error).count()
    }
}

/// Checks a level of one file. `name` is how it is called in diagnostics. A `use` finds nothing.
pub fn check(name: &str, text: &str) -> Checked {
    check_with(name, text, &mut |_| Err(LoadError::NoFolder))
}

/// Checks a level and the files that it uses. `load` reads a file by its path inside the folder of the
/// level's own file, `/` between its parts; its error says why it cannot be read.
pub fn check_with(name: &str, text: &str, load: files::Load) -> Checked {
    let project = Arc::new(files::Project::of(name, text, load, &mut |_, text| Arc::new(parser::parse(text))));
    let (diagnostics, found) = read(&project, None, None);
    let level = is_sound(&diagnostics).then_some(found.draft);
    let files::Project { sources, .. } = Arc::into_inner(project).expect("the checker held it, and is gone");
    Checked { sources, diagnostics, level }
}

/// What was found out beside the level, for whoever looks into its text.
#[derive(Debug)]
pub struct Found {
    /// The type of each expression by its place.
    pub(crate) types: Placed<Span, Ty>,
    /// The level as far as it could be read: its names are right even where it has errors.
    pub draft: Arc<Level>,
    /// How many rules and parts of machines were read, and not taken as they were.
    pub rules_read: usize,
    /// What is needed to read one rule again; none where a used file is broken.
    kept: Option<kept::Kept>,
}

/// A level that was read: what is told of it, what was found out, and the trees of its files.
pub(crate) struct Whole {
    pub checked: Checked,
    pub found: Found,
    pub parses: Vec<Arc<Parse>>,
    /// The one rule that was read again, where all else is as it was.
    pub patch: Option<Patch>,
}

/// What was known of a text before, and where it was changed.
pub(crate) struct Before<'a> {
    pub found: &'a Found,
    /// The file that was changed, its tree before, and where.
    pub file: u16,
    pub(crate) tree: Node,
    pub(crate) errors: &'a [parser::SyntaxError],
    pub(crate) edited: parser::Edited,
}

/// As [`check_with`], with what was found out on the way, and the trees of the files. `trees` parses a text, or gives the
/// tree that it has already; `before` is asked once all files are there, and tells what is known of the text before.
pub(crate) fn check_whole<'a>(
    name: &str,
    text: &str,
    load: files::Load,
    trees: files::Trees,
    before: impl FnOnce(&files::Project) -> Option<Before<'a>>,
) -> Whole {
    let project = Arc::new(files::Project::of(name, text, load, trees));
    let before = before(&project);
    let again = before.as_ref().and_then(|b| again::read(&project, b));
    let (diagnostics, found, patch) = match again {
        Some((diagnostics, found, patch)) => (diagnostics, found, Some(patch)),
        None => {
            let (diagnostics, found) = read(&project, Some(Placed::default()), before.as_ref());
            (diagnostics, found, None)
        }
    };
    let level = is_sound(&diagnostics).then(|| found.draft.clone());
    let files::Project { sources, parses, .. } = Arc::into_inner(project).expect("the checker held it, and is gone");
    Whole { checked: Checked { sources, diagnostics, level }, found, parses, patch }
}

fn is_sound(diagnostics: &[Diagnostic]) -> bool {
    diagnostics.iter().all(|d| d.severity != Severity::Error)
}

/// Something that is wrong, on its way to who is told.
type Told<'d> = Cow<'d, Diagnostic>;

fn read(
    project: &Arc<files::Project>,
    types: Option<Placed<Span, Ty>>,
    before: Option<&Before>,
) -> (Vec<Diagnostic>, Found) {
    let mut c = Checker::new();
    c.types = types;
    let broken = c.begin(project);
    let tree = project.tree();
    let mut read = None;
    if !broken {
        c.run(&tree, before);
        read = c.types.is_some().then_some(c.diagnostics.len());
        c.look_over(&tree);
    } else if c.types.is_some() {
        // Where a used file is broken, what the others miss would be told as their mistakes. Whoever lays on the map
        // sees all the same what could be read.
        let told = std::mem::take(&mut c.diagnostics);
        c.run(&tree, None);
        c.diagnostics = told;
    }
    let mut all = std::mem::take(&mut c.diagnostics);
    let mut diagnostics = tell(&all, project, &tree);
    if !broken {
        c.name_rules(&tree, &mut diagnostics);
    }
    let told = read.map(|count| {
        all.truncate(count);
        all
    });
    (diagnostics, c.found(told))
}

/// What is told of all that was found wrong: in order of place, and of one mistake once. Of thousands of mistakes few are told,
/// so that none is copied before.
fn tell(found: &[Diagnostic], project: &files::Project, tree: &Node) -> Vec<Diagnostic> {
    let is_error = |d: &Told| d.severity == Severity::Error;
    let mut diagnostics: Vec<Told> = found.iter().map(Cow::Borrowed).collect();
    let first = diagnostics.iter().find(|d| is_error(d)).cloned();
    follow_ups::leave_out_private(&mut diagnostics);
    follow_ups::leave_out(&mut diagnostics, project, tree);
    follow_ups::once_each(&mut diagnostics, project);
    // Whatever is left out: a level with errors is never taken for one without.
    if !diagnostics.iter().any(is_error) {
        diagnostics.extend(first);
    }
    diagnostics.sort_by_key(|d| (d.span.file, d.span.start, d.severity));
    diagnostics.dedup_by(|a, b| {
        a.span.file == b.span.file && a.span.start == b.span.start && a.severity == b.severity && a.code == b.code
    });
    after::limit(&mut diagnostics);
    let mut diagnostics: Vec<Diagnostic> = diagnostics.into_iter().map(Cow::into_owned).collect();
    diagnostics.iter_mut().for_each(Diagnostic::shorten_names);
    diagnostics
}

/// Where a body's names stand.
#[derive(Clone, Debug, Default)]
pub(crate) struct Frame {
    pub slots: Vec<(String, Ty)>,
    /// Names that can be seen here, innermost last, with their slots.
    pub visible: Vec<(String, Slot, Span)>,
    /// The kind whose `self` it is.
    pub me: Option<KindId>,
    /// The declaration's name, for random streams.
    pub title: String,
    pub draws: usize,
    pub loops: usize,
    /// What is known to be of which kind, by its text.
    pub known: Vec<(String, KindId)>,
    /// Where an expression is watched: the kind that it named, with that name.
    pub watching: Option<Watching>,
    /// In a routine: what it gives.
    pub routine: Option<Option<Ty>>,
    /// Calls of routines that have to be made before the statement under way; none where no call can be
    /// made.
    pub before: Option<Vec<Stmt>>,
    /// An event that is waited for is read: names that are bound already stand for their actors.
    pub waiting: bool,
}

/// What an expression that is watched has named so far.
#[derive(Clone, Debug, Default)]
pub(crate) struct Watching {
    pub kind: Option<(KindId, String)>,
    pub me: bool,
}

impl Frame {
    /// A new slot of that name and type, seen from here on.
    pub fn declare(&mut self, name: &str, ty: Ty, span: Span) -> Slot {
        let slot = Slot::try_from(self.slots.len()).unwrap_or(Slot::MAX);
        self.slots.push((name.to_string(), ty));
        self.visible.push((name.to_string(), slot, span));
        slot
    }

    /// A slot without a name that can be written.
    pub fn hidden(&mut self, name: &str) -> Slot {
        let slot = Slot::try_from(self.slots.len()).unwrap_or(Slot::MAX);
        self.slots.push((format!("({name})"), Ty::Broken));
        slot
    }

    pub fn find(&self, name: &str) -> Option<Slot> {
        self.visible.iter().rev().find(|(n, _, _)| n == name).map(|(_, s, _)| *s)
    }
}

pub(crate) struct Checker {
    pub diagnostics: Vec<Diagnostic>,
    pub level: Level,
    pub names: scope::Scope,
    pub consts: Vec<names::Const>,
    /// The nodes of what is typed on demand.
    pub var_nodes: Vec<(Node, bool)>,
    pub field_nodes: Vec<Vec<(Option<Node>, bool)>>,
    pub define_nodes: Vec<(Node, bool)>,
    pub table_nodes: Vec<(Node, bool)>,
    pub routine_nodes: Vec<Node>,
    /// The files of the level.
    pub project: Arc<files::Project>,
    /// Where the errors of grammar lie, in order.
    pub syntax_errors: Vec<(u16, u32)>,
    /// The area whose points stand bare, in the declaration under way.
    pub here: AreaId,
    /// What is not known of what is declared.
    pub gaps: gaps::Gaps,
    /// The titles of rules that are switched on or off somewhere.
    pub titles_named: FxHashSet<String>,
    /// The rules by owner and title, once one is switched on or off.
    pub rule_titles: Option<FxHashMap<(Option<KindId>, String), RuleId>>,
    /// Zones that other zones are made of.
    pub zones_named: FxHashSet<ZoneId>,
    /// Which watched expressions there are, by their text and whom they are watched for.
    pub watch_keys: FxHashMap<(String, Option<KindId>), WatchId>,
    /// Values of enums, actors and states by their names, and the first enum that has a value of a name.
    pub enum_values: FxHashMap<(EnumId, String), u32>,
    pub enums_of: FxHashMap<String, EnumId>,
    pub actors_by_name: FxHashMap<String, ActorId>,
    pub states_by_name: FxHashMap<(MachineId, String), StateId>,
    /// Where machines and states are declared.
    pub machines_at: FxHashMap<Span, MachineId>,
    pub states_at: FxHashMap<Span, StateId>,
    /// The states that any `go … to` of the text names.
    pub gone_to: FxHashSet<String>,
    /// How high the trees of defined values are, and how many of them are read inside each other.
    pub define_heights: FxHashMap<DefineId, u32>,
    pub define_depth: u32,
    pub may_circle: bool,
    /// Another name for the candidate of `all`, while a `for` is read over it.
    pub candidate: Option<String>,
    /// What is read was typed by hand: it may name who is there only at its moment.
    pub by_hand: bool,
    /// What is used where, for findings.
    pub used: used::Used,
    /// The type of each expression by its place, where that is asked for.
    pub types: Option<Placed<Span, Ty>>,
    /// How many of the diagnostics are errors of grammar: they were told first.
    pub syntax_told: usize,
    /// How many rules and parts of machines were read, and not taken as they were.
    pub rules_read: usize,
    pub proposals: proposals::Proposals,
    /// The rules and parts of machines, in the order of their rules.
    pub units: Vec<kept::Unit>,
}

impl TypeNames for Checker {
    fn enum_name(&self, id: EnumId) -> String {
        self.level.enum_name(id)
    }
    fn kind_name(&self, id: KindId) -> String {
        self.level.kind_name(id)
    }
    fn derives(&self, kind: KindId, of: KindId) -> bool {
        self.level.derives(kind, of)
    }
    fn record_name(&self, id: u32) -> String {
        self.level.record_name(id)
    }
    fn same_params(&self, a: MessageId, b: MessageId) -> bool {
        let known = |m: MessageId| !self.gaps.messages.contains(&m);
        !(known(a) && known(b)) || self.level.same_params(a, b)
    }
}

impl Checker {
    fn new() -> Self {
        let level = Level::empty();
        Self {
            diagnostics: vec![],
            level,
            names: scope::Scope::default(),
            consts: vec![],
            var_nodes: vec![],
            field_nodes: vec![],
            define_nodes: vec![],
            table_nodes: vec![],
            routine_nodes: vec![],
            project: Arc::default(),
            syntax_errors: vec![],
            here: AreaId::MAIN,
            gaps: gaps::Gaps::default(),
            titles_named: FxHashSet::default(),
            rule_titles: None,
            zones_named: FxHashSet::default(),
            watch_keys: FxHashMap::default(),
            enum_values: FxHashMap::default(),
            enums_of: FxHashMap::default(),
            actors_by_name: FxHashMap::default(),
            states_by_name: FxHashMap::default(),
            machines_at: FxHashMap::default(),
            states_at: FxHashMap::default(),
            gone_to: FxHashSet::default(),
            define_heights: FxHashMap::default(),
            define_depth: 0,
            may_circle: false,
            candidate: None,
            by_hand: false,
            used: used::Used::default(),
            types: None,
            syntax_told: 0,
            rules_read: 0,
            proposals: Default::default(),
            units: vec![],
        }
    }

    /// Takes the files, with what is wrong with their grammar; true where one that another uses is broken.
    fn begin(&mut self, project: &Arc<files::Project>) -> bool {
        self.diagnostics.extend(project.diagnostics.iter().cloned());
        let broken = self.diagnostics.iter().any(|d| d.code == "syntax");
        self.project = project.clone();
        let mut order = vec![0; project.sources.len()];
        project.parts.iter().zip(0..).for_each(|(part, before)| order[part.file as usize] = before);
        self.level.file_order = order;
        let files = project.parses.iter().enumerate();
        self.syntax_errors =
            files.flat_map(|(f, p)| p.errors.iter().map(move |e| (f as u16, e.start as u32))).collect();
        self.syntax_errors.sort_unstable();
        let mut told: FxHashSet<(u16, u32)> = self.diagnostics.iter().map(|d| (d.span.file, d.span.start)).collect();
        for e in &project.parses[0].errors {
            if told.insert((0, e.start as u32)) {
                self.diagnostics.push(e.diagnostic(0));
            }
        }
        self.syntax_told = self.diagnostics.len();
        broken
    }

    /// Reads everything that is declared, and all rules that may mean something else than `before`.
    fn run(&mut self, root: &Node, before: Option<&Before>) {
        self.settings(root);
        self.collect(root);
        self.maps(root);
        self.fill_kinds(root);
        self.collect_machines(root);
        self.fill_messages(root);
        self.fill_routine_heads();
        self.name_all_actors(root);
        self.fill_record_columns(root);
        self.fill_records(root);
        self.fill_actors(root);
        self.fill_vars();
        self.fill_tables();
        self.fill_paths(root);
        self.fill_zones(root);
        self.fill_rules(root, before);
        self.fill_routines();
    }

    /// Makes ready to be looked up what was found out place by place.
    fn settle(&mut self) {
        self.used.settle();
        self.types.iter_mut().for_each(Placed::settle);
    }

    /// Looks over what was read as a whole. What was told before stays as it is.
    fn look_over(&mut self, root: &Node) {
        self.settle();
        self.refuse_draws();
        self.refuse_mixed_messages();
        self.refuse_private(root);
        self.findings(root);
    }

    /// An actor's kind, where it is known.
    pub fn actor_kind(&self, a: ActorId) -> Option<KindId> {
        self.level.actors.get(a.index()).map(|x| x.kind).filter(|_| !self.gaps.actors.contains(&a))
    }

    pub fn span(&self, n: &Node) -> Span {
        let b = n.bytes();
        self.span_at(b.start, b.end)
    }

    /// True where an error of grammar lies in a stretch.
    pub fn is_ungrammatical(&self, at: Span) -> bool {
        let i = self.syntax_errors.partition_point(|e| *e < (at.file, at.start));
        self.syntax_errors.get(i).is_some_and(|e| e.0 == at.file && e.1 <= at.end)
    }

    /// True where an error of grammar lies in a declaration, or in what was left behind it.
    pub fn is_broken(&self, n: &Node) -> bool {
        let left = n.next_sibling().filter(|next| next.kind() == K::BROKEN);
        let at = self.span(n);
        self.is_ungrammatical(Span { end: left.map_or(at.end, |n| self.span(&n).end), ..at })
    }

    pub fn token_span(&self, t: &crate::syntax::Token) -> Span {
        let r = t.range();
        self.span_at(r.start, r.end)
    }

    pub fn error(&mut self, code: &'static str, span: Span, message: impl Into<String>, help: impl Into<String>) {
        self.diagnostics.push(Diagnostic::error(code, span, message, help));
    }

    /// The name that a declaration declares, where the text has one.
    pub fn declared(&self, n: &Node) -> Option<(String, Span)> {
        let name = n.child(K::NAME)?;
        Some((name.word().to_string(), self.span(&name)))
    }

    /// The text of a node, trivia inside folded to single spaces.
    pub fn text_of(n: &Node) -> String {
        if n.kind() == K::NAME_EXPR {
            return n.word().to_string();
        }
        let mut out = String::new();
        let mut space = false;
        for t in n.tokens() {
            if t.kind().is_trivia() {
                space = !out.is_empty();
            } else {
                if std::mem::take(&mut space) {
                    out.push(' ');
                }
                out.push_str(t.text());
            }
        }
        out
    }

    /// The `///` lines before a declaration.
    pub fn doc_of(n: &Node) -> String {
        doc_of(n)
    }
}

/// The `///` lines before a declaration.
pub(crate) fn doc_of(n: &Node) -> String {
    let mut lines = vec![];
    let mut at = n.previous();
    while let Some(e) = at {
        match e.kind() {
            K::DOC => lines.push(e.as_token().map_or("", |t| t.text()).trim_start_matches('/').trim().to_string()),
            K::SPACE | K::NEWLINE => {}
            _ => break,
        }
        at = e.previous();
    }
    lines.reverse();
    lines.join(" ")
}
