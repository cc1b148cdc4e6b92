//! Lists that do not grow without end.
//!
//! Invariant: a list has at most [`MAX`] entries, and of things with lists there are at most [`MAX_LISTS`].

use rustc_hash::FxHashMap;

/// Entries of one list.
pub const MAX: usize = 200_000;

/// One more; of too many the older half is given up.
pub(crate) fn bounded<T>(list: &mut Vec<T>, one: T) {
    if list.len() >= MAX {
        list.drain(..MAX / 2);
    }
    list.push(one);
}

/// Things of which lists are kept.
const MAX_LISTS: usize = 50_000;

/// Where there are too many lists, as of actors that come and go, those whose last entry is oldest are given up.
pub(crate) fn forget_old<K: Eq + std::hash::Hash, V>(lists: &mut FxHashMap<K, V>, last: impl Fn(&V) -> u64) {
    if lists.len() < MAX_LISTS {
        return;
    }
    let mut ticks: Vec<u64> = lists.values().map(&last).collect();
    let middle = MAX_LISTS / 2;
    let (_, median, _) = ticks.select_nth_unstable(middle);
    let median = *median;
    let mut of_median = middle / 2;
    lists.retain(|_, l| {
        let tick = last(l);
        of_median = of_median.saturating_sub(usize::from(tick == median));
        tick > median || tick == median && of_median > 0
    });
}
