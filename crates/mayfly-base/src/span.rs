//! Where a piece of text lies: file, first byte, byte after the last.
//!
//! Invariant: `start <= end`; both lie on character borders of the file's text.

/// A stretch of one file's text, in bytes.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Debug, Default)]
pub struct Span {
    /// The file's number in the order of reading; 0 is the level's own file.
    pub file: u16,
    /// First byte.
    pub start: u32,
    /// The byte after the last.
    pub end: u32,
}

impl Span {
    /// A span from `start` to before `end` of `file`.
    pub fn new(file: u16, start: usize, end: usize) -> Self {
        let clip = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
        Self { file, start: clip(start), end: clip(end) }
    }

    /// The smallest span that holds both; both must lie in one file.
    pub fn to(self, other: Self) -> Self {
        Self { file: self.file, start: self.start.min(other.start), end: self.end.max(other.end) }
    }

    /// The bytes as a range.
    pub fn range(self) -> std::ops::Range<usize> {
        self.start as usize..self.end as usize
    }
}

/// Line and column (both from 1, the column in characters) of the byte `at` in `text`.
pub fn line_column(text: &str, at: usize) -> (usize, usize) {
    let mut at = at.min(text.len());
    while !text.is_char_boundary(at) {
        at -= 1;
    }
    let before = &text[..at];
    let line = before.bytes().filter(|b| *b == b'\n').count() + 1;
    let begin = before.rfind('\n').map_or(0, |i| i + 1);
    (line, before[begin..].chars().count() + 1)
}
