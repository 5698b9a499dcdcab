//! What edits bring, on loads small enough to work out by hand.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::forecast::{Helps, Instead, Model};
use phainon_core::metrics::{Coverage, Metric};
use phainon_core::path::path_to_largest;
use phainon_core::{
    BodyPart, BodyRef, Bytes, Edit, FontDisplay, Initiator, InitiatorKind, Millis, NoBodies, PageFacts, PageImage,
    Prepared, Rect, RenderBlocking, Request, RequestId, ResourceKey, ResourceKind, Scope, ScreenFrame, Standing,
    TextFont, TimerInstall, WorkKind, WorkName, blocking_as_painted, end_as_taken, parts_as_came, preset,
};
use site::{PAGE, Site, at, at_once, blocking, change, file, forecast, near, script};
use std::sync::Arc;

/// A script of 4 s above a sheet of 300 ms, and text.
fn script_above_sheet() -> Site {
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 300.0, 4000.0]), 3);
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 400.0]), 4);
    site.0.dom_interactive = Some(Millis(4040.0));
    site.0.dom_content_loaded = Some(Millis(4045.0));
    site.runs(WorkName::Evaluate, [4005.0, 4020.0], "big.js");
    site.runs(WorkName::ParseSheet, [4025.0, 4030.0], "look.css");
    site.draws([4050.0, 4060.0]);
    site.paints(4080.0, None);
    site.0.fcp = Some(Millis(4080.0));
    site
}

#[test]
fn without_the_script_above_it_the_sheet_is_waited_for() {
    let gone = forecast(&script_above_sheet(), &[Edit::Remove { file: file("big.js") }]);
    // The sheet had come at 400 ms; its parsing, the frame and the way to the screen take as long as they did.
    near(change(&gone, Metric::Lcp), 400.0 - 4025.0 + 5.0);
    near(change(&gone, Metric::Fcp), 400.0 - 4025.0 + 5.0);
    assert!(gone.moved.iter().any(|m| m.start_ms.is_none()), "the script is not asked for");
    // The sheet is not what holds it up.
    let sheet = forecast(&script_above_sheet(), &[Edit::Remove { file: file("look.css") }]);
    near(change(&sheet, Metric::Lcp), -10.0);
}

/// Two scripts that failed: the one in the head held the page up, the other had come long before its place was reached.
#[test]
fn in_the_place_of_a_script_that_is_taken_off_nothing_waits_for_one_that_stands_below_it() {
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 300.0, 4000.0]), 3);
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 400.0]), 4);
    let empty = site.asks("empty.js", ResourceKind::Script, [210.0, 210.0, 3000.0, 3010.0]);
    (empty.render_blocking, empty.initiator.line) = (RenderBlocking::InBodyParserBlocking, Some(9));
    site.works(WorkName::Task, 0, [4010.0, 4020.0], None);
    site.works(WorkName::ParseHtml, 1, [4010.0, 4020.0], None);
    site.works(WorkName::ParseSheet, 2, [4011.0, 4019.0], Some("look.css"));
    site.runs(WorkName::ParseHtml, [4022.0, 4024.0], "").url = None;
    site.runs(WorkName::Evaluate, [4025.0, 4027.0], "").line = Some(11);
    site.draws([4050.0, 4060.0]);
    site.paints(4080.0, None);
    (site.0.fcp, site.0.dom_interactive) = (Some(Millis(4080.0)), Some(Millis(4040.0)));
    site.0.largest_stands = Some(Standing::Lines { first: 5, last: 5, columns: None });
    // A handler of the load event waits for both.
    site.works(WorkName::Task, 0, [4100.0, 4106.0], None);
    site.works(WorkName::Event, 1, [4100.0, 4106.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [4101.0, 4105.0], Some(""));
    site.0.load_event = Some(Millis(4100.0));
    let gone = forecast(&site, &[Edit::Remove { file: file("big.js") }]);
    let lcp = change(&gone, Metric::Lcp);
    assert!(lcp < -3500.0, "{lcp}");
}

#[test]
fn a_script_that_stands_still_for_an_answer_goes_on_when_that_comes() {
    let mut site = Site::new();
    site.draws([205.0, 215.0]);
    site.0.fcp = Some(Millis(230.0));
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    let data = site.asks("list.json", ResourceKind::Data, [270.0, 270.0, 1000.0, 1002.0]);
    (data.initiator, data.priority) = (script(&["app.js"]), Some("VeryHigh".into()));
    site.runs(WorkName::Evaluate, [262.0, 1010.0], "app.js");
    site.changes(1006.0, "app.js");
    site.draws([1011.0, 1020.0]);
    site.paints(1035.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("list.json"), to: Some(Millis(0.0)) }]);
    near(change(&sooner, Metric::Lcp), -730.0);
    // The task of 748 ms blocked for 698, and takes 18 now.
    near(change(&sooner, Metric::Tbt), -698.0);
}

#[test]
fn what_is_parsed_once_the_document_is_is_an_inner_frames() {
    let mut site = Site::new();
    site.0.dom_interactive = Some(Millis(203.0));
    site.draws([205.0, 215.0]);
    site.0.fcp = Some(Millis(230.0));
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
    let frame = site.asks("frame", ResourceKind::Document, [272.0, 272.0, 1000.0, 1002.0]);
    (frame.main_frame, frame.initiator) = (false, script(&["app.js"]));
    site.works(WorkName::Task, 0, [1006.0, 1007.0], None);
    site.works(WorkName::ParseHtml, 1, [1006.0, 1007.0], None);
    // The frame's load event, to the script that opened it, in a task that begins with the rest of its parsing.
    site.works(WorkName::Task, 0, [1010.0, 1016.0], None);
    site.works(WorkName::ParseHtml, 1, [1010.0, 1011.0], None);
    site.works(WorkName::Event, 1, [1011.0, 1016.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [1011.0, 1016.0], Some("app.js"));
    site.changes(1015.0, "app.js");
    site.draws([1018.0, 1026.0]);
    site.paints(1040.0, None);
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("frame"), to: Some(Millis(0.0)) }]);
    near(change(&sooner, Metric::Lcp), -728.0);
}

/// One task tells of the parsed document, whose handler shows the words, and of the load, as a picture had come by then.
#[test]
fn what_waits_for_the_parsed_document_does_not_wait_for_the_load_event_of_the_same_task() {
    let mut site = Site::new();
    site.draws([205.0, 215.0]);
    site.0.fcp = Some(Millis(230.0));
    let late = site.asks("late.js", ResourceKind::Script, [150.0, 150.0, 950.0, 960.0]);
    (late.render_blocking, late.initiator.line) = (RenderBlocking::InBodyParserBlocking, Some(5));
    site.asks("other.png", ResourceKind::Image, [150.0, 150.0, 690.0, 700.0]);
    site.runs(WorkName::Evaluate, [962.0, 964.0], "late.js");
    (site.0.dom_interactive, site.0.load_event) = (Some(Millis(966.0)), Some(Millis(974.0)));
    site.works(WorkName::Task, 0, [966.0, 980.0], None);
    site.works(WorkName::Event, 1, [966.0, 972.0], None).event = Some("DOMContentLoaded".into());
    site.works(WorkName::Call, 2, [967.0, 971.0], Some(""));
    site.works(WorkName::Event, 1, [974.0, 979.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [975.0, 978.0], Some(""));
    site.changes(970.0, "");
    site.draws([981.0, 989.0]);
    site.paints(1000.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("late.js"), to: Some(Millis(0.0)) }]);
    let lcp = change(&sooner, Metric::Lcp);
    assert!(lcp < -700.0, "the picture comes at 700 ms, and the words wait for none: {lcp}");
}

/// Words by a script, once data of its own has come: taken when its headers are there or when all of it is.
#[test]
fn what_an_answer_brings_is_not_there_without_it() {
    for end in [1000.5, 1030.0] {
        let mut site = Site::new();
        site.draws([205.0, 215.0]);
        site.0.fcp = Some(Millis(230.0));
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
        site.runs(WorkName::Evaluate, [262.0, 270.0], "app.js");
        site.asks("list.json", ResourceKind::Data, [268.0, 268.0, 1000.0, end]).initiator = script(&["app.js"]);
        site.runs(WorkName::Microtasks, [1003.0, 1010.0], "app.js");
        site.changes(1009.0, "app.js");
        site.draws([1011.0, 1020.0]);
        site.paints(1035.0, None);
        site.0.largest_stands = Some(Standing::Nowhere);
        let without = forecast(&site, &[Edit::Remove { file: file("list.json") }]);
        let run = without.tasks.iter().find(|task| task.was_ms == Millis(1003.0)).map(|task| task.start_ms);
        assert_eq!(run, Some(None), "the callback of {end} is not run: {:?}", without.tasks);
    }
}

#[test]
fn a_file_that_comes_just_behind_another_is_worth_little_alone() {
    let reliefs = |other: f64| {
        let mut site = Site::new();
        blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 1000.0, 1010.0]), 3);
        blocking(site.asks("other.js", ResourceKind::Script, [150.0, 150.0, other, other + 10.0]), 4);
        site.runs(WorkName::Evaluate, [1012.0, 1014.0], "big.js");
        site.runs(WorkName::Evaluate, [1015.0, 1017.0], "other.js");
        site.draws([1020.0, 1030.0]);
        site.paints(1040.0, None);
        site.0.fcp = Some(Millis(1040.0));
        let prepared = Arc::new(Prepared::plain(site.0));
        let path = path_to_largest(&prepared).unwrap();
        let given = path.iter().filter(|l| l.url.as_deref() == Some(&at("big.js"))).map(|l| l.length().0).sum::<f64>();
        assert!(given > 800.0, "{given}");
        Model::of(&prepared).reliefs(&path).into_iter().find(|r| r.request.0 == 1).unwrap()
    };
    let alone = reliefs(200.0);
    // All but the way there and back.
    let way = Site::new().0.requests[0].first_byte.unwrap().0;
    assert!(alone.gain_ms.0 < 850.0 && alone.gain_ms.0 > 850.0 - way, "{}", alone.gain_ms.0);
    let beside = reliefs(950.0);
    near(beside.gain_ms.0, 50.0);
    assert_eq!(beside.instead, Some(Instead::Request(RequestId(2))));
    near(beside.given_ms.0, alone.given_ms.0);
}

#[test]
fn a_frame_waits_for_every_sheet_and_not_for_the_last_alone() {
    let mut site = Site::new();
    blocking(site.asks("one.css", ResourceKind::Style, [150.0, 150.0, 300.0, 500.0]), 3);
    blocking(site.asks("two.css", ResourceKind::Style, [150.0, 150.0, 795.0, 800.0]), 4);
    site.runs(WorkName::ParseSheet, [502.0, 504.0], "one.css");
    site.runs(WorkName::ParseSheet, [802.0, 804.0], "two.css");
    // A frame of colours alone, which is no paint that metrics know; the text comes much later, by a script.
    site.draws([810.0, 820.0]);
    site.asks("words.js", ResourceKind::Script, [150.0, 150.0, 300.0, 3000.0]);
    site.runs(WorkName::Evaluate, [3002.0, 3010.0], "words.js");
    site.draws([3012.0, 3020.0]);
    site.paints(3040.0, None);
    site.0.fcp = Some(Millis(3040.0));
    site.0.frames = [(840.0, 0.5), (3040.0, 1.0)]
        .map(|(at, complete)| ScreenFrame { at_ms: Millis(at), complete: Some(complete), ..ScreenFrame::default() })
        .to_vec();
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("two.css"), to: Some(Millis(0.0)) }]);
    // Half of the screen comes as much sooner as the first sheet is before the second.
    near(change(&sooner, Metric::SpeedIndex), (500.0 - 800.0) / 2.0);
}

#[test]
fn a_script_waits_for_every_sheet_above_it_though_an_end_is_told_after_the_thread_took_the_bytes() {
    let mut site = Site::new();
    blocking(site.asks("one.css", ResourceKind::Style, [150.0, 150.0, 300.0, 1000.0]), 3);
    blocking(site.asks("two.css", ResourceKind::Style, [150.0, 150.0, 1513.0, 1515.4]), 4);
    let script = site.asks("lib.js", ResourceKind::Script, [150.0, 150.0, 300.0, 400.0]);
    blocking(script, 9);
    script.render_blocking = RenderBlocking::InBodyParserBlocking;
    site.runs(WorkName::ParseSheet, [1001.0, 1002.0], "one.css");
    site.works(WorkName::Task, 0, [1514.7, 1515.6], None);
    site.works(WorkName::ParseSheet, 1, [1515.1, 1515.2], Some("two.css"));
    site.runs(WorkName::Evaluate, [1515.8, 1530.0], "lib.js");
    site.draws([1531.0, 1540.0]);
    site.paints(1560.0, None);
    site.0.fcp = Some(Millis(1560.0));
    end_as_taken(&mut site.0);
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("two.css"), to: Some(Millis(0.0)) }]);
    near(change(&sooner, Metric::Lcp), 1002.0 - 1515.2);
}

#[test]
fn deferred_it_lets_the_text_go_and_still_runs() {
    let deferred = forecast(&script_above_sheet(), &[Edit::DeferScript { file: file("big.js") }]);
    near(change(&deferred, Metric::Lcp), 400.0 - 4025.0 + 5.0);
    assert!(deferred.moved.iter().all(|m| m.start_ms.is_some()));
}

#[test]
fn a_reduced_sheet_holds_nothing_up_and_the_script_does() {
    let reduced = forecast(&script_above_sheet(), &[Edit::ReduceStyle { file: file("look.css") }]);
    near(change(&reduced, Metric::Lcp), -10.0);
    let both = [Edit::ReduceStyle { file: file("look.css") }, Edit::DeferScript { file: file("big.js") }];
    let both = forecast(&script_above_sheet(), &both);
    assert!(change(&both, Metric::Lcp) < -3700.0, "{}", change(&both, Metric::Lcp));
}

#[test]
fn the_document_sooner_brings_all_of_it_sooner() {
    let faster = Edit::FasterResponse { file: ResourceKey::of(PAGE), to: Some(Millis(0.0)) };
    let site = script_above_sheet();
    let waited = site.0.requests[0].first_byte.unwrap().0 - site.0.requests[0].sent.unwrap().0;
    let made = forecast(&site, &[faster]);
    near(change(&made, Metric::Lcp), -waited);
}

/// A script inserts the largest picture: 600 ms for the script, 500 for the picture.
fn inserted_picture() -> Site {
    let mut site = Site::new();
    site.asks("show.js", ResourceKind::Script, [150.0, 150.0, 250.0, 750.0]);
    site.runs(WorkName::Evaluate, [752.0, 760.0], "show.js");
    let picture = site.asks("hero.jpg", ResourceKind::Image, [755.0, 756.0, 900.0, 1256.0]);
    picture.initiator = script(&["show.js"]);
    picture.transferred = Some(Bytes(100_000));
    site.draws([1260.0, 1265.0]);
    site.paints(1280.0, Some("hero.jpg"));
    site.0.fcp = Some(Millis(300.0));
    site
}

#[test]
fn a_picture_in_the_html_does_not_wait_for_the_script() {
    let made = forecast(&inserted_picture(), &[Edit::PutInHtml { file: file("hero.jpg") }]);
    // Asked for with the script, which the first tag names, instead of at 755 ms.
    let gain = 755.0 - 150.0;
    assert!((change(&made, Metric::Lcp) + gain).abs() < 30.0, "{} of {gain}", change(&made, Metric::Lcp));
}

#[test]
fn without_the_script_its_picture_does_not_come() {
    let gone = forecast(&inserted_picture(), &[Edit::Remove { file: file("show.js") }]);
    assert_eq!(gone.after.lcp_ms, None, "no other candidate is known");
    assert_eq!(gone.after.fcp_ms, gone.before.fcp_ms);
}

#[test]
fn half_the_bytes_take_half_the_line() {
    let mut site = inserted_picture();
    // 500 bytes a ms: 100 kB take 200 of the 356 ms, the rest is not the line's.
    site.0.conditions = preset("phone-on-the-move");
    let half = forecast(&site, &[Edit::Shrink { file: file("hero.jpg"), to: Some(Bytes(50_000)) }]);
    let gain = -change(&half, Metric::Lcp);
    assert!((95.0..250.0).contains(&gain), "{gain}");
    assert!((change(&half, Metric::Weight) + 50_000.0).abs() < 1.0);
    let unknown = forecast(&site, &[Edit::Shrink { file: file("hero.jpg"), to: None }]);
    assert_eq!(unknown.left_out.len(), 1);
    assert_eq!(unknown.before, unknown.after);
}

#[test]
fn text_in_another_font_does_not_wait_for_its_own() {
    // The font comes at 1,500 ms; the text is drawn with it, the rest of the page at 230.
    let late = |end: f64, drawn: f64| {
        let mut site = Site::new();
        site.asks("own.woff2", ResourceKind::Font, [230.0, 230.0, 400.0, end]);
        site.draws([230.0, 240.0]);
        site.draws([drawn, drawn + 10.0]);
        site.paints(drawn + 20.0, None);
        site.0.fcp = Some(Millis(260.0));
        forecast(&site, &[Edit::ShowText { file: file("own.woff2") }])
    };
    let come = change(&late(1500.0, 1510.0), Metric::Lcp);
    assert!(come < -1200.0, "{come}");
    // The browser gave up on it after three seconds.
    let given_up = change(&late(5000.0, 3230.0), Metric::Lcp);
    assert!(given_up < -2900.0, "{given_up}");
}

#[test]
fn text_whose_font_is_not_there_in_time_is_shown_at_its_limit() {
    // A sheet lets the frame go at 2,510; the font that it names is past its limit then.
    let load = |display: FontDisplay, drawn: f64| {
        let mut site = Site::new();
        let sheet = site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 2400.0, 2500.0]);
        (sheet.render_blocking, sheet.initiator.line) = (RenderBlocking::Blocking, Some(3));
        site.runs(WorkName::ParseSheet, [2501.0, 2508.0], "late.css");
        site.draws([2510.0, 2600.0]);
        let font = site.asks("own.woff2", ResourceKind::Font, [2550.0, 2560.0, 2900.0, 7400.0]);
        font.initiator =
            Initiator { kind: InitiatorKind::Style, url: Some(at("late.css").as_str().into()), ..Initiator::default() };
        site.draws([drawn, drawn + 20.0]);
        site.paints(drawn + 40.0, None);
        site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at("own.woff2"), display)]);
        let sooner = forecast(&site, &[Edit::FasterResponse { file: file("late.css"), to: Some(Millis(50.0)) }]);
        change(&sooner, Metric::Lcp)
    };
    // Without the wait the frame is at 310 and the font asked for at 350: text is shown at 2,000, not at once.
    let auto = load(FontDisplay::Auto, 2600.1);
    assert!((-645.0..-560.0).contains(&auto), "{auto}");
    // One that blocks is waited for as long as before.
    let block = load(FontDisplay::Block, 5555.0);
    assert!((-2230.0..-2170.0).contains(&block), "{block}");
}

#[test]
fn a_late_frame_is_not_set_off_by_a_font_whose_limit_is_known_to_be_another() {
    for display in [FontDisplay::Swap, FontDisplay::Auto] {
        let mut site = Site::new();
        site.asks("own.woff2", ResourceKind::Font, [230.0, 230.0, 5000.0, 7000.0]);
        site.draws([220.0, 240.0]);
        site.draws([3500.0, 3510.0]);
        site.paints(3530.0, None);
        site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at("own.woff2"), display)]);
        // Without edits the load comes back as it was.
        assert!(change(&forecast(&site, &[]), Metric::Lcp).abs() < 0.01);
    }
}

#[test]
fn a_run_comes_after_the_first_run_of_the_script_that_it_calls() {
    // A script stops the parser for two seconds; the inline script below it sets a timer, and that calls a library
    // which had come meanwhile: by its address, or as the profiler saw.
    let load = |calls: &str, seen: Option<&str>| {
        let mut site = Site::new();
        blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 1900.0, 2000.0]), 3);
        site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]).render_blocking =
            RenderBlocking::PotentiallyBlocking;
        site.runs(WorkName::Evaluate, [1001.0, 1005.0], "library.js");
        site.runs(WorkName::Evaluate, [2001.0, 2005.0], "big.js");
        site.runs(WorkName::Evaluate, [2006.0, 2008.0], "").line = Some(5);
        site.0.timers = vec![TimerInstall { timer: 9, at: Millis(2007.0), timeout: Millis(1.0), by: None }];
        site.works(WorkName::Task, 0, [2020.0, 2030.0], None);
        site.works(WorkName::Timer, 1, [2020.0, 2030.0], None).timer = Some(9);
        site.works(WorkName::Call, 2, [2020.0, 2030.0], Some(calls));
        site.changes(2025.0, calls);
        site.draws([2035.0, 2045.0]);
        site.paints(2060.0, None);
        site.0.largest_stands = Some(Standing::Nowhere);
        if let Some(seen) = seen {
            site.sees(&[(2024.0, &[calls, seen])]);
        }
        let sooner = forecast(&site, &[Edit::FasterResponse { file: file("big.js"), to: Some(Millis(0.0)) }]);
        change(&sooner, Metric::Lcp)
    };
    near(load("library.js", None), -1000.0);
    near(load("", Some("library.js")), -1000.0);
    near(load("", None), -1750.0);
}

#[test]
fn what_a_script_does_within_another_ones_run_is_gone_with_it() {
    // A library calls handlers: one is a plugin's, which uses the app and causes a layout; another is the app's.
    let mut site = Site::new();
    blocking(site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]), 3);
    blocking(site.asks("plugin.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]), 4);
    site.runs(WorkName::Evaluate, [1001.0, 1005.0], "library.js");
    blocking(site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]), 5);
    site.runs(WorkName::Evaluate, [1006.0, 1010.0], "plugin.js");
    site.runs(WorkName::Evaluate, [1011.0, 1015.0], "app.js");
    site.works(WorkName::Task, 0, [1020.0, 1420.0], None);
    site.works(WorkName::Event, 1, [1020.0, 1420.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [1020.0, 1420.0], Some("library.js"));
    site.works(WorkName::Layout, 3, [1200.0, 1240.0], None);
    site.draws([1420.1, 1440.0]);
    site.paints(1460.0, None);
    site.sees(&[
        (1020.0, &["library.js"]),
        (1100.0, &["library.js", "plugin.js"]),
        (1180.0, &["library.js", "plugin.js", "app.js"]),
        (1280.0, &["library.js", "plugin.js"]),
        (1300.0, &["library.js", "app.js"]),
        (1400.0, &["library.js"]),
    ]);
    let gain = |scripts: &[&str]| {
        let edits: Vec<Edit> = scripts.iter().map(|s| Edit::Remove { file: file(s) }).collect();
        -change(&forecast(&site, &edits), Metric::Lcp)
    };
    // What it calls goes with it, and what it is called for: 200 ms of each, and 4 of the script's own run.
    assert!((200.0..206.0).contains(&gain(&["plugin.js"])), "{}", gain(&["plugin.js"]));
    assert!((200.0..206.0).contains(&gain(&["app.js"])), "{}", gain(&["app.js"]));
    // A hundred of them are both scripts': gone once.
    for both in [["plugin.js", "app.js"], ["app.js", "plugin.js"]] {
        assert!((300.0..312.0).contains(&gain(&both)), "{}", gain(&both));
    }
}

#[test]
fn what_waited_for_a_script_that_is_taken_off_waits_for_no_async_one_that_ran_meanwhile() {
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 1900.0, 2000.0]), 3);
    site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]).render_blocking =
        RenderBlocking::PotentiallyBlocking;
    site.runs(WorkName::Evaluate, [1001.0, 1005.0], "library.js");
    // Whoever listens for its coming makes the end of its run a moment of the model.
    site.works(WorkName::Task, 0, [1006.0, 1010.0], None);
    site.works(WorkName::Event, 1, [1006.0, 1010.0], None).event = Some("load".into());
    site.works(WorkName::Call, 2, [1006.0, 1010.0], Some("app.js"));
    site.runs(WorkName::Evaluate, [2001.0, 2005.0], "big.js");
    site.draws([2005.1, 2020.0]);
    site.paints(2040.0, None);
    let without = forecast(&site, &[Edit::Remove { file: file("big.js") }]);
    assert!(change(&without, Metric::Lcp) < -1500.0, "{}", change(&without, Metric::Lcp));
}

#[test]
fn the_parser_stops_at_a_script_that_is_not_there_yet_and_what_stands_above_it_is_drawn() {
    // A sheet holds all up until the script at the end of the document has come too: one task takes both up.
    let mut site = Site::new();
    blocking(site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 1900.0, 2000.0]), 3);
    let script = site.asks("below.js", ResourceKind::Script, [150.0, 150.0, 1400.0, 1500.0]);
    (script.initiator.line, script.initiator.column) = (Some(40), Some(1));
    script.render_blocking = RenderBlocking::InBodyParserBlocking;
    site.works(WorkName::Task, 0, [2001.0, 2040.0], None);
    site.works(WorkName::ParseHtml, 1, [2001.0, 2040.0], None);
    site.works(WorkName::ParseSheet, 2, [2002.0, 2010.0], Some("late.css"));
    site.works(WorkName::Evaluate, 2, [2015.0, 2035.0], Some("below.js"));
    site.draws([2040.1, 2060.0]);
    site.paints(2080.0, None);
    site.0.largest_stands = Some(Standing::Lines { first: 10, last: 10, columns: None });
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("late.css"), to: Some(Millis(0.0)) }]);
    // The sheet is there at 250; the text would be on the screen by 340, long before the script.
    let gain = change(&sooner, Metric::Lcp);
    assert!((-1780.0..-1680.0).contains(&gain), "{gain}");
}

#[test]
fn a_sheet_under_way_when_something_was_painted_blocks_no_rendering_and_stops_the_parser() {
    // The scanner took both to stand in the head. One task takes both up: the text stands between them.
    let mut site = Site::new();
    site.draws([142.0, 146.0]);
    blocking(site.asks("late.css", ResourceKind::Style, [120.0, 120.0, 1900.0, 2000.0]), 3);
    blocking(site.asks("below.css", ResourceKind::Style, [120.0, 120.0, 1400.0, 1500.0]), 40);
    site.works(WorkName::Task, 0, [2001.0, 2040.0], None);
    site.works(WorkName::ParseSheet, 1, [2001.0, 2003.0], Some("late.css"));
    site.works(WorkName::ParseHtml, 1, [2004.0, 2040.0], None);
    site.works(WorkName::ParseSheet, 2, [2015.0, 2025.0], Some("below.css"));
    site.draws([2040.1, 2060.0]);
    site.paints(2080.0, None);
    site.0.fcp = Some(Millis(150.0));
    site.0.largest_stands = Some(Standing::Lines { first: 10, last: 10, columns: None });
    blocking_as_painted(&mut site.0);
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("late.css"), to: Some(Millis(0.0)) }]);
    // It is there at 220; the text would be on the screen by 310, long before the other sheet.
    let gain = change(&sooner, Metric::Lcp);
    assert!((-1810.0..-1710.0).contains(&gain), "{gain}");
}

/// A script in the head holds the parser until 1,000 ms. What stands below it was fetched ahead, and one task takes it up
/// as the parser reads on: another script, then a sheet that came at 800, then an inline script of 100 ms or none. Once
/// the document is parsed the app works for 100 ms, and a frame follows.
fn a_sheet_taken_up_as_the_parser_reads_on(inline_script: bool) -> Site {
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 950.0, 1000.0]), 3);
    blocking(site.asks("small.js", ResourceKind::Script, [150.0, 150.0, 180.0, 190.0]), 4);
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 790.0, 800.0]), 5);
    site.runs(WorkName::Evaluate, [1001.0, 1004.0], "big.js");
    let read = if inline_script { 1120.0 } else { 1020.0 };
    site.works(WorkName::Task, 0, [1005.0, read], None);
    site.works(WorkName::ParseHtml, 1, [1005.0, read], None);
    site.works(WorkName::Evaluate, 2, [1006.0, 1007.0], Some("small.js"));
    site.works(WorkName::ParseSheet, 2, [1008.0, 1010.0], Some("look.css"));
    if inline_script {
        site.works(WorkName::Evaluate, 2, [1015.0, 1115.0], Some("")).line = Some(6);
    }
    site.works(WorkName::Task, 0, [read + 1.0, read + 101.0], None);
    site.works(WorkName::Event, 1, [read + 1.0, read + 101.0], None).event = Some("DOMContentLoaded".into());
    site.works(WorkName::Call, 2, [read + 1.0, read + 101.0], Some("big.js"));
    site.0.dom_interactive = Some(Millis(read));
    site.0.dom_content_loaded = Some(Millis(read + 101.0));
    site.draws([read + 102.0, read + 112.0]);
    site.paints(read + 120.0, None);
    site.0.largest_stands = Some(Standing::Lines { first: 10, last: 10, columns: None });
    site
}

#[test]
fn the_parser_reads_on_past_a_sheet_that_has_not_come_yet() {
    let gain = |inline_script: bool| {
        let site = a_sheet_taken_up_as_the_parser_reads_on(inline_script);
        change(&forecast(&site, &at_once("big.js")), Metric::Lcp)
    };
    // The script is there at some 200 ms. Document and app are done by 330, and the sheet's coming at 800 is all that
    // the frame waits for: on the screen by some 820 instead of 1,140.
    let without = gain(false);
    assert!((-330.0..-300.0).contains(&without), "{without}");
    // A script below the sheet waits for that, and all that follows for the script: the 200 ms that the sheet comes
    // before the script above it.
    let with = gain(true);
    assert!((-215.0..-190.0).contains(&with), "{with}");
    // So does the parser for a sheet in the body.
    let mut in_body = a_sheet_taken_up_as_the_parser_reads_on(false);
    in_body.0.requests[3].render_blocking = RenderBlocking::InBodyParserBlocking;
    let stopped = change(&forecast(&in_body, &at_once("big.js")), Metric::Lcp);
    assert!((-215.0..-190.0).contains(&stopped), "{stopped}");
}

#[test]
fn a_picture_that_is_there_before_the_first_frame_is_on_the_screen_with_that() {
    let mut site = Site::new();
    site.asks("hero.jpg", ResourceKind::Image, [250.0, 250.0, 950.0, 1000.0]);
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 380.0]), 3);
    site.runs(WorkName::ParseSheet, [390.0, 399.9], "look.css");
    site.works(WorkName::Task, 0, [400.0, 480.0], None);
    site.works(WorkName::Style, 1, [400.0, 450.0], None);
    site.works(WorkName::Paint, 1, [450.0, 480.0], None);
    site.0.fcp = Some(Millis(500.0));
    site.draws([1010.0, 1012.0]);
    site.paints(1040.0, Some("hero.jpg"));
    let sooner = forecast(&site, &[Edit::FasterResponse { file: file("hero.jpg"), to: Some(Millis(0.0)) }]);
    // That frame is painted at 480, and a frame takes 28 ms from there to the screen.
    near(change(&sooner, Metric::Lcp), 508.0 - 1040.0);
}

#[test]
fn delayed_scripts_do_not_block() {
    let mut site = inserted_picture();
    site.asks("chat.js", ResourceKind::Script, [150.0, 150.0, 250.0, 400.0]);
    site.runs(WorkName::Evaluate, [1400.0, 1650.0], "chat.js");
    let delayed = forecast(&site, &[Edit::DelayScript { scope: Scope::file(&at("chat.js")) }]);
    near(change(&delayed, Metric::Tbt), -200.0);
    let split = forecast(&site, &[Edit::SplitTask { file: file("chat.js") }]);
    near(change(&split, Metric::Tbt), -200.0);
    near(change(&split, Metric::Lcp), 0.0);
}

/// A late sheet, the frame that it lets go, and an inline script below it that puts the text in.
#[test]
fn a_frame_moves_with_the_sheet_that_lets_it_go_and_what_follows_moves_with_it() {
    let mut site = Site::new();
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 900.0]), 3);
    // The task that takes it goes on a little.
    site.works(WorkName::Task, 0, [902.0, 903.5], None);
    site.works(WorkName::ParseSheet, 1, [902.0, 903.0], Some("look.css"));
    site.draws([904.0, 908.0]);
    site.works(WorkName::Task, 0, [909.0, 912.0], None);
    site.works(WorkName::Evaluate, 1, [909.0, 912.0], Some("")).line = Some(8);
    site.changes(911.0, "");
    site.draws([913.0, 917.0]);
    site.paints(935.0, None);
    (site.0.fcp, site.0.dom_interactive) = (Some(Millis(914.0)), Some(Millis(912.5)));
    site.0.largest_stands = Some(Standing::Nowhere);
    let at_once = [Edit::FasterResponse { file: file("look.css"), to: Some(Millis(0.0)) }];
    let told = forecast(&site, &at_once);
    near(change(&told, Metric::Fcp), -150.0);
    near(change(&told, Metric::Lcp), -150.0);
}

/// The handler of a late sheet runs when that has come; the window's waits for the picture as well.
#[test]
fn the_load_event_of_an_element_is_not_the_windows() {
    let load = |window_at: f64| {
        let mut site = Site::new();
        site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 900.0, 1000.0]);
        site.asks("slow.png", ResourceKind::Image, [150.0, 150.0, 900.0, 990.0]);
        site.draws([230.0, 240.0]);
        site.runs(WorkName::ParseSheet, [1001.0, 1002.0], "late.css");
        site.works(WorkName::Task, 0, [1003.0, 1006.0], None);
        site.works(WorkName::Event, 1, [1003.0, 1005.0], None).event = Some("load".into());
        site.works(WorkName::Call, 2, [1003.0, 1005.0], Some(""));
        site.changes(1004.0, "");
        site.draws([1007.0, 1012.0]);
        site.paints(1030.0, None);
        (site.0.dom_interactive, site.0.load_event) = (Some(Millis(220.0)), Some(Millis(window_at)));
        site.0.largest_stands = Some(Standing::Nowhere);
        let at_once = [Edit::FasterResponse { file: file("late.css"), to: Some(Millis(0.0)) }];
        change(&forecast(&site, &at_once), Metric::Lcp)
    };
    near(load(1005.5), -750.0);
    near(load(1002.8), -10.0);
}

/// Ten pictures one below the other, each 800 px high, of which the last is to be loaded lazily.
#[test]
fn a_lazy_picture_is_left_out_where_it_stands_far_down_before_the_others_have_come() {
    let load = |sized: bool| {
        let mut site = Site::new();
        let mut page = phainon_core::PageFacts::default();
        for i in 0..10 {
            let name = format!("p{i}.jpg");
            site.asks(&name, ResourceKind::Image, [150.0, 150.0, 300.0, 400.0]);
            let rect = phainon_core::Rect { x: 0.0, y: 800.0 * f64::from(i), width: 400.0, height: 800.0 };
            page.images.push(phainon_core::PageImage { url: at(&name), rect, sized, ..Default::default() });
        }
        (site.0.page, site.0.conditions) = (Some(page), preset("home-laptop"));
        site.draws([230.0, 240.0]);
        site.paints(260.0, None);
        forecast(&site, &[Edit::Lazy { file: file("p9.jpg") }])
    };
    let before = load(true).before.value(Metric::Weight).unwrap();
    assert_eq!(load(true).after.value(Metric::Weight).unwrap(), before - 12_000.0);
    // Without their sizes all ten stand at the top at first, and all load.
    assert_eq!(load(false).after.value(Metric::Weight).unwrap(), before);
}

/// A sheet that comes at 900 ms and names a font, and text that the browser shows without it some time later.
fn held_back_for_its_font(shown: f64) -> Site {
    let mut site = Site::new();
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 890.0, 900.0]), 3);
    site.runs(WorkName::ParseSheet, [902.0, 903.0], "look.css");
    site.draws([905.0, 915.0]);
    site.asks("words.woff2", ResourceKind::Font, [910.0, 910.0, 4500.0, 4520.0]).initiator.kind = InitiatorKind::Style;
    site.draws([shown, shown + 5.0]);
    site.paints(shown + 20.0, None);
    site.0.fcp = Some(Millis(930.0));
    site
}

#[test]
fn text_held_back_for_its_font_is_shown_two_seconds_after_the_navigation_or_three_after_the_asking() {
    let by_page = held_back_for_its_font(2_001.0);
    near(change(&forecast(&by_page, &at_once("look.css")), Metric::Lcp), 0.0);
    let by_font = held_back_for_its_font(3_911.0);
    // The document is there at 200 ms, and the sheet is parsed then instead of at 902.
    near(change(&forecast(&by_font, &at_once("look.css")), Metric::Lcp), 200.0 - 902.0);
    // With the font, 20 ms after it was asked for, it is shown in either case.
    near(change(&forecast(&by_page, &at_once("words.woff2")), Metric::Lcp), 930.0 - 2_001.0);
    near(change(&forecast(&by_font, &at_once("words.woff2")), Metric::Lcp), 930.0 - 3_911.0);
}

#[test]
fn a_frame_in_which_the_browser_looks_something_up_is_one_frame_all_the_same() {
    let mut site = held_back_for_its_font(2_001.0);
    // It looks up what lies under the pointer between two pieces of its painting.
    site.works(WorkName::Other, 1, [2_007.0, 2_008.0], None).kind = WorkKind::Input;
    site.works(WorkName::Paint, 1, [2_008.0, 2_010.0], None);
    let task = site.0.work.iter().rposition(|w| w.depth == 0).unwrap();
    site.0.work[task].duration = Millis(9.0);
    near(change(&forecast(&site, &at_once("words.woff2")), Metric::Lcp), 930.0 - 2_001.0);
}

/// A sheet holds everything up; a script below it in the body had come shortly before, and text stands above or below
/// that.
#[test]
fn text_above_a_script_in_the_body_does_not_wait_for_it() {
    let load = |line: u32| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 1480.0, 1490.0]), 3);
        blocking(site.asks("late.js", ResourceKind::Script, [150.0, 150.0, 1390.0, 1400.0]), 50);
        site.0.requests[2].render_blocking = RenderBlocking::InBodyParserBlocking;
        site.runs(WorkName::ParseSheet, [1491.0, 1492.0], "look.css");
        site.runs(WorkName::Evaluate, [1493.0, 1500.0], "late.js");
        site.runs(WorkName::ParseHtml, [1501.0, 1502.0], "");
        site.draws([1510.0, 1520.0]);
        site.paints(1540.0, None);
        site.0.dom_interactive = Some(Millis(1502.5));
        site.0.largest_stands = Some(Standing::Lines { first: line, last: line, columns: None });
        change(&forecast(&site, &at_once("look.css")), Metric::Lcp)
    };
    // The document itself is there at 200 ms.
    near(load(20), 200.0 - 1_491.0);
    near(load(80), -92.0);
}

/// An animation draws a frame every 20 ms; a font comes in the middle of it, and the next frame shows its words.
#[test]
fn words_whose_font_comes_sooner_are_shown_by_an_earlier_frame() {
    let mut site = Site::new();
    let font = site.asks("words.woff2", ResourceKind::Font, [905.0, 905.0, 1392.0, 1402.0]);
    font.initiator.kind = InitiatorKind::Style;
    for frame in 0..30 {
        let start = 900.0 + 20.0 * f64::from(frame);
        site.draws([start, start + 19.9]);
    }
    site.paints(1452.0, None);
    site.0.fcp = Some(Millis(930.0));
    // It is there at 915 ms: the frame of 920 ms shows it instead of that of 1,420.
    near(change(&forecast(&site, &at_once("words.woff2")), Metric::Lcp), -500.0);
}

/// Three files of a connection follow each other; the last is asked for late, unless the sheet that names it comes at
/// once. Then too it stands behind those that the server had before.
#[test]
fn a_picture_that_is_asked_for_sooner_stands_behind_what_the_server_had_before() {
    let mut site = Site::new();
    site.0.conditions = phainon_core::preset("phone-on-the-move");
    let on_one = |request: &mut Request, parts: &[(f64, u64)]| {
        request.connection = Some(7);
        request.protocol = Some("h2".into());
        let part = |(at, bytes): &(f64, u64)| phainon_core::BodyPart { at: Millis(*at), bytes: Bytes(*bytes) };
        request.parts = parts.iter().map(part).collect();
        request.transferred = Some(Bytes(parts.iter().map(|p| p.1).sum()));
    };
    let every = |from: f64, to: f64| -> Vec<(f64, u64)> {
        (0..).map(|i| (from + 20.0 * f64::from(i), 10_000)).take_while(|p| p.0 <= to).collect()
    };
    on_one(site.asks("first.jpg", ResourceKind::Image, [250.0, 250.0, 370.0, 1370.0]), &every(390.0, 1_370.0));
    on_one(site.asks("second.jpg", ResourceKind::Image, [251.0, 251.0, 1375.0, 2370.0]), &every(1_390.0, 2_370.0));
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 2890.0, 2900.0]), 3);
    site.runs(WorkName::ParseSheet, [2902.0, 2903.0], "look.css");
    site.draws([2905.0, 2915.0]);
    let largest = site.asks("large.jpg", ResourceKind::Image, [2910.0, 2910.0, 3030.0, 4030.0]);
    largest.initiator = phainon_core::Initiator {
        kind: InitiatorKind::Style,
        url: Some(at("look.css").into()),
        ..largest.initiator.clone()
    };
    on_one(largest, &every(3_050.0, 4_030.0));
    site.draws([4035.0, 4040.0]);
    site.paints(4060.0, Some("large.jpg"));
    site.0.fcp = Some(Millis(2930.0));
    // Asked for at some 300 ms, it would be there at 1,500 by itself: 2,500 ms sooner. 2 s of the line are others'
    // before it.
    let told = change(&forecast(&site, &at_once("look.css")), Metric::Lcp);
    assert!((-600.0..-400.0).contains(&told), "{told}");
}

#[test]
fn a_sheet_that_the_server_has_sooner_goes_before_a_picture_on_its_connection() {
    let mut site = Site::new();
    site.0.conditions = phainon_core::preset("phone-on-the-move");
    let parts = (0..50u32).map(|i| (920.0 + 20.0 * f64::from(i), 10_000));
    let part = |(at, bytes): (f64, u64)| phainon_core::BodyPart { at: Millis(at), bytes: Bytes(bytes) };
    let picture = site.asks("large.jpg", ResourceKind::Image, [250.0, 250.0, 890.0, 1_900.0]);
    picture.parts = parts.map(part).collect();
    picture.transferred = Some(Bytes(500_000));
    blocking(site.asks("look.css", ResourceKind::Style, [250.0, 250.0, 1_910.0, 1_915.0]), 3);
    site.0.requests[2].parts = vec![part((1_915.0, 2_500))];
    site.0.requests[2].transferred = Some(Bytes(2_500));
    for request in &mut site.0.requests[1..] {
        (request.connection, request.protocol) = (Some(7), Some("h2".into()));
    }
    site.runs(WorkName::ParseSheet, [1_917.0, 1_918.0], "look.css");
    site.draws([1_920.0, 1_930.0]);
    site.paints(1_950.0, None);
    site.0.fcp = Some(Millis(1_950.0));
    // There and back takes 120 ms; the picture's second of the line comes after it.
    near(change(&forecast(&site, &at_once("look.css")), Metric::Lcp), 370.0 - 1_910.0);
}

/// Two pictures of 300 kB are asked for in one breath, the largest first, and come over one connection; the server has
/// that so long after the way there and back of 120 ms, and the other one late.
fn asked_for_in_one_breath(has_it_after: f64) -> Site {
    let mut site = Site::new();
    site.0.conditions = phainon_core::preset("phone-on-the-move");
    let answered = 250.0 + 120.0 + has_it_after;
    site.asks("large.jpg", ResourceKind::Image, [250.0, 250.0, answered, answered + 600.0]);
    site.asks("late.jpg", ResourceKind::Image, [250.0, 265.0, 3_000.0, 3_600.0]);
    for request in &mut site.0.requests[1..] {
        (request.connection, request.protocol) = (Some(7), Some("h2".into()));
        request.transferred = Some(Bytes(300_000));
    }
    site.draws([answered + 605.0, answered + 615.0]);
    site.paints(answered + 630.0, Some("large.jpg"));
    site.0.fcp = Some(Millis(900.0));
    site
}

#[test]
fn what_a_server_has_at_nearly_the_same_time_goes_in_the_order_of_asking() {
    let without_wait = |has_it_after: f64| {
        change(&forecast(&asked_for_in_one_breath(has_it_after), &at_once("late.jpg")), Metric::Lcp)
    };
    // By chance the server has the largest 40 ms later than it could: the other one stands behind it all the same.
    near(without_wait(40.0), 0.0);
    // That the server takes 200 ms for it is no chance.
    let slower = without_wait(200.0);
    assert!(slower > 300.0, "{slower}");
}

/// Two pictures follow each other on one connection, and the page's process tells of the first one's bytes when a frame
/// of a second is over: by then both have come.
#[test]
fn a_picture_waits_for_what_went_before_it_however_late_that_is_told() {
    let mut site = Site::new();
    site.0.conditions = phainon_core::preset("phone-on-the-move");
    let part = |(at, bytes): (f64, u64)| phainon_core::BodyPart { at: Millis(at), bytes: Bytes(bytes) };
    let first = site.asks("first.jpg", ResourceKind::Image, [250.0, 250.0, 400.0, 1_000.0]);
    first.parts = [(2_100.0, 200_000), (2_101.0, 100_000)].map(part).to_vec();
    let largest = site.asks("large.jpg", ResourceKind::Image, [251.0, 251.0, 1_003.0, 1_600.0]);
    largest.parts = [(2_102.0, 300_000)].map(part).to_vec();
    for request in &mut site.0.requests[1..] {
        (request.connection, request.protocol) = (Some(7), Some("h2".into()));
        request.transferred = Some(Bytes(300_000));
    }
    site.draws([1_605.0, 1_615.0]);
    site.paints(1_640.0, Some("large.jpg"));
    site.0.fcp = Some(Millis(900.0));
    let alone = |site: &Site| change(&forecast(site, &[Edit::Remove { file: file("first.jpg") }]), Metric::Lcp);
    let told_late = alone(&site);
    assert!(told_late > -50.0, "{told_late}");
    parts_as_came(&mut site.0);
    // The largest has the line 600 ms sooner, and its window has yet to grow: rounds of 14.6 and 29.2 kB leave some 160
    // of 240 ms unused.
    near(alone(&site), -600.0 + 160.0);
}

/// A library of another host shares the line with a picture, behind which the largest stands on its connection. Without
/// the library that picture is through some 1,140 ms after its headers: 1,000 for its bytes, and 140 while its window
/// grows.
#[test]
fn what_takes_the_line_from_others_before_the_largest_is_named_beside_its_path() {
    let mut site = Site::new();
    site.0.conditions = preset("phone-on-the-move");
    let every = |from: u32, to: u32, bytes: u64| {
        let part = move |i: u32| BodyPart { at: Millis(f64::from(from + 20 * i)), bytes: Bytes(bytes) };
        (0..=(to - from) / 20).map(part).collect::<Vec<_>>()
    };
    let banner = site.asks("banner.jpg", ResourceKind::Image, [250.0, 250.0, 370.0, 2_170.0]);
    banner.parts = [every(390, 1_970, 5_000), every(1_990, 2_170, 10_000)].concat();
    let largest = site.asks("large.jpg", ResourceKind::Image, [251.0, 251.0, 2_175.0, 2_770.0]);
    largest.parts = every(2_190, 2_770, 10_000);
    let library = site.asks("all.js", ResourceKind::Script, [250.0, 250.0, 370.0, 1_970.0]);
    library.parts = every(390, 1_970, 5_000);
    library.url = library.url.replace("www.skerryline.test", "libs.quayside.test").into();
    let library = ResourceKey::of(&library.url);
    for (request, connection) in site.0.requests[1..].iter_mut().zip([7, 7, 8]) {
        (request.connection, request.protocol) = (Some(connection), Some("h2".into()));
        request.transferred = Some(Bytes(request.parts.iter().map(|p| p.bytes.0).sum()));
    }
    site.draws([2_775.0, 2_785.0]);
    site.paints(2_800.0, Some("large.jpg"));
    site.0.fcp = Some(Millis(900.0));
    near(change(&forecast(&site, &[Edit::Remove { file: library }]), Metric::Lcp), 370.0 + 1_140.0 - 2_175.0);
    let prepared = Arc::new(Prepared::plain(site.0.clone()));
    let path = path_to_largest(&prepared).unwrap();
    let reliefs = Model::of(&prepared).reliefs(&path);
    let beside: Vec<_> = reliefs.iter().filter(|r| r.helps == Helps::Beside).map(|r| r.request.0).collect();
    assert_eq!(beside, [3]);
    assert!(path.iter().all(|l| l.request != Some(RequestId(3))), "no leg of the path is the library's");
}

/// A third party's sheet is sent once the connection is open that another file of its host opens.
#[test]
fn a_file_of_ones_own_host_waits_for_no_connection_of_a_third_party() {
    let mut site = Site::new();
    site.0.requests[0].protocol = Some("h2".into());
    site.0.requests[0].connection = Some(1);
    let opens = site.asks("early.css", ResourceKind::Style, [150.0, 450.0, 600.0, 605.0]);
    (opens.connect_start, opens.connect_end) = (Some(Millis(150.0)), Some(Millis(450.0)));
    let late = site.asks("late.css", ResourceKind::Style, [150.0, 450.0, 600.0, 610.0]);
    blocking(late, 3);
    for request in &mut site.0.requests[1..] {
        request.url = request.url.replace("www.skerryline.test", "www.driftmetric.test").into();
        (request.connection, request.protocol) = (Some(2), Some("h2".into()));
    }
    let url = site.0.requests[2].url.to_string();
    site.works(WorkName::ParseSheet, 0, [611.0, 612.0], Some("late.css"));
    site.0.work.last_mut().unwrap().url = Some(url.as_str().into());
    site.draws([615.0, 625.0]);
    site.paints(640.0, None);
    site.0.fcp = Some(Millis(640.0));
    let own = forecast(&site, &[Edit::SelfHost { file: phainon_core::ResourceKey::of(&url) }]);
    // Sent when it is asked for, and handed out as quickly as its own host does, it is there before the document is.
    near(change(&own, Metric::Lcp), 200.0 - 612.0);
}

/// Two sheets that block, let go by one edit each: neither order leaves the other behind.
#[test]
fn what_was_let_go_before_is_not_waited_for_in_anothers_place() {
    let mut site = Site::new();
    blocking(site.asks("one.css", ResourceKind::Style, [150.0, 150.0, 1380.0, 1390.0]), 3);
    blocking(site.asks("two.css", ResourceKind::Style, [150.0, 150.0, 1490.0, 1500.0]), 4);
    site.runs(WorkName::ParseSheet, [1391.0, 1392.0], "one.css");
    site.runs(WorkName::ParseSheet, [1501.0, 1502.0], "two.css");
    site.draws([1503.0, 1510.0]);
    site.paints(1530.0, None);
    let reduced = |files: [&str; 2]| {
        let edits = files.map(|f| Edit::ReduceStyle { file: file(f) });
        change(&forecast(&site, &edits), Metric::Lcp)
    };
    let (down, up) = (reduced(["one.css", "two.css"]), reduced(["two.css", "one.css"]));
    assert!((down - up).abs() < 0.01, "{down} and {up}");
    assert!(down < -1200.0, "{down}");
}

/// The thread is busy with one task after the other when the picture has come; its frame is drawn behind them, or in
/// their midst where it comes sooner.
#[test]
fn a_frame_that_is_ready_sooner_goes_before_tasks_that_came_later() {
    let mut site = Site::new();
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 150.0, 1190.0, 1195.0]);
    for span in [[600.0, 900.0], [900.0, 990.0], [990.0, 1080.0], [1080.0, 1200.0]] {
        site.works(WorkName::Task, 0, span, None);
    }
    site.draws([1200.0, 1210.0]);
    site.paints(1230.0, Some("hero.jpg"));
    let sooner = Edit::FasterResponse { file: file("hero.jpg"), to: Some(Millis(550.0)) };
    near(change(&forecast(&site, &[sooner]), Metric::Lcp), -300.0);
}

/// What a page was seen to use of a sheet is what its document takes up.
#[test]
fn a_reduced_sheet_adds_to_the_document_no_more_than_was_used() {
    let mut site = Site::new();
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 400.0]), 4);
    site.runs(WorkName::ParseSheet, [401.0, 402.0], "look.css");
    site.draws([403.0, 410.0]);
    site.paints(430.0, None);
    let added = |used: Vec<(u32, u32)>| {
        let coverage = vec![Coverage { url: at("look.css"), used, length: 1000 }];
        let prepared = Arc::new(Prepared::plain(site.0.clone()).with_coverage(coverage));
        let reduced = Model::of(&prepared).forecast(&[Edit::ReduceStyle { file: file("look.css") }], &NoBodies);
        change(&reduced, Metric::Weight)
    };
    // Of 12,000 bytes one in a hundred; of one that is used all over the share of a first screen.
    near(added(vec![(0, 10)]), 120.0);
    near(added(vec![(0, 1000)]), 2400.0);
}

/// A picture comes over the connection that a script had before it. Asked for with the document, it cannot: the
/// script still comes over that one, and the two share the line.
#[test]
fn what_is_asked_for_sooner_over_an_older_connection_does_not_go_before_what_has_it() {
    let mut site = Site::new();
    site.0.conditions = preset("home-laptop");
    let app = site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 400.0]);
    blocking(app, 3);
    (app.connection, app.transferred) = (Some(7), Some(Bytes(400_000)));
    let hero = site.asks("hero.jpg", ResourceKind::Image, [430.0, 430.0, 480.0, 880.0]);
    (hero.connection, hero.transferred) = (Some(7), Some(Bytes(800_000)));
    hero.initiator = script(&["app.js"]);
    site.runs(WorkName::Evaluate, [405.0, 435.0], "app.js");
    site.draws([440.0, 450.0]);
    site.draws([885.0, 890.0]);
    site.paints(910.0, Some("hero.jpg"));
    site.0.fcp = Some(Millis(470.0));
    let told = forecast(&site, &[Edit::Preload { file: file("hero.jpg") }]);
    // Half of the line for as long as the script takes: about 160 ms more, not the 320 of the whole picture.
    let (first, largest) = (change(&told, Metric::Fcp), change(&told, Metric::Lcp));
    assert!((100.0..220.0).contains(&first), "{first}");
    assert!((-200.0..-80.0).contains(&largest), "{largest}");
}

/// The first frame shows text and a picture that had come by then. Without the sheet the text does not wait for the
/// picture.
#[test]
fn the_first_content_does_not_wait_for_the_picture_that_its_frame_showed_as_well() {
    let mut site = Site::new();
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 1300.0, 1350.0]), 3);
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 150.0, 1190.0, 1195.0]);
    site.runs(WorkName::ParseSheet, [1351.0, 1352.0], "look.css");
    site.draws([1355.0, 1365.0]);
    site.paints(1390.0, Some("hero.jpg"));
    site.0.fcp = Some(Millis(1390.0));
    let told = forecast(&site, &at_once("look.css"));
    assert!(change(&told, Metric::Fcp) < -1000.0, "{}", change(&told, Metric::Fcp));
    near(change(&told, Metric::Lcp), -160.0);
}

/// One frame shows a picture, and text that waited for its font. With the font sooner the text does not wait for the
/// picture, which is smaller.
#[test]
fn the_largest_text_does_not_wait_for_a_smaller_picture_that_its_frame_showed_as_well() {
    let mut site = Site::new();
    site.asks("strip.jpg", ResourceKind::Image, [150.0, 150.0, 1190.0, 1195.0]);
    site.asks("own.woff2", ResourceKind::Font, [150.0, 150.0, 1070.0, 1080.0]);
    site.asks("tag.js", ResourceKind::Script, [150.0, 150.0, 1080.0, 1090.0]);
    site.draws([220.0, 240.0]);
    // A frame after the font that does not show the text yet: it is not known to have one of its own.
    site.draws([1085.0, 1090.0]);
    site.runs(WorkName::Evaluate, [1094.0, 1204.0], "tag.js");
    site.draws([1205.0, 1215.0]);
    site.paints(1230.0, Some("strip.jpg"));
    let picture = site.0.lcp_candidates.clone();
    site.paints(1240.0, None);
    site.0.lcp_candidates[0].size = 90_000.0;
    let own = TextFont::of(&at("own.woff2"), FontDisplay::Block);
    site.0.lcp_candidates[0].fonts = Some(vec![own]);
    site.0.lcp_candidates.splice(0..0, picture);
    site.0.fcp = Some(Millis(260.0));
    let sooner = Edit::FasterResponse { file: file("own.woff2"), to: Some(Millis(400.0)) };
    let gain = change(&forecast(&site, &[sooner]), Metric::Lcp);
    assert!(gain < -500.0, "{gain}");
}

/// A library that blocks, and below it code inside the document that writes the text. `seen` is what the profiler
/// saw in that code.
fn written_by_code_below(seen: &[&str]) -> Site {
    let mut site = Site::new();
    let library = site.asks("pier.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]);
    blocking(library, 3);
    library.body = Some(BodyRef { hash: "library".into(), size: Bytes(30) });
    site.0.requests[0].body = Some(BodyRef { hash: "document".into(), size: Bytes(200) });
    site.runs(WorkName::Evaluate, [1001.0, 1005.0], "pier.js");
    site.works(WorkName::Task, 0, [1006.0, 1108.0], None);
    site.works(WorkName::ParseHtml, 1, [1006.0, 1108.0], None);
    site.works(WorkName::Evaluate, 2, [1007.0, 1107.0], Some("")).line = Some(5);
    site.changes(1100.0, "");
    site.draws([1110.0, 1120.0]);
    site.0.dom_interactive = Some(Millis(1109.0));
    site.0.dom_content_loaded = Some(Millis(1109.5));
    site.paints(1135.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    site.sees(&[(1050.0, seen), (1060.0, &[""])]);
    site
}

/// What the library deferred brings, with the code inside the document.
fn library_deferred(site: &Site, code: &str) -> f64 {
    let document = format!("<head>\n\n<script src=pier.js></script>\n\n<script>{code}</script>\n");
    let bodies = move |hash: &str| match hash {
        "library" => Some(b"window.Pier = { start() {} };".to_vec()),
        "document" => Some(document.clone().into_bytes()),
        _ => None,
    };
    let model = Model::of(&Arc::new(Prepared::plain(site.0.clone())));
    change(&model.forecast(&[Edit::DeferScript { file: file("pier.js") }], &bodies), Metric::Lcp)
}

#[test]
fn code_that_fails_without_a_script_is_deferred_with_it() {
    let own = written_by_code_below(&[""]);
    // What is less is the rest between two tasks.
    let with_it = library_deferred(&own, "Pier.start()");
    assert!((-20.0..=0.0).contains(&with_it), "{with_it}");
    near(library_deferred(&own, "window.Pier = window.Pier || {}"), with_it);
    // What uses nothing of it does not wait.
    near(library_deferred(&own, "Piers.start()"), 200.0 - 1005.0);
    near(library_deferred(&own, "write()"), 200.0 - 1005.0);
    // Where the texts tell nothing, the profiler may.
    near(library_deferred(&written_by_code_below(&["", "pier.js"]), "write()"), with_it);
}

#[test]
fn deferred_code_inside_the_document_does_not_come_before_the_parser_is_through() {
    // Another script holds the parser for longer, and stands above both.
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 1900.0, 2000.0]), 2);
    blocking(site.asks("pier.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]), 3);
    site.runs(WorkName::Evaluate, [2001.0, 2005.0], "big.js");
    site.runs(WorkName::Evaluate, [2006.0, 2010.0], "pier.js");
    site.works(WorkName::Task, 0, [2011.0, 2113.0], None);
    site.works(WorkName::ParseHtml, 1, [2011.0, 2113.0], None);
    site.works(WorkName::Evaluate, 2, [2012.0, 2112.0], Some("")).line = Some(5);
    site.changes(2100.0, "");
    site.draws([2115.0, 2125.0]);
    site.0.dom_interactive = Some(Millis(2114.0));
    site.paints(2140.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    site.sees(&[(2050.0, &["", "pier.js"]), (2060.0, &[""])]);
    let gain = change(&forecast(&site, &[Edit::DeferScript { file: file("pier.js") }]), Metric::Lcp);
    assert!((-20.0..=0.0).contains(&gain), "{gain}");
}

#[test]
fn a_file_that_fails_without_a_script_comes_after_it_in_whichever_order_both_are_deferred() {
    let mut site = Site::new();
    blocking(site.asks("pier.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]), 3);
    blocking(site.asks("boats.js", ResourceKind::Script, [150.0, 150.0, 200.0, 250.0]), 4);
    site.runs(WorkName::Evaluate, [1001.0, 1005.0], "pier.js");
    site.works(WorkName::Task, 0, [1006.0, 1107.0], None);
    site.works(WorkName::Evaluate, 1, [1006.5, 1106.5], Some("boats.js"));
    site.changes(1100.0, "boats.js");
    site.draws([1110.0, 1120.0]);
    site.0.dom_interactive = Some(Millis(1107.0));
    site.paints(1135.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    site.sees(&[(1050.0, &["boats.js", "pier.js"]), (1060.0, &["boats.js"])]);
    let defer = |name: &str| Edit::DeferScript { file: file(name) };
    let [pier, boats] = [defer("pier.js"), defer("boats.js")];
    for edits in [vec![pier.clone()], vec![pier.clone(), boats.clone()], vec![boats, pier]] {
        let gain = change(&forecast(&site, &edits), Metric::Lcp);
        assert!((-20.0..=0.0).contains(&gain), "{gain}");
    }
}

#[test]
fn an_inner_frames_parsed_event_does_not_wait_for_a_deferred_script() {
    let mut site = script_above_sheet();
    // A frame of another document is through at 2,000 ms, and asks for a picture when it is.
    let at = site.0.work.partition_point(|w| w.start.0 < 2000.0);
    let mut inner = Site::new();
    inner.works(WorkName::Task, 0, [2000.0, 2010.0], None);
    inner.works(WorkName::Event, 1, [2000.0, 2010.0], None).event = Some("DOMContentLoaded".into());
    inner.works(WorkName::Call, 2, [2000.0, 2010.0], Some("frame.js"));
    site.0.work.splice(at..at, inner.0.work);
    site.asks("quay.png", ResourceKind::Image, [2005.0, 2005.0, 2100.0, 4055.0]).initiator = script(&["frame.js"]);
    let deferred = forecast(&site, &[Edit::DeferScript { file: file("big.js") }]);
    let picture = site.0.requests.last().unwrap().id;
    assert!(deferred.moved.iter().all(|m| m.request != picture), "{:#?}", deferred.moved);
}

#[test]
fn text_that_is_there_sooner_has_a_frame_of_its_own_where_the_thread_rests() {
    // The frame at 2,510 asks for a font that is past its limit; a script has the thread before the next, which shows
    // the text.
    let load = |held: f64| {
        let mut site = Site::new();
        blocking(site.asks("late.js", ResourceKind::Script, [150.0, 150.0, 2400.0, 2500.0]), 3);
        let sheet = site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 2000.0, 2100.0]);
        blocking(sheet, 4);
        site.runs(WorkName::Evaluate, [2501.0, 2505.0], "late.js");
        site.runs(WorkName::ParseSheet, [2506.0, 2508.0], "look.css");
        site.draws([2510.0, 2600.0]);
        let font = site.asks("own.woff2", ResourceKind::Font, [2550.0, 2560.0, 7300.0, 7400.0]);
        font.initiator =
            Initiator { kind: InitiatorKind::Style, url: Some(at("look.css").as_str().into()), ..Initiator::default() };
        let shown = 2606.0 + held;
        site.works(WorkName::Task, 0, [2605.1, shown], None);
        site.works(WorkName::Event, 1, [2605.1, shown], None).event = Some("DOMContentLoaded".into());
        site.works(WorkName::Call, 2, [2605.1, shown], Some("late.js"));
        // It has something done in that frame.
        site.works(WorkName::Task, 0, [shown + 0.1, shown + 20.0], None);
        site.works(WorkName::AnimationFrame, 1, [shown + 0.1, shown + 5.0], None);
        site.works(WorkName::Call, 2, [shown + 0.1, shown + 5.0], Some("late.js"));
        site.works(WorkName::Layout, 1, [shown + 5.0, shown + 10.0], None);
        site.works(WorkName::Paint, 1, [shown + 10.0, shown + 20.0], None);
        site.0.dom_interactive = Some(Millis(2600.0));
        site.paints(shown + 40.0, None);
        let own = TextFont::of(&at("own.woff2"), FontDisplay::Auto);
        site.0.lcp_candidates[0].fonts = Some(vec![own]);
        change(&forecast(&site, &[Edit::DeferScript { file: file("late.js") }]), Metric::Lcp)
    };
    // The sheet lets the frame go at 2,102, 405 ms sooner, and neither the script nor its part of the frame keeps the
    // text.
    near(load(200.0), -405.0 - 200.0 - 5.0);
    near(load(60.0), -405.0 - 60.0 - 5.0);
}

/// Over HTTP/1.1: six files have connections of a host opened for them in 60 ms, one of them a script in the head, and a
/// file that was asked for with them has to wait for the script's; both are of 100 ms, the others of a second.
fn behind_a_script(protocol: &str, priority: &str) -> Site {
    let mut site = Site::new();
    let script = site.asks("lib.js", ResourceKind::Script, [150.0, 210.0, 300.0, 310.0]);
    blocking(script, 3);
    script.priority = Some("High".into());
    let sheet = site.asks("look.css", ResourceKind::Style, [150.0, 312.0, 402.0, 412.0]);
    blocking(sheet, 4);
    sheet.priority = Some(priority.into());
    for file in 0..5 {
        site.asks(&format!("{file}.jpg"), ResourceKind::Image, [150.0, 210.0, 1_200.0, 1_210.0]).priority =
            Some("High".into());
    }
    for (request, connection) in site.0.requests[1..].iter_mut().zip([7, 7, 8, 9, 10, 11, 12]) {
        (request.connection, request.protocol) = (Some(connection), Some(protocol.into()));
        if request.sent == Some(Millis(210.0)) {
            (request.connect_start, request.connect_end) = (Some(Millis(150.0)), Some(Millis(210.0)));
        }
    }
    site.runs(WorkName::Evaluate, [320.0, 350.0], "lib.js");
    site.runs(WorkName::ParseSheet, [414.0, 416.0], "look.css");
    site.0.dom_interactive = Some(Millis(417.0));
    site.draws([420.0, 430.0]);
    site.paints(450.0, None);
    site.0.fcp = Some(Millis(450.0));
    site
}

#[test]
fn a_deferred_script_lets_what_is_urgent_have_its_connection_over_http_1() {
    let told = |protocol: &str, priority: &str| {
        let site = behind_a_script(protocol, priority);
        let told = forecast(&site, &[Edit::DeferScript { file: file("lib.js") }]);
        let sent = |id: u32| told.moved.iter().find(|m| m.request == RequestId(id)).and_then(|m| m.sent_ms);
        (sent(1), sent(2), change(&told, Metric::Fcp))
    };
    // The sheet has the connection that was opened for the script, and the script has it when the sheet has come.
    let (script, sheet, first) = told("http/1.1", "High");
    assert_eq!((script, sheet), (Some(Millis(312.0)), Some(Millis(212.0))));
    near(first, -100.0);
    // What is no more urgent than the script is now stays behind it, and over HTTP/2 nobody waits for a connection.
    assert_eq!(told("http/1.1", "Low").1, None);
    assert_eq!(told("h2", "High").1, None);
}

/// Six connections of a host: a picture of 100 ms over one, then the next; one of 300 ms over another, then the last;
/// four that are long over the rest.
fn two_that_wait(protocol: &str) -> Site {
    let mut site = Site::new();
    site.asks("first.jpg", ResourceKind::Image, [150.0, 150.0, 240.0, 250.0]);
    site.asks("long.jpg", ResourceKind::Image, [150.0, 150.0, 240.0, 450.0]);
    site.asks("next.jpg", ResourceKind::Image, [150.0, 252.0, 342.0, 502.0]);
    site.asks("last.jpg", ResourceKind::Image, [150.0, 452.0, 492.0, 552.0]);
    for file in 0..4 {
        site.asks(&format!("{file}.jpg"), ResourceKind::Image, [150.0, 150.0, 1_140.0, 1_150.0]);
    }
    for (request, connection) in site.0.requests[1..].iter_mut().zip([7, 8, 7, 8, 9, 10, 11, 12]) {
        (request.connection, request.protocol) = (Some(connection), Some(protocol.into()));
    }
    site
}

#[test]
fn those_that_wait_for_a_connection_have_the_next_that_is_free() {
    let sent = |protocol: &str, edits: &[Edit]| {
        let told = forecast(&two_that_wait(protocol), edits);
        let moved = |id: u32| told.moved.iter().find(|m| m.request == RequestId(id)).and_then(|m| m.sent_ms);
        [moved(2), moved(3), moved(4)]
    };
    let remove = [Edit::Remove { file: file("first.jpg") }];
    // The next has the connection that the first had, and the last, which had waited for the long one's, has it when the
    // next has come, 250 ms later.
    let [long, next, last] = sent("http/1.1", &remove).map(|at| at.unwrap_or_default().0);
    assert_eq!(long, 0.0, "it does not move");
    near(next, 152.0);
    near(last, 404.0);
    // Over HTTP/2 nobody waits for a turn; what they had waited for there is not told, and stays.
    assert_eq!(sent("h2", &remove), [None; 3]);
    // Where the first's server takes 90 ms less, the next has its connection when it has come.
    let [_, next, last] = sent("http/1.1", &at_once("first.jpg")).map(|at| at.unwrap_or_default().0);
    near(next, 162.0);
    near(last, 414.0);
}

/// A picture is held back until the head's script has let go, and a sheet above that is late as well.
#[test]
fn what_is_held_back_does_not_wait_for_a_sheet_in_the_scripts_place() {
    let sent = |code: Option<u32>| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 790.0, 800.0]), 3);
        blocking(site.asks("lib.js", ResourceKind::Script, [150.0, 150.0, 890.0, 900.0]), 5);
        site.asks("hero.jpg", ResourceKind::Image, [160.0, 925.0, 1_000.0, 1_400.0]);
        site.runs(WorkName::ParseSheet, [801.0, 803.0], "look.css");
        if let Some(line) = code {
            site.runs(WorkName::Evaluate, [804.0, 806.0], "").line = Some(line);
        }
        site.runs(WorkName::Evaluate, [902.0, 920.0], "lib.js");
        site.0.dom_interactive = Some(Millis(922.0));
        site.draws([1_405.0, 1_410.0]);
        site.paints(1_420.0, Some("hero.jpg"));
        let told = forecast(&site, &[Edit::DeferScript { file: file("lib.js") }]);
        let moved = told.moved.iter().find(|m| m.request == RequestId(3));
        moved.and_then(|m| m.sent_ms).map_or(925.0, |at| at.0)
    };
    // The parser is not held by a sheet, and reaches the body at once.
    assert!(sent(None) < 200.0, "{}", sent(None));
    // Code below the sheet waits for it, and the parser for that.
    assert!((800.0..830.0).contains(&sent(Some(4))), "{}", sent(Some(4)));
}

/// Style finds a background in an element's own style while the parser stands at a script in the body, and the browser
/// tells that line as the background's. Where it comes sooner it does not wait for that script.
#[test]
fn a_background_does_not_wait_for_the_script_at_which_the_parser_stood_when_style_found_it() {
    let mut site = Site::new();
    blocking(site.asks("lib.js", ResourceKind::Script, [150.0, 150.0, 890.0, 900.0]), 3);
    let last = site.asks("last.js", ResourceKind::Script, [150.0, 150.0, 1_190.0, 1_200.0]);
    (last.render_blocking, last.initiator.line) = (RenderBlocking::InBodyParserBlocking, Some(8));
    last.initiator.column = Some(2);
    site.runs(WorkName::Evaluate, [902.0, 920.0], "lib.js");
    site.works(WorkName::Task, 0, [921.0, 930.0], None);
    site.works(WorkName::Style, 1, [921.0, 926.0], None);
    site.works(WorkName::Paint, 1, [927.0, 930.0], None);
    let hero = site.asks("hero.jpg", ResourceKind::Image, [924.0, 924.0, 1_000.0, 1_400.0]);
    (hero.initiator.line, hero.initiator.column) = (Some(8), Some(40));
    site.runs(WorkName::Evaluate, [1_202.0, 1_204.0], "last.js");
    site.0.dom_interactive = Some(Millis(1_206.0));
    site.draws([1_405.0, 1_410.0]);
    site.paints(1_420.0, Some("hero.jpg"));
    site.0.fcp = Some(Millis(945.0));
    let told = change(&forecast(&site, &at_once("lib.js")), Metric::Lcp);
    assert!(told < -700.0, "{told}");
}

/// A picture is held back for a sheet, and goes once the thread has done with what that sheet had it do.
#[test]
fn what_is_held_back_goes_with_a_sheet_that_comes_sooner_though_the_thread_was_at_work_in_between() {
    let sent = |work: f64| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 790.0, 800.0]), 3);
        site.asks("hero.jpg", ResourceKind::Image, [160.0, 850.0, 1_000.0, 1_400.0]);
        site.runs(WorkName::ParseSheet, [801.0, 803.0], "look.css");
        site.runs(WorkName::Evaluate, [804.0, 806.0], "").line = Some(4);
        site.works(WorkName::Task, 0, [806.5, 806.5 + work], None);
        site.0.dom_interactive = Some(Millis(860.0));
        site.draws([1_405.0, 1_410.0]);
        site.paints(1_420.0, Some("hero.jpg"));
        let told = forecast(&site, &at_once("look.css"));
        let moved = told.moved.iter().find(|m| m.request == RequestId(2));
        moved.and_then(|m| m.sent_ms).map_or(850.0, |at| at.0)
    };
    assert!(sent(38.0) < 300.0, "{}", sent(38.0));
    // The thread had long been free: what held it is not known.
    assert!(sent(5.0) > 840.0, "{}", sent(5.0));
}

/// Two pictures are on their way over HTTP/1.1 while others are held back for a sheet: without one of the two the first
/// of those goes in its place. One that had long come is followed by none.
#[test]
fn a_picture_that_is_held_back_goes_in_the_place_of_one_that_is_not_asked_for() {
    let sent = |without: &str| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 890.0, 900.0]), 3);
        site.asks("early.jpg", ResourceKind::Image, [150.0, 150.0, 290.0, 300.0]);
        site.asks("first.jpg", ResourceKind::Image, [150.0, 150.0, 840.0, 850.0]);
        site.asks("held.jpg", ResourceKind::Image, [150.0, 910.0, 1_000.0, 1_300.0]);
        site.asks("last.jpg", ResourceKind::Image, [150.0, 911.0, 1_001.0, 1_301.0]);
        for (request, connection) in site.0.requests[1..].iter_mut().zip([7, 8, 9, 7, 9]) {
            (request.connection, request.protocol) = (Some(connection), Some("http/1.1".into()));
        }
        site.runs(WorkName::ParseSheet, [901.0, 903.0], "look.css");
        site.runs(WorkName::Evaluate, [904.0, 906.0], "").line = Some(4);
        site.0.dom_interactive = Some(Millis(908.0));
        site.draws([1_305.0, 1_310.0]);
        site.paints(1_320.0, Some("held.jpg"));
        let told = forecast(&site, &[Edit::Remove { file: file(without) }]);
        let moved = |id: u32| told.moved.iter().find(|m| m.request == RequestId(id)).and_then(|m| m.sent_ms);
        [moved(4), moved(5)]
    };
    let [held, last] = sent("first.jpg");
    assert!(held.is_some_and(|at| at < Millis(160.0)), "{held:?}");
    assert_eq!(last, None, "it waits as it did");
    assert_eq!(sent("early.jpg"), [None, None]);
}

/// While a script holds the parser up in the head the browser has two pictures of medium priority on their way at a time,
/// over HTTP/2 as well: the next goes once one of them has come, and in the place of one that is not asked for by then.
#[test]
fn a_picture_goes_once_another_has_made_room() {
    let mut site = Site::new();
    blocking(site.asks("lib.js", ResourceKind::Script, [150.0, 150.0, 890.0, 900.0]), 3);
    site.asks("short.jpg", ResourceKind::Image, [150.0, 150.0, 290.0, 300.0]);
    site.asks("long.jpg", ResourceKind::Image, [150.0, 150.0, 740.0, 750.0]);
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 302.0, 1_000.0, 1_300.0]);
    site.asks("last.jpg", ResourceKind::Image, [150.0, 910.0, 1_001.0, 1_301.0]);
    for request in &mut site.0.requests[1..] {
        (request.connection, request.protocol) = (Some(7), Some("h2".into()));
        request.priority = Some("Medium".into());
    }
    site.runs(WorkName::Evaluate, [902.0, 906.0], "lib.js");
    site.0.dom_interactive = Some(Millis(908.0));
    site.0.fcp = Some(Millis(930.0));
    site.draws([1_305.0, 1_310.0]);
    site.paints(1_320.0, Some("hero.jpg"));
    let sent = |edit: Edit| {
        let told = forecast(&site, &[edit]);
        let moved = |id: u32| told.moved.iter().find(|m| m.request == RequestId(id)).and_then(|m| m.sent_ms);
        [moved(4), moved(5)].map(|at| at.map(|at| at.0))
    };
    let [hero, last] = sent(Edit::Remove { file: file("short.jpg") });
    assert!(hero.is_some_and(|at| at < 160.0), "{hero:?}");
    assert_eq!(last, None, "it waits as it did");
    let [hero, last] = sent(Edit::Remove { file: file("long.jpg") });
    assert_eq!(hero, None, "the other had made room for it");
    assert!(last.is_some_and(|at| at < 160.0), "{last:?}");
    let [hero, _] = sent(Edit::Lazy { file: file("short.jpg") });
    assert!(hero.is_some_and(|at| at < 160.0), "{hero:?}");
    // Once nothing holds the parser up nothing is held back.
    for edit in [Edit::DeferScript { file: file("lib.js") }, Edit::Remove { file: file("lib.js") }] {
        let both = sent(edit);
        assert!(both.iter().all(|at| at.is_some_and(|at| at < 160.0)), "{both:?}");
    }
    // It is not held back for longer than what holds the parser up.
    let script_after = |wait| sent(Edit::FasterResponse { file: file("lib.js"), to: Some(Millis(wait)) });
    let [hero, last] = script_after(0.0);
    assert!(
        hero.is_some_and(|at| (150.0..200.0).contains(&at)) && last.is_some_and(|at| at < 200.0),
        "{hero:?} {last:?}"
    );
    let [hero, last] = script_after(300.0);
    assert_eq!(hero, None, "the other had come by then");
    assert!(last.is_some_and(|at| (450.0..500.0).contains(&at)), "{last:?}");
    // What is urgent waits for no room.
    site.0.requests[4].priority = Some("High".into());
    let told = forecast(&site, &[Edit::Remove { file: file("short.jpg") }]);
    assert!(told.moved.iter().all(|m| m.request != RequestId(4) || m.sent_ms.is_none()), "{:?}", told.moved);
}

/// What is done about a host's connections is done to all that its files have in common.
#[test]
fn edits_of_a_hosts_connections_reach_those_that_wait_for_one() {
    let mut site = behind_a_script("http/1.1", "High");
    site.0.conditions = preset("phone-on-the-move");
    // Of all but the last the handshake is told, which takes a second round trip.
    for request in site.0.requests[1..7].iter_mut().filter(|r| r.connect_start.is_some()) {
        request.tls_start = Some(Millis(180.0));
    }
    let sent = |edits: &[Edit]| {
        let told = forecast(&site, edits);
        assert!(told.left_out.is_empty(), "{:?}", told.left_out);
        let moved = |id: u32| told.moved.iter().find(|m| m.request == RequestId(id)).and_then(|m| m.sent_ms);
        [moved(1).map_or(210.0, |at| at.0), moved(2).map_or(312.0, |at| at.0)]
    };
    let host = || site.0.requests[1].host().unwrap();
    // Over one connection nobody waits for another's answer.
    let [_, sheet] = sent(&[Edit::Http2 { host: host() }]);
    assert!(sheet < 215.0, "{sheet}");
    // One that is opened with the document's first bytes is there before the script's own.
    let answered = site.0.requests[0].first_byte.unwrap().0;
    let [script, _] = sent(&[Edit::Preconnect { host: host() }]);
    near(script, (answered + 60.0).max(150.0));
    // By a way that is 20 ms shorter the document comes so much sooner, and each connection is open in 20 ms, that as well
    // which the sheet has opened without the script.
    let way = site.0.conditions.as_ref().unwrap().total_round_trip_ms();
    let nearer = Edit::Nearer { host: host(), round_trip: Millis(way - 20.0) };
    let [script, _] = sent(std::slice::from_ref(&nearer));
    near(script, 150.0);
    let [_, sheet] = sent(&[nearer, Edit::Remove { file: file("lib.js") }]);
    near(sheet, 152.0);
}

/// Bytes of a picture made smaller go by its pixels, and are said to be told roughly; of a background or a vector it is
/// not known how many are shown.
#[test]
fn pictures_are_made_as_small_as_they_are_shown_and_their_weight_is_told_roughly() {
    let mut site = Site::new();
    for (name, mime) in [("shown.jpg", "image/jpeg"), ("wall.jpg", "image/jpeg"), ("mark.svg", "image/svg+xml")] {
        let request = site.asks(name, ResourceKind::Image, [150.0, 150.0, 300.0, 400.0]);
        request.mime = Some(mime.into());
        request.transferred = Some(Bytes(100_000));
    }
    let image = |name: &str| PageImage {
        url: at(name),
        rect: Rect { width: 200.0, height: 100.0, ..Rect::default() },
        natural_width: 400,
        natural_height: 200,
        background: name == "wall.jpg",
        ..PageImage::default()
    };
    let images = ["shown.jpg", "wall.jpg", "mark.svg"].map(image).to_vec();
    site.0.page = Some(PageFacts { images, ..PageFacts::default() });
    site.draws([405.0, 415.0]);
    site.paints(430.0, None);
    site.0.fcp = Some(Millis(430.0));
    let resized = |name: &str| forecast(&site, &[Edit::Resize { scope: Scope::File { file: file(name) } }]);
    near(change(&resized("shown.jpg"), Metric::Weight), -75_000.0);
    assert_eq!(resized("shown.jpg").rough_bytes, Bytes(25_000));
    for other in ["wall.jpg", "mark.svg"] {
        assert_eq!(resized(other).left_out.len(), 1, "{other}");
        assert_eq!(resized(other).rough_bytes, Bytes(0));
    }
}
