//! Which known word was meant by an unknown one.
//!
//! Source: the Damerau-Levenshtein distance in its optimal-string-alignment form.

/// The nearest of `known` to `word`, if it is near enough to be meant.
pub fn nearest<'a>(word: &str, mut known: impl Iterator<Item = &'a str>) -> Option<&'a str> {
    nearest_of(word, &mut known).map(|(_, k)| k)
}

/// The nearest with its distance. Compiled once for all who ask.
pub(crate) fn nearest_of<'a>(word: &str, known: &mut dyn Iterator<Item = &'a str>) -> Option<(usize, &'a str)> {
    if word.is_empty() || word.len() > 64 {
        return None;
    }
    let limit = match word.chars().count() {
        1..=2 => 1,
        3..=5 => 2,
        _ => 3,
    };
    let ends = |s: &str| (s.chars().next().map(folded), s.chars().next_back().map(folded));
    let (first, last) = ends(word);
    known
        .filter(|k| k.len() <= 64 && k.len().abs_diff(word.len()) <= limit * 4)
        // Whoever mistypes both the first and the last letter means something else.
        .filter(|k| {
            limit < 3 || {
                let (f, l) = ends(k);
                f == first || l == last
            }
        })
        .map(|k| (distance(word, k, limit), k))
        .filter(|(d, k)| *d > 0 && *d <= limit && *d < k.chars().count())
        .min()
}

fn folded(c: char) -> char {
    c.to_lowercase().next().unwrap_or(c)
}

/// Edits between two words of at most 64 letters, exact up to `limit`; letters that differ by case alone count as
/// half a letter, rounded down.
fn distance(a: &str, b: &str, limit: usize) -> usize {
    let (mut x, mut y) = (['\0'; 64], ['\0'; 64]);
    let fill = |to: &mut [char; 64], s: &str| {
        let n = s.chars().count().min(64);
        to.iter_mut().zip(s.chars()).for_each(|(t, c)| *t = c);
        n
    };
    let (n, m) = (fill(&mut x, a), fill(&mut y, b));
    if n.abs_diff(m) > limit {
        return limit + 1;
    }
    let (a, b) = (&x[..n], &y[..m]);
    if n == m && a.iter().zip(b).all(|(a, b)| folded(*a) == folded(*b)) {
        return usize::from(a != b);
    }
    // Two rows before the one under way.
    let (mut older, mut old, mut row) = ([0usize; 65], [0usize; 65], [0usize; 65]);
    old.iter_mut().enumerate().for_each(|(j, d)| *d = j);
    for i in 1..=n {
        row[0] = i;
        let mut least = i;
        for j in 1..=m {
            let swap = usize::from(a[i - 1] != b[j - 1]);
            let mut d = (old[j] + 1).min(row[j - 1] + 1).min(old[j - 1] + swap);
            if i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] {
                d = d.min(older[j - 2] + 1);
            }
            row[j] = d;
            least = least.min(d);
        }
        if least > limit + 1 {
            return limit + 1;
        }
        (older, old) = (old, row);
    }
    old[m]
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
