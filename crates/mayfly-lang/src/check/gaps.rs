//! What is not known of what is declared, because its declaration is wrong: whoever names it is told nothing more.
//!
//! Not here: what is wrong ([`crate::diagnostic`]).
//!
//! Invariant: it is filled while all that is declared is read, and stands when the first rule is read.

use crate::level::Level;
use mayfly_base::{ActorId, KindId, MessageId};
use rustc_hash::FxHashSet;

#[derive(Clone, Debug, Default)]
pub(crate) struct Gaps {
    /// Kinds of which it is not known what they are like, so that they may have whatever is asked for.
    pub kinds: FxHashSet<KindId>,
    /// Messages of which it is not known what values they have, so that they fit whatever is given.
    pub messages: FxHashSet<MessageId>,
    /// Actors whose kind is wrong already: nothing more is said of them.
    pub actors: FxHashSet<ActorId>,
    /// Machines whose kind is not known: each kind may have one of that name.
    pub machines: FxHashSet<String>,
    /// Zones whose kind is not known, so that they may have whatever is asked for.
    pub zones: FxHashSet<String>,
    /// Something is placed whose kind is not known: the numbers of the others are not known either.
    pub places: bool,
}

impl Gaps {
    /// True where all is known.
    pub fn are_none(&self) -> bool {
        let Self { kinds, messages, actors, machines, zones, places } = self;
        kinds.is_empty()
            && messages.is_empty()
            && actors.is_empty()
            && machines.is_empty()
            && zones.is_empty()
            && !places
    }

    /// The names of what is known less well than `before`, where all things have the numbers that they had; none where something
    /// is known better.
    pub fn more_than(&self, before: &Self, level: &Level) -> Option<Vec<String>> {
        let none_is_better = before.kinds.is_subset(&self.kinds)
            && before.messages.is_subset(&self.messages)
            && before.machines.is_subset(&self.machines)
            && before.zones.is_subset(&self.zones)
            && before.actors.is_subset(&self.actors)
            && before.places <= self.places;
        let actors = self.actors.difference(&before.actors);
        let actors = actors.filter_map(|a| level.actors.get(a.index()).map(|a| &a.name));
        let messages = self.messages.difference(&before.messages).map(|m| &level.messages[m.index()].name);
        let zones = self.zones.difference(&before.zones);
        let names = self.machines.difference(&before.machines).chain(zones).chain(actors).chain(messages);
        none_is_better.then(|| names.map(|n| n.split('#').next().unwrap_or(n).to_string()).collect())
    }
}
