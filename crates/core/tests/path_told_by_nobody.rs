//! What modules, scripts put in, backgrounds, promises and messages waited for, where the browser tells nothing of it or
//! little: on small loads in which it is known by construction.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::metrics::Metric;
use phainon_core::{Animation, Initiator, InitiatorKind, Millis, RenderBlocking, ResourceKind, Scheduled, WorkName};
use site::{PAGE, Site, at, at_once, change, drawn, forecast, given, near, script, shows};

/// A script that another put in.
fn puts_in(site: &mut Site, name: &str, times: [f64; 4]) {
    site.asks(name, ResourceKind::Script, times).initiator = script(&["app.js"]);
}

#[test]
fn a_background_that_nobody_is_named_for_waits_for_the_script_that_set_it() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
    site.changes(969.0, "app.js");
    site.works(WorkName::Task, 0, [972.0, 980.0], None);
    site.works(WorkName::Style, 1, [972.0, 976.0], None);
    site.works(WorkName::Paint, 1, [978.0, 980.0], None);
    let picture = site.asks("wide.jpg", ResourceKind::Image, [974.0, 974.0, 1050.0, 1100.0]);
    picture.initiator = Initiator::default();
    site.draws([1101.0, 1106.0]);
    site.paints(1120.0, Some("wide.jpg"));
    assert!(given(&site, "app.js") > 800.0, "{}", given(&site, "app.js"));
    assert!(given(&site, "wide.jpg") > 120.0, "{}", given(&site, "wide.jpg"));
}

#[test]
fn of_scripts_put_in_one_that_was_there_waited_for_the_one_before_it() {
    let waits = |before: &str| {
        let mut site = drawn();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
        site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
        puts_in(&mut site, "first.js", [268.0, 268.0, 900.0, 905.0]);
        puts_in(&mut site, "second.js", [268.5, 268.5, 300.0, 310.0]);
        site.runs(WorkName::Evaluate, [906.0, 908.0], before);
        shows(&mut site, WorkName::Evaluate, 908.5, "second.js");
        given(&site, "first.js")
    };
    assert!(waits("first.js") > 580.0, "{}", waits("first.js"));
    // What ran before it was put in by nobody: it is no order.
    assert!(waits("other.js") < 1.0, "{}", waits("other.js"));
}

#[test]
fn a_script_put_in_that_ran_as_soon_as_the_thread_was_free_waited_for_no_order() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    puts_in(&mut site, "first.js", [268.0, 268.0, 600.0, 605.0]);
    puts_in(&mut site, "second.js", [268.5, 268.5, 900.0, 903.0]);
    site.runs(WorkName::Evaluate, [606.0, 904.0], "first.js");
    shows(&mut site, WorkName::Evaluate, 904.5, "second.js");
    assert!(given(&site, "second.js") > 600.0, "{}", given(&site, "second.js"));
}

#[test]
fn a_module_in_the_document_waits_for_what_it_imports() {
    let mut site = drawn();
    let import = site.asks("part.js", ResourceKind::Script, [202.0, 202.0, 900.0, 905.0]);
    import.initiator = Initiator { kind: InitiatorKind::Script, url: Some(PAGE.into()), ..Initiator::default() };
    shows(&mut site, WorkName::Evaluate, 907.0, "");
    assert!(given(&site, "part.js") > 690.0, "{}", given(&site, "part.js"));
}

/// `main.js` imports `first.js`, which imports `deep.js`, and `second.js`: the first to run is `deep.js`, once all are
/// there. What a script imports as it runs waits for nothing but its own imports.
#[test]
fn modules_that_are_imported_together_wait_for_the_last_of_them() {
    let imports =
        |by: &str| Initiator { kind: InitiatorKind::Script, url: Some(at(by).as_str().into()), ..Initiator::default() };
    let load = |as_it_runs: bool| {
        let mut site = drawn();
        site.asks("main.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]).initiator.line = Some(3);
        let first = site.asks("first.js", ResourceKind::Script, [262.0, 262.0, 300.0, 305.0]);
        first.initiator = if as_it_runs { script(&["main.js"]) } else { imports("main.js") };
        site.asks("second.js", ResourceKind::Script, [262.5, 262.5, 900.0, 905.0]).initiator = imports("main.js");
        site.asks("deep.js", ResourceKind::Script, [306.0, 306.0, 600.0, 605.0]).initiator = imports("first.js");
        shows(&mut site, WorkName::Evaluate, 907.0, "deep.js");
        site
    };
    let given_to = |as_it_runs: bool| {
        let site = load(as_it_runs);
        (given(&site, "second.js"), given(&site, "deep.js"))
    };
    let (second, deep) = given_to(false);
    // Its own run takes 5 ms.
    assert!(second > 600.0 && deep < 6.0, "{second} {deep}");
    let (second, deep) = given_to(true);
    assert!(second < 1.0 && deep > 290.0, "{second} {deep}");
    // With the last there at once they wait for the last but one.
    let sooner = |as_it_runs: bool| change(&forecast(&load(as_it_runs), &at_once("second.js")), Metric::Lcp);
    near(sooner(false), 605.0 - 905.0);
    near(sooner(true), 0.0);
}

#[test]
fn a_module_waits_for_an_import_that_was_fetched_ahead() {
    let given_to = |rests: bool| {
        let mut site = drawn();
        site.asks("main.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]).initiator.line = Some(3);
        site.asks("part.js", ResourceKind::Script, [150.0, 150.0, 900.0, 905.0]).initiator.line = Some(4);
        if !rests {
            site.runs(WorkName::Timer, [255.0, 906.0], "");
        }
        shows(&mut site, WorkName::Evaluate, 907.0, "main.js");
        given(&site, "part.js")
    };
    assert!(given_to(true) > 640.0, "{}", given_to(true));
    assert!(given_to(false) < 1.0, "the thread was not free: {}", given_to(false));
}

#[test]
fn who_is_told_of_the_end_of_a_transition_waits_for_what_set_it_off() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    site.runs(WorkName::Evaluate, [962.0, 970.0], "app.js");
    site.changes(969.0, "app.js");
    site.works(WorkName::Task, 0, [971.0, 976.0], None);
    site.works(WorkName::Style, 1, [972.0, 974.0], None);
    site.works(WorkName::Paint, 1, [975.0, 976.0], None);
    site.0.animations = vec![Animation { from: Millis(973.0), to: Millis(1273.0), name: "opacity".into(), node: None }];
    // The frame that tells of it begins before the trace marks the end.
    site.works(WorkName::Task, 0, [1271.0, 1284.0], None);
    site.works(WorkName::Event, 1, [1273.5, 1279.0], None).event = Some("transitionend".into());
    site.works(WorkName::Call, 2, [1274.0, 1278.0], Some(""));
    site.works(WorkName::Layout, 1, [1280.0, 1281.0], None);
    site.works(WorkName::Paint, 1, [1282.0, 1284.0], None);
    site.changes(1277.0, "");
    site.paints(1295.0, None);
    assert!(given(&site, "app.js") > 800.0, "{}", given(&site, "app.js"));
}

#[test]
fn a_promise_that_an_event_kept_waits_for_what_that_tells_of() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    // The browser names nobody of the page for what a script fetches ahead by a tag.
    let tag = Initiator { kind: InitiatorKind::Script, url: Some("about:client".into()), ..Initiator::default() };
    site.asks("part.js", ResourceKind::Script, [268.0, 268.0, 900.0, 905.0]).initiator = tag;
    // The event of its tag, which keeps a promise by code of the browser's own.
    site.works(WorkName::Task, 0, [906.0, 907.0], None);
    site.works(WorkName::Event, 1, [906.0, 907.0], None).event = Some("load".into());
    site.works(WorkName::Microtasks, 2, [906.5, 907.0], None);
    site.0.scheduled = vec![Scheduled { at: Millis(906.8), ran: Millis(908.0), by: None }];
    shows(&mut site, WorkName::Microtasks, 908.0, "app.js");
    assert!(given(&site, "part.js") > 620.0, "{}", given(&site, "part.js"));
}

#[test]
fn a_promise_of_a_decoded_picture_waits_for_the_picture() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site.asks("small.png", ResourceKind::Image, [268.0, 268.0, 900.0, 905.0]).initiator = script(&["app.js"]);
    shows(&mut site, WorkName::Microtasks, 909.0, "app.js");
    assert!(given(&site, "small.png") > 620.0, "{}", given(&site, "small.png"));
}

#[test]
fn a_message_on_a_channel_by_name_was_posted_by_who_had_just_run() {
    let taken_at = |from: f64| {
        let mut site = drawn();
        site.runs(WorkName::Evaluate, [201.0, 202.0], "");
        site.asks("other.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
        site.runs(WorkName::Evaluate, [962.0, 964.0], "other.js");
        shows(&mut site, WorkName::Call, from, "");
        given(&site, "other.js")
    };
    assert!(taken_at(965.0) > 790.0, "{}", taken_at(965.0));
    assert!(taken_at(990.0) < 1.0, "the thread had rested since: {}", taken_at(990.0));
}

#[test]
fn a_message_of_a_shared_worker_waits_for_its_file() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site.asks("shared.js", ResourceKind::Script, [271.0, 271.0, 900.0, 905.0]).initiator =
        Initiator { url: Some(PAGE.into()), ..Initiator::default() };
    shows(&mut site, WorkName::Call, 915.0, "app.js");
    assert!(given(&site, "shared.js") > 620.0, "{}", given(&site, "shared.js"));
}

#[test]
fn below_a_script_that_failed_what_was_there_waits_for_the_sheets_above_it() {
    let mut site = Site::new();
    let blocks = |site: &mut Site, name: &str, kind, [first, end]: [f64; 2], line| {
        let request = site.asks(name, kind, [150.0, 150.0, first, end]);
        request.render_blocking = RenderBlocking::Blocking;
        request.initiator.line = Some(line);
    };
    blocks(&mut site, "late.css", ResourceKind::Style, [890.0, 900.0], 3);
    blocks(&mut site, "missing.js", ResourceKind::Script, [250.0, 260.0], 5);
    blocks(&mut site, "look.css", ResourceKind::Style, [250.0, 260.0], 7);
    site.runs(WorkName::ParseSheet, [902.0, 903.0], "late.css");
    site.runs(WorkName::ParseSheet, [904.0, 907.0], "look.css");
    site.draws([910.0, 915.0]);
    site.paints(930.0, None);
    site.0.fcp = Some(Millis(930.0));
    assert!(given(&site, "late.css") > 700.0, "{}", given(&site, "late.css"));
    assert!(given(&site, "look.css") < 20.0, "{}", given(&site, "look.css"));
}

/// A loader puts two scripts in at once, and is told of each by the load event of its tag; the browser tells that the
/// loader had asked for that when it put the tag in.
#[test]
fn the_load_event_of_a_script_that_just_ran_is_that_scripts() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    puts_in(&mut site, "first.js", [268.0, 268.0, 900.0, 910.0]);
    puts_in(&mut site, "second.js", [268.5, 268.5, 905.0, 930.0]);
    site.works(WorkName::Task, 0, [912.0, 996.0], None);
    site.works(WorkName::Evaluate, 1, [912.0, 990.0], Some("first.js"));
    site.works(WorkName::Event, 1, [990.5, 995.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [990.6, 995.0], Some("app.js"));
    site.changes(994.0, "app.js");
    site.draws([997.0, 1003.0]);
    site.paints(1020.0, None);
    site.0.scheduled = vec![Scheduled { at: Millis(268.2), ran: Millis(990.48), by: None }];
    assert!(given(&site, "first.js") > 640.0, "{}", given(&site, "first.js"));
    assert!(given(&site, "second.js") < 1.0, "it came meanwhile: {}", given(&site, "second.js"));
}

/// Two modules that a script imports at once: each is told of by a promise of its own.
#[test]
fn of_modules_imported_at_once_the_last_to_come_is_what_a_promise_tells_of() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    puts_in(&mut site, "first.js", [268.0, 268.0, 300.0, 310.0]);
    puts_in(&mut site, "second.js", [268.5, 268.5, 900.0, 910.0]);
    shows(&mut site, WorkName::Microtasks, 915.0, "app.js");
    site.0.scheduled = vec![Scheduled { at: Millis(268.6), ran: Millis(915.0), by: None }];
    assert!(given(&site, "second.js") > 620.0, "{}", given(&site, "second.js"));
    assert!(given(&site, "first.js") < 1.0, "{}", given(&site, "first.js"));
}

/// A module runs once what it imports is there; an element that it defines renders in a promise of a library's, which
/// came long before.
#[test]
fn promises_that_follow_a_run_at_once_were_kept_by_it() {
    let given_to = |after: f64| {
        let mut site = drawn();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
        for (name, by, times) in [
            ("library.js", "app.js", [262.0, 262.0, 290.0, 300.0]),
            ("rest.js", "library.js", [302.0, 302.0, 900.0, 910.0]),
        ] {
            site.asks(name, ResourceKind::Script, times).initiator = Initiator { stack: Vec::new(), ..script(&[by]) };
        }
        site.works(WorkName::Task, 0, [912.0, 960.0], None);
        site.works(WorkName::Evaluate, 1, [912.0, 915.0], Some("app.js"));
        site.works(WorkName::Microtasks, 1, [915.0 + after, 920.0 + after], Some("library.js"));
        site.changes(918.0 + after, "library.js");
        site.draws([961.0, 967.0]);
        site.paints(985.0, None);
        given(&site, "rest.js")
    };
    assert!(given_to(0.03) > 590.0, "{}", given_to(0.03));
    assert!(given_to(20.0) < 1.0, "the browser was at something else: {}", given_to(20.0));
}

/// A library asks for data in promises that run at the end of the script which gave it the address.
#[test]
fn promises_at_the_end_of_anothers_run_were_kept_by_that() {
    let mut site = drawn();
    site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
    site.runs(WorkName::Evaluate, [212.0, 214.0], "library.js");
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 900.0, 910.0]);
    site.works(WorkName::Task, 0, [912.0, 920.0], None);
    site.works(WorkName::Evaluate, 1, [912.0, 920.0], Some("app.js"));
    site.works(WorkName::Microtasks, 2, [916.0, 919.0], Some("library.js"));
    site.asks("words.json", ResourceKind::Data, [917.0, 917.0, 950.0, 960.0]).initiator = script(&["library.js"]);
    shows(&mut site, WorkName::Call, 962.0, "library.js");
    assert!(given(&site, "words.json") > 30.0, "{}", given(&site, "words.json"));
    assert!(given(&site, "app.js") > 690.0, "{}", given(&site, "app.js"));
}

/// A library asks the browser for what a database of the page's holds, and is called back in a task of its own.
#[test]
fn what_the_browser_answers_itself_was_asked_for_by_the_scripts_last_run() {
    let given_to = |after: f64| {
        let mut site = drawn();
        site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
        site.runs(WorkName::Evaluate, [212.0, 214.0], "library.js");
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 900.0, 910.0]);
        site.works(WorkName::Task, 0, [912.0, 920.0], None);
        site.works(WorkName::Evaluate, 1, [912.0, 920.0], Some("app.js"));
        site.works(WorkName::Call, 2, [916.0, 919.0], Some("library.js"));
        shows(&mut site, WorkName::Call, 920.0 + after, "library.js");
        given(&site, "app.js")
    };
    assert!(given_to(12.0) > 690.0, "{}", given_to(12.0));
    assert!(given_to(300.0) < 1.0, "too long ago to be its answer: {}", given_to(300.0));
}
