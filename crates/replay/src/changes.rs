//! The change that edits make, as files: for whoever changes the site.

use crate::answer::Answer;
use crate::book::Book;
use serde::Serialize;
use similar::TextDiff;
use std::collections::BTreeMap;
use std::fmt::Write as _;
use std::io::{Cursor, Write as _};
use ts_rs::TS;
use zip::ZipWriter;
use zip::write::SimpleFileOptions;

/// A text of more bytes is not compared line by line.
const MOST_COMPARED: usize = 2_000_000;

/// What becomes of a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
pub enum Becomes {
    /// It has another body.
    Changed,
    /// It was not there before.
    Added,
    /// It is not asked for any more.
    TakenOff,
    /// It comes otherwise: other headers, sooner, over another protocol, packed.
    Served,
}

/// One file that edits change.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts")]
pub struct Change {
    /// Its address.
    pub url: String,
    /// Its place in the zip; empty where only the way it is served changes.
    pub path: String,
    /// What becomes of it.
    pub becomes: Becomes,
    /// Size of its body before.
    #[ts(type = "number")]
    pub before_bytes: usize,
    /// And after.
    #[ts(type = "number")]
    pub after_bytes: usize,
    /// What is to be set at the server, a line each.
    pub to_set: Vec<String>,
}

/// Everything that edits change between two books.
#[must_use]
pub fn changes(before: &Book, after: &Book) -> Vec<Change> {
    let mut found = Vec::new();
    for (place, new) in after.answers.iter().enumerate() {
        let old = before.answers.get(place).filter(|old| old.url == new.url);
        let off = after.taken_off.contains(&*new.url) && !before.taken_off.contains(&*new.url);
        let to_set = old.map(|old| to_set(old, new)).unwrap_or_default();
        let becomes = match old {
            _ if off => Becomes::TakenOff,
            None => Becomes::Added,
            Some(old) if old.body != new.body => Becomes::Changed,
            Some(_) if !to_set.is_empty() => Becomes::Served,
            Some(_) => continue,
        };
        let has_file = matches!(becomes, Becomes::Changed | Becomes::Added);
        let path = if has_file { path_of(&new.url) } else { String::new() };
        if found.iter().any(|c: &Change| c.url == *new.url && c.becomes == becomes) {
            continue;
        }
        found.push(Change {
            url: new.url.to_string(),
            path,
            becomes,
            before_bytes: old.map_or(0, |o| o.body.len()),
            after_bytes: if off { 0 } else { new.body.len() },
            to_set,
        });
    }
    for (host, http) in &after.speaks {
        if before.speaks.get(host) != Some(http) {
            found.push(at_host(host, "Speak HTTP/2.".to_owned()));
        }
    }
    for (host, trip) in &after.round_trips {
        if before.round_trips.get(host) != Some(trip) {
            found.push(at_host(host, format!("Be {} ms away, there and back.", trip.as_millis())));
        }
    }
    found
}

fn at_host(host: &str, line: String) -> Change {
    Change {
        url: host.to_owned(),
        path: String::new(),
        becomes: Becomes::Served,
        before_bytes: 0,
        after_bytes: 0,
        to_set: vec![line],
    }
}

fn to_set(old: &Answer, new: &Answer) -> Vec<String> {
    let mut lines = Vec::new();
    // What follows from another body by itself is not to be set.
    let by_itself = |name: &str| name.eq_ignore_ascii_case("etag") || name.eq_ignore_ascii_case("content-type");
    for (name, value) in new.headers.iter().filter(|(n, _)| !by_itself(n)) {
        if old.header(name) != Some(value) {
            lines.push(format!("{name}: {value}"));
        }
    }
    for (name, _) in old.headers.iter().filter(|(n, _)| !by_itself(n)) {
        if new.header(name).is_none() {
            lines.push(format!("Leave out {name}."));
        }
    }
    if old.encoding != new.encoding
        && let Some(encoding) = new.encoding
    {
        lines.push(format!("Send it packed ({}).", encoding.name()));
    }
    if old.wait != new.wait {
        lines.push(format!("Answer after {} ms instead of {} ms.", new.wait.as_millis(), old.wait.as_millis()));
    }
    lines
}

/// Where a file lies in the zip: its host, then its path. What would lead out of the folder does not.
fn path_of(url: &str) -> String {
    let parsed = url::Url::parse(url).ok();
    let host = parsed.as_ref().and_then(|u| u.host_str()).unwrap_or("files").to_owned();
    let path = parsed.as_ref().map_or("", |u| u.path());
    let mut parts: Vec<String> = path
        .split('/')
        .filter(|p| !p.is_empty() && *p != "." && *p != "..")
        .map(|p| {
            p.chars().map(|c| if c.is_alphanumeric() || "-_.~%+@".contains(c) { c } else { '_' }).take(120).collect()
        })
        .collect();
    if path.is_empty() || path.ends_with('/') {
        parts.push("index.html".to_owned());
    }
    format!("{host}/{}", parts.join("/"))
}

/// The changes of texts as a unified diff, which `patch` understands.
#[must_use]
pub fn unified(before: &Book, after: &Book) -> String {
    let mut text = String::new();
    for change in changes(before, after).iter().filter(|c| !c.path.is_empty()) {
        let of = |book: &Book| {
            book.answers.iter().find(|a| *a.url == *change.url).and_then(|a| a.text().map(|t| (t, a.body.len())))
        };
        let (old, new) = (of(before), of(after));
        let large = |side: &Option<(String, usize)>| side.as_ref().is_some_and(|(_, size)| *size > MOST_COMPARED);
        let Some((new, _)) = new.clone().filter(|_| !large(&old) && !large(&new)) else {
            let _ = writeln!(text, "Binary files a/{0} and b/{0} differ", change.path);
            continue;
        };
        let (old, from) = match old {
            Some((old, _)) => (old, format!("a/{}", change.path)),
            None => (String::new(), "/dev/null".to_owned()),
        };
        let diff = TextDiff::from_lines(&old, &new);
        let _ = write!(text, "{}", diff.unified_diff().context_radius(3).header(&from, &format!("b/{}", change.path)));
    }
    text
}

/// Everything in a zip: the changed and the added files, the diff, and a text that says what was done and
/// what is to be set.
pub fn archive(before: &Book, after: &Book, told: &[String]) -> std::io::Result<Vec<u8>> {
    let mut zip = ZipWriter::new(Cursor::new(Vec::new()));
    let options = SimpleFileOptions::default();
    let all = changes(before, after);
    let mut read_me = String::from("What was changed, and what is to be set at the server.\n\n");
    for line in told {
        let _ = writeln!(read_me, "{line}");
    }
    let mut files: BTreeMap<&str, &Answer> = BTreeMap::new();
    for change in &all {
        let what = match change.becomes {
            Becomes::Changed => "changed",
            Becomes::Added => "new",
            Becomes::TakenOff => "not asked for any more",
            Becomes::Served => "served otherwise",
        };
        let _ = writeln!(read_me, "\n{}: {what}", change.url);
        for line in &change.to_set {
            let _ = writeln!(read_me, "    {line}");
        }
        if let Some(answer) = after.answers.iter().find(|a| *a.url == *change.url).filter(|_| !change.path.is_empty()) {
            files.insert(&change.path, answer);
        }
    }
    let diff = unified(before, after);
    let texts = [("READ-ME.txt", read_me.as_bytes()), ("changes.diff", diff.as_bytes())];
    let all = files.iter().map(|(path, answer)| (*path, &*answer.body));
    for (path, bytes) in texts.into_iter().chain(all) {
        zip.start_file(path, options)?;
        zip.write_all(bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}
