//! Numbers: how they are rounded, shown and compared.
//!
//! Not here: sums and products of values ([`crate::arith`]).
//!
//! Invariant: a number is shown, and rounded, as the shortest decimal that names it reads.

/// Numbers nearer than this are equal (language.md §1).
pub const NEAR: f64 = 1e-9;

/// The whole number at or below a number, without a call of the platform's own function.
pub fn floor(n: f64) -> i64 {
    let whole = n as i64;
    whole.saturating_sub(i64::from(whole as f64 > n))
}

/// A number with so many decimals, rounded half away from zero: of the shortest decimal that names it, so that
/// 0.15 with one decimal is 0.2, as it reads.
pub fn show_decimals(n: f64, decimals: usize) -> String {
    let shortest = format!("{}", n.abs());
    let (whole, fraction) = shortest.split_once('.').unwrap_or((&shortest, ""));
    let mut digits: Vec<u8> =
        whole.bytes().chain(fraction.bytes().chain(std::iter::repeat(b'0')).take(decimals)).collect();
    if fraction.as_bytes().get(decimals).is_some_and(|d| *d >= b'5') {
        let mut at = digits.len();
        loop {
            if at == 0 {
                digits.insert(0, b'1');
                break;
            }
            at -= 1;
            if digits[at] < b'9' {
                digits[at] += 1;
                break;
            }
            digits[at] = b'0';
        }
    }
    let is_zero = digits.iter().all(|d| *d == b'0');
    let mut out = String::with_capacity(digits.len() + 2);
    if n < 0.0 && !is_zero {
        out.push('-');
    }
    let point = digits.len() - decimals;
    out.extend(digits[..point].iter().map(|d| char::from(*d)));
    if decimals > 0 {
        out.push('.');
        out.extend(digits[point..].iter().map(|d| char::from(*d)));
    }
    out
}

/// The nearest whole number, a half away from zero: of the shortest decimal that names the number.
pub fn round(n: f64) -> f64 {
    // Beyond 2^52 every number is whole.
    if n.abs() >= 4_503_599_627_370_496.0 { n } else { show_decimals(n, 0).parse().unwrap_or(n) }
}

/// A number with at most six decimals and no trailing zeros.
pub fn show_number(n: f64) -> String {
    let mut s = show_decimals(n, 6);
    s.truncate(s.trim_end_matches('0').trim_end_matches('.').len());
    s
}

/// A number as [`show_number`] has it, but one that would be longer than a line with its power of ten: for messages.
pub fn show_short(n: f64) -> String {
    if n.abs() >= 1e15 { format!("{n:e}") } else { show_number(n) }
}

/// True where the two numbers count as equal.
pub fn same_number(a: f64, b: f64) -> bool {
    (a - b).abs() < NEAR
}

/// So many of something: `1 tick`, `3 ticks`. `one` is the word for one of them, of which more have an `s`.
pub fn counted(n: usize, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// So many, with the verb: `1 is`, `3 are`.
pub fn are(n: usize) -> String {
    if n == 1 { "1 is".into() } else { format!("{n} are") }
}
