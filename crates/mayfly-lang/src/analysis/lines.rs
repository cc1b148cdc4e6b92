//! Lines and columns of a text, in bytes, in characters and in UTF-16 units.
//!
//! Invariant: every byte of the text has one line and column, and they lead back to it (held by a property test).

/// Where the lines of a text begin.
#[derive(Clone, Debug)]
pub struct LineIndex {
    starts: Vec<usize>,
    len: usize,
}

/// A place in a text, both counted from 0. What a column counts, says who gives it.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub struct LineColumn {
    pub line: usize,
    pub column: usize,
}

impl LineIndex {
    pub fn new(text: &str) -> Self {
        let ends = text.bytes().enumerate().filter(|(_, b)| *b == b'\n').map(|(i, _)| i + 1);
        Self { starts: std::iter::once(0).chain(ends).collect(), len: text.len() }
    }

    /// How many lines there are; the last may be empty.
    pub fn lines(&self) -> usize {
        self.starts.len()
    }

    /// The line of a byte, from 0.
    pub fn line(&self, at: usize) -> usize {
        self.starts.partition_point(|s| *s <= at) - 1
    }

    /// The first byte of a line, and the byte after its last, its end included. Past the last line, the text's end.
    pub fn range(&self, line: usize) -> std::ops::Range<usize> {
        let start = |l: usize| self.starts.get(l).copied().unwrap_or(self.len);
        start(line)..start(line + 1)
    }

    /// Line and column of a byte; the column in bytes.
    pub fn utf8(&self, at: usize) -> LineColumn {
        let line = self.line(at);
        LineColumn { line, column: at - self.starts[line] }
    }

    /// Line and column of a byte of `text`, the text of this index; the column in UTF-16 units, as editors count.
    pub fn utf16(&self, text: &str, at: usize) -> LineColumn {
        let line = self.line(at);
        let before = text.get(self.starts[line]..at).unwrap_or("");
        LineColumn { line, column: before.encode_utf16().count() }
    }

    /// The byte at a line and a column in UTF-16 units; past a line's end, its end.
    pub fn byte_of_utf16(&self, text: &str, place: LineColumn) -> usize {
        let range = self.range(place.line);
        let line = text[range.clone()].trim_end_matches(['\n', '\r']);
        let mut units = 0;
        for (i, c) in line.char_indices() {
            if units >= place.column {
                return range.start + i;
            }
            units += c.len_utf16();
        }
        range.start + line.len()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn places_lead_back_to_their_bytes(text in "[a𝄞é\n ]{0,40}") {
            let index = LineIndex::new(&text);
            prop_assert_eq!(index.lines(), text.matches('\n').count() + 1);
            for (at, _) in text.char_indices().chain([(text.len(), ' ')]) {
                let place = index.utf8(at);
                prop_assert_eq!(index.range(place.line).start + place.column, at);
                prop_assert_eq!(index.byte_of_utf16(&text, index.utf16(&text, at)), at);
            }
        }
    }
}
