//! What a reader had to leave out or mend, and why something is not known: facts, which
//! [`crate::words`] puts into sentences.

use crate::{Bytes, Millis};
use serde::{Deserialize, Deserializer, Serialize};
use ts_rs::TS;

/// What the reader of a source, or the recorder, had to leave out or mend.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "snake_case")]
#[allow(missing_docs)]
pub enum Note {
    /// The trace ends in the middle of its JSON.
    TraceCutOff { line: usize, events: usize },
    /// Bytes of the trace are not UTF-8.
    TraceNotUtf8,
    /// Places of the HAR are not UTF-8.
    HarNotUtf8 { places: usize },
    /// Chunks of the profiler's samples made no sense.
    SamplesUnread { chunks: usize },
    /// The page navigated on by itself before it painted.
    MovedOn { to: Option<String>, after: Millis, left_out: usize },
    /// Answers of which the page never read the body.
    NeverRead { answers: usize },
    /// The HAR holds several pages.
    PageOf { number: usize, of: usize },
    /// Entries of the HAR without a usable request.
    EntriesPassedOver { count: usize },
    /// A trace tells more than is held; what came from a moment on is left out.
    TraceBeyond { held: usize, from: Millis },
    /// Of more requests than can be shown, those beyond.
    RequestsBeyond { count: usize, limit: usize },
    /// Entries of the HAR without a readable date.
    EntriesUndated { count: usize },
    /// Pictures of the screen that were thinned out.
    PicturesLeftOut { left_out: usize, kept: usize },
    /// Windows that the page opened.
    WindowsOpened { count: usize },
    /// The page did not say what its document holds.
    PageNotRead { why: String },
    /// Bodies over a limit.
    BodiesLeftOut { count: usize, one: Bytes, all: Bytes },
    /// Bodies that the browser had dropped.
    BodiesGone { count: usize },
    /// Texts whose own encoding could not be restored.
    TextsInexact { count: usize },
    /// Bodies that held a private value.
    BodiesPrivate { count: usize },
    /// The load for used code was cut off.
    DetailCutOff,
    /// The load for used code failed.
    DetailFailed { why: String },
    /// What scripts used is not known.
    ScriptsNotSeen { why: String },
    /// What stylesheets used is not known.
    StylesNotSeen { why: String },
    /// There is no picture with inline styles alone.
    InlineOnlyNotTaken { why: String },
    /// The document's markup made no sense from some place on.
    MarkupUnread { why: String },
    /// The document's text is longer than what is shown.
    TextCut { shown: Bytes },
    /// Spans of the server could not be read.
    SpansUnread { why: String },
    /// Spans that belong to no request of the load, or are more than are held.
    SpansApart { count: usize },
    /// A sentence that an earlier version wrote.
    Said { text: String },
}

/// Notes of a file: earlier versions wrote sentences.
///
/// # Errors
/// Where they are neither facts nor sentences.
pub fn notes_of_any_version<'de, D: Deserializer<'de>>(from: D) -> Result<Vec<Note>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Kept {
        Fact(Note),
        Text(String),
    }
    let kept = Vec::<Kept>::deserialize(from)?;
    Ok(kept
        .into_iter()
        .map(|note| match note {
            Kept::Fact(note) => note,
            Kept::Text(text) => Note::Said { text },
        })
        .collect())
}

impl Note {
    /// Whether it is about what the server told of its work.
    #[must_use]
    pub fn is_about_spans(&self) -> bool {
        matches!(self, Self::SpansUnread { .. } | Self::SpansApart { .. })
    }

    /// Puts every text that came from outside through a mending, so that no note keeps what is private.
    pub fn mend(&mut self, mend: impl Fn(&str) -> String) {
        match self {
            Self::MovedOn { to: Some(text), .. }
            | Self::PageNotRead { why: text }
            | Self::DetailFailed { why: text }
            | Self::ScriptsNotSeen { why: text }
            | Self::StylesNotSeen { why: text }
            | Self::InlineOnlyNotTaken { why: text }
            | Self::MarkupUnread { why: text }
            | Self::SpansUnread { why: text }
            | Self::Said { text } => *text = mend(text),
            _ => {}
        }
    }
}

/// What a load can lack.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, TS)]
#[serde(rename_all = "snake_case")]
#[ts(export_to = "types.ts")]
#[allow(missing_docs)]
pub enum Subject {
    Requests,
    Paints,
    Shifts,
    MainThread,
    Frames,
    Page,
    Bodies,
    Initiators,
    RenderBlocking,
    Samples,
    Interactions,
    /// When each part of a response came.
    BodyParts,
    /// How complete each picture of the screen is.
    Completeness,
}

/// Why something is not known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "code", rename_all = "snake_case")]
pub enum Lack {
    /// The load is a HAR's, without a trace.
    NoTrace,
    /// The trace was taken without the profiler.
    NoSamples,
    /// The trace has no tasks of the page's main thread.
    NoTasks,
    /// The trace has no contentful paint.
    NoPaint,
    /// The load is a trace's alone.
    TraceHasNoBodies,
    /// None was kept.
    NoBodiesKept,
    /// The recording was made before the network's events were kept.
    EarlierVersion,
    /// HARs do not tell it.
    NotInHar,
    /// Only recordings made here read the document.
    DocumentNotRead,
    /// Only recordings made here take pictures of the screen.
    NoPictures,
    /// The browser sent none.
    NoPictureSent,
    /// The file does not tell.
    NotInFile,
    /// Pictures of the screen could not be decoded.
    PicturesUnread {
        /// How many.
        count: usize,
    },
}

/// Something that a load does not hold, and why.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Missing {
    /// What is not there.
    pub subject: Subject,
    /// Why.
    pub lack: Lack,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[derive(Debug, PartialEq, Serialize, Deserialize)]
    struct Holder {
        #[serde(deserialize_with = "notes_of_any_version")]
        notes: Vec<Note>,
    }

    #[test]
    fn sentences_of_earlier_versions_are_kept_beside_facts() {
        let text = r#"{"notes": ["It was so.", {"code": "bodies_gone", "count": 2}, {"code": "detail_cut_off"}]}"#;
        let read: Holder = serde_json::from_str(text).expect("readable");
        let expected = [Note::Said { text: "It was so.".into() }, Note::BodiesGone { count: 2 }, Note::DetailCutOff];
        assert_eq!(read.notes, expected);
        let again: Holder = serde_json::from_str(&serde_json::to_string(&read).expect("JSON")).expect("readable");
        assert_eq!(again, read);
        assert!(serde_json::from_str::<Holder>(r#"{"notes": [3]}"#).is_err());
    }

    #[test]
    fn whatever_came_from_outside_is_mended() {
        let outside = "http://a.test/?key=secret".to_owned();
        let mut notes = [
            Note::MovedOn { to: Some(outside.clone()), after: Millis(3.0), left_out: 1 },
            Note::PageNotRead { why: outside.clone() },
            Note::DetailFailed { why: outside.clone() },
            Note::Said { text: outside },
            Note::PicturesLeftOut { left_out: 1, kept: 2 },
        ];
        notes.iter_mut().for_each(|note| note.mend(|text| text.replace("secret", "…")));
        assert!(!format!("{notes:?}").contains("secret"), "{notes:?}");
        assert_eq!(notes[4], Note::PicturesLeftOut { left_out: 1, kept: 2 });
    }
}
