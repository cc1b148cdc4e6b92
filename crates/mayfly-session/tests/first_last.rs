//! Lists that keep both ends.

use mayfly_session::first_last::*;

/// A number, and how many bytes it is said to take.
struct Item(u64, usize);

impl Bytes for Item {
    fn bytes(&self) -> usize {
        self.1
    }
}

#[test]
fn a_flood_keeps_both_ends_and_counts_the_rest() {
    let mut list = FirstLast::default();
    (0..100_000).for_each(|i| list.push(Item(i, 10)));
    list.finish();
    assert_eq!((list.len(), list.left_out()), (2 * MAX, 80_000));
    assert_eq!((list[0].0, list[MAX - 1].0, list[MAX].0, list[2 * MAX - 1].0), (0, 9_999, 90_000, 99_999));
    list.cut(|x| x.0 < 95_000);
    assert_eq!((list.len(), list.left_out()), (15_000, 80_000));
    list.cut(|x| x.0 < 5_000);
    assert_eq!((list.len(), list.left_out()), (5_000, 0));
}

#[test]
fn large_items_take_bounded_room() {
    let mut list = FirstLast::default();
    (0..1000).for_each(|i| list.push(Item(i, 1 << 20)));
    assert!(list.iter().map(|x| x.1).sum::<usize>() <= 3 * MAX_BYTES);
    assert_eq!(list.left_out() + list.len() as u64, 1000);
    assert_eq!(list.last().map(|x| x.0), Some(999));
}
