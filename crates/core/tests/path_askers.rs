//! Who asked for a file, or called a script back, where the browser names nobody or another: on small loads in which it
//! is known by construction.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::metrics::Metric;
use phainon_core::path::path_to_largest;
use phainon_core::{
    Animation, BodyPart, Bytes, Initiator, InitiatorKind, Millis, Prepared, RenderBlocking, ResourceKind, Scheduled,
    WorkName, name_runs,
};
use site::{PAGE, Site, at, at_once, change, drawn, forecast, given, near, script, shows};

/// Asked for by nobody that is told.
fn nobody() -> Initiator {
    Initiator { url: Some(PAGE.into()), ..Initiator::default() }
}

#[test]
fn who_asks_once_the_headers_of_an_answer_are_there_waited_for_those() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    // The body ends when the next request has been asked for.
    site.asks("first.json", ResourceKind::Data, [268.0, 268.0, 1000.0, 1010.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::Microtasks, [1003.0, 1006.0], "app.js");
    site.asks("second.json", ResourceKind::Data, [1005.0, 1005.0, 1100.0, 1102.0]).initiator = script(&["app.js"]);
    shows(&mut site, WorkName::Microtasks, 1104.0, "app.js");
    // All but the thread's taking it up and asking anew.
    assert!((given(&site, "first.json") - (1000.0 - 268.0)).abs() < 6.0, "{}", given(&site, "first.json"));
}

#[test]
fn who_imports_a_module_as_it_runs_waits_for_it_and_for_its_imports() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site.asks("parts.js", ResourceKind::Script, [268.0, 268.0, 400.0, 410.0]).initiator = script(&["app.js"]);
    for (name, times) in [("part.js", [412.0, 412.0, 900.0, 910.0]), ("other.js", [412.5, 412.5, 690.0, 700.0])] {
        site.asks(name, ResourceKind::Script, times).initiator = Initiator {
            kind: InitiatorKind::Script,
            url: Some(at("parts.js").as_str().into()),
            ..Initiator::default()
        };
    }
    // The browser tells of the import as of any callback.
    site.0.scheduled = vec![Scheduled { at: Millis(268.0), ran: Millis(915.0), by: None }];
    shows(&mut site, WorkName::Microtasks, 915.0, "app.js");
    assert!(given(&site, "part.js") > 480.0, "{}", given(&site, "part.js"));
    assert!(given(&site, "parts.js") > 130.0, "{}", given(&site, "parts.js"));
    // Without that one it waits for the other.
    near(change(&forecast(&site, &at_once("part.js")), Metric::Lcp), 700.0 - 910.0);
}

#[test]
fn a_stream_and_a_worker_are_asked_for_by_the_script_that_opened_them() {
    let opened = |kind: ResourceKind, initiator: Initiator| {
        let mut site = drawn();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
        site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
        let asked = site.asks("opened", kind, [974.0, 974.0, 1050.0, 1060.0]);
        asked.initiator = initiator;
        asked.mime = Some("text/event-stream".into());
        asked.parts = vec![BodyPart { at: Millis(1055.0), bytes: Bytes(20) }];
        shows(&mut site, WorkName::Call, 1064.0, "app.js");
        (given(&site, "app.js"), given(&site, "opened"))
    };
    // Of a stream that is opened while the document is parsed the browser names the parser.
    let parser = Initiator { kind: InitiatorKind::Parser, line: Some(7), ..nobody() };
    for (kind, initiator) in
        [(ResourceKind::Data, parser), (ResourceKind::Data, nobody()), (ResourceKind::Script, nobody())]
    {
        let (script, opened) = opened(kind, initiator.clone());
        assert!(script > 800.0, "{kind:?} by {:?}: {script}", initiator.kind);
        assert!(kind == ResourceKind::Script || opened > 70.0, "{opened}");
    }
}

#[test]
fn what_comes_over_a_web_socket_answers_what_the_page_said() {
    // A script opens a socket at 300 ms, which is open at 400; another is there at 900 ms, and says something.
    let site = |said: Option<f64>| {
        let mut site = drawn();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 280.0, 290.0]);
        site.runs(WorkName::Evaluate, [295.0, 310.0], "app.js");
        site.asks("late.js", ResourceKind::Script, [150.0, 150.0, 890.0, 900.0]);
        site.runs(WorkName::Evaluate, [902.0, 912.0], "late.js");
        let opened = site.asks("live", ResourceKind::Data, [300.0, 300.0, 400.0, 400.0]);
        opened.url = "wss://www.skerryline.test/live".into();
        opened.initiator = script(&["app.js"]);
        (opened.sent, opened.end) = (None, None);
        opened.parts = vec![BodyPart { at: Millis(1050.0), bytes: Bytes(20) }];
        opened.said = said.map(Millis).into_iter().collect();
        shows(&mut site, WorkName::Call, 1054.0, "app.js");
        site
    };
    let told = |said| {
        let site = site(said);
        [given(&site, "app.js"), given(&site, "late.js"), given(&site, "live")]
    };
    let [app, late, live] = told(None);
    assert!(late == 0.0 && app > 100.0 && live > 640.0, "pushed: {app}, {late}, {live}");
    let [app, late, live] = told(Some(908.0));
    assert!(app < 50.0 && late > 700.0 && (100.0..200.0).contains(&live), "asked for: {app}, {late}, {live}");
}

#[test]
fn a_font_that_a_script_loads_waits_for_the_script() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
    site.asks("own.woff2", ResourceKind::Font, [966.0, 966.0, 1050.0, 1060.0]);
    shows(&mut site, WorkName::Microtasks, 1063.0, "app.js");
    assert!(given(&site, "app.js") > 800.0, "{}", given(&site, "app.js"));
    assert!(given(&site, "own.woff2") > 80.0, "{}", given(&site, "own.woff2"));
    // Style that the script asks for finds fonts as any style does.
    site.0.work.retain(|w| w.start.0 < 960.0);
    site.works(WorkName::Task, 0, [962.0, 970.0], None);
    site.works(WorkName::Evaluate, 1, [962.0, 970.0], Some("app.js"));
    site.works(WorkName::Style, 2, [964.0, 968.0], None);
    shows(&mut site, WorkName::Microtasks, 1063.0, "app.js");
    let path = path_to_largest(&Prepared::plain(site.0.clone())).unwrap();
    let found = path.iter().any(|leg| format!("{:?}", leg.fact).contains("InlineStyle"));
    assert!(found, "{path:#?}");
}

#[test]
fn an_inner_frame_is_asked_for_when_the_parser_reaches_it() {
    let mut site = Site::new();
    let sheet = site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 900.0, 910.0]);
    (sheet.render_blocking, sheet.initiator.line) = (RenderBlocking::Blocking, Some(2));
    site.runs(WorkName::ParseSheet, [911.0, 912.0], "late.css");
    // Code in the document, below the sheet and above the frame.
    site.runs(WorkName::Evaluate, [914.0, 916.0], "").line = Some(4);
    let frame = site.asks("frame", ResourceKind::Document, [960.0, 960.0, 1100.0, 1110.0]);
    (frame.main_frame, frame.initiator.line) = (false, Some(5));
    site.0.dom_interactive = Some(Millis(962.0));
    let message = site.runs(WorkName::Event, [1115.0, 1122.0], "");
    (message.event, message.url) = (Some("message".into()), None);
    site.works(WorkName::Call, 2, [1116.0, 1121.0], Some(""));
    site.changes(1120.0, "");
    site.draws([1123.0, 1130.0]);
    site.paints(1145.0, None);
    assert!(given(&site, "late.css") > 700.0, "{}", given(&site, "late.css"));
    assert!(given(&site, "frame") > 140.0, "a message of nobody else's: {}", given(&site, "frame"));
}

#[test]
fn a_transition_waits_for_the_script_whose_class_sets_it_off() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
    site.changes(969.0, "app.js");
    site.works(WorkName::Task, 0, [971.0, 976.0], None);
    site.works(WorkName::Style, 1, [972.0, 974.0], None);
    site.works(WorkName::Paint, 1, [975.0, 976.0], None);
    site.0.animations =
        vec![Animation { from: Millis(973.0), to: Millis(1273.0), name: "visibility".into(), node: None }];
    site.draws([1274.0, 1280.0]);
    site.paints(1295.0, None);
    assert!(given(&site, "app.js") > 800.0, "{}", given(&site, "app.js"));
}

#[test]
fn a_module_too_short_for_witnesses_is_named_by_its_compilation() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.works(WorkName::Task, 0, [961.0, 970.0], None);
    site.works(WorkName::Compile, 1, [961.0, 962.0], Some("app.js"));
    site.works(WorkName::Evaluate, 1, [963.0, 964.0], None);
    let mut two = Site(site.0.clone());
    name_runs(&mut site.0);
    assert_eq!(site.0.work.last().unwrap().url.as_deref(), Some(at("app.js").as_str()));
    // Of two modules that were compiled, and are both the parser's, it is not known which ran.
    two.asks("other.js", ResourceKind::Script, [150.0, 150.0, 900.0, 910.0]);
    let evaluated = two.0.work.pop().unwrap();
    two.works(WorkName::Compile, 1, [962.0, 963.0], Some("other.js"));
    two.0.work.push(evaluated);
    name_runs(&mut two.0);
    assert_eq!(two.0.work.last().unwrap().url, None);
}

#[test]
fn an_answer_that_another_asked_for_is_taken_just_after_it_came() {
    let taken = |at: f64| {
        let mut site = drawn();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
        site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
        // Asked for by code in the document.
        site.asks("list.json", ResourceKind::Data, [202.0, 202.0, 1000.0, 1005.0]).initiator = script(&[""]);
        shows(&mut site, WorkName::Microtasks, at, "app.js");
        given(&site, "list.json")
    };
    assert!(taken(1008.0) > 700.0, "{}", taken(1008.0));
    // Long after it, and in a run that is no promise's, it is chance.
    assert!(taken(1040.0) < 1.0, "{}", taken(1040.0));
}

#[test]
fn a_script_that_had_come_waits_for_the_one_that_puts_it_in() {
    let mut site = drawn();
    site.asks("ahead.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]).initiator =
        Initiator { kind: InitiatorKind::Preload, url: Some(PAGE.into()), ..Initiator::default() };
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
    site.0.scheduled = vec![Scheduled { at: Millis(968.0), ran: Millis(972.9), by: None }];
    shows(&mut site, WorkName::Evaluate, 973.0, "ahead.js");
    assert!(given(&site, "app.js") > 800.0, "{}", given(&site, "app.js"));
}

#[test]
fn who_is_told_of_sizes_waits_for_the_sheet_that_gave_them() {
    let mut site = drawn();
    site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::ParseSheet, [962.0, 963.0], "late.css");
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 195.0, 199.0]);
    site.runs(WorkName::Evaluate, [200.0, 202.0], "app.js");
    site.works(WorkName::Task, 0, [966.0, 980.0], None);
    site.works(WorkName::Layout, 1, [966.0, 968.0], None);
    site.works(WorkName::PrePaint, 1, [968.0, 969.0], None);
    site.works(WorkName::Call, 1, [970.0, 974.0], Some("app.js"));
    site.works(WorkName::Paint, 1, [976.0, 980.0], None);
    site.changes(973.0, "app.js");
    site.paints(995.0, None);
    assert!(given(&site, "late.css") > 740.0, "{}", given(&site, "late.css"));
}

#[test]
fn who_is_told_that_a_script_has_loaded_waited_for_it() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site.asks("library.js", ResourceKind::Script, [268.0, 268.0, 900.0, 910.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::Evaluate, [911.0, 913.0], "library.js");
    // The browser tells of the event as of a callback that was asked for when the script was put in.
    site.0.scheduled = vec![Scheduled { at: Millis(267.0), ran: Millis(914.0), by: None }];
    site.works(WorkName::Task, 0, [914.0, 920.0], None);
    site.works(WorkName::Event, 1, [914.0, 920.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [914.0, 919.0], Some("app.js"));
    site.changes(918.0, "app.js");
    site.draws([921.0, 928.0]);
    site.paints(940.0, None);
    assert!(given(&site, "library.js") > 600.0, "{}", given(&site, "library.js"));
}
