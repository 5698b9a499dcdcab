//! What runs waited for that the platform itself calls: states of the document and of requests, workers that ask for one
//! thing after the other, locks and stores, and a thread that was busy when an answer came. On small loads in which it
//! is known by construction.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::{Initiator, Millis, ResourceKind, WorkName};
use site::{Site, drawn, given, script, shows};

/// A script that ran at 270 ms.
fn with_app() -> Site {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site
}

/// A task in which an event's handler puts words in, from a moment on, and the paint of those.
fn told(site: &mut Site, event: &str, from: f64) {
    site.works(WorkName::Task, 0, [from - 0.1, from + 9.0], None);
    site.works(WorkName::Event, 1, [from, from + 5.0], None).event = Some(event.into());
    site.works(WorkName::Call, 2, [from + 0.1, from + 4.9], Some("app.js"));
    site.changes(from + 4.0, "app.js");
    site.draws([from + 10.0, from + 16.0]);
    site.paints(from + 30.0, None);
}

#[test]
fn the_document_is_complete_once_what_holds_the_load_event_has_come() {
    let given_to = |load_event: f64| {
        let mut site = with_app();
        site.asks("small.png", ResourceKind::Image, [150.0, 150.0, 900.0, 910.0]);
        site.0.dom_content_loaded = Some(Millis(272.0));
        site.0.load_event = Some(Millis(load_event));
        told(&mut site, "readystatechange", 912.0);
        given(&site, "small.png")
    };
    // The load event follows in the same task, when the handler is over.
    assert!(given_to(917.2) > 640.0, "{}", given_to(917.2));
    assert!(given_to(960.0) < 1.0, "that was no state of the document: {}", given_to(960.0));
}

#[test]
fn the_document_is_interactive_once_it_is_parsed() {
    let mut site = drawn();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    site.asks("small.png", ResourceKind::Image, [150.0, 150.0, 900.0, 910.0]);
    site.0.dom_interactive = Some(Millis(911.8));
    site.0.dom_content_loaded = Some(Millis(917.1));
    site.0.load_event = Some(Millis(917.2));
    told(&mut site, "readystatechange", 912.0);
    assert!(given(&site, "small.png") < 1.0, "{}", given(&site, "small.png"));
}

/// A request of the old sort tells of its states by an event of the same name.
#[test]
fn a_state_of_a_request_waits_for_its_answer() {
    let mut site = with_app();
    site.asks("words.json", ResourceKind::Data, [265.0, 265.0, 900.0, 910.0]).initiator = script(&["app.js"]);
    site.0.dom_content_loaded = Some(Millis(272.0));
    site.0.load_event = Some(Millis(280.0));
    told(&mut site, "readystatechange", 911.0);
    assert!(given(&site, "words.json") > 640.0, "{}", given(&site, "words.json"));
}

/// Of a worker's runs nothing is told.
#[test]
fn a_worker_asks_for_one_thing_once_another_has_come() {
    let given_to = |ended: f64| {
        let mut site = with_app();
        site.asks("worker.js", ResourceKind::Script, [268.0, 268.0, 280.0, 290.0]).initiator = Initiator::default();
        let mut asks = |name: &str, times: [f64; 4]| {
            let request = site.asks(name, ResourceKind::Data, times);
            request.initiator = script(&["worker.js"]);
            request.main_frame = false;
        };
        asks("first.json", [295.0, 295.0, ended - 10.0, ended]);
        asks("second.json", [905.0, 905.0, 950.0, 960.0]);
        told(&mut site, "message", 965.0);
        [given(&site, "first.json"), given(&site, "second.json")]
    };
    let [first, second] = given_to(903.0);
    assert!(first > 580.0 && second > 40.0, "{first} {second}");
    let [first, _] = given_to(500.0);
    assert!(first < 1.0, "it had long come when the second was asked for: {first}");
}

/// Another script's answer lets go of a lock; its run is too short for the profiler to have named it.
#[test]
fn a_run_that_nobody_called_follows_what_another_had_asked_for() {
    let given_to = |from: f64| {
        let mut site = with_app();
        site.asks("words.json", ResourceKind::Data, [265.0, 265.0, 900.0, 910.0]).initiator = script(&["app.js"]);
        site.asks("view.js", ResourceKind::Script, [150.0, 150.0, 271.0, 272.0]);
        site.runs(WorkName::Evaluate, [273.0, 275.0], "view.js");
        shows(&mut site, WorkName::Call, from, "view.js");
        given(&site, "words.json")
    };
    assert!(given_to(912.0) > 620.0, "{}", given_to(912.0));
    assert!(given_to(940.0) < 1.0, "too long ago to be the reason: {}", given_to(940.0));
}

/// A store of answers tells by promises: what asked for it is the script's run just before.
#[test]
fn a_promise_that_the_browser_kept_was_asked_for_by_the_scripts_last_run() {
    let mut site = with_app();
    site.asks("words.json", ResourceKind::Data, [265.0, 265.0, 890.0, 900.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::Microtasks, [902.0, 904.0], "app.js");
    site.runs(WorkName::Microtasks, [950.0, 952.0], "app.js");
    shows(&mut site, WorkName::Microtasks, 990.0, "app.js");
    assert!(given(&site, "words.json") > 620.0, "{}", given(&site, "words.json"));
}

#[test]
fn what_a_busy_thread_takes_up_late_had_come_all_the_same() {
    let given_to = |busy: bool| {
        let mut site = with_app();
        site.asks("words.json", ResourceKind::Data, [265.0, 265.0, 900.0, 910.0]).initiator = script(&["app.js"]);
        // Not one task but three, with moments between them.
        for from in [911.0, 985.0, 1059.0] {
            if busy {
                site.works(WorkName::Task, 0, [from, from + 70.0], None);
            }
        }
        shows(&mut site, WorkName::Call, 1135.0, "app.js");
        given(&site, "words.json")
    };
    assert!(given_to(true) > 640.0, "{}", given_to(true));
    assert!(given_to(false) < 1.0, "the thread was free to take it: {}", given_to(false));
}

#[test]
fn a_worker_that_imports_its_parts_waits_for_them() {
    let mut site = with_app();
    site.asks("worker.js", ResourceKind::Script, [268.0, 268.0, 280.0, 290.0]).initiator = Initiator::default();
    let part = site.asks("part.js", ResourceKind::Script, [295.0, 295.0, 900.0, 910.0]);
    part.initiator = script(&["worker.js"]);
    part.main_frame = false;
    told(&mut site, "message", 912.0);
    assert!(given(&site, "part.js") > 610.0, "{}", given(&site, "part.js"));
}
