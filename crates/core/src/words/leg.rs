//! What happened in a leg of a path, in words.

use crate::path::{AskedFor, Behind, Cause, Code, HandedOver, Leg, LegFact};
use crate::request::short_name;
use crate::{Bytes, EditKind, Millis, Owner, RequestId};
use serde::Serialize;
use std::sync::Arc;
use ts_rs::TS;

/// A leg with its words.
#[derive(Debug, Clone, PartialEq, Serialize, TS)]
#[ts(export_to = "types.ts", rename = "Leg")]
pub struct SaidLeg {
    /// Where it starts.
    pub from_ms: Millis,
    /// Where it ends: the next leg's start, or the paint.
    pub to_ms: Millis,
    /// Why it took its time.
    pub cause: Cause,
    /// The request, script or sheet that it is about.
    #[ts(type = "string | null")]
    pub url: Option<Arc<str>>,
    /// The request, where it is one of the load's.
    pub request: Option<RequestId>,
    /// Whose it is.
    pub owner: Owner,
    /// A few words: what happened.
    pub title: String,
    /// One sentence: how it came about.
    pub sentence: String,
    /// The kinds of edit that would shorten it.
    pub fixes: Vec<EditKind>,
}

/// A leg with its words.
#[must_use]
pub fn say_leg(leg: &Leg) -> SaidLeg {
    let Leg { from_ms, to_ms, cause, url, request, owner, fact, fixes } = leg.clone();
    SaidLeg {
        from_ms,
        to_ms,
        cause,
        url,
        request,
        owner,
        title: leg_title(&fact),
        sentence: leg_sentence(&fact),
        fixes,
    }
}

/// What a sentence calls a script in its middle.
fn named(script: &Code) -> String {
    match script {
        Code::File(url) => short_name(url),
        Code::Inline => "an inline script".into(),
    }
}

/// What a sentence calls a script at its beginning.
fn first(script: &Code) -> String {
    match script {
        Code::File(url) => short_name(url),
        Code::Inline => "An inline script".into(),
    }
}

fn amount(bytes: Option<Bytes>, after: &str) -> String {
    bytes.map_or_else(String::new, |b| format!("{}{after}", b.text()))
}

fn host_or(host: Option<&str>) -> &str {
    host.unwrap_or("its host")
}

/// A few words: what happened.
#[must_use]
pub fn leg_title(fact: &LegFact) -> String {
    let fixed = match fact {
        LegFact::NotExplained | LegFact::DrawnLate => "Not explained",
        LegFact::NextFrame => "Waiting for the next frame",
        LegFact::FrameWork => "Style, layout and paint",
        LegFact::Drawing => "Drawing the frame",
        LegFact::NavigationStarts | LegFact::Queued { document: true, .. } => "Navigation starts",
        LegFact::Answer { document: true, .. } => "Server makes the page",
        LegFact::Read | LegFact::ParsedOn => "Document is read",
        LegFact::Arrives { .. } => "Document arrives",
        LegFact::EventDelivered => "The event is delivered",
        LegFact::ParsedToEnd { .. } => "Document is parsed to its end",
        LegFact::ChangesPage { script } => return format!("{} runs and changes the page", first(script)),
        LegFact::FontGivenUp { file } => return format!("{} does not come", short_name(file)),
        LegFact::AskedByFrame { file } => return format!("A frame asks for {}", short_name(file)),
        LegFact::BusyWith { script } => return format!("Main thread busy with {}", named(script)),
        LegFact::HandedOver { file, .. } => return format!("{} is handed over", first(file)),
        LegFact::Downloads { file, .. } => return format!("{} downloads", short_name(file)),
        LegFact::Answer { file, .. } => return format!("Waiting for {}", short_name(file)),
        LegFact::SharesLine { with, .. } => return format!("The line carries {}", short_name(with)),
        LegFact::SharesLineWithOthers { files: 1, .. } => "The line carries another file",
        LegFact::SharesLineWithOthers { files, .. } => return format!("The line carries {files} other files"),
        LegFact::ServerPauses { file } => return format!("The server pauses in {}", short_name(file)),
        LegFact::HeldLow { file, .. } | LegFact::HeldForRoom { file, .. } => {
            return format!("{} is held back", short_name(file));
        }
        LegFact::CalledBack { script } => return format!("{} waits to be called back", first(script)),
        LegFact::Looks { script, .. } => return format!("{} looks again", first(script)),
        LegFact::Animates { name } if name.is_empty() => "An animation runs",
        LegFact::Animates { name } => return format!("The animation {name} runs"),
        LegFact::StreamSays { file } => return format!("{} has more to say", short_name(file)),
        LegFact::AboutToBeSent { file } => return format!("{} is about to be sent", short_name(file)),
        LegFact::Connects { host, .. } => return format!("Connecting to {}", host_or(host.as_deref())),
        LegFact::Queued { file, .. } => return format!("{} waits its turn", short_name(file)),
        LegFact::Redirected { from } => return format!("Redirect from {}", short_name(from)),
        LegFact::AskedByRun { file, script } => {
            return format!("{} runs, then asks for {}", first(script), short_name(file));
        }
        LegFact::Imported { file, by } => return format!("{} imports {}", short_name(by), short_name(file)),
        LegFact::AskedLater { file, by } => return format!("{} asks for {} later", short_name(by), short_name(file)),
        LegFact::AskedFor { file, .. } => return format!("{} is asked for", short_name(file)),
        LegFact::FoundThrough { file, sheet, .. } => {
            return format!("{} is found through {}", short_name(file), short_name(sheet));
        }
        LegFact::ParserReaches { file } => return format!("Parser reaches {}", short_name(file)),
        LegFact::TimerRuns { script, .. } => return format!("{} waits for its timer", first(script)),
        LegFact::SetsTimer { script } => return format!("{} runs and asks to be called later", first(script)),
        LegFact::TakesAnswer { script } => return format!("{} takes the answer", first(script)),
        LegFact::ScriptWaits { script, .. } => return format!("{} waits", first(script)),
        LegFact::FirstRun { script } => return format!("{} runs", first(script)),
        LegFact::HeldInOrder { script } => return format!("{} waits its turn", first(script)),
        LegFact::SheetParsed { file } => return format!("{} is parsed", short_name(file)),
        LegFact::BlockerRuns { file } => return format!("{} runs", short_name(file)),
    };
    fixed.into()
}

/// One sentence: how it came about.
#[must_use]
pub fn leg_sentence(fact: &LegFact) -> String {
    let fixed = match fact {
        LegFact::NotExplained => "The recording does not tell what happened here.",
        LegFact::DrawnLate => {
            "Everything known to be needed was there; what made the browser draw it only now is not in the recording."
        }
        LegFact::ChangesPage { .. } => {
            "What the paint shows could have been shown before; it is there in the first frame after this run."
        }
        LegFact::FontGivenUp { .. } => "The text was held back for its font until the browser gave up on it.",
        LegFact::AskedByFrame { .. } => {
            "The frame that asks for a text's font has the text without letters; the next one shows it, in whatever font there is."
        }
        LegFact::NextFrame => "Everything was there; the browser had yet to draw it.",
        LegFact::FrameWork => "The browser's own style, layout and paint had the main thread.",
        LegFact::Drawing => "From the last thing it needed to the frame that shows it.",
        LegFact::NavigationStarts => "Before the browser asked for anything.",
        LegFact::HandedOver { why: HandedOver::ToTake, .. } => {
            "Its bytes were there; the main thread had yet to take them."
        }
        LegFact::HandedOver { why: HandedOver::ToRun, .. } => {
            "Its bytes were there; the main thread had yet to run them."
        }
        LegFact::HandedOver { why: HandedOver::Imports, .. } => {
            "All that it imports had come; the main thread had yet to run it."
        }
        LegFact::HandedOver { why: HandedOver::ImportedAlong, .. } => {
            "Modules that are imported together run once all of them are there. All had come; the main thread had yet to run it."
        }
        LegFact::AboutToBeSent { .. } => "Between connection and request.",
        LegFact::Queued { behind, .. } => return queued(behind),
        LegFact::Read => "The parser works its way through what has come.",
        LegFact::ParsedOn => "The parser went on to the end of the document.",
        LegFact::CalledBack { .. } => "It had asked to be called for a frame, an idle moment or a message.",
        LegFact::Animates { .. } => "The page's style shows it in an animation or transition, after its delay.",
        LegFact::StreamSays { .. } => "The page waits for what the server sends next over an open connection.",
        LegFact::ServerPauses { .. } => "The line was idle: the server had sent no more yet.",
        LegFact::Redirected { .. } => "This address only answered that the page is elsewhere.",
        LegFact::Imported { .. } => "Only the script itself names what it imports.",
        LegFact::AskedLater { .. } => "The script was there; which of its runs asked is not in the recording.",
        LegFact::AskedFor { why, .. } => match why {
            AskedFor::Lazy => "The image is loaded lazily: only layout told that it is near the screen.",
            AskedFor::UnknownRun => "A script asked for it; which run is not in the recording.",
            AskedFor::InlineStyle => "A style in the document names it; style and layout had to need it.",
            AskedFor::Element => "Its style was known; an element that needs it came, or changed, only then.",
            AskedFor::NotTold => "The source does not tell what asked for it.",
        },
        LegFact::FoundThrough { gate: None, .. } => "The sheet was there; style and layout had to need what it names.",
        LegFact::ParserReaches { .. } => "It stands below a script that stopped the parser.",
        LegFact::TakesAnswer { .. } => "The data had come; the script had yet to be called with it.",
        LegFact::EventDelivered => "Deferred scripts and other handlers run first.",
        LegFact::HeldInOrder { .. } => "It may only run after the sheets and scripts before it.",
        LegFact::SheetParsed { .. } => "Nothing is painted before the sheet is understood.",
        LegFact::ScriptWaits { ran: false, .. } => "The script was there; what called it is not in the recording.",
        LegFact::ScriptWaits { event: None, .. } => "It had run once; what called it is not in the recording.",
        LegFact::ScriptWaits { event: Some(event), .. } => {
            return format!("It had run once; it waits for the event “{event}”.");
        }
        LegFact::BusyWith { script } => return format!("{} has the main thread meanwhile.", first(script)),
        LegFact::Downloads { bytes, .. } => return format!("{}over the line.", amount(*bytes, " ")),
        LegFact::SharesLine { file, with } => {
            return format!(
                "{} had to share the line: these were the bytes of {}.",
                short_name(file),
                short_name(with)
            );
        }
        LegFact::SharesLineWithOthers { file, files } => {
            let whose = if *files == 1 { "another file".into() } else { format!("{files} others") };
            return format!("{} had to share the line: these were the bytes of {whose}.", short_name(file));
        }
        LegFact::HeldLow { gate, .. } => {
            return format!(
                "The browser holds back what is not urgent while rendering is blocked; {} let go.",
                short_name(gate)
            );
        }
        LegFact::HeldForRoom { gate, .. } => {
            return format!(
                "The browser has few files on their way that are not urgent until the parser reaches the body; {} had come and made room.",
                short_name(gate)
            );
        }
        LegFact::Looks { script, brought_by } => {
            return format!("{} had come back for it before; {} brought it.", first(script), named(brought_by));
        }
        LegFact::Answer { host, .. } => {
            return format!(
                "From sending the request to {} to its first byte: server and round trip.",
                host_or(host.as_deref())
            );
        }
        LegFact::Connects { host, tls } => {
            let with = if *tls { ", with TLS" } else { "" };
            return format!("A new connection to {}{with}.", host_or(host.as_deref()));
        }
        LegFact::Arrives { bytes } => return format!("{}read as it comes.", amount(*bytes, ", ")),
        LegFact::AskedByRun { file, script } => {
            return format!("The request for {} comes out of this run of {}.", short_name(file), named(script));
        }
        LegFact::FoundThrough { gate: Some(gate), .. } => {
            return format!(
                "The sheet was there; no style could need what it names before {} let go.",
                short_name(gate)
            );
        }
        LegFact::TimerRuns { timeout, .. } => return format!("A timer of {:.0} ms.", timeout.0),
        LegFact::SetsTimer { script } => {
            return format!("What came after was asked for in this run of {}.", named(script));
        }
        LegFact::ParsedToEnd { script } => return format!("{} waits until the document is parsed.", first(script)),
        LegFact::FirstRun { script } => return format!("The first run of {}.", named(script)),
        LegFact::BlockerRuns { file } => {
            return format!("{} blocks: nothing is painted or parsed below it before it has run.", short_name(file));
        }
    };
    fixed.into()
}

fn queued(behind: &Behind) -> String {
    match behind {
        Behind::Navigation => "The browser prepares the navigation.".into(),
        Behind::NotSent => "Held in the browser's queue.".into(),
        Behind::Priority => "Held in the browser's queue: the browser gave others priority.".into(),
        Behind::Others { count, host, before: Some(before) } if *count > 1 => format!(
            "Held in the browser's queue behind {count} others of {host}; {} had its connection until then.",
            short_name(before)
        ),
        Behind::Others { before: Some(before), .. } => {
            format!("Held in the browser's queue; {} had its connection until then.", short_name(before))
        }
        Behind::Others { count: 1, host, .. } => {
            format!("Held in the browser's queue while another of {host} was under way.")
        }
        Behind::Others { count, host, .. } => {
            format!("Held in the browser's queue while {count} others of {host} were under way.")
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn code_without_a_file_gets_an_article_wherever_it_stands() {
        let file: Arc<str> = "http://a.test/img/sea.jpg?v=2".into();
        let inline = LegFact::AskedByRun { file: file.clone(), script: Code::Inline };
        assert_eq!(leg_title(&inline), "An inline script runs, then asks for sea.jpg");
        assert_eq!(leg_sentence(&inline), "The request for sea.jpg comes out of this run of an inline script.");
        let shared = LegFact::SharesLine { file, with: "http://a.test/vendor.js".into() };
        assert_eq!(leg_sentence(&shared), "sea.jpg had to share the line: these were the bytes of vendor.js.");
        let small = |files| LegFact::SharesLineWithOthers { file: "http://a.test/img/sea.jpg".into(), files };
        assert_eq!(leg_sentence(&small(14)), "sea.jpg had to share the line: these were the bytes of 14 others.");
        assert_eq!(leg_title(&small(1)), "The line carries another file");
        let two = |count, before: Option<&str>| {
            queued(&Behind::Others { count, host: "a.test".into(), before: before.map(Into::into) })
        };
        assert_eq!(two(1, None), "Held in the browser's queue while another of a.test was under way.");
        assert_eq!(
            two(7, Some("http://a.test/x.css")),
            "Held in the browser's queue behind 7 others of a.test; x.css had its connection until then."
        );
    }
}
