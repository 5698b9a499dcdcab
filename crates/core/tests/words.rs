//! Every fact has words: whole sentences that name what they are about, and say nothing that is not there.

#![allow(clippy::unwrap_used)]

use phainon_core::path::{AskedFor, Behind, Code, HandedOver, LegFact};
use phainon_core::server_work::ServerPart;
use phainon_core::words::{edit_title, leg_sentence, leg_title, note_sentence, return_reason};
use phainon_core::{Bytes, Edit, EditKind, Millis, Note, Owner, OwnerKind, Reason, ResourceKey, ResourceKind, Scope};
use std::collections::BTreeSet;
use std::sync::Arc;

fn url(name: &str) -> Arc<str> {
    format!("https://www.skerryline.test/plugins/deck/{name}?v=3").as_str().into()
}

fn code(name: &str) -> Code {
    Code::File(url(name))
}

/// Reads like a sentence: begins with a capital or a name, ends in a full stop, has no gap left open.
fn is_sentence(text: &str) {
    assert!(text.ends_with('.') && !text.ends_with(".."), "{text}");
    assert!(!text.starts_with(|c: char| c.is_whitespace()), "{text}");
    is_clean(text);
}

fn is_clean(text: &str) {
    for bad in ["  ", " ,", " .", "NaN", "None", "null", "{", "}", "http", "?v=3", "Some("] {
        assert!(!text.contains(bad), "{bad:?} in {text:?}");
    }
    assert!(text.len() > 3 && text.len() < 250, "{text}");
}

/// Each kind of leg, with every choice that it has, and the names that its words must have.
fn legs() -> Vec<(LegFact, Vec<&'static str>)> {
    let others = |before: Option<Arc<str>>| Behind::Others { count: 5, host: "static.skerryline.test".into(), before };
    let queued = |behind, document| LegFact::Queued { file: url("a.js"), document, behind };
    let mut all = vec![
        (LegFact::NotExplained, vec!["Not explained"]),
        (LegFact::DrawnLate, vec!["Not explained"]),
        (LegFact::ChangesPage { script: code("slider.js") }, vec!["slider.js"]),
        (LegFact::ChangesPage { script: Code::Inline }, vec!["nline"]),
        (LegFact::FontGivenUp { file: url("deck.woff2") }, vec!["deck.woff2"]),
        (LegFact::AskedByFrame { file: url("deck.woff2") }, vec!["deck.woff2"]),
        (LegFact::NextFrame, vec![]),
        (LegFact::BusyWith { script: code("chart.js") }, vec!["chart.js"]),
        (LegFact::FrameWork, vec![]),
        (LegFact::Drawing, vec![]),
        (LegFact::NavigationStarts, vec!["Navigation"]),
        (LegFact::AboutToBeSent { file: url("a.css") }, vec!["a.css"]),
        (LegFact::Read, vec![]),
        (LegFact::Arrives { bytes: None }, vec!["Document"]),
        (LegFact::Arrives { bytes: Some(Bytes(12_000)) }, vec!["12 kB"]),
        (LegFact::Redirected { from: url("old") }, vec!["old"]),
        (LegFact::AskedByRun { file: url("hero.jpg"), script: code("slider.js") }, vec!["hero.jpg", "slider.js"]),
        (LegFact::AskedByRun { file: url("hero.jpg"), script: Code::Inline }, vec!["hero.jpg"]),
        (LegFact::Imported { file: url("b.js"), by: url("a.js") }, vec!["a.js", "b.js"]),
        (LegFact::AskedLater { file: url("b.js"), by: url("a.js") }, vec!["a.js", "b.js"]),
        (LegFact::FoundThrough { file: url("bg.png"), sheet: url("a.css"), gate: None }, vec!["bg.png", "a.css"]),
        (
            LegFact::FoundThrough { file: url("bg.png"), sheet: url("a.css"), gate: Some(url("gate.js")) },
            vec!["bg.png", "a.css", "gate.js"],
        ),
        (LegFact::ParserReaches { file: url("b.js") }, vec!["b.js"]),
        (LegFact::TimerRuns { script: code("a.js"), timeout: Millis(50.4) }, vec!["a.js", "50 ms"]),
        (LegFact::SetsTimer { script: code("a.js") }, vec!["a.js"]),
        (LegFact::TakesAnswer { script: code("a.js") }, vec!["a.js"]),
        (LegFact::EventDelivered, vec![]),
        (LegFact::ParsedToEnd { script: code("a.js") }, vec!["a.js"]),
        (LegFact::ScriptWaits { script: code("a.js"), event: None, ran: false }, vec!["a.js"]),
        (LegFact::ScriptWaits { script: code("a.js"), event: None, ran: true }, vec!["a.js"]),
        (
            LegFact::ScriptWaits { script: code("a.js"), event: Some("scroll".into()), ran: true },
            vec!["a.js", "scroll"],
        ),
        (LegFact::FirstRun { script: code("a.js") }, vec!["a.js"]),
        (LegFact::CalledBack { script: code("a.js") }, vec!["a.js"]),
        (LegFact::Looks { script: code("a.js"), brought_by: code("b.js") }, vec!["a.js", "b.js"]),
        (LegFact::StreamSays { file: url("events") }, vec!["events"]),
        (LegFact::SharesLine { file: url("hero.jpg"), with: url("big.js") }, vec!["hero.jpg", "big.js"]),
        (LegFact::SharesLineWithOthers { file: url("hero.jpg"), files: 14 }, vec!["hero.jpg", "14"]),
        (LegFact::ServerPauses { file: url("page") }, vec!["page"]),
        (LegFact::HeldLow { file: url("hero.jpg"), gate: url("a.js") }, vec!["hero.jpg", "a.js"]),
        (LegFact::HeldForRoom { file: url("hero.jpg"), gate: url("a.jpg") }, vec!["hero.jpg", "a.jpg"]),
        (LegFact::ParsedOn, vec![]),
        (LegFact::HeldInOrder { script: code("a.js") }, vec!["a.js"]),
        (LegFact::SheetParsed { file: url("a.css") }, vec!["a.css"]),
        (LegFact::BlockerRuns { file: url("a.js") }, vec!["a.js"]),
        (queued(Behind::Navigation, true), vec!["Navigation"]),
        (queued(Behind::NotSent, false), vec!["a.js"]),
        (queued(Behind::Priority, false), vec!["a.js"]),
        (queued(others(None), false), vec!["a.js", "static.skerryline.test"]),
        (queued(others(Some(url("b.js"))), false), vec!["a.js", "b.js"]),
    ];
    for host in [None, Some("cdn.test".to_owned())] {
        let named = if host.is_some() { vec!["cdn.test"] } else { vec![] };
        for tls in [false, true] {
            let mut names = named.clone();
            names.extend(tls.then_some("TLS"));
            all.push((LegFact::Connects { host: host.clone(), tls }, names));
        }
        for document in [false, true] {
            all.push((LegFact::Answer { file: url("a.js"), host: host.clone(), document }, named.clone()));
        }
    }
    for why in [HandedOver::ToTake, HandedOver::ToRun, HandedOver::Imports, HandedOver::ImportedAlong] {
        all.push((LegFact::HandedOver { file: code("a.js"), why }, vec!["a.js"]));
    }
    for why in [AskedFor::Lazy, AskedFor::UnknownRun, AskedFor::InlineStyle, AskedFor::Element, AskedFor::NotTold] {
        all.push((LegFact::AskedFor { file: url("hero.jpg"), why }, vec!["hero.jpg"]));
    }
    for bytes in [None, Some(Bytes(400_000))] {
        let mut names = vec!["hero.jpg"];
        names.extend(bytes.map(|_| "400 kB"));
        all.push((LegFact::Downloads { file: url("hero.jpg"), bytes }, names));
    }
    for name in ["", "appear"] {
        all.push((LegFact::Animates { name: name.into() }, vec![name]));
    }
    all
}

#[test]
fn every_kind_of_leg_has_a_title_and_a_sentence_that_name_what_they_are_about() {
    let mut codes = BTreeSet::new();
    for (fact, names) in legs() {
        let (title, sentence) = (leg_title(&fact), leg_sentence(&fact));
        is_clean(&title);
        assert!(!title.ends_with('.'), "a title is no sentence: {title}");
        is_sentence(&sentence);
        for name in names {
            assert!(title.contains(name) || sentence.contains(name), "{name} in {title:?} or {sentence:?}");
        }
        let kept = serde_json::to_value(&fact).unwrap();
        codes.insert(kept["code"].as_str().unwrap().to_owned());
        assert_eq!(serde_json::from_value::<LegFact>(kept).unwrap(), fact, "facts survive being kept");
    }
    assert_eq!(codes.len(), 45, "every kind of leg was said: {codes:?}");
}

/// Each kind of edit once, as it is done to a file, an owner or a host of these names.
fn edits() -> Vec<Edit> {
    let file = || ResourceKey::of("https://www.skerryline.test/plugins/deck/slider.3f9a1c7b.js");
    let scope = || Scope::File { file: file() };
    let owner = || Owner { name: "deck".into(), kind: OwnerKind::Plugin };
    let host = || "cdn.test".to_owned();
    vec![
        Edit::Remove { file: file() },
        Edit::RemoveOwner { owner: owner() },
        Edit::DeferScript { file: file() },
        Edit::AsyncScript { file: file() },
        Edit::DelayScript { scope: scope() },
        Edit::ScriptToEnd { file: file() },
        Edit::ReduceStyle { file: file() },
        Edit::LiftImport { file: file() },
        Edit::Preload { file: file() },
        Edit::RaisePriority { file: file() },
        Edit::PutInHtml { file: file() },
        Edit::Lazy { file: file() },
        Edit::Eager { file: file() },
        Edit::Compress { scope: scope() },
        Edit::Minify { scope: scope() },
        Edit::Shrink { file: file(), to: None },
        Edit::Resize { scope: scope() },
        Edit::DropUnused { file: file() },
        Edit::FasterResponse { file: file(), to: Some(Millis(60.0)) },
        Edit::PageCache { file: file() },
        Edit::ServerRemove { part: ServerPart::Owner { owner: owner() } },
        Edit::ServerRemove { part: ServerPart::Query { query: "select ? from deck".into() } },
        Edit::ServerFaster { part: ServerPart::Query { query: "select ? from deck".into() }, share: 0.02 },
        Edit::ServerFaster { part: ServerPart::Owner { owner: owner() }, share: 0.5 },
        Edit::Nearer { host: host(), round_trip: Millis(40.0) },
        Edit::Preconnect { host: host() },
        Edit::SelfHost { file: file() },
        Edit::DropRedirect { file: file() },
        Edit::Http2 { host: host() },
        Edit::SetDimensions { scope: scope() },
        Edit::ShowText { file: file() },
        Edit::PreloadFont { file: file() },
        Edit::SubsetFont { file: file() },
        Edit::CacheLonger { scope: scope() },
        Edit::SplitTask { file: file() },
        Edit::StopForcedLayout { file: file() },
    ]
}

#[test]
fn every_edit_has_a_title_a_key_of_its_own_and_its_json() {
    let all = edits();
    let kinds: BTreeSet<EditKind> = all.iter().map(Edit::kind).collect();
    assert_eq!(kinds.len() + 2, all.len(), "each kind once, and the server's two for an owner and for a query");
    let keys: BTreeSet<String> = all.iter().map(Edit::key).collect();
    assert_eq!(keys.len(), all.len(), "no two are the same fix");
    let mut titles = BTreeSet::new();
    for edit in &all {
        let title = edit_title(edit);
        is_clean(&title);
        let of_the_page = matches!(edit.kind(), EditKind::PageCache);
        assert!(of_the_page || ["slider", "deck", "cdn.test"].iter().any(|n| title.contains(n)), "{title}");
        assert!(!edit.key().contains("3f9a1c7b"), "a new release is the same fix: {}", edit.key());
        titles.insert(title);
        assert_eq!(&serde_json::from_str::<Edit>(&serde_json::to_string(edit).unwrap()).unwrap(), edit);
        let (effort, risk) = edit.kind().usual();
        assert!(serde_json::to_value((effort, risk)).is_ok());
    }
    // Preloading a font is preloading, and says so.
    assert_eq!(titles.len(), all.len() - 1, "{titles:#?}");
}

#[test]
fn what_a_scope_covers_is_named() {
    let deck = Owner { name: "deck".into(), kind: OwnerKind::Plugin };
    let site = Owner { name: "site".into(), kind: OwnerKind::Site };
    let title = |scope| edit_title(&Edit::Compress { scope });
    assert_eq!(title(Scope::file("http://a.test/x/main.css?1")), "Send main.css compressed");
    assert_eq!(
        title(Scope::Kind { owner: deck.clone(), files: ResourceKind::Script }),
        "Send the script files of deck compressed"
    );
    assert_eq!(
        title(Scope::Host { host: "cdn.test".into(), owner: site.clone() }),
        "Send the files of cdn.test compressed"
    );
    assert_eq!(title(Scope::Owner { owner: site }), "Send the site compressed");
    // One key each: an owner's scripts are not its pictures, and a plugin is not a third party of its name.
    let key = |owner: &Owner, files| Edit::Minify { scope: Scope::Kind { owner: owner.clone(), files } }.key();
    let namesake = Owner { name: "deck".into(), kind: OwnerKind::ThirdParty };
    let keys: BTreeSet<String> =
        [key(&deck, ResourceKind::Script), key(&deck, ResourceKind::Style), key(&namesake, ResourceKind::Script)]
            .into();
    assert_eq!(keys.len(), 3, "{keys:?}");
}

#[test]
fn every_verdict_of_a_return_visit_says_why() {
    let all = [
        Reason::ServiceWorker,
        Reason::StillFresh { seconds: 600 },
        Reason::NotYetExpired,
        Reason::GuessedFresh,
        Reason::HadIt,
        Reason::AskEachTime,
        Reason::AskedAfter { seconds: 60 },
        Reason::AskedWithoutLifetime,
        Reason::NewNow,
        Reason::GoneNow,
        Reason::Method { method: "POST".into() },
        Reason::Failed,
        Reason::NoStore,
        Reason::Varies,
        Reason::AskEachTimeChanged,
        Reason::AskEachTimeNothingToAskWith,
        Reason::ShortLifetime { seconds: 1 },
        Reason::Dropped { seconds: 86_400 },
        Reason::NotWithoutAskingChanged,
        Reason::NotWithoutAskingNothingToAskWith,
        Reason::Expired,
        Reason::NoHeader,
        Reason::NotTold,
    ];
    let said: BTreeSet<String> = all.iter().map(return_reason).collect();
    assert_eq!(said.len(), all.len(), "no two reasons read alike: {said:#?}");
    said.iter().for_each(|text| is_clean(text));
    assert!(return_reason(&Reason::Method { method: "POST".into() }).contains("POST"));
}

#[test]
fn every_note_is_a_sentence() {
    let why = || "the browser was gone".to_owned();
    let mut all = vec![
        Note::TraceCutOff { line: 3, events: 1 },
        Note::TraceNotUtf8,
        Note::DetailCutOff,
        Note::MovedOn { to: Some("b.test".into()), after: Millis(1_200.0), left_out: 4 },
        Note::PageOf { number: 2, of: 3 },
        Note::MarkupUnread { why: why() },
        Note::TextCut { shown: Bytes(4_000_000) },
    ];
    for count in [1, 7] {
        all.extend([
            Note::HarNotUtf8 { places: count },
            Note::SamplesUnread { chunks: count },
            Note::NeverRead { answers: count },
            Note::EntriesPassedOver { count },
            Note::RequestsBeyond { count, limit: 100_000 },
            Note::TraceBeyond { held: 6_000_000, from: Millis(7.0) },
            Note::EntriesUndated { count },
            Note::PicturesLeftOut { left_out: count, kept: 240 },
            Note::WindowsOpened { count },
            Note::BodiesLeftOut { count, one: Bytes(5_000_000), all: Bytes(60_000_000) },
            Note::BodiesGone { count },
            Note::TextsInexact { count },
            Note::BodiesPrivate { count },
        ]);
    }
    for note in &all {
        let text = note_sentence(note);
        is_sentence(&text);
        // A count agrees with its verb.
        for wrong in
            ["1 bodies", "1 windows", "1 pictures", "1 entries", "7 body", "7 entry", "7 window ", "7 picture "]
        {
            assert!(!text.contains(wrong), "{text}");
        }
    }
    assert_eq!(note_sentence(&Note::Said { text: "As it was.".into() }), "As it was.");
    assert_eq!(
        note_sentence(&Note::ScriptsNotSeen { why: why() }),
        "Used script code could not be read: the browser was gone"
    );
}
