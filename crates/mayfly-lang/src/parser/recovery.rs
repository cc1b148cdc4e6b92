//! What is said where the text is not as it should be, and how reading goes on behind it.
//!
//! Not here: the tokens and the tree ([`super::Parser`]).
//!
//! Invariant: one place has one error; whatever is skipped is in the tree all the same.

use super::{Breaks, Parser, SyntaxError, decl, habits, short};
use crate::lexer;
use crate::syntax::Kind::{self, *};

/// Tokens in the wrong place that are passed over to what was meant to stand there.
const MAX_PASSED: usize = 32;

impl Parser<'_> {
    /// An error at the next token, or at the end of the last where the line is over.
    pub(crate) fn error_here(&mut self, message: impl Into<String>, help: impl Into<String>) {
        let (mut start, mut end) = match self.index(0) {
            Some(i) if !self.fresh[i] || self.pos == 0 || self.at_statement() => {
                (self.tokens[i].start, self.tokens[i].end)
            }
            _ => self.last_taken().map_or((0, 0), |t| (t.end, t.end)),
        };
        if start > self.text.len() {
            (start, end) = (self.text.len(), self.text.len());
        }
        if self.errors.last().is_some_and(|e| e.start == start) {
            return;
        }
        self.tell(start..end, message, help);
    }

    /// An error of a stretch of the text, which breaks its line.
    pub(crate) fn tell(&mut self, at: std::ops::Range<usize>, message: impl Into<String>, help: impl Into<String>) {
        let (message, help) = (message.into(), help.into());
        self.errors.push(SyntaxError { start: at.start, end: at.end, message, help, fix: None, breaks: Breaks::Line });
    }

    /// An error at the next token itself, wherever its line begins.
    pub(crate) fn error_at_token(&mut self, message: impl Into<String>, help: impl Into<String>) {
        let Some(i) = self.index(0) else { return self.error_here(message, help) };
        let (start, end) = (self.tokens[i].start, self.tokens[i].end);
        if self.errors.last().is_none_or(|e| e.start != start) {
            self.tell(start..end, message, help);
        }
    }

    /// Says what the error that was told last breaks. Called right behind it, with nothing taken since.
    pub(crate) fn breaks(&mut self, what: Breaks) {
        if let Some(e) = self.errors.last_mut() {
            e.breaks = what;
        }
    }

    /// The error that was told last is mended where these bytes become that text. Called right behind it, with nothing
    /// taken since.
    pub(crate) fn mended_by(&mut self, range: std::ops::Range<usize>, text: impl Into<String>) {
        if let Some(e) = self.errors.last_mut().filter(|e| e.fix.is_none()) {
            e.fix = Some((range, text.into()));
        }
    }

    /// The bytes of the next `n` tokens.
    pub(crate) fn bytes_of(&self, n: usize) -> std::ops::Range<usize> {
        match (self.index(0), self.index(n.saturating_sub(1))) {
            (Some(a), Some(b)) => self.tokens[a].start..self.tokens[b].end,
            _ => self.text.len()..self.text.len(),
        }
    }

    /// What stands here, for an error's text.
    pub(crate) fn found(&self) -> String {
        match self.nth(0) {
            EOF => "the text ends".into(),
            _ if self.nth_fresh(0) && self.parens == 0 && !self.at_statement() => "the line ends".into(),
            _ => format!("there is `{}`", short(self.nth_text(0))),
        }
    }

    /// Passes over a word, a text or a sign that stands twice in a row, and says so. Asked where it cannot be meant.
    pub(crate) fn twice(&mut self) -> bool {
        let (Some(last), Some(i)) = (self.last_taken(), self.index(0)) else { return false };
        let next = self.tokens[i];
        let same = next.kind == last.kind && self.text_of(next) == self.text_of(last);
        if !same || !self.goes_on() {
            return false;
        }
        self.error_at_token(format!("`{}` stands here twice", short(self.nth_text(0))), "take one of the two out");
        self.mended_by(last.end..next.end, "");
        self.pass_over(1);
        true
    }

    /// Puts the next `n` tokens into the tree as a broken piece.
    pub(crate) fn pass_over(&mut self, n: usize) {
        self.start(BROKEN);
        (0..n).for_each(|_| self.bump());
        self.finish();
    }

    /// How many tokens stand before the next `kind` on this line, if there are few.
    pub(super) fn until(&self, kind: Kind) -> Option<usize> {
        for n in 0..MAX_PASSED {
            match self.nth(n) {
                k if k == kind => return (n > 0 || self.goes_on()).then_some(n),
                EOF | SEMI | L_BRACE | R_BRACE => return None,
                _ if self.nth_fresh(n) => return None,
                _ => {}
            }
        }
        None
    }

    /// Eats `kind`, or says what is missing. Of what stands twice, and of `=`, reading goes on behind it.
    pub(crate) fn expect(&mut self, kind: Kind, what: &str) -> bool {
        if self.eat(kind) || self.twice() && self.eat(kind) {
            return true;
        }
        if kind == EQ
            && let Some(n) = self.until(EQ)
        {
            self.error_here(format!("{what} is missing here: {}", self.found()), format!("write {what}"));
            self.pass_over(n);
            return self.eat(EQ);
        }
        self.error_here(format!("{what} is missing here: {}", self.found()), format!("write {what}"));
        false
    }

    /// Eats the rest of the statement as a broken piece.
    pub(crate) fn skip_line(&mut self) {
        if !self.goes_on() {
            return;
        }
        self.start(BROKEN);
        let mut depth = 0usize;
        loop {
            match self.nth(0) {
                EOF => break,
                _ if depth == 0 && self.nth_fresh(0) => break,
                SEMI | R_BRACE if depth == 0 => break,
                L_BRACE => depth += 1,
                R_BRACE => depth -= 1,
                _ => {}
            }
            self.bump();
        }
        self.finish();
    }

    /// Eats the rest of the statement as a broken piece, a block that follows included, whatever the
    /// first token is. Always eats something.
    pub(crate) fn skip_statement(&mut self) {
        self.start(BROKEN);
        self.bump();
        self.finish();
        self.skip_line();
    }

    /// The end of a statement: a line's end, `;` or a closing brace.
    pub(crate) fn end_statement(&mut self) {
        if self.eat(SEMI) {
            while self.eat(SEMI) {}
        } else if self.goes_on() && !self.after(R_BRACE) && self.twice() {
            self.skip_line();
            self.eat(SEMI);
        } else if self.goes_on() && !self.after(R_BRACE) {
            let help = habits::duration(self).or_else(|| habits::behind(self));
            let help = help.unwrap_or_else(|| "begin a new line, or part two statements with `;`".into());
            let apart = habits::duration(self).and_then(|_| self.last_taken());
            self.error_here(format!("the line should end here, but {}", self.found()), help);
            self.breaks(Breaks::Structure);
            if let Some(number) = apart {
                let word = self.nth_text(0);
                let unit = if word.starts_with("milli") || word == "ms" { "ms" } else { &word[..1] };
                let (range, text) = (number.start..self.bytes_of(1).end, format!("{}{unit}", self.text_of(number)));
                self.mended_by(range, text);
            }
            self.skip_line();
            self.eat(SEMI);
        }
    }

    /// True right after a token of that kind, trivia apart.
    fn after(&self, kind: Kind) -> bool {
        self.last_taken().is_some_and(|t| t.kind == kind)
    }

    /// `{ … }` with `item` for each statement in it. `item` must eat something.
    pub(crate) fn braces(&mut self, what: &str, mut item: impl FnMut(&mut Self)) {
        self.braces_round(what, &mut item);
    }

    fn braces_round(&mut self, what: &str, item: &mut dyn FnMut(&mut Self)) {
        if !self.at(L_BRACE) {
            self.twice();
        }
        if !self.at(L_BRACE)
            && let Some(n) = self.until(L_BRACE)
        {
            let word = super::short(self.nth_text(0));
            let help = match n {
                1 => format!("take `{word}` out"),
                _ => "correct what stands before the `{`, or take it out".into(),
            };
            self.error_here(format!("the `{{` of {what} should stand here, but {}", self.found()), help);
            self.breaks(Breaks::Structure);
            self.pass_over(n);
        }
        if !self.eat(L_BRACE) {
            let found = self.found();
            self.error_here(
                format!("the `{{` of {what} is missing here: {found}"),
                format!("write `{{` before what belongs to {what}, and `}}` behind it"),
            );
            self.breaks(Breaks::Structure);
            // What belongs to a declaration is read all the same.
            let goes_on = matches!(
                what,
                "the kind" | "the rule" | "the routine" | "the machine" | "the state" | "the tiles" | "the group"
            );
            if !goes_on || self.at(EOF) || self.at(R_BRACE) || self.is_outside(what, false) {
                return;
            }
        }
        let unclosed =
            self.last_taken().is_some_and(|t| t.kind == L_BRACE && self.unclosed.binary_search(&t.start).is_ok());
        let parens = std::mem::replace(&mut self.parens, 0);
        let ok = self.deeper();
        while !self.at(R_BRACE) && !self.at(EOF) && !self.is_outside(what, unclosed) {
            if self.eat(SEMI) {
                continue;
            }
            let before = self.pos;
            self.begin_statement();
            if ok {
                item(self);
                self.end_statement();
            }
            if self.pos == before || !ok {
                self.skip_statement();
            }
        }
        self.shallower();
        self.parens = parens;
        if !self.eat(R_BRACE) {
            self.error_here(format!("the closing `}}` of {what} is missing"), "add `}` where it ends");
            self.breaks(Breaks::Structure);
        }
    }

    /// True where a declaration begins a line that cannot stand in what is read, so that its closing brace is missing: what
    /// follows is read as it was meant.
    fn is_outside(&self, what: &str, unclosed: bool) -> bool {
        let Some(at) = self.index(0).map(|i| self.tokens[i].start) else { return false };
        let begins_line = at > 0 && self.text.as_bytes()[at - 1] == b'\n';
        let own: &[&str] = match what {
            _ if unclosed => &[],
            "the kind" => &["var", "keep", "define", "zone", "rule", "first", "machine"],
            "the machine" | "the state" | "`wherever`" | "the group" => &["rule"],
            _ => &[],
        };
        let word = self.nth_text(0);
        if begins_line && word == "tiles" && self.nth(1) == L_BRACE {
            return true;
        }
        begins_line
            && self.at(IDENT)
            && matches!(self.nth(1), IDENT | TEXT | RAW_TEXT)
            && !own.contains(&word)
            && decl::begins_one(word)
    }

    /// A declared name.
    pub(crate) fn name(&mut self, what: &str) -> bool {
        // A list of names goes on after a comma, and an item may be a name alone on its line.
        if self.at(IDENT) && (self.goes_on() || self.at_statement() || self.after(COMMA)) {
            let word = self.nth_text(0);
            if word.contains(lexer::is_mark) {
                let help = "type the letter as one character, or leave its mark out";
                self.error_at_token(format!("`{word}` has a letter with a mark of its own behind it"), help);
            }
            self.start(NAME);
            self.bump();
            self.finish();
            // A tile may be called as its first attribute is.
            if what != "the tile" {
                self.twice();
            }
            return true;
        }
        self.no_name(what);
        false
    }

    /// Says that a name is missing here.
    pub(crate) fn no_name(&mut self, what: &str) {
        self.error_here(
            format!("the name of {what} is missing here: {}", self.found()),
            match (what, self.nth(0)) {
                ("an input", TEXT) => "declare it, and name it here: `input wind = \"e\"`, `when keeper presses wind`",
                _ => "a name is a letter or `_`, then letters, digits and `_`",
            },
        );
        self.breaks(Breaks::Name);
    }

    /// True where the next line stands further in than the line under way, as what belongs to it does, and a `}` behind it
    /// has no `{`.
    pub(crate) fn lacks_its_brace(&self) -> bool {
        let (Some(last), Some(i)) = (self.last_taken(), self.index(0)) else { return false };
        let next = self.tokens[i].start;
        if self.unopened.is_none_or(|at| at < next) {
            return false;
        }
        let indent = |at: usize| {
            let line = &self.text[self.text[..at].rfind('\n').map_or(0, |n| n + 1)..];
            line.len() - line.trim_start_matches([' ', '\t']).len()
        };
        let lines = self.text[last.end..next].matches('\n').count();
        lines == 1 && !matches!(self.nth(0), R_BRACE | SEMI) && indent(next) > indent(last.start)
    }
}
