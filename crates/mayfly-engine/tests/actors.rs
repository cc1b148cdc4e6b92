//! The table of actors: who is removed, who is kept.

use mayfly_base::{KindId, Point};
use mayfly_engine::actor::Actor;
use mayfly_engine::actors::*;

#[test]
fn who_is_gone_is_still_found_and_the_others_keep_their_order() {
    let mut all = Actors::default();
    for n in 0..300 {
        all.push(Actor::blank(&format!("crate#{n}"), KindId(0), Point::main(0.0, 0.0), 2));
    }
    for n in (0..300).filter(|n| n % 3 == 0) {
        all[n].gone = true;
    }
    let before = all.clone();
    assert_eq!(all.clear_removed(0, |_, _| {}).len(), 100);
    for n in 0..300 {
        assert_eq!(&*all[n].name, format!("crate#{n}"));
        assert_eq!(all[n].is_tombstone, n % 3 == 0);
        assert!(!before[n].is_tombstone, "a world that was kept stays as it was");
    }
    all.push(Actor::blank("late", KindId(0), Point::main(0.0, 0.0), 2));
    let ids: Vec<u32> = all.iter().map(|(id, _)| id.0).collect();
    assert!(ids.is_sorted() && ids.len() == 201 && ids.last() == Some(&300));
    assert_eq!((all.made(), &*all[300].name), (301, "late"));
}
