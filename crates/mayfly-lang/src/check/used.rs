//! What a level uses: which messages it sends and hears, which variables it reads, writes and gives, as far as findings ask.
//!
//! Not here: what is wrong with that ([`super::findings`]).
//!
//! Invariant: a variable of a kind is told by the kind that declares it, whoever has it by `like`.

use crate::level::*;
use crate::moved::Change;
use crate::placed::Placed;
use crate::visit::Everything;
use mayfly_base::code::*;
use mayfly_base::*;
use rustc_hash::FxHashSet;

/// What was seen while the level was read.
#[derive(Clone, Debug, Default)]
pub(crate) struct Used {
    /// Messages, each with the place where it is sent, or heard.
    pub sent: Placed<(Span, MessageId), ()>,
    pub heard: Placed<(Span, MessageId), ()>,
    /// Where a message is sent that a variable holds: which, is not known.
    pub held: Placed<Span, ()>,
    /// Where a kind's variable stands: of which kind, by the kind that declares it.
    fields: Placed<Span, (KindId, FieldId)>,
    /// Those of them that are written to.
    places: Placed<Span, ()>,
    /// The kind that declares the variable of the actor that stands there.
    bases: Placed<(Span, FieldId), KindId>,
}

impl Used {
    pub fn sends(&mut self, at: Span, m: MessageId) {
        self.sent.put((at, m), ());
    }
    pub fn sends_held(&mut self, at: Span) {
        self.held.put(at, ());
    }
    pub fn hears(&mut self, at: Span, m: MessageId) {
        self.heard.put((at, m), ());
    }
    /// Takes what was seen before an edit at places that are kept.
    pub fn take(&mut self, from: &Self, by: &Change, keep: &mut dyn FnMut(&Span) -> bool) {
        let Self { sent, heard, held, fields, places, bases } = from;
        self.sent.take(sent, by, &mut *keep);
        self.heard.take(heard, by, &mut *keep);
        self.held.take(held, by, &mut *keep);
        self.fields.take(fields, by, &mut *keep);
        self.places.take(places, by, &mut *keep);
        self.bases.take(bases, by, keep);
    }
    /// Makes ready to be asked.
    pub fn settle(&mut self) {
        let Self { sent, heard, held, fields, places, bases } = self;
        sent.settle();
        heard.settle();
        held.settle();
        fields.settle();
        places.settle();
        bases.settle();
    }
    /// A kind's variable stands there, of the actor at `base`.
    pub fn field(&mut self, span: Span, base: Span, kind: KindId, field: FieldId) {
        self.fields.put(span, (kind, field));
        self.bases.put((base, field), kind);
    }
    pub fn written(&mut self, span: Span) {
        self.places.put(span, ());
    }
    pub fn base_kind(&self, base: Span, field: FieldId) -> Option<KindId> {
        self.bases.get(&(base, field)).copied()
    }
    pub fn reads(&self) -> FxHashSet<(KindId, FieldId)> {
        self.fields.iter().filter(|(s, _)| !self.places.contains(s)).map(|(_, f)| *f).collect()
    }
    pub fn writes(&self) -> FxHashSet<(KindId, FieldId)> {
        self.places.iter().filter_map(|(s, ())| self.fields.get(s)).copied().collect()
    }
}

/// The kind that declares a variable which a kind has.
pub(super) fn declaring(level: &Level, mut kind: KindId, field: FieldId) -> KindId {
    while let Some(base) =
        level.kinds[kind.index()].like.filter(|b| field.index() < level.kinds[b.index()].fields.len())
    {
        kind = base;
    }
    kind
}

/// Variables of kinds to which a placed or spawned actor, or a zone, is given a value of its own.
pub(super) fn given(level: &Level, all: &Everything) -> FxHashSet<(KindId, FieldId)> {
    let mut out = FxHashSet::default();
    let mut take = |kind: KindId, all: &[Override]| {
        for o in all {
            if let Override::Field(f, _) = o {
                out.insert((declaring(level, kind, *f), *f));
            }
        }
    };
    level.actors.iter().for_each(|a| take(a.kind, &a.overrides));
    level.zones.iter().for_each(|z| z.kind.into_iter().for_each(|k| take(k, &z.overrides)));
    all.stmts.iter().for_each(|s| {
        let StmtKind::Do(Action::Spawn { kind, overrides, .. }) = &s.kind else { return };
        match kind.kind {
            ExprKind::Const(Value::Kind(k)) => take(k, overrides),
            _ => (0..level.kinds.len()).for_each(|k| take(KindId::at(k), overrides)),
        }
    });
    out
}

/// The words between the braces of a text.
pub(super) fn words_in_text(token: &str) -> impl Iterator<Item = &str> {
    let inner = token.split('{').skip(1).map(|piece| piece.split('}').next().unwrap_or_default());
    inner.flat_map(|p| p.split(|c: char| !(c.is_alphanumeric() || c == '_'))).filter(|w| !w.is_empty())
}

/// The variable that an action changes.
pub(super) fn root_place(a: &Action) -> Option<&Place> {
    let mut p = match a {
        Action::Assign { place, .. } | Action::Ramp { place, .. } => place,
        Action::Push { list, .. } => list,
        Action::Clear(p) | Action::Bag { bag: p, .. } => p,
        _ => return None,
    };
    while let Place::Entry(base, _) = p {
        p = base;
    }
    Some(p)
}
