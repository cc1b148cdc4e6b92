//! Which known word was meant by an unknown one.
//!
//! Source: the Damerau-Levenshtein distance in its optimal-string-alignment form.

/// The nearest of `known` to `word`, if it is near enough to be meant.
pub fn nearest<'a>(word: &str, known: impl Iterator<Item = &'a str>) -> Option<&'a str> {
    if word.is_empty() || word.len() > 64 {
        return None;
    }
    let limit = match word.chars().count() {
        1..=2 => 1,
        3..=5 => 2,
        _ => 3,
    };
    known
        .filter(|k| k.len() <= 64)
        .map(|k| (distance(word, k), k))
        .filter(|(d, k)| *d > 0 && *d <= limit && *d < k.chars().count())
        .min_by_key(|(d, _)| *d)
        .map(|(_, k)| k)
}

/// Edits between two words; letters that differ by case alone count as half a letter, rounded down.
fn distance(a: &str, b: &str) -> usize {
    if a.to_lowercase() == b.to_lowercase() {
        return usize::from(a != b);
    }
    let (a, b): (Vec<char>, Vec<char>) = (a.chars().collect(), b.chars().collect());
    let mut rows = vec![vec![0usize; b.len() + 1]; a.len() + 1];
    for (i, row) in rows.iter_mut().enumerate() {
        row[0] = i;
    }
    for (j, cell) in rows[0].iter_mut().enumerate() {
        *cell = j;
    }
    for i in 1..=a.len() {
        for j in 1..=b.len() {
            let swap = usize::from(a[i - 1] != b[j - 1]);
            let mut d = (rows[i - 1][j] + 1).min(rows[i][j - 1] + 1).min(rows[i - 1][j - 1] + swap);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                d = d.min(rows[i - 2][j - 2] + 1);
            }
            rows[i][j] = d;
        }
    }
    rows[a.len()][b.len()]
}

#[cfg(test)]
mod tests {
    use super::nearest;

    #[test]
    fn a_slip_is_mended_and_another_word_is_not() {
        let known = || ["lamps_lit", "keeper", "oil"].into_iter();
        assert_eq!(nearest("lamp_lit", known()), Some("lamps_lit"));
        assert_eq!(nearest("kepeer", known()), Some("keeper"));
        assert_eq!(nearest("Oil", known()), Some("oil"));
        assert_eq!(nearest("weather", known()), None);
        assert_eq!(nearest("x", known()), None);
    }
}
