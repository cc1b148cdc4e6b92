//! Shared lists against plain ones.

use mayfly_base::items::*;
use mayfly_base::value::Value;
use proptest::prelude::*;

proptest! {
    #[test]
    fn a_changed_copy_leaves_the_other_and_weighs_what_its_items_do(
        steps in prop::collection::vec((0..4u8, 0..40usize, "[a-z]{0,9}"), 0..120)
    ) {
        let (mut items, mut plain): (Items<Value>, Vec<Value>) = Default::default();
        for (what, at, text) in steps {
            let (before, kept) = (items.clone(), plain.clone());
            let v = Value::text(&text);
            match what {
                0 => { items.push(v.clone()); plain.push(v); }
                1 => { items.insert(at.min(plain.len()), v.clone()); plain.insert(at.min(plain.len()), v); }
                2 if at < plain.len() => { items.remove(at); plain.remove(at); }
                3 if at < plain.len() => { items.set(at, v.clone()); plain[at] = v; }
                _ => {}
            }
            prop_assert!(items.iter().eq(plain.iter()) && before.iter().eq(kept.iter()));
            prop_assert_eq!(items.weight(), plain.iter().map(Weight::weight_of).sum::<usize>());
        }
    }
}
