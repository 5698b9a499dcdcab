//! The lines of a profile, one at a time.

use crate::FormatError;
use crate::unpack::refusal;
use std::borrow::Cow;
use std::io::{BufRead, Read};

/// No line is longer: names of functions with all their types are a few thousand.
const LONGEST: u64 = 1 << 20;

/// What a line is.
pub enum Line<'a> {
    /// Empty, or a comment.
    Nothing,
    /// `key: value`
    Header(&'a str, &'a str),
    /// `key=value`
    Name(&'a str, &'a str),
    /// A position and its costs.
    Costs,
    /// Anything else.
    Other,
}

/// Tells what a line is.
pub fn kind_of(line: &str) -> Line<'_> {
    let Some(first) = line.bytes().next() else { return Line::Nothing };
    match first {
        b'#' => Line::Nothing,
        b'0'..=b'9' | b'+' | b'-' | b'*' => Line::Costs,
        b'a'..=b'z' | b'A'..=b'Z' => {
            let end = line.bytes().position(|b| !b.is_ascii_alphanumeric() && b != b'_').unwrap_or(line.len());
            let (key, rest) = line.split_at(end);
            match rest.as_bytes().first() {
                Some(b':') => Line::Header(key, rest[1..].trim()),
                Some(b'=') => Line::Name(key, rest[1..].trim()),
                _ => Line::Other,
            }
        }
        _ => Line::Other,
    }
}

/// Gives the lines of a text with their numbers, from 1.
pub struct Lines<'a, T> {
    text: T,
    name: &'a str,
    number: usize,
    line: Vec<u8>,
}

impl<'a, T: BufRead> Lines<'a, T> {
    /// Of a text; the name is what errors call it.
    pub fn of(text: T, name: &'a str) -> Self {
        Self { text, name, number: 0, line: Vec::new() }
    }

    /// The next line without the space around it; what is not UTF-8 in it is replaced.
    pub fn next_line(&mut self) -> Result<Option<(usize, Cow<'_, str>)>, FormatError> {
        self.line.clear();
        let mut limited = self.text.by_ref().take(LONGEST + 1);
        let read = limited.read_until(b'\n', &mut self.line).map_err(|e| refusal(&e, self.name))?;
        self.number += 1;
        if read == 0 {
            return Ok(None);
        }
        if read as u64 > LONGEST {
            let why = format!("the line is longer than {} MB", LONGEST >> 20);
            return Err(FormatError::Profile { name: self.name.to_owned(), line: self.number, why });
        }
        Ok(Some((self.number, String::from_utf8_lossy(self.line.trim_ascii()))))
    }
}
