//! How a page comes to wait for a file, one small load each, beside one in which the same things stand
//! otherwise and nobody waits.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::path::{Cause, Leg, LegFact, path_to_first_paint, path_to_largest, path_to_request};
use phainon_core::{
    Animation, BodyPart, Bytes, FontDisplay, Millis, Observed, Prepared, RenderBlocking, Request, RequestId,
    ResourceKind, Scheduled, Standing, TextFont, TimerInstall, WorkName, end_as_taken, preset,
};
use site::{PAGE, Site, at, script};

fn path(site: &Site) -> Vec<Leg> {
    path_to_largest(&Prepared::plain(site.0.clone())).unwrap()
}

/// What a path gives to a file, in ms.
fn given(legs: &[Leg], file: &str) -> f64 {
    legs.iter().filter(|l| l.url.as_deref() == Some(&at(file))).map(|l| l.length().0).sum()
}

/// Has a request's tag stand on a line of the document.
fn on_line(request: &mut Request, line: u32) -> &mut Request {
    request.initiator.line = Some(line);
    request.initiator.column = Some(1);
    request
}

fn blocking(request: &mut Request) -> &mut Request {
    request.render_blocking = RenderBlocking::Blocking;
    request
}

/// A script of 4 s and a sheet that had come long before, in this order in the document.
fn script_and_sheet(script_line: u32, sheet_line: u32, sheet_in_force: [f64; 2]) -> Site {
    let mut site = Site::new();
    blocking(on_line(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 300.0, 4000.0]), script_line));
    blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 400.0]), sheet_line));
    let mut works =
        [(WorkName::Evaluate, [4005.0, 4020.0], "big.js"), (WorkName::ParseSheet, sheet_in_force, "look.css")];
    works.sort_by(|a, b| a.1[0].total_cmp(&b.1[0]));
    for (name, span, file) in works {
        site.runs(name, span, file);
    }
    site.draws([4050.0, 4060.0]);
    site.paints(4080.0, None);
    site
}

#[test]
fn a_sheet_below_a_script_is_in_force_only_when_the_parser_gets_there() {
    let legs = path(&script_and_sheet(3, 4, [4025.0, 4030.0]));
    assert!(given(&legs, "big.js") > 3800.0, "{legs:#?}");
    assert!(given(&legs, "look.css") < 20.0);
    // Above it, the sheet was in force at once.
    let legs = path(&script_and_sheet(4, 3, [401.0, 405.0]));
    assert!(given(&legs, "big.js") > 3800.0 && given(&legs, "look.css") < 1.0, "{legs:#?}");
}

#[test]
fn a_sheet_in_force_before_a_script_below_it_had_come_does_not_wait_for_it() {
    // The sheet is late itself, and the script below it was there before.
    let mut site = Site::new();
    blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 4000.0]), 3));
    blocking(on_line(site.asks("quick.js", ResourceKind::Script, [150.0, 150.0, 300.0, 400.0]), 4));
    site.runs(WorkName::ParseSheet, [4005.0, 4010.0], "look.css");
    site.runs(WorkName::Evaluate, [4011.0, 4020.0], "quick.js");
    site.draws([4030.0, 4040.0]);
    site.paints(4060.0, None);
    let legs = path(&site);
    assert!(given(&legs, "look.css") > 3800.0 && given(&legs, "quick.js") < 30.0, "{legs:#?}");
}

/// Two deferred scripts; the second shows the text.
fn deferred(first_line: u32, second_line: u32) -> Site {
    let mut site = Site::new();
    on_line(site.asks("first.js", ResourceKind::Script, [150.0, 150.0, 300.0, 1500.0]), first_line);
    on_line(site.asks("second.js", ResourceKind::Script, [150.0, 150.0, 300.0, 350.0]), second_line);
    site.0.dom_interactive = Some(Millis(220.0));
    site.draws([230.0, 240.0]);
    site
}

#[test]
fn deferred_scripts_run_in_their_order() {
    let mut site = deferred(3, 4);
    site.runs(WorkName::Evaluate, [1502.0, 1510.0], "first.js");
    site.runs(WorkName::Evaluate, [1511.0, 1520.0], "second.js");
    site.changes(1515.0, "second.js");
    site.draws([1530.0, 1540.0]);
    site.paints(1560.0, None);
    let legs = path(&site);
    assert!(given(&legs, "first.js") > 1200.0, "{legs:#?}");
    // The other way about, the second does not wait.
    let mut site = deferred(4, 3);
    site.runs(WorkName::Evaluate, [352.0, 360.0], "second.js");
    site.changes(355.0, "second.js");
    site.draws([370.0, 380.0]);
    site.runs(WorkName::Evaluate, [1502.0, 1510.0], "first.js");
    site.paints(400.0, None);
    assert!(given(&path(&site), "first.js") < 1.0);
}

#[test]
fn a_deferred_script_waits_for_a_module_above_it_that_does_next_to_nothing() {
    // It leaves no run of its own: it is done with once it has come.
    let mut site = deferred(3, 4);
    site.runs(WorkName::Evaluate, [1505.0, 1520.0], "second.js");
    site.changes(1515.0, "second.js");
    site.draws([1530.0, 1540.0]);
    site.paints(1560.0, None);
    let legs = path(&site);
    assert!(given(&legs, "first.js") > 1100.0, "{legs:#?}");
    // Below it, the module holds nobody up: what the second one waited for then is not told.
    let mut site = deferred(4, 3);
    // Of a classic script, which imports nothing, the browser tells the line.
    site.runs(WorkName::Evaluate, [1505.0, 1520.0], "second.js").line = Some(1);
    site.changes(1515.0, "second.js");
    site.draws([1530.0, 1540.0]);
    site.paints(1560.0, None);
    assert!(given(&path(&site), "first.js") < 1.0);
}

#[test]
fn an_async_script_runs_once_the_parser_has_reached_its_tag_however_early_it_came() {
    let load = |stop_line: u32, ran: f64| {
        let mut site = Site::new();
        let stop = on_line(site.asks("stop.js", ResourceKind::Script, [150.0, 150.0, 300.0, 900.0]), stop_line);
        stop.render_blocking = RenderBlocking::InBodyParserBlocking;
        let free = on_line(site.asks("free.js", ResourceKind::Script, [150.0, 150.0, 300.0, 340.0]), 5);
        free.render_blocking = RenderBlocking::PotentiallyBlocking;
        let mut works = [(ran, "free.js"), (902.0, "stop.js")];
        works.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (start, file) in works {
            site.runs(WorkName::Evaluate, [start, start + 2.0], file);
        }
        site.changes(ran + 1.0, "free.js");
        site.draws([ran + 3.0, ran + 9.0]);
        site.paints(ran + 20.0, None);
        path(&site)
    };
    let above = load(4, 905.0);
    assert!(given(&above, "stop.js") > 500.0 && given(&above, "free.js") < 60.0, "{above:#?}");
    // Below its tag, nothing stops it.
    let below = load(6, 345.0);
    assert!(given(&below, "stop.js") < 1.0 && given(&below, "free.js") > 150.0, "{below:#?}");
}

#[test]
fn the_parsed_event_waits_for_deferred_scripts() {
    let mut site = deferred(3, 4);
    site.runs(WorkName::Evaluate, [352.0, 354.0], "second.js");
    site.runs(WorkName::Evaluate, [1502.0, 1510.0], "first.js");
    site.works(WorkName::Task, 0, [1511.0, 1530.0], None);
    site.works(WorkName::Event, 1, [1511.0, 1530.0], None).event = Some("DOMContentLoaded".into());
    site.works(WorkName::Call, 2, [1511.0, 1530.0], Some("second.js"));
    site.changes(1515.0, "second.js");
    site.draws([1532.0, 1540.0]);
    site.paints(1560.0, None);
    assert!(given(&path(&site), "first.js") > 1200.0, "{:#?}", path(&site));
}

#[test]
fn the_load_event_waits_for_pictures_and_not_for_what_is_fetched() {
    let made = |kind| {
        let mut site = Site::new();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
        site.asks("slow", kind, [150.0, 150.0, 1400.0, 1500.0]);
        site.runs(WorkName::Evaluate, [212.0, 214.0], "app.js");
        site.draws([230.0, 240.0]);
        site.works(WorkName::Task, 0, [1502.0, 1530.0], None);
        site.works(WorkName::Event, 1, [1502.0, 1530.0], None).event = Some("load".into());
        site.works(WorkName::Call, 2, [1502.0, 1530.0], Some("app.js"));
        site.changes(1515.0, "app.js");
        site.draws([1532.0, 1540.0]);
        site.0.load_event = Some(Millis(1501.0));
        site.paints(1560.0, None);
        given(&path(&site), "slow")
    };
    assert!(made(ResourceKind::Image) > 1200.0);
    assert!(made(ResourceKind::Data) < 1.0);
}

#[test]
fn a_deferred_script_waits_for_sheets_that_hold_scripts_up_and_an_async_one_does_not() {
    let load = |script: RenderBlocking| {
        let mut site = Site::new();
        blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 1500.0]), 3));
        on_line(site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 300.0, 350.0]), 4).render_blocking = script;
        site.0.dom_interactive = Some(Millis(220.0));
        site.0.largest_stands = Some(Standing::Nowhere);
        site.runs(WorkName::ParseSheet, [1502.0, 1506.0], "look.css");
        site.runs(WorkName::Evaluate, [1512.0, 1521.0], "app.js");
        site.changes(1517.0, "app.js");
        site.draws([1530.0, 1540.0]);
        site.paints(1560.0, None);
        path(&site)
    };
    let deferred = load(RenderBlocking::NonBlocking);
    assert!(given(&deferred, "look.css") > 1200.0 && given(&deferred, "app.js") < 60.0, "{deferred:#?}");
    let free = load(RenderBlocking::PotentiallyBlocking);
    assert!(given(&free, "look.css") < 1.0 && given(&free, "app.js") > 1200.0, "{free:#?}");
}

#[test]
fn html_that_a_run_puts_in_shows_it_even_where_a_change_was_pending_already() {
    let load = |puts_in: bool| {
        let mut site = Site::new();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
        site.asks("print.css", ResourceKind::Style, [150.0, 150.0, 300.0, 1500.0]);
        site.asks("list.json", ResourceKind::Data, [213.0, 213.0, 1400.0, 1490.0]).initiator = script(&["app.js"]);
        site.runs(WorkName::Evaluate, [212.0, 214.0], "app.js");
        site.draws([230.0, 240.0]);
        // Style is to be computed anew from here on.
        site.runs(WorkName::ParseSheet, [1501.0, 1502.0], "print.css");
        site.works(WorkName::Task, 0, [1503.0, 1508.0], None);
        site.works(WorkName::Microtasks, 1, [1503.0, 1508.0], Some("app.js"));
        if puts_in {
            site.works(WorkName::ParseHtml, 2, [1504.0, 1505.0], None);
        }
        site.draws([1510.0, 1518.0]);
        site.paints(1540.0, None);
        path(&site)
    };
    let put_in = load(true);
    assert!(given(&put_in, "list.json") > 1000.0 && given(&put_in, "print.css") < 1.0, "{put_in:#?}");
    let not = load(false);
    assert!(given(&not, "print.css") > 1000.0 && given(&not, "list.json") < 1.0, "{not:#?}");
}

#[test]
fn text_below_a_sheet_in_the_body_is_there_when_the_parser_has_read_on() {
    let load = |reads: f64, shown: f64| {
        let mut site = Site::new();
        let sheet = on_line(site.asks("part.css", ResourceKind::Style, [150.0, 150.0, 300.0, 1500.0]), 9);
        sheet.render_blocking = RenderBlocking::InBodyParserBlocking;
        site.draws([230.0, 240.0]);
        site.runs(WorkName::ParseSheet, [1501.0, 1502.0], "part.css");
        // A frame with what stands above the sheet, before or after the parser went on.
        let mut works = [(1504.0, false), (reads, true)];
        works.sort_by(|a, b| a.0.total_cmp(&b.0));
        for (start, is_parser) in works {
            if is_parser {
                site.works(WorkName::Task, 0, [start, start + 1.0], None);
                site.works(WorkName::ParseHtml, 1, [start, start + 1.0], None);
            } else {
                site.draws([start, start + 1.0]);
            }
        }
        site.draws([shown, shown + 4.0]);
        site.paints(shown + 20.0, None);
        path(&site)
    };
    let not_told = |legs: &[Leg]| legs.iter().any(|l| matches!(l.fact, LegFact::DrawnLate));
    let read = load(1506.0, 1520.0);
    assert!(given(&read, "part.css") > 1200.0 && !not_told(&read), "{read:#?}");
    // Read before that frame, it would have shown the text: what came much later is not told.
    let shown = load(1502.5, 1750.0);
    assert!(not_told(&shown), "{shown:#?}");
}

/// A callback that looks every 100 ms from 300 on and shows the text at 1000.
fn looking(library: Option<f64>) -> Site {
    let mut site = Site::new();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
    if let Some(end) = library {
        site.asks("library.js", ResourceKind::Script, [150.0, 150.0, end - 100.0, end]);
    }
    site.runs(WorkName::Evaluate, [212.0, 214.0], "app.js");
    site.draws([230.0, 240.0]);
    for look in 3..=10 {
        let ms = f64::from(look) * 100.0;
        if let Some(end) = library.filter(|end| *end < ms && *end > ms - 100.0) {
            site.runs(WorkName::Evaluate, [end + 1.0, end + 5.0], "library.js");
        }
        site.works(WorkName::Task, 0, [ms, ms + 4.0], None);
        site.works(WorkName::Timer, 1, [ms, ms + 4.0], None).timer = Some(1);
        site.works(WorkName::Call, 2, [ms, ms + 4.0], Some("app.js"));
    }
    site.changes(1002.0, "app.js");
    site.draws([1010.0, 1016.0]);
    site.0.timers = vec![TimerInstall { timer: 1, at: Millis(213.0), timeout: Millis(100.0), by: None }];
    site.paints(1030.0, None);
    site
}

#[test]
fn what_is_looked_for_again_and_again_is_what_ran_since_the_last_look() {
    let legs = path(&looking(Some(950.0)));
    assert!(given(&legs, "library.js") > 700.0, "{legs:#?}");
    assert!(legs.iter().any(|l| matches!(l.fact, LegFact::Looks { .. })));
    // One that came long before is not it, and a clock that counts down waits for nobody.
    for library in [Some(450.0), None] {
        let legs = path(&looking(library));
        assert!(given(&legs, "library.js") < 1.0 && legs.iter().any(|l| l.cause == Cause::Timer), "{legs:#?}");
    }
}

#[test]
fn a_callback_leads_back_to_who_asked_for_it_and_a_message_to_who_posted_it() {
    let called = |scheduled: Scheduled| {
        let mut site = Site::new();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
        site.asks("list.json", ResourceKind::Data, [213.0, 213.0, 900.0, 940.0]).initiator = script(&["app.js"]);
        site.asks("worker.js", ResourceKind::Script, [213.0, 213.0, 880.0, 930.0]).main_frame = false;
        site.runs(WorkName::Evaluate, [212.0, 214.0], "app.js");
        site.draws([230.0, 240.0]);
        site.works(WorkName::Task, 0, [945.0, 950.0], None);
        site.works(WorkName::Microtasks, 1, [945.0, 950.0], Some("app.js"));
        site.works(WorkName::Task, 0, [1000.0, 1010.0], None);
        site.works(WorkName::AnimationFrame, 1, [1000.0, 1010.0], None);
        site.works(WorkName::Call, 2, [1000.1, 1010.0], Some("queue.js"));
        site.changes(1005.0, "queue.js");
        site.draws([1011.0, 1016.0]);
        site.0.scheduled = vec![scheduled];
        site.paints(1030.0, None);
        path(&site)
    };
    let asked = called(Scheduled { at: Millis(948.0), ran: Millis(1000.05), by: None });
    assert!(given(&asked, "list.json") > 600.0 && given(&asked, "worker.js") < 1.0, "{asked:#?}");
    let by: Option<std::sync::Arc<str>> = Some(at("worker.js").as_str().into());
    let posted = called(Scheduled { at: Millis(990.0), ran: Millis(1000.05), by });
    assert!(given(&posted, "worker.js") > 600.0 && given(&posted, "list.json") < 1.0, "{posted:#?}");
}

#[test]
fn a_script_that_stands_still_for_an_answer_waits_for_it() {
    let with = |priority: &str| {
        let mut site = Site::new();
        site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
        let data = site.asks("list.json", ResourceKind::Data, [220.0, 220.0, 900.0, 940.0]);
        data.initiator = script(&["app.js"]);
        data.priority = Some(priority.into());
        site.draws([205.0, 209.0]);
        site.runs(WorkName::Evaluate, [212.0, 960.0], "app.js");
        site.changes(950.0, "app.js");
        site.draws([962.0, 970.0]);
        site.paints(990.0, None);
        path(&site)
    };
    assert!(given(&with("VeryHigh"), "list.json") > 650.0, "{:#?}", with("VeryHigh"));
    // One that it did not wait for came while the script had its own work.
    assert!(given(&with("High"), "list.json") < 1.0);
}

#[test]
fn an_animation_that_shows_it_and_one_that_was_over() {
    let mut site = Site::new();
    site.draws([230.0, 240.0]);
    site.draws([1232.0, 1240.0]);
    site.paints(1260.0, None);
    let animation =
        |from: f64, to: f64| Animation { from: Millis(from), to: Millis(to), name: "appear".into(), node: None };
    site.0.animations = vec![animation(245.0, 1300.0)];
    let legs = path(&site);
    assert!(legs.iter().any(|l| l.cause == Cause::Animation && l.length().0 > 900.0), "{legs:#?}");
    site.0.animations = vec![animation(245.0, 400.0)];
    assert!(path(&site).iter().all(|l| l.cause != Cause::Animation));
}

#[test]
fn what_comes_before_a_painting_is_no_frame() {
    // A frame asks for a font that is past its limit; a script has the thread, and the next frame shows the text.
    let reasons = |between: WorkName| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 2400.0, 2500.0]));
        site.runs(WorkName::ParseSheet, [2501.0, 2508.0], "look.css");
        site.draws([2510.0, 2600.0]);
        site.asks("own.woff2", ResourceKind::Font, [2550.0, 2560.0, 7300.0, 7400.0]);
        site.works(WorkName::Task, 0, [2612.0, 2613.0], None);
        site.works(between, 1, [2612.0, 2613.0], None);
        site.runs(WorkName::Call, [2614.0, 2803.0], "icons.js");
        site.changes(2700.0, "icons.js");
        site.draws([2803.1, 2820.0]);
        site.paints(2840.0, None);
        set_in(&mut site, "own.woff2", FontDisplay::Auto);
        path(&site).iter().map(|l| l.cause).collect::<Vec<_>>()
    };
    // What scripts ask for what is in view by.
    let told = reasons(WorkName::PrePaint);
    assert!(told.contains(&Cause::Busy) && !told.contains(&Cause::Script), "{told:?}");
    // A frame would have shown it, had it been there.
    let told = reasons(WorkName::Paint);
    assert!(told.contains(&Cause::Script), "{told:?}");
}

#[test]
fn an_animation_is_the_scripts_that_asks_for_style_once_it_has_set_it() {
    let load = |from: f64| {
        let mut site = Site::new();
        site.draws([230.0, 240.0]);
        site.asks("slides.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]);
        site.works(WorkName::Task, 0, [1001.0, 1101.0], None);
        site.works(WorkName::Evaluate, 1, [1001.0, 1101.0], Some("slides.js"));
        site.works(WorkName::Style, 2, [1048.0, 1050.0], None);
        site.draws([1180.0, 1190.0]);
        site.paints(1210.0, None);
        site.0.animations =
            vec![Animation { from: Millis(from), to: Millis(1182.0), name: "opacity".into(), node: None }];
        path(&site)
    };
    let own = load(1049.0);
    assert!(given(&own, "slides.js") > 800.0, "{own:#?}");
    assert!(own.iter().any(|l| l.cause == Cause::Animation && l.length().0 > 100.0), "{own:#?}");
    // One that began with the first frame is not.
    assert!(given(&load(240.0), "slides.js") < 5.0, "{:#?}", load(240.0));
}

#[test]
fn a_font_that_the_frame_before_showed_is_not_what_an_animation_waits_for() {
    let load = |came: f64| {
        let mut site = Site::new();
        site.asks("swap.woff2", ResourceKind::Font, [150.0, 150.0, came - 50.0, came]);
        site.draws([230.0, 240.0]);
        site.draws([1150.0, 1158.0]);
        site.draws([1232.0, 1240.0]);
        site.0.animations =
            vec![Animation { from: Millis(245.0), to: Millis(1232.0), name: "appear".into(), node: None }];
        site.paints(1255.0, None);
        path(&site)
    };
    let shown = load(1145.0);
    assert!(given(&shown, "swap.woff2") < 1.0 && shown.iter().any(|l| l.cause == Cause::Animation), "{shown:#?}");
    assert!(given(&load(1190.0), "swap.woff2") > 900.0, "{:#?}", load(1190.0));
}

#[test]
fn a_line_that_is_shared_gives_each_file_its_bytes_and_a_server_that_pauses_its_wait() {
    // On the move: 500 bytes a millisecond.
    let parts = |from: f64, count: u32| -> Vec<BodyPart> {
        (1..=count).map(|n| BodyPart { at: Millis(from + f64::from(n) * 40.0), bytes: Bytes(10_000) }).collect()
    };
    let mut site = Site::new();
    site.0.conditions = preset("phone-on-the-move");
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 150.0, 400.0, 1200.0]).parts = parts(400.0, 20);
    site.asks("other.js", ResourceKind::Script, [150.0, 150.0, 400.0, 1210.0]).parts = parts(410.0, 20);
    site.paints(1250.0, Some("hero.jpg"));
    let legs = path(&site);
    let shared: f64 = legs.iter().filter(|l| l.cause == Cause::Shared).map(|l| l.length().0).sum();
    assert!((shared - given(&legs, "other.js")).abs() < 1.0 && (350.0..=400.0).contains(&shared), "{legs:#?}");

    // Over one connection of HTTP/2 the other goes before the answer.
    let mut site = Site::new();
    site.0.conditions = preset("phone-on-the-move");
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 150.0, 800.0, 900.0]).connection = Some(1);
    let other = site.asks("other.jpg", ResourceKind::Image, [150.0, 150.0, 300.0, 790.0]);
    (other.connection, other.parts) = (Some(1), parts(300.0, 12));
    site.paints(950.0, Some("hero.jpg"));
    let before = path(&site);
    assert!((200.0..=280.0).contains(&given(&before, "other.jpg")), "{before:#?}");
    site.0.requests[2].connection = Some(2);
    assert_eq!(given(&path(&site), "other.jpg"), 0.0, "answers of other connections take turns with it");

    // Six small ones and two large ones before it: each large one has a leg, the small ones beyond the third have one
    // together, and nothing of theirs is said to be the file's own wait.
    let mut site = Site::new();
    site.0.conditions = preset("phone-on-the-move");
    site.asks("hero.jpg", ResourceKind::Image, [150.0, 150.0, 1_480.0, 1_600.0]).connection = Some(1);
    let mut from = 300.0;
    for (name, count) in [("a", 2), ("b", 2), ("c", 2), ("large", 20), ("d", 2), ("larger", 22), ("e", 2), ("f", 2)] {
        let came = (1..=count).map(|n| BodyPart { at: Millis(from + f64::from(n) * 20.0), bytes: Bytes(10_000) });
        let other = site.asks(
            &format!("{name}.jpg"),
            ResourceKind::Image,
            [150.0, 150.0, from, from + f64::from(count) * 20.0],
        );
        (other.connection, other.parts) = (Some(1), came.collect());
        from += f64::from(count) * 20.0;
    }
    site.paints(1_650.0, Some("hero.jpg"));
    let legs = path(&site);
    assert!((given(&legs, "larger.jpg") - 440.0).abs() < 1.0 && (given(&legs, "large.jpg") - 400.0).abs() < 1.0);
    let small = legs.iter().filter(|l| matches!(l.fact, LegFact::SharesLineWithOthers { files: 5, .. }));
    assert!((small.map(|l| l.length().0).sum::<f64>() - 200.0).abs() < 1.0, "{legs:#?}");
    let waited = legs.iter().filter(|l| l.cause == Cause::Wait && l.url.as_deref() == Some(&at("hero.jpg")));
    assert!((waited.map(|l| l.length().0).sum::<f64>() - 250.0).abs() < 1.0, "{legs:#?}");

    // The document's second half comes 900 ms after the first, and nothing else was on the line.
    let mut site = Site::new();
    site.0.conditions = preset("phone-on-the-move");
    let document = &mut site.0.requests[0];
    document.end = Some(Millis(1400.0));
    document.parts =
        [(200.0, 5_000), (1400.0, 5_000)].map(|(at, b)| BodyPart { at: Millis(at), bytes: Bytes(b) }).to_vec();
    let legs = path_to_request(&Prepared::plain(site.0.clone()), RequestId(0)).unwrap();
    let paused: f64 =
        legs.iter().filter(|l| matches!(l.fact, LegFact::ServerPauses { .. })).map(|l| l.length().0).sum();
    assert!(paused > 1100.0, "{legs:#?}");
}

/// A script in the head holds the parser until 900, and of pictures two are on their way until then.
#[test]
fn a_picture_waits_for_the_one_that_makes_room_for_it() {
    let legs = |priority: &str| {
        let mut site = Site::new();
        blocking(site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 300.0, 900.0]));
        site.asks("other.jpg", ResourceKind::Image, [160.0, 160.0, 690.0, 700.0]);
        site.asks("hero.jpg", ResourceKind::Image, [160.0, 702.0, 1000.0, 1400.0]);
        for request in &mut site.0.requests[2..] {
            (request.priority, request.protocol) = (Some(priority.into()), Some("h2".into()));
        }
        site.runs(WorkName::Evaluate, [901.0, 905.0], "gate.js");
        site.paints(1420.0, Some("hero.jpg"));
        path(&site)
    };
    let held = legs("Medium");
    let why = held.iter().position(|l| matches!(l.fact, LegFact::HeldForRoom { .. })).expect("it says why");
    assert_eq!(held[why].to_ms, Millis(702.0));
    assert_eq!(held[why - 1].url.as_deref(), Some(at("other.jpg").as_str()), "{held:#?}");
    // The browser holds back nothing that is urgent.
    assert!(!legs("High").iter().any(|l| l.url.as_deref() == Some(at("other.jpg").as_str())));
}

#[test]
fn a_file_that_is_not_urgent_is_held_back_until_rendering_is_let_go() {
    let made = |gate_ends: f64| {
        let mut site = Site::new();
        blocking(site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 300.0, gate_ends]));
        site.asks("hero.jpg", ResourceKind::Image, [160.0, 910.0, 1000.0, 1400.0]);
        site.runs(WorkName::Evaluate, [gate_ends + 1.0, gate_ends + 5.0], "gate.js");
        site.paints(1420.0, Some("hero.jpg"));
        // Another host's: nobody of its own had the connection.
        site.0.requests[1].url = "http://cdn.test/gate.js".into();
        site.0.work[1].url = Some("http://cdn.test/gate.js".into());
        path(&site)
    };
    let held = |legs: &[Leg]| {
        legs.iter()
            .any(|l| matches!(l.fact, LegFact::HeldLow { .. }) || l.url.as_deref() == Some("http://cdn.test/gate.js"))
    };
    assert!(held(&made(900.0)));
    assert!(!held(&made(500.0)), "let go long before it was sent: that was not it");
}

#[test]
fn the_first_paint_and_a_request_have_paths_of_their_own() {
    let site = script_and_sheet(3, 4, [4025.0, 4030.0]);
    let mut load = site.0.clone();
    load.fcp = Some(Millis(4080.0));
    let prepared = Prepared::plain(load);
    let first = path_to_first_paint(&prepared).unwrap();
    assert!(given(&first, "big.js") > 3800.0);
    let sheet = path_to_request(&prepared, RequestId(2)).unwrap();
    assert_eq!(sheet.last().map(|l| l.to_ms), Some(Millis(400.0)));
    assert_eq!(given(&sheet, "big.js"), 0.0, "its bytes came early");
    assert!(sheet[0].url.as_deref().is_none_or(|u| u == PAGE));
}

/// A sheet in the head is late; of two in the body, the parser reached the second only then.
#[test]
fn a_sheet_in_the_body_holds_the_parser_until_those_above_it_are_in_force() {
    let mut site = Site::new();
    blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 900.0]), 3));
    for (name, line, end) in [("one.css", 8, 300.0), ("two.css", 9, 310.0)] {
        let sheet = on_line(site.asks(name, ResourceKind::Style, [150.0, 150.0, 290.0, end]), line);
        sheet.render_blocking = RenderBlocking::InBodyParserBlocking;
    }
    site.runs(WorkName::ParseSheet, [301.0, 302.0], "one.css");
    site.runs(WorkName::ParseSheet, [901.0, 902.0], "look.css");
    site.works(WorkName::Task, 0, [903.0, 905.0], None);
    site.works(WorkName::ParseHtml, 1, [903.0, 905.0], Some(""));
    site.works(WorkName::ParseSheet, 2, [903.5, 904.0], Some("two.css"));
    site.draws([906.0, 912.0]);
    site.paints(930.0, None);
    (site.0.fcp, site.0.dom_interactive) = (Some(Millis(930.0)), Some(Millis(905.5)));
    site.0.largest_stands = Some(Standing::Lines { first: 20, last: 20, columns: None });
    let legs = path(&site);
    assert!(given(&legs, "look.css") > 700.0, "{legs:#?}");
    assert!(given(&legs, "two.css") < 10.0, "{legs:#?}");
}

/// What an element's own style names is told as the parser's; it was asked for when style was computed, and that
/// waited for a sheet.
#[test]
fn a_background_in_an_elements_own_style_waits_for_what_blocks_rendering() {
    let load = |asked: f64| {
        let mut site = Site::new();
        blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 900.0]), 3));
        site.runs(WorkName::ParseSheet, [901.0, 902.0], "look.css");
        site.works(WorkName::Task, 0, [905.0, 925.0], None);
        site.works(WorkName::Style, 1, [905.0, 915.0], None);
        site.works(WorkName::Paint, 1, [915.0, 925.0], None);
        on_line(site.asks("sky.jpg", ResourceKind::Image, [asked, asked, 1000.0, 1100.0]), 40);
        site.draws([1105.0, 1110.0]);
        site.paints(1130.0, Some("sky.jpg"));
        path(&site)
    };
    let by_style = load(910.0);
    assert!(given(&by_style, "look.css") > 700.0, "{by_style:#?}");
    // One that the preload scanner finds does not wait.
    let by_parser = load(203.0);
    assert!(given(&by_parser, "look.css") < 1.0, "{by_parser:#?}");
}

/// A large library ran, and then a small callback put HTML in: the words that the markup does not have came by that.
#[test]
fn words_that_the_markup_does_not_have_came_by_the_run_that_put_html_in() {
    let mut site = Site::new();
    blocking(on_line(site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 300.0, 900.0]), 3));
    let data = site.asks("words.json", ResourceKind::Data, [160.0, 160.0, 900.0, 960.0]);
    data.initiator = script(&["library.js"]);
    site.runs(WorkName::Evaluate, [905.0, 935.0], "library.js");
    site.changes(920.0, "library.js");
    site.works(WorkName::Task, 0, [962.0, 966.0], None);
    site.works(WorkName::Call, 1, [962.0, 966.0], Some("library.js")).line = Some(140);
    site.works(WorkName::ParseHtml, 2, [963.0, 963.4], Some(""));
    site.draws([970.0, 980.0]);
    site.paints(1000.0, None);
    site.0.largest_stands = Some(Standing::Nowhere);
    let legs = path(&site);
    assert!(given(&legs, "words.json") > 600.0, "{legs:#?}");
    // Words of the markup are not put in by it.
    site.0.largest_stands = Some(Standing::Lines { first: 9, last: 9, columns: None });
    let legs = path(&site);
    assert!(given(&legs, "words.json") < 1.0, "{legs:#?}");
}

/// A request fails, and the script writes words instead; its failure is told to who records some milliseconds later.
#[test]
fn a_failure_that_is_told_late_is_what_its_handler_waited_for() {
    let load = |told: f64| {
        let mut site = Site::new();
        blocking(on_line(site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 300.0, 400.0]), 3));
        let data = site.asks("words.json", ResourceKind::Data, [420.0, 420.0, 1200.0, told]);
        data.initiator = script(&["app.js"]);
        data.failed = Some("net::ERR_FAILED".into());
        site.runs(WorkName::Evaluate, [405.0, 430.0], "app.js");
        site.draws([432.0, 436.0]);
        site.works(WorkName::Task, 0, [1250.0, 1262.0], None);
        site.works(WorkName::Microtasks, 1, [1250.0, 1262.0], Some("app.js"));
        site.works(WorkName::Call, 2, [1251.0, 1260.0], Some("app.js")).line = Some(90);
        site.changes(1255.0, "app.js");
        site.draws([1265.0, 1270.0]);
        site.paints(1290.0, None);
        given(&path(&site), "words.json")
    };
    assert!(load(1252.5) > 800.0, "{}", load(1252.5));
    // One that failed after all that is not it.
    assert!(load(1275.0) < 1.0, "{}", load(1275.0));
}

/// The first frame takes 55 ms to the screen; meanwhile a script in the body ends, and another frame is drawn.
#[test]
fn what_ends_between_painting_and_screen_is_not_in_the_frame() {
    let load = |painted: f64| {
        let mut site = Site::new();
        blocking(on_line(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 300.0, 1000.0]), 3));
        let bar = on_line(site.asks("bar.js", ResourceKind::Script, [150.0, 150.0, 1045.0, 1050.0]), 40);
        bar.render_blocking = RenderBlocking::InBodyParserBlocking;
        site.runs(WorkName::Evaluate, [1005.0, 1020.0], "big.js");
        site.draws([1022.0, 1040.0]);
        site.runs(WorkName::Evaluate, [1055.0, 1060.0], "bar.js");
        site.works(WorkName::Task, 0, [1060.5, 1061.5], None);
        site.works(WorkName::ParseHtml, 1, [1060.5, 1061.5], None);
        site.draws([1062.0, 1064.0]);
        site.paints(1095.0, None);
        site.0.observed =
            Some(Observed { lcp_ms: Some(Millis(1096.0)), lcp_paint_ms: Some(Millis(painted)), ..Observed::default() });
        path(&site)
    };
    let legs = load(1036.0);
    assert!(given(&legs, "bar.js") < 1.0 && given(&legs, "big.js") > 800.0, "{legs:#?}");
    // Painted in the second frame, it waited for what stood above it.
    let legs = load(1063.0);
    assert!(given(&legs, "bar.js") > 800.0, "{legs:#?}");
}

#[test]
fn a_sheet_is_waited_for_though_its_end_is_told_after_it_was_parsed() {
    let in_force = |told: f64| {
        let mut site = Site::new();
        blocking(on_line(site.asks("type.css", ResourceKind::Style, [150.0, 150.0, 300.0, 700.0]), 3));
        blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, told]), 6));
        site.runs(WorkName::ParseSheet, [701.0, 702.0], "type.css");
        // An inline script between the two waits for the sheet above it, and lets the parser go.
        site.runs(WorkName::Evaluate, [703.0, 707.0], "").line = Some(5);
        site.0.dom_interactive = Some(Millis(720.0));
        site.runs(WorkName::ParseSheet, [1983.2, 1983.3], "look.css");
        site.draws([1985.0, 1990.0]);
        site.paints(2010.0, None);
        end_as_taken(&mut site.0);
        let legs = path(&site);
        (given(&legs, "look.css"), given(&legs, "type.css"))
    };
    for told in [1982.0, 1984.1] {
        let (late, early) = in_force(told);
        assert!(late > 1800.0 && early < 5.0, "told at {told}: {late}, {early}");
    }
}

#[test]
fn text_that_the_parser_had_read_past_was_in_the_next_frame() {
    let shown_by = |line: u32| {
        let mut site = Site::new();
        blocking(on_line(site.asks("lib.js", ResourceKind::Script, [150.0, 150.0, 300.0, 600.0]), 2));
        site.asks("shows.js", ResourceKind::Script, [150.0, 150.0, 300.0, 769.0]).render_blocking =
            RenderBlocking::PotentiallyBlocking;
        site.works(WorkName::Task, 0, [620.0, 640.0], None);
        site.works(WorkName::ParseHtml, 1, [620.0, 640.0], None);
        site.works(WorkName::Evaluate, 2, [621.0, 636.0], Some("lib.js"));
        site.works(WorkName::Evaluate, 2, [637.0, 639.0], Some("")).line = Some(8);
        site.0.dom_interactive = Some(Millis(640.0));
        site.draws([641.0, 720.0]);
        site.runs(WorkName::Evaluate, [770.0, 780.0], "shows.js");
        site.changes(775.0, "shows.js");
        site.draws([781.0, 790.0]);
        site.paints(830.0, None);
        site.0.largest_stands = Some(Standing::Lines { first: line, last: line, columns: None });
        given(&path(&site), "shows.js")
    };
    assert!(shown_by(4) > 500.0, "{}", shown_by(4));
    // Whether what stands below the inline script had been read by then is not known.
    assert!(shown_by(12) < 5.0, "{}", shown_by(12));
}

/// Text that is shown at 1,240 ms; between the frame before and its own the parser read on below a script.
fn read_on_below(scripts: &[(&str, u32, f64)]) -> Site {
    let mut site = Site::new();
    blocking(on_line(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 600.0]), 3));
    for (name, line, end) in scripts {
        on_line(site.asks(name, ResourceKind::Script, [150.0, 150.0, 300.0, *end]), *line).render_blocking =
            RenderBlocking::InBodyParserBlocking;
    }
    site.runs(WorkName::ParseSheet, [601.0, 602.0], "look.css");
    site.draws([605.0, 610.0]);
    site
}

#[test]
fn an_empty_script_below_one_that_holds_the_parser_longer_is_not_waited_for() {
    let mut site = read_on_below(&[("early.js", 30, 1202.0), ("slow.js", 40, 1500.0), ("empty.js", 50, 1208.0)]);
    site.runs(WorkName::Evaluate, [1203.0, 1205.0], "early.js");
    site.runs(WorkName::ParseHtml, [1210.0, 1212.0], "");
    site.draws([1220.0, 1230.0]);
    site.runs(WorkName::Evaluate, [1502.0, 1510.0], "slow.js");
    site.paints(1240.0, None);
    site.0.dom_interactive = Some(Millis(1520.0));
    let legs = path(&site);
    assert!(given(&legs, "early.js") > 900.0 && given(&legs, "empty.js") < 5.0, "{legs:#?}");
}

#[test]
fn what_the_parser_reads_when_it_is_past_the_text_does_not_bring_it() {
    let waits_for = |line: u32| {
        let mut site = read_on_below(&[("one.js", 30, 699.0), ("two.js", 40, 1200.0)]);
        site.runs(WorkName::Evaluate, [700.0, 705.0], "one.js");
        site.runs(WorkName::Evaluate, [1203.0, 1205.0], "two.js");
        site.runs(WorkName::ParseHtml, [1210.0, 1212.0], "");
        site.draws([1220.0, 1230.0]);
        site.paints(1240.0, None);
        site.0.dom_interactive = Some(Millis(1215.0));
        site.0.animations =
            vec![Animation { name: "rise".into(), node: None, from: Millis(620.0), to: Millis(1218.0) }];
        site.0.largest_stands = Some(Standing::Lines { first: line, last: line, columns: None });
        given(&path(&site), "two.js")
    };
    assert!(waits_for(45) > 400.0, "{}", waits_for(45));
    assert!(waits_for(20) < 5.0, "{}", waits_for(20));
}

/// Has the text of the largest paint be set in a font.
fn set_in(site: &mut Site, font: &str, display: FontDisplay) {
    site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at(font), display)]);
}

#[test]
fn text_waits_for_the_font_that_it_is_set_in_and_not_for_one_that_comes_later() {
    let load = |own: Option<FontDisplay>| {
        let mut site = Site::new();
        site.asks("own.woff2", ResourceKind::Font, [230.0, 230.0, 400.0, 1490.0]);
        site.asks("other.woff2", ResourceKind::Font, [230.0, 230.0, 400.0, 1500.0]);
        site.draws([220.0, 240.0]);
        site.draws([1510.0, 1520.0]);
        site.paints(1540.0, None);
        if let Some(display) = own {
            set_in(&mut site, "own.woff2", display);
        }
        let legs = path(&site);
        (given(&legs, "own.woff2"), given(&legs, "other.woff2"))
    };
    let (own, other) = load(Some(FontDisplay::Auto));
    assert!(own > 1200.0 && other < 1.0, "{own} {other}");
    let (own, other) = load(None);
    assert!(own < 1.0 && other > 1200.0, "where it is not known, the last to come counts: {own} {other}");
    let (own, other) = load(Some(FontDisplay::Swap));
    assert!(own > 1200.0 && other < 1.0, "shown before, it is drawn again in its own: {own} {other}");
}

#[test]
fn text_may_wait_for_a_font_that_fails_whatever_else_it_is_known_to_be_set_in() {
    let load = |status: u16| {
        let mut site = Site::new();
        site.asks("gone.woff2", ResourceKind::Font, [230.0, 230.0, 1490.0, 1500.0]).status = Some(status);
        site.draws([220.0, 240.0]);
        site.draws([1510.0, 1520.0]);
        site.paints(1540.0, None);
        site.0.lcp_candidates[0].fonts = Some(Vec::new());
        given(&path(&site), "gone.woff2")
    };
    assert!(load(404) > 1200.0, "{}", load(404));
    assert!(load(200) < 1.0, "one that came is not its: {}", load(200));
}

#[test]
fn text_whose_font_is_asked_for_past_the_limit_is_in_the_next_frame_whatever_runs_before_that() {
    let load = |fonts: bool| {
        let mut site = Site::new();
        blocking(on_line(site.asks("late.css", ResourceKind::Style, [150.0, 150.0, 2400.0, 2500.0]), 3));
        on_line(site.asks("below.js", ResourceKind::Script, [150.0, 150.0, 300.0, 400.0]), 40).render_blocking =
            RenderBlocking::InBodyParserBlocking;
        site.runs(WorkName::ParseSheet, [2501.0, 2508.0], "late.css");
        site.runs(WorkName::Evaluate, [2508.2, 2509.0], "").line = Some(30);
        site.draws([2510.0, 2600.0]);
        site.asks("own.woff2", ResourceKind::Font, [2550.0, 2560.0, 2900.0, 3400.0]).initiator =
            site.0.requests[1].initiator.clone();
        site.runs(WorkName::Evaluate, [2610.0, 2660.0], "below.js");
        site.changes(2650.0, "below.js");
        site.draws([2665.0, 2690.0]);
        site.paints(2710.0, None);
        site.0.largest_stands = Some(Standing::Lines { first: 10, last: 10, columns: None });
        if fonts {
            set_in(&mut site, "own.woff2", FontDisplay::Auto);
        }
        path(&site)
    };
    let legs = load(true);
    assert!(
        legs.iter().any(|l| matches!(l.fact, LegFact::FontGivenUp { .. }) || l.cause == Cause::Render),
        "{legs:#?}"
    );
    assert!(legs.iter().all(|l| l.cause != Cause::Script), "{legs:#?}");
    assert!(load(false).iter().any(|l| l.cause == Cause::Script), "not knowing its font the run seems to bring it");
}

/// A script held the parser; the frame after it could have shown the text, which is in the next one, and between
/// the two the parser read on.
#[test]
fn text_that_the_parser_read_last_waits_for_what_had_held_that_and_not_for_the_document() {
    let load = |script: f64| {
        let mut site = Site::new();
        blocking(on_line(site.asks("late.js", ResourceKind::Script, [150.0, 150.0, script - 10.0, script]), 3));
        site.runs(WorkName::Evaluate, [script + 2.0, script + 9.0], "late.js");
        site.runs(WorkName::ParseHtml, [2_012.0, 2_024.0], "");
        site.draws([2_026.0, 2_080.0]);
        site.runs(WorkName::ParseHtml, [2_082.0, 2_083.0], "");
        site.0.dom_interactive = Some(Millis(2_084.0));
        site.draws([2_086.0, 2_180.0]);
        site.paints(2_210.0, None);
        path(&site)
    };
    let legs = load(2_000.0);
    assert!(given(&legs, "late.js") > 1_700.0, "{legs:#?}");
    // What let go long before is not what it waited for.
    let legs = load(400.0);
    assert!(given(&legs, "late.js") < 300.0, "{legs:#?}");
}

/// Everything of a document stands on one line; of code inside it the browser tells the line alone.
#[test]
fn on_a_page_of_one_line_code_inside_waits_for_the_sheet_above_it() {
    let made = |late: [u32; 2]| {
        let mut site = Site::new();
        for (name, column, end) in [("fonts.css", late[0], 800.0), ("look.css", late[1], 350.0)] {
            let sheet = site.asks(name, ResourceKind::Style, [150.0, 150.0, end - 5.0, end]);
            blocking(on_line(sheet, 1)).initiator.column = Some(column);
        }
        site.runs(WorkName::Evaluate, [802.0, 805.0], "").line = Some(1);
        site.works(WorkName::Task, 0, [806.0, 812.0], None);
        site.works(WorkName::ParseHtml, 1, [806.0, 812.0], None);
        site.works(WorkName::ParseSheet, 2, [807.0, 809.0], Some("look.css"));
        site.0.dom_interactive = Some(Millis(812.0));
        site.draws([813.0, 900.0]);
        site.paints(920.0, None);
        path(&site)
    };
    let legs = made([400, 900]);
    assert!(given(&legs, "fonts.css") > 550.0 && given(&legs, "look.css") < 20.0, "{legs:#?}");
}

/// Code inside the document that takes no time at all is no stop above itself.
#[test]
fn code_inside_waits_for_the_script_above_it_and_not_for_itself() {
    let mut site = Site::new();
    blocking(on_line(site.asks("late.js", ResourceKind::Script, [150.0, 150.0, 795.0, 800.0]), 3));
    site.runs(WorkName::Evaluate, [801.0, 870.0], "late.js");
    site.works(WorkName::Task, 0, [871.0, 872.0], None);
    site.works(WorkName::ParseHtml, 1, [871.0, 872.0], None);
    site.works(WorkName::Evaluate, 2, [871.4, 871.45], Some("")).line = Some(9);
    site.0.dom_interactive = Some(Millis(872.0));
    site.draws([873.0, 880.0]);
    site.paints(900.0, None);
    let legs = path_to_request_of_code(&mut site);
    assert!(given(&legs, "late.js") > 600.0, "{legs:#?}");
}

/// The way to a file that code inside the document asked for.
fn path_to_request_of_code(site: &mut Site) -> Vec<Leg> {
    let asked = site.asks("data.json", ResourceKind::Data, [871.45, 872.0, 900.0, 905.0]);
    asked.initiator = script(&[""]);
    let id = asked.id;
    path_to_request(&Prepared::plain(site.0.clone()), id).unwrap()
}

/// Six connections carry six files; one that is not urgent is sent long after the connection that it takes was free,
/// as the script in the head lets go.
#[test]
fn a_connection_that_had_rested_is_not_what_a_file_waited_for() {
    let held = |before_ends: f64| {
        let mut site = Site::new();
        for (file, connection) in (0..6u32).zip(11u64..) {
            let end = if file == 0 { before_ends } else { 890.0 };
            site.asks(&format!("{file}.jpg"), ResourceKind::Image, [150.0, 150.0, 300.0, end]).connection =
                Some(connection);
        }
        let gate = blocking(on_line(site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 300.0, 900.0]), 3));
        gate.connection = Some(17);
        let hero = site.asks("hero.jpg", ResourceKind::Image, [160.0, 908.0, 1_000.0, 1_400.0]);
        hero.connection = Some(11);
        site.runs(WorkName::Evaluate, [901.0, 905.0], "gate.js");
        site.paints(1_420.0, Some("hero.jpg"));
        path(&site)
            .iter()
            .any(|l| matches!(l.fact, LegFact::HeldLow { .. }) || l.url.as_deref() == Some(&at("gate.js")))
    };
    assert!(held(400.0));
    assert!(!held(904.0), "it was sent when another had done with the connection");
}

/// A document of one line: a script that stops the parser stands above the words or below them by its column alone.
#[test]
fn in_a_document_of_one_line_columns_tell_what_stands_above_the_words() {
    let shown_by_script = |words: u32| {
        let mut site = Site::new();
        let stop = on_line(site.asks("library.js", ResourceKind::Script, [150.0, 150.0, 300.0, 600.0]), 1);
        stop.render_blocking = RenderBlocking::InBodyParserBlocking;
        stop.initiator.column = Some(500);
        site.draws([205.0, 215.0]);
        site.runs(WorkName::Evaluate, [601.0, 605.0], "library.js");
        site.asks("app.js", ResourceKind::Script, [160.0, 160.0, 250.0, 260.0]).initiator = script(&["library.js"]);
        site.runs(WorkName::Evaluate, [605.5, 700.0], "app.js");
        site.changes(699.0, "app.js");
        site.draws([701.0, 707.0]);
        site.paints(725.0, None);
        (site.0.fcp, site.0.dom_interactive) = (Some(Millis(230.0)), Some(Millis(700.0)));
        site.0.largest_stands = Some(Standing::Lines { first: 1, last: 1, columns: Some((words, words)) });
        let legs = path(&site);
        legs.iter().filter(|l| l.cause == Cause::Script && l.to_ms.0 > 690.0).count()
    };
    assert_eq!(shown_by_script(900), 0, "they were read once the script had run, and the next one had the thread");
    assert_eq!(shown_by_script(40), 1, "they were there when the frame before was drawn: the next script shows them");
}
