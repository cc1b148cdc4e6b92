//! Names for what values hold by number, in a program and a world.

use crate::program::Program;
use crate::world::World;
use mayfly_base::*;

/// The names of a program and of the actors of a world.
#[derive(Clone, Copy)]
pub struct Named<'a>(pub &'a Program, pub &'a World);

impl Names for Named<'_> {
    fn enum_value(&self, id: EnumId, value: u32) -> String {
        self.0.enums[id.index()].1.get(value as usize).cloned().unwrap_or_default()
    }
    fn actor(&self, id: ActorId) -> String {
        self.1.actors.get(id.index()).map_or_else(|| format!("actor {}", id.0), |a| a.name.to_string())
    }
    fn kind(&self, id: KindId) -> String {
        self.0.kinds[id.index()].name.clone()
    }
    fn tag(&self, id: TagId) -> String {
        self.0.tags[id.index()].clone()
    }
    fn zone(&self, id: ZoneId, of: Option<ActorId>) -> String {
        let name = &self.0.zones[id.index()].name;
        match of {
            Some(a) => format!("{}.{name}", self.actor(a)),
            None => name.clone(),
        }
    }
    fn message(&self, id: MessageId) -> String {
        self.0.messages[id.index()].name.clone()
    }
    fn tile(&self, id: TileId) -> String {
        self.0.tiles[id.index()].name.clone()
    }
    fn path(&self, id: PathId) -> String {
        self.0.paths[id.index()].name.clone()
    }
    fn timer(&self, id: TimerId) -> String {
        self.0.timers[id.index()].name.clone()
    }
    fn table(&self, id: TableId) -> String {
        self.0.tables[id.index()].0.clone()
    }
    fn state(&self, id: StateId) -> String {
        self.0.states[id.index()].name.clone()
    }
    fn area(&self, id: AreaId) -> String {
        self.0.maps[id.index()].name.clone()
    }
}
