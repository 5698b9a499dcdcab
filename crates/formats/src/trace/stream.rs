//! A trace as a stream of events: what is read is let go of before the next block comes, so that a
//! trace of any length needs the memory of its largest event.

use super::event::Event;
use crate::FormatError;
use memchr::{memchr_iter, memchr2, memrchr};
use std::borrow::Cow;
use std::io::Read;

/// So much is read at once, or as much again as an unfinished event already has.
const BLOCK: usize = 1 << 20;
/// An event is never longer than this.
const LONGEST: usize = 256 << 20;
/// Traces nest some ten levels deep. The reader of an event goes down a level of the stack for each.
const DEEPEST: usize = 500;
/// More events than this are not read.
const MOST: usize = 20_000_000;

/// Bytes that open, close or quote; the scan runs over all others.
const STRUCTURE: [bool; 256] = {
    let mut table = [false; 256];
    let mut marks: &[u8] = b"\"[{]}";
    while let [mark, rest @ ..] = marks {
        table[*mark as usize] = true;
        marks = rest;
    }
    table
};

/// How a trace came to its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub(super) struct Ended {
    /// How many events it has.
    pub events: usize,
    /// The line on which it is cut off, if it is.
    pub cut_off: Option<usize>,
    /// Whether bytes of it are not UTF-8.
    pub not_utf8: bool,
}

/// Why there is no next event.
enum Stop {
    /// The text ends here.
    CutOff,
    /// It is no trace from here on.
    Refused(FormatError),
}

/// Where in the trace's text the stream is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Start,
    /// Between members of the object that holds the list of events.
    Object,
    /// Between events.
    List {
        in_object: bool,
    },
    End,
}

struct Stream<'n, R> {
    from: R,
    name: &'n str,
    /// What was read and not yet let go of.
    buffer: Vec<u8>,
    /// Where in the buffer reading goes on.
    at: usize,
    /// Line breaks, and bytes since the last of them, before the buffer.
    lines: usize,
    column: usize,
    place: Place,
    /// Whether the object had its list of events.
    had_list: bool,
}

impl<'n, R: Read> Stream<'n, R> {
    fn new(from: R, name: &'n str) -> Self {
        Self { from, name, buffer: Vec::new(), at: 0, lines: 0, column: 0, place: Place::Start, had_list: false }
    }

    /// Lets go of what lies before `at` and reads on; `false` where there is no more.
    fn more(&mut self) -> Result<bool, Stop> {
        let gone = &self.buffer[..self.at];
        self.lines += memchr_iter(b'\n', gone).count();
        self.column = memrchr(b'\n', gone).map_or(self.column + gone.len(), |last| gone.len() - last - 1);
        self.buffer.drain(..self.at);
        self.at = 0;
        let had = self.buffer.len();
        if had > LONGEST {
            let limit = format!("{} for one event", phainon_core::Bytes(LONGEST as u64).text());
            return Err(Stop::Refused(FormatError::TooLarge { name: self.name.to_owned(), limit }));
        }
        let wanted = BLOCK.max(had) as u64;
        let read = self.from.by_ref().take(wanted).read_to_end(&mut self.buffer).map_err(|error| {
            Stop::Refused(FormatError::Unpack { name: self.name.to_owned(), why: error.to_string() })
        })?;
        Ok(read > 0)
    }

    /// Line and column of a place in the buffer, from 1 and from 0.
    fn line_and_column(&self, at: usize) -> (usize, usize) {
        let before = &self.buffer[..at.min(self.buffer.len())];
        let column = memrchr(b'\n', before).map_or(self.column + before.len(), |last| before.len() - last - 1);
        (1 + self.lines + memchr_iter(b'\n', before).count(), column)
    }

    fn wrong(&self, why: &str) -> Stop {
        let (line, column) = self.line_and_column(self.at);
        Stop::Refused(FormatError::Json { name: self.name.to_owned(), line, column: column + 1, why: why.to_owned() })
    }

    /// The next byte that is no white space, which `at` then points to.
    fn token(&mut self) -> Result<u8, Stop> {
        loop {
            match self.buffer[self.at..].iter().position(|byte| !byte.is_ascii_whitespace()) {
                Some(skipped) => {
                    self.at += skipped;
                    return Ok(self.buffer[self.at]);
                }
                None => {
                    self.at = self.buffer.len();
                    if !self.more()? {
                        return Err(Stop::CutOff);
                    }
                }
            }
        }
    }

    /// The length of the JSON value that begins at `at`, which then lies in the buffer whole.
    fn value(&mut self) -> Result<usize, Stop> {
        let (mut length, mut depth, mut in_string) = (0, 0usize, false);
        loop {
            let text = &self.buffer[self.at..];
            while length < text.len() {
                if in_string {
                    let Some(end) = after_string(text, length) else { break };
                    (length, in_string) = (end, false);
                    if depth == 0 {
                        return Ok(length);
                    }
                    continue;
                }
                if depth == 0 && !STRUCTURE[usize::from(text[length])] {
                    // A number or a word.
                    let ends = |byte: &u8| byte.is_ascii_whitespace() || b",]}".contains(byte);
                    match text[length..].iter().position(ends) {
                        Some(rest) => return Ok(length + rest),
                        None => {
                            length = text.len();
                            break;
                        }
                    }
                }
                let Some(skipped) = text[length..].iter().position(|byte| STRUCTURE[usize::from(*byte)]) else {
                    length = text.len();
                    break;
                };
                length += skipped + 1;
                match text[length - 1] {
                    b'"' => in_string = true,
                    b'[' | b'{' => {
                        depth += 1;
                        if depth >= DEEPEST {
                            let line = self.line_and_column(self.at + length).0;
                            return Err(Stop::Refused(FormatError::TooDeep { name: self.name.to_owned(), line }));
                        }
                    }
                    _ if depth == 0 => return Ok(length - 1),
                    _ => {
                        depth -= 1;
                        if depth == 0 {
                            return Ok(length);
                        }
                    }
                }
            }
            if !self.more()? {
                return Err(Stop::CutOff);
            }
        }
    }

    /// The length of the next event, which begins at `at`; 0 where there is none any more.
    fn event(&mut self) -> Result<usize, Stop> {
        loop {
            match self.place {
                Place::End => return Ok(0),
                Place::Start => match self.token()? {
                    b'[' => self.pass(Place::List { in_object: false }),
                    b'{' => self.pass(Place::Object),
                    _ => return Err(self.wrong("expected a list of trace events, or an object with `traceEvents`")),
                },
                Place::Object => match self.token()? {
                    b',' => self.at += 1,
                    b'"' => self.member()?,
                    b'}' if self.had_list => self.place = Place::End,
                    b'}' => return Err(self.wrong("missing field `traceEvents`")),
                    _ => return Err(self.wrong("expected the name of a member")),
                },
                Place::List { in_object } => match self.token()? {
                    b',' => self.at += 1,
                    b'{' => return self.value(),
                    b']' => self.pass(if in_object { Place::Object } else { Place::End }),
                    _ => return Err(self.wrong("expected a trace event: an object")),
                },
            }
        }
    }

    fn pass(&mut self, next: Place) {
        self.at += 1;
        self.place = next;
    }

    /// Passes over a member of the object, or enters the list of events.
    fn member(&mut self) -> Result<(), Stop> {
        let length = self.value()?;
        let is_list = &self.buffer[self.at..self.at + length] == b"\"traceEvents\"";
        self.at += length;
        if self.token()? != b':' {
            return Err(self.wrong("expected `:`"));
        }
        self.at += 1;
        let first = self.token()?;
        if is_list {
            if first != b'[' {
                return Err(self.wrong("expected a list of trace events"));
            }
            self.had_list = true;
            self.pass(Place::List { in_object: true });
            return Ok(());
        }
        self.at += self.value()?;
        Ok(())
    }
}

/// Where the string has ended of which `at` is the inside; what stands behind a backslash does not end
/// it. Most are so short that looking at each byte is faster than beginning a wide search.
fn after_string(text: &[u8], mut at: usize) -> Option<usize> {
    loop {
        let rest = text.get(at..)?;
        let ends = |byte: &u8| matches!(byte, b'"' | b'\\');
        let near = rest.iter().take(24).position(ends);
        let next = near.or_else(|| Some(24 + memchr2(b'"', b'\\', rest.get(24..)?)?))?;
        at += next + 1;
        if rest[next] == b'"' {
            return Some(at);
        }
        at += 1;
    }
}

/// Gives every event that `wanted` lets through, by its JSON, to `act`; those before a cut are given.
pub(super) fn each_event(
    from: impl Read,
    name: &str,
    wanted: impl Fn(&[u8]) -> bool,
    mut act: impl FnMut(&Event<'_>),
) -> Result<Ended, FormatError> {
    let mut stream = Stream::new(from, name);
    let mut ended = Ended::default();
    loop {
        let length = match stream.event() {
            Ok(0) => return Ok(ended),
            Ok(length) => length,
            Err(Stop::Refused(error)) => return Err(error),
            Err(Stop::CutOff) => {
                let (line, column) = stream.line_and_column(stream.buffer.len());
                if ended.events == 0 {
                    return Err(FormatError::CutOff { name: name.to_owned(), line, column });
                }
                return Ok(Ended { cut_off: Some(line), ..ended });
            }
        };
        ended.events += 1;
        if ended.events > MOST {
            return Err(FormatError::TooLarge { name: name.to_owned(), limit: format!("{MOST} events") });
        }
        let json = &stream.buffer[stream.at..stream.at + length];
        if wanted(json) {
            let text = match std::str::from_utf8(json) {
                Ok(text) => Cow::Borrowed(text),
                Err(_) => {
                    ended.not_utf8 = true;
                    String::from_utf8_lossy(json)
                }
            };
            match sonic_rs::from_str::<Event<'_>>(&text) {
                Ok(event) => act(&event),
                Err(error) => return Err(placed(&error, stream.line_and_column(stream.at), name)),
            }
        }
        stream.at += length;
    }
}

/// A mistake in an event, at its place in the whole.
fn placed(error: &sonic_rs::Error, (line, column): (usize, usize), name: &str) -> FormatError {
    let text = error.to_string();
    let first = text.lines().next().unwrap_or(&text);
    let why = first.split(" at line ").next().unwrap_or(first).to_owned();
    let column = if error.line() <= 1 { column + error.column() } else { error.column() };
    FormatError::Json { name: name.to_owned(), line: line + error.line().saturating_sub(1), column, why }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A reader that gives a few bytes at a time, as a line may.
    struct Dripping<'a>(&'a [u8], usize);

    impl Read for Dripping<'_> {
        fn read(&mut self, buffer: &mut [u8]) -> std::io::Result<usize> {
            let most = self.1.min(buffer.len()).min(self.0.len());
            buffer[..most].copy_from_slice(&self.0[..most]);
            self.0 = &self.0[most..];
            Ok(most)
        }
    }

    fn names(text: &str) -> (Vec<String>, Result<Ended, String>) {
        let mut whole = Vec::new();
        let ended = each_event(text.as_bytes(), "t.json", |_| true, |event| whole.push(event.name.to_string()));
        for drip in [1, 7] {
            let mut parts = Vec::new();
            let act = |event: &Event<'_>| parts.push(event.name.to_string());
            let dripped = each_event(Dripping(text.as_bytes(), drip), "t.json", |_| true, act);
            assert_eq!(parts, whole);
            assert_eq!(dripped.map_err(|e| e.to_string()), ended.as_ref().copied().map_err(ToString::to_string));
        }
        (whole, ended.map_err(|e| e.to_string()))
    }

    #[test]
    fn events_are_found_in_a_list_and_in_an_object() {
        let ended = |events| Ok(Ended { events, ..Ended::default() });
        let ab = vec!["a".to_owned(), "b".to_owned()];
        assert_eq!(names(r#"[{"name":"a"},{"name":"b"}]"#), (ab.clone(), ended(2)));
        // Writers that are ended in the middle leave a comma.
        assert_eq!(names("[{\"name\":\"a\"},\n{\"name\":\"b\"},\n]\n"), (ab.clone(), ended(2)));
        let object = r#" {"metadata":{"a":["}]",{"traceEvents":[{"name":"no"}]}],"b":-1.5e3}, "x":true ,"traceEvents" : [{"name":"a","args":{"t":"\\\"]}"}},{"name":"b"}],"y":"z"}"#;
        assert_eq!(names(object), (ab, ended(2)));
        assert_eq!(names("[]"), (Vec::new(), ended(0)));
    }

    #[test]
    fn what_comes_before_a_cut_is_given_and_its_line_told() {
        let text = "[{\"name\":\"a\"},\n{\"name\":\"b\",\n\"args\":{\"x\":\"";
        let (found, ended) = names(text);
        assert_eq!((found.len(), ended), (1, Ok(Ended { events: 1, cut_off: Some(3), not_utf8: false })));
        assert_eq!(
            names("[\n{\"name\":").1.expect_err("nothing in it"),
            "t.json is cut off: the JSON ends too early, at line 2, column 8."
        );
        for end in [1, 5, 12] {
            assert!(names(&text[..end]).1.is_err(), "{end}: nothing whole in it");
        }
        for end in [13, 14, 16] {
            assert_eq!(names(&text[..end]).0, ["a"], "{end}");
        }
    }

    #[test]
    fn a_mistake_is_named_with_its_place() {
        let refused = |text: &str| names(text).1.expect_err("refused");
        assert!(
            refused("[{\"name\":\"a\"},\n\n  {\"name\" \"b\"}]")
                .starts_with("t.json is not valid JSON at line 3, column ")
        );
        assert!(refused("[{\"name\":\"a\"},7]").contains("line 1, column 15: expected a trace event"));
        assert!(refused("7").contains("expected a list of trace events"));
        assert!(refused(r#"{"metadata":{}}"#).contains("missing field `traceEvents`"));
        assert!(refused(r#"{"traceEvents":7}"#).contains("expected a list of trace events"));
        assert!(refused(r#"{7}"#).contains("expected the name of a member"));
        assert!(refused(r#"{"a" 7}"#).contains("expected `:`"));
    }

    #[test]
    fn depth_is_that_outside_of_strings() {
        let nested = |n: usize| "[".repeat(n) + &"]".repeat(n);
        let of = |args: &str| names(&format!("[\n{{\"name\":\"a\",\"args\":{args}}}]")).1;
        assert!(of(&nested(DEEPEST - 2)).is_ok());
        let refusal = of(&nested(DEEPEST)).expect_err("too deep");
        assert_eq!(refusal, "t.json nests its values hundreds of levels deep at line 2; no trace does.");
        let opens = "[{".repeat(DEEPEST);
        assert!(of(&format!("\"{opens}\"")).is_ok(), "brackets in a string are text");
        assert!(of(&format!("\"\\\"{opens}\\\\\"")).is_ok(), "an escaped quote does not end it");
        assert!(
            of(&format!("[\"\\\\\",{opens}")).is_err_and(|e| e.contains("levels deep")),
            "an escaped backslash does not hide its end"
        );
        // Many lists beside each other are not deep.
        assert!(of(&format!("[{}1]", "[[[]]],".repeat(DEEPEST))).is_ok());
    }

    #[test]
    fn bytes_that_are_no_text_are_replaced_and_told() {
        let mut text = b"[{\"name\":\"a?\"},{\"name\":\"b\"}]".to_vec();
        text[11] = 0xff;
        let mut found = Vec::new();
        let ended = each_event(&text[..], "t", |_| true, |e| found.push(e.name.to_string())).expect("readable");
        assert!(ended.not_utf8);
        assert_eq!(found, ["a\u{fffd}", "b"]);
    }

    #[test]
    fn only_what_is_wanted_is_read() {
        let text = br#"[{"name":"a"},{"name" broken},{"name":"b"}]"#;
        let mut found = Vec::new();
        let wanted = |json: &[u8]| memchr::memmem::find(json, b"broken").is_none();
        let ended = each_event(&text[..], "t", wanted, |e| found.push(e.name.to_string())).expect("readable");
        assert_eq!((ended.events, found), (3, vec!["a".to_owned(), "b".to_owned()]));
    }
}
