//! Notes and reasons why something is not known, in sentences that a person can act on.

use super::counted;
use crate::{Lack, LargestPlace, Missing, Note, Subject};
use serde::{Deserialize, Serialize};
use ts_rs::TS;

/// What a load does not hold, with the reason in words.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, TS)]
#[ts(export_to = "types.ts", rename = "Missing")]
pub struct SaidMissing {
    /// What is not there.
    pub subject: Subject,
    /// Why.
    pub why: String,
}

/// A lack with its words.
#[must_use]
pub fn say_missing(missing: &Missing) -> SaidMissing {
    SaidMissing { subject: missing.subject, why: lack_sentence(missing.lack) }
}

/// Why something is not known.
#[must_use]
pub fn lack_sentence(lack: Lack) -> String {
    match lack {
        Lack::NoTrace => {
            "A HAR holds no trace: paints, shifts and the main thread are not in it. Record the page here, or add its trace."
        }
        Lack::NoSamples => {
            "The trace holds no samples of the main thread, so time by function is not known: it lacks the category `disabled-by-default-v8.cpu_profiler`."
        }
        Lack::NoTasks => "The trace holds no main-thread tasks of this page.",
        Lack::NoPaint => {
            "The trace holds no contentful paint of this page: it showed nothing, or the trace lacks the category `loading`."
        }
        Lack::TraceHasNoBodies => "A trace holds no bodies: compression and picture sizes cannot be computed.",
        Lack::NoBodiesKept => {
            "No response bodies were kept: compression and picture sizes cannot be computed, and no text can be shown."
        }
        Lack::EarlierVersion => {
            "This recording was made by an earlier version, which did not keep the network's events: when each part of a response came is not known."
        }
        Lack::NotInHar => "A HAR does not tell when each part of a response came.",
        Lack::DocumentNotRead => {
            "Only a recording made here reads the document: element sizes and dimensions are not known."
        }
        Lack::NoPictures => "Only a recording made here takes pictures of the screen.",
        Lack::NoPictureSent => "The browser sent no picture of the screen during this load.",
        Lack::NotInFile => "The file does not tell what asked for each request.",
        Lack::PicturesUnread { count } => {
            return format!(
                "{} of the screen could not be decoded, so Speed Index is not known.",
                counted(count, "picture", "pictures")
            );
        }
    }
    .to_owned()
}

/// Where the largest element stands in the document.
#[must_use]
pub fn largest_place(place: LargestPlace) -> String {
    match place {
        LargestPlace::NotKnown => "The largest element is not known.".into(),
        LargestPlace::At { byte } => format!("The largest element begins at byte {byte} of the document."),
        LargestPlace::NotInDocument => {
            "The largest element does not stand in the document: a script or a stylesheet brought it.".into()
        }
    }
}

/// A note as a sentence.
#[must_use]
pub fn note_sentence(note: &Note) -> String {
    match note {
        Note::TraceCutOff { line, events } => {
            format!(
                "The trace is cut off at line {line}; the {} before that are shown.",
                counted(*events, "event", "events")
            )
        }
        Note::TraceNotUtf8 => {
            "The trace holds bytes that are not valid UTF-8; they are shown as a replacement sign.".into()
        }
        Note::HarNotUtf8 { places } => format!(
            "{} not valid UTF-8; shown there is a replacement sign.",
            counted(*places, "place in the file is", "places in the file are")
        ),
        Note::SamplesUnread { chunks } => format!(
            "{} of the profiler's samples could not be read and {} passed over.",
            counted(*chunks, "chunk", "chunks"),
            if *chunks == 1 { "was" } else { "were" }
        ),
        Note::MovedOn { to, after, left_out } => format!(
            "The page asked for moved the browser on to {} by itself, {} after the load had begun. Times count from that navigation; {} left out that came before it.",
            to.as_deref().unwrap_or("another address"),
            after.text(),
            counted(*left_out, "request is", "requests are")
        ),
        Note::NeverRead { answers: 1 } => {
            "One answer has no end: the page asked for it and never read its body.".into()
        }
        Note::NeverRead { answers } => {
            format!("{answers} answers have no end: the page asked for them and never read their bodies.")
        }
        Note::PageOf { number, of } => format!("The file holds {of} pages; this is number {number}."),
        Note::EntriesPassedOver { count } => format!(
            "{} passed over.",
            counted(*count, "entry without a usable request was", "entries without a usable request were")
        ),
        Note::TraceBeyond { held, from } => format!(
            "The trace tells of more than {held} pieces of work and events; those from {} on are left out.",
            from.text()
        ),
        Note::RequestsBeyond { count, limit } => format!(
            "{} left out: no more than {limit} of a load are read.",
            counted(*count, "request is", "requests are")
        ),
        Note::EntriesUndated { count } => format!(
            "{} shown at the start.",
            counted(*count, "entry has no readable date and is", "entries have no readable date and are")
        ),
        Note::PicturesLeftOut { left_out, kept } => format!(
            "{} left out between others close by; {kept} are kept.",
            counted(*left_out, "picture of the screen was", "pictures of the screen were")
        ),
        Note::WindowsOpened { count } => {
            format!("The page opened {} not part of the load.", counted(*count, "window; it is", "windows; they are"))
        }
        Note::PageNotRead { why } => why.clone(),
        Note::BodiesLeftOut { count, one, all } => format!(
            "{} not kept: over {} in one, or {} in this load.",
            counted(*count, "body was", "bodies were"),
            one.text(),
            all.text()
        ),
        Note::BodiesGone { count } => format!(
            "{} no longer in the browser when the load was read out; checks that compute on bodies pass over what is missing.",
            counted(*count, "body was", "bodies were")
        ),
        Note::TextsInexact { count } => format!(
            "{} not be put back into the encoding in which it came, and is kept as UTF-8.",
            counted(*count, "text could", "texts could")
        ),
        Note::BodiesPrivate { count } => format!(
            "{} not kept.",
            counted(
                *count,
                "body held a private value that could not be taken out, and was",
                "bodies held private values that could not be taken out, and were"
            )
        ),
        Note::DetailCutOff => {
            "The load for used code was cut off while the page was busy; what it used later is not seen.".into()
        }
        Note::DetailFailed { why } => format!("The load for used code failed: {why}"),
        Note::ScriptsNotSeen { why } => format!("Used script code could not be read: {why}"),
        Note::StylesNotSeen { why } => format!("Used style rules could not be read: {why}"),
        Note::InlineOnlyNotTaken { why } => format!("The picture with inline styles alone could not be taken: {why}"),
        Note::MarkupUnread { why } => format!("The markup could not be read to its end: {why}."),
        Note::TextCut { shown } => format!("Only the first {} of the text are shown.", shown.text()),
        Note::SpansUnread { why } => format!("Some of the server's spans could not be read: {why}."),
        Note::SpansApart { count } => format!(
            "{} of the server's trace belong to no request of this load, or are more than are held.",
            counted(*count, "span", "spans")
        ),
        Note::Said { text } => text.clone(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{Bytes, Millis};

    #[test]
    fn one_and_many_are_both_said_well() {
        let said = |note: Note| note_sentence(&note);
        assert_eq!(
            said(Note::SamplesUnread { chunks: 1 }),
            "1 chunk of the profiler's samples could not be read and was passed over."
        );
        assert_eq!(
            said(Note::EntriesUndated { count: 3 }),
            "3 entries have no readable date and are shown at the start."
        );
        assert_eq!(said(Note::WindowsOpened { count: 1 }), "The page opened 1 window; it is not part of the load.");
        assert_eq!(
            said(Note::BodiesLeftOut { count: 2, one: Bytes(5_000_000), all: Bytes(50_000_000) }),
            "2 bodies were not kept: over 5.00 MB in one, or 50.00 MB in this load."
        );
        assert_eq!(
            said(Note::MovedOn { to: None, after: Millis(120.0), left_out: 1 }),
            "The page asked for moved the browser on to another address by itself, 120 ms after the load had begun. Times count from that navigation; 1 request is left out that came before it."
        );
        assert_eq!(
            lack_sentence(Lack::PicturesUnread { count: 1 }),
            "1 picture of the screen could not be decoded, so Speed Index is not known."
        );
    }
}
