//! The words of a BVH file, with the lines in which they stand.

use super::{BvhError, Channel};

/// Words to come.
pub struct Words<'a> {
    lines: std::iter::Enumerate<std::str::Lines<'a>>,
    left: &'a str,
    line: usize,
    last: &'a str,
}

impl<'a> Words<'a> {
    /// All of a text.
    pub fn of(text: &'a str) -> Self {
        Self { lines: text.trim_start_matches('\u{feff}').lines().enumerate(), left: "", line: 0, last: "" }
    }

    /// Goes on to the next line that has words.
    fn seek(&mut self) -> bool {
        loop {
            self.left = self.left.trim_start();
            if !self.left.is_empty() {
                return true;
            }
            let Some((line, text)) = self.lines.next() else { return false };
            (self.line, self.left) = (line + 1, text);
        }
    }

    fn peek(&mut self) -> Option<&'a str> {
        if !self.seek() {
            return None;
        }
        // Braces need no spaces around them.
        let left = self.left;
        let end = match left.find(|c: char| c.is_whitespace() || c == '{' || c == '}') {
            Some(0) => 1,
            Some(end) => end,
            None => left.len(),
        };
        Some(&left[..end])
    }

    fn next(&mut self, wanted: &'static str) -> Result<&'a str, BvhError> {
        let word = self.peek().ok_or(BvhError::CutOff(wanted))?;
        self.left = &self.left[word.len()..];
        self.last = word;
        Ok(word)
    }

    /// True where no word is left.
    pub fn over(&mut self) -> bool {
        !self.seek()
    }

    /// True where this word comes next, however it is written.
    pub fn is_next(&mut self, word: &str) -> bool {
        self.peek().is_some_and(|found| found.eq_ignore_ascii_case(word))
    }

    /// What went wrong with the last word.
    pub fn unexpected(&self, wanted: &'static str) -> BvhError {
        BvhError::Unexpected { line: self.line, found: self.last.chars().take(40).collect(), wanted }
    }

    /// This word, however it is written.
    pub fn keyword(&mut self, word: &str, wanted: &'static str) -> Result<(), BvhError> {
        if self.next(wanted)?.eq_ignore_ascii_case(word) { Ok(()) } else { Err(self.unexpected(wanted)) }
    }

    /// All up to the end of the line, or a brace.
    pub fn name(&mut self) -> Result<String, BvhError> {
        if !self.seek() {
            return Err(BvhError::CutOff("a name"));
        }
        let end = self.left.find('{').unwrap_or(self.left.len());
        let name = self.left[..end].trim().to_owned();
        self.left = &self.left[end..];
        Ok(name)
    }

    /// A finite number.
    pub fn number(&mut self, wanted: &'static str) -> Result<f64, BvhError> {
        let number = self.next(wanted)?.parse::<f64>().ok().filter(|number| number.is_finite());
        // Beyond this single precision ends, in which models are kept.
        number.filter(|number| number.abs() < 1e30).ok_or_else(|| self.unexpected(wanted))
    }

    /// A whole number, at least 0.
    pub fn whole(&mut self, wanted: &'static str) -> Result<usize, BvhError> {
        self.next(wanted)?.parse().map_err(|_| self.unexpected(wanted))
    }

    /// The name of a channel.
    pub fn channel(&mut self) -> Result<Channel, BvhError> {
        let word = self.next("a channel")?;
        let axis = match word.as_bytes().first().map(u8::to_ascii_lowercase) {
            Some(b'x') => Some(0),
            Some(b'y') => Some(1),
            Some(b'z') => Some(2),
            _ => None,
        };
        let what = word.get(1..).map(str::to_ascii_lowercase);
        match (axis, what.as_deref()) {
            (Some(axis), Some("position")) => Ok(Channel::Position(axis)),
            (Some(axis), Some("rotation")) => Ok(Channel::Rotation(axis)),
            _ => Err(BvhError::Channel { line: self.line, found: word.chars().take(40).collect() }),
        }
    }
}
