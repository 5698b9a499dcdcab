//! What a frame shows, and when there would be one: forecasts of loads small enough to work out by hand.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::forecast::{Helps, Model};
use phainon_core::metrics::Metric;
use phainon_core::path::{LegFact, path_to_largest};
use phainon_core::{
    AnimatedAround, Animation, Edit, FontDisplay, InitiatorKind, Millis, Prepared, RenderBlocking, RequestId,
    ResourceKind, ScreenFrame, Standing, TextFont, WorkName,
};
use site::{Site, at, at_once, blocking, change, file, font_asked_for_late, forecast, given, near};
use std::sync::Arc;

/// Text that is set in a font.
fn set_in(site: &mut Site, font: &str, display: FontDisplay) {
    site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at(font), display)]);
}

/// How icons stand to the largest text: before it, floating before it, or elsewhere.
#[derive(Clone, Copy, PartialEq)]
enum Icons {
    Before,
    Float,
    Elsewhere,
}

/// The largest text of an element that fades in from 245 ms on, for a second. A font of signs behind it comes at 800,
/// the icons' at 1,100; by `of_icons` the other way round.
fn faded_in(stays: bool, icons: Icons, of_icons: [f64; 2]) -> Site {
    let mut site = Site::new();
    for (name, came) in ["icons.woff2", "signs.woff2"].into_iter().zip(of_icons) {
        let font = site.asks(name, ResourceKind::Font, [232.0, 232.0, came - 20.0, came]);
        (font.initiator.kind, font.initiator.url) = (InitiatorKind::Style, Some(at("").as_str().into()));
    }
    site.draws([230.0, 240.0]);
    site.draws([804.0, 812.0]);
    site.draws([1104.0, 1112.0]);
    let name = String::from("appear");
    site.0.animations = vec![Animation { from: Millis(245.0), to: Millis(1245.0), name, node: Some(7) }];
    site.paints(825.0, None);
    let font = || vec![TextFont::of(&at("icons.woff2"), FontDisplay::Auto)];
    let before = if icons == Icons::Elsewhere { Vec::new() } else { font() };
    let floats = if icons == Icons::Float { font() } else { Vec::new() };
    site.0.lcp_candidates[0].animated = vec![AnimatedAround { node: 7, stays, before, floats }];
    site.0.lcp_candidates[0].fonts = Some(Vec::new());
    site
}

#[test]
fn text_that_fades_in_waits_for_the_font_that_moves_it() {
    let moved = faded_in(true, Icons::Before, [800.0, 1100.0]);
    assert!(given(&moved, "icons.woff2") > 500.0, "{:#?}", path_to_largest(&Prepared::plain(moved.0.clone())));
    assert!(given(&moved, "signs.woff2") < 1.0);
    // One that stands behind it, or elsewhere, does not move it, and a fade that stays paints nothing anew.
    let not = faded_in(true, Icons::Elsewhere, [800.0, 1100.0]);
    let legs = path_to_largest(&Prepared::plain(not.0.clone())).unwrap();
    let animates = legs.iter().any(|l| matches!(l.fact, LegFact::Animates { .. }));
    assert!(given(&not, "icons.woff2") < 1.0 && !animates, "{legs:#?}");
    // Nor does a script that changes something else in the meantime.
    let mut runs = faded_in(true, Icons::Before, [800.0, 1100.0]);
    runs.runs(WorkName::Timer, [801.0, 803.0], "other.js");
    runs.changes(802.0, "other.js");
    assert!(given(&runs, "icons.woff2") > 500.0);
    // What floats is laid out anew for any font as long as its own has not come.
    let signs = |icons: Icons, of_icons: [f64; 2]| given(&faded_in(true, icons, of_icons), "signs.woff2");
    assert!(signs(Icons::Float, [1100.0, 800.0]) > 500.0);
    assert!(signs(Icons::Before, [1100.0, 800.0]) < 1.0);
    assert!(signs(Icons::Float, [700.0, 800.0]) < 1.0);
}

#[test]
fn without_its_font_text_waits_for_the_one_that_it_is_set_in_then() {
    // A heading in a bold font, which comes at 1,100; without that the browser draws it from the usual one.
    let load = |usual: f64, known: bool| {
        let mut site = Site::new();
        for (name, came) in [("bold.woff2", 1_100.0), ("usual.woff2", usual)] {
            let font = site.asks(name, ResourceKind::Font, [232.0, 232.0, came - 20.0, came]);
            (font.initiator.kind, font.initiator.url) = (InitiatorKind::Style, Some(at("").as_str().into()));
        }
        site.draws([230.0, 240.0]);
        site.draws([804.0, 812.0]);
        site.draws([1_104.0, 1_112.0]);
        site.paints(1_125.0, None);
        site.0.fcp = Some(Millis(250.0));
        let without = if known { vec![TextFont::of(&at("usual.woff2"), FontDisplay::Block)] } else { Vec::new() };
        site.0.lcp_candidates[0].fonts =
            Some(vec![TextFont { without, ..TextFont::of(&at("bold.woff2"), FontDisplay::Block) }]);
        let gain = |fonts: &[&str]| {
            let edits: Vec<Edit> = fonts.iter().map(|font| Edit::Remove { file: file(font) }).collect();
            -change(&forecast(&site, &edits), Metric::Lcp)
        };
        [gain(&["bold.woff2"]), gain(&["usual.woff2"]), gain(&["bold.woff2", "usual.woff2"])]
    };
    // In the frame at 804, which the usual one sets off.
    let [bold, usual, both] = load(800.0, true);
    near(bold, 300.0);
    near(usual, 0.0);
    assert!(both > 800.0, "in the first frame: {both}");
    // The page shows it in no font of its own where there is none.
    assert!(load(800.0, false)[0] > 800.0);
    // A usual one that comes later than the bold has the heading come later, too.
    let [bold, ..] = load(1_300.0, true);
    assert!((-230.0..-170.0).contains(&bold), "{bold}");
}

#[test]
fn text_that_fades_in_is_shown_by_what_next_paints_it() {
    let lcp = |site: &Site, edits: &[Edit]| forecast(site, edits).after.lcp_ms.unwrap().0;
    let taken = |names: &[&str]| names.iter().map(|n| Edit::Remove { file: file(n) }).collect::<Vec<_>>();
    let icons = |stays: bool| faded_in(stays, Icons::Before, [800.0, 1100.0]);
    near(lcp(&icons(true), &at_once("icons.woff2")), 825.0 - 545.0);
    // Where none comes the end of the fade does, which leaves it to the page's own style; or nothing that is known.
    near(lcp(&icons(false), &taken(&["icons.woff2"])), 825.0 + 445.0);
    near(lcp(&icons(true), &taken(&["icons.woff2"])), 825.0);
    // A font that comes before the fade begins has no part in it.
    let mut later = icons(false);
    later.0.animations[0].from = Millis(270.0);
    near(lcp(&later, &at_once("icons.woff2")), 825.0 + 445.0);
    // The first font to come has what floats laid out anew, whichever that is.
    let floating = faded_in(true, Icons::Float, [1100.0, 800.0]);
    near(lcp(&floating, &at_once("signs.woff2")), 825.0 - 545.0);
    near(lcp(&floating, &at_once("icons.woff2")), 825.0 - 545.0);
    near(lcp(&floating, &taken(&["signs.woff2"])), 825.0 + 300.0);
}

/// A heading that fades in from the first frame on, for a second, and stays. Its font comes at a moment; other words are
/// in the first frame.
fn faded_heading(came: f64, drawn: f64) -> Site {
    let mut site = Site::new();
    let font = site.asks("own.woff2", ResourceKind::Font, [232.0, 232.0, came - 20.0, came]);
    (font.initiator.kind, font.initiator.url) = (InitiatorKind::Style, Some(at("").as_str().into()));
    let name = String::from("opacity");
    site.0.animations = vec![Animation { from: Millis(235.0), to: Millis(1_235.0), name, node: Some(7) }];
    site.draws([230.0, 240.0]);
    site.draws([drawn, drawn + 8.0]);
    if came > drawn {
        site.draws([came + 4.0, came + 12.0]);
    }
    site.paints(drawn + 21.0, None);
    site.0.fcp = Some(Millis(250.0));
    let mut words = site.0.lcp_candidates[0].clone();
    (words.at, words.size) = (Millis(250.0), 4_000.0);
    let heading = &mut site.0.lcp_candidates[0];
    heading.animated = vec![AnimatedAround { node: 7, stays: true, before: Vec::new(), floats: Vec::new() }];
    heading.fonts = Some(vec![TextFont::of(&at("own.woff2"), FontDisplay::Auto)]);
    site.0.lcp_candidates.insert(0, words);
    site
}

#[test]
fn text_under_a_fade_counts_when_its_font_is_given_up_on_and_not_when_it_is_shown_at_once() {
    let lcp = |site: &Site, edit: Edit| forecast(site, &[edit]).after.lcp_ms.unwrap().0;
    let show = || Edit::ShowText { file: file("own.woff2") };
    let remove = || Edit::Remove { file: file("own.woff2") };
    // It is shown at 2,000. Shown at once it is painted where it cannot be seen, and counts once the font has come.
    let late = faded_heading(4_000.0, 2_000.5);
    assert!(given(&late, "own.woff2") > 1_700.0, "{:#?}", path_to_largest(&Prepared::plain(late.0.clone())));
    near(lcp(&late, show()), 4_004.0 + 21.0);
    // Without the font nothing has it painted anew: the other words are the largest that counts.
    near(lcp(&late, remove()), 250.0);
    // With a font that comes before that it counts when it did, however it is shown meanwhile.
    let sooner = faded_heading(1_500.0, 1_504.0);
    near(lcp(&sooner, show()), 1_525.0);
    near(lcp(&sooner, Edit::FasterResponse { file: file("own.woff2"), to: Some(Millis(500.0)) }), 1_525.0 - 748.0);
    // A fade that begins later found the text on the screen.
    let mut seen = faded_heading(4_000.0, 2_000.5);
    seen.0.animations[0].from = Millis(700.0);
    assert!(lcp(&seen, show()) < 300.0);
}

/// Frames of the screen: when, and how much of the page is there.
fn screens(site: &mut Site, frames: &[(f64, f64)]) {
    let frame = |(at, complete): &(f64, f64)| ScreenFrame {
        at_ms: Millis(*at),
        complete: Some(*complete),
        ..ScreenFrame::default()
    };
    site.0.frames = std::iter::once(&(0.0, 0.0)).chain(frames).map(frame).collect();
}

/// A script of the head comes at 3 s. The parser then has the sheets below it parsed and a script at the foot run, in
/// one task; the frame asks for the font that a sheet names, and shows its text in another one a frame later.
fn held_by_a_script_above_two_sheets() -> Site {
    let mut site = Site::new();
    blocking(site.asks("big.js", ResourceKind::Script, [150.0, 150.0, 300.0, 3000.0]), 3);
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 400.0]), 4);
    blocking(site.asks("own.css", ResourceKind::Style, [150.0, 150.0, 300.0, 450.0]), 5);
    blocking(site.asks("foot.js", ResourceKind::Script, [150.0, 150.0, 1900.0, 2000.0]), 90);
    site.0.requests[4].render_blocking = RenderBlocking::InBodyParserBlocking;
    site.runs(WorkName::Evaluate, [3005.0, 3025.0], "big.js");
    site.works(WorkName::Task, 0, [3026.0, 3040.0], None);
    site.works(WorkName::ParseHtml, 1, [3026.0, 3040.0], None);
    site.works(WorkName::ParseSheet, 2, [3027.0, 3028.0], Some("look.css"));
    site.works(WorkName::ParseSheet, 2, [3029.0, 3030.0], Some("own.css"));
    site.works(WorkName::Evaluate, 2, [3035.0, 3038.0], Some("foot.js"));
    let font = site.asks("words.woff2", ResourceKind::Font, [3045.0, 3046.0, 3200.0, 3220.0]);
    (font.initiator.kind, font.initiator.url) = (InitiatorKind::Style, Some(at("own.css").as_str().into()));
    site.draws([3041.0, 3060.0]);
    site.draws([3070.0, 3080.0]);
    site.paints(3100.0, None);
    set_in(&mut site, "words.woff2", FontDisplay::Auto);
    (site.0.fcp, site.0.dom_interactive) = (Some(Millis(3080.0)), Some(Millis(3041.0)));
    site.0.largest_stands = Some(Standing::Lines { first: 20, last: 20, columns: None });
    site
}

#[test]
fn text_is_shown_with_its_font_where_that_would_come_before_it_is_given_up_on() {
    let gone = forecast(&held_by_a_script_above_two_sheets(), &[Edit::Remove { file: file("big.js") }]);
    // The sheets are there at 450 ms, the font 175 after it is asked for, which is some 20 after that; without it
    // the text would not be shown before two seconds have passed.
    let lcp = gone.after.lcp_ms.unwrap().0;
    assert!((640.0..720.0).contains(&lcp), "{lcp}");
}

#[test]
fn the_first_paint_counts_the_largest_text_while_it_waits_for_its_font() {
    let site = held_by_a_script_above_two_sheets();
    let fcp = |site: &Site| forecast(site, &[Edit::Remove { file: file("big.js") }]).after.fcp_ms.unwrap().0;
    // Sheets at 450 ms, and a frame of some 40: it waits neither for the font nor for the script at the foot.
    let above = fcp(&site);
    assert!((460.0..530.0).contains(&above), "{above}");
    // Text below the script at the foot waits for that, which comes at two seconds.
    let mut below = site;
    below.0.largest_stands = Some(Standing::Lines { first: 95, last: 95, columns: None });
    let below = fcp(&below);
    assert!(below > 2000.0, "{below}");
}

/// The frame asks for the font at 3,045 ms, when two seconds have passed, and has the text without letters.
#[test]
fn the_frame_that_asks_for_a_font_does_not_show_its_text() {
    let mut site = held_by_a_script_above_two_sheets();
    // What runs between the two frames stands below the text.
    site.0.work.retain(|w| w.start < Millis(3061.0));
    site.runs(WorkName::Evaluate, [3062.0, 3068.0], "foot.js");
    site.changes(3067.0, "foot.js");
    site.draws([3070.0, 3080.0]);
    assert!(given(&site, "foot.js") < 10.0, "{}", given(&site, "foot.js"));
    let path = path_to_largest(&Prepared::plain(site.0.clone())).unwrap();
    let asked = path.iter().find(|leg| matches!(leg.fact, LegFact::AskedByFrame { .. })).unwrap();
    assert_eq!([asked.from_ms, asked.to_ms], [Millis(3045.0), Millis(3060.0)]);
    // Shown in whatever there is, it is in the frame that asks; the first paint shows as much as before.
    let shown = forecast(&site, &[Edit::ShowText { file: file("words.woff2") }]);
    near(change(&shown, Metric::Lcp), -20.0);
    near(change(&shown, Metric::Fcp), 0.0);
    // A font that the page had asked for before had the timer set: nobody waits for this one.
    let mut second = site;
    let other = second.asks("other.woff2", ResourceKind::Font, [900.0, 901.0, 8200.0, 8220.0]);
    other.initiator.kind = InitiatorKind::Style;
    let path = path_to_largest(&Prepared::plain(second.0.clone())).unwrap();
    assert!(!path.iter().any(|leg| matches!(leg.fact, LegFact::AskedByFrame { .. })), "{path:#?}");
}

/// A heading waits for its font, which comes at 900 ms; a frame without its letters is drawn at 520.
#[test]
fn without_the_sheet_of_its_font_text_is_in_the_first_frame() {
    let mut site = Site::new();
    blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 300.0, 310.0]), 3);
    blocking(site.asks("fonts.css", ResourceKind::Style, [150.0, 150.0, 480.0, 500.0]), 4);
    site.runs(WorkName::ParseSheet, [311.0, 312.0], "look.css");
    site.runs(WorkName::ParseSheet, [501.0, 502.0], "fonts.css");
    let font = site.asks("words.woff2", ResourceKind::Font, [515.0, 516.0, 880.0, 900.0]);
    (font.initiator.kind, font.initiator.url) = (InitiatorKind::Style, Some(at("fonts.css").as_str().into()));
    site.asks("other.js", ResourceKind::Script, [150.0, 150.0, 880.0, 890.0]).render_blocking =
        RenderBlocking::NonBlocking;
    site.draws([510.0, 520.0]);
    site.works(WorkName::Task, 0, [903.0, 913.0], None);
    site.works(WorkName::Evaluate, 1, [903.0, 906.0], Some("other.js"));
    site.works(WorkName::Layout, 1, [906.0, 909.0], None);
    site.works(WorkName::Paint, 1, [909.0, 913.0], None);
    site.paints(928.0, None);
    set_in(&mut site, "words.woff2", FontDisplay::Auto);
    site.0.fcp = Some(Millis(535.0));
    // It goes with its font: then look.css lets the frame go at 312 ms. The frame that had the text was drawn
    // by a task that runs a script first; nobody waits for that.
    let off = forecast(&site, &[Edit::Remove { file: file("fonts.css") }]);
    near(off.after.lcp_ms.unwrap().0, 312.0 + 8.0 + 10.0 + 15.0);
    // The path gives most to the font, and says what the sheet of others is worth that names it.
    let other = site.0.requests[2].url.replace("www.skerryline.test", "type.quayside.test").into();
    let prepared = Arc::new(Prepared::plain(site.0.clone()));
    let path = path_to_largest(&prepared).unwrap();
    let reliefs = Model::of(&prepared).reliefs(&path);
    assert!(reliefs.iter().all(|r| r.helps != Helps::Off), "the site's own sheet may be its looks");
    site.0.requests[2].url = other;
    site.0.requests[3].initiator.url = Some(site.0.requests[2].url.clone());
    let prepared = Arc::new(Prepared::plain(site.0));
    let path = path_to_largest(&prepared).unwrap();
    let reliefs = Model::of(&prepared).reliefs(&path);
    let told = reliefs.iter().find(|r| r.helps == Helps::Off).unwrap();
    assert_eq!(told.request, RequestId(2));
    near(told.gain_ms.0, change(&off, Metric::Lcp).abs());
}

/// As with a script above two sheets, with a picture for its largest element, which comes long after all else.
#[test]
fn the_first_words_do_not_wait_for_a_script_that_stands_below_them() {
    let fcp = |words: Option<(u32, u32)>, changes: &str| {
        let mut site = held_by_a_script_above_two_sheets();
        site.asks("hero.jpg", ResourceKind::Image, [3050.0, 3050.0, 5900.0, 6000.0]);
        site.draws([6005.0, 6010.0]);
        site.paints(6030.0, Some("hero.jpg"));
        site.0.words_stand = words;
        site.changes(3037.0, changes);
        forecast(&site, &[Edit::Remove { file: file("big.js") }]).after.fcp_ms.unwrap().0
    };
    let above = fcp(Some((20, 4)), "other.js");
    assert!((460.0..530.0).contains(&above), "{above}");
    // Words below the script at the foot, which comes at two seconds; words that may be shown by it; and none.
    for (words, changes) in [(Some((95, 4)), "other.js"), (Some((20, 4)), "foot.js"), (None, "other.js")] {
        let waits = fcp(words, changes);
        assert!(waits > 2000.0, "{words:?}, {changes}: {waits}");
    }
}

#[test]
fn text_that_was_given_up_on_is_drawn_anew_when_its_font_comes_whether_or_not_it_waits() {
    let edit = [Edit::ShowText { file: file("words.woff2") }];
    let load = |display| change(&forecast(&font_asked_for_late(display), &edit), Metric::Lcp);
    // Asked for after two seconds it was waited for no more: something new came with it.
    near(load(FontDisplay::Auto), 0.0);
    // One that blocks was waited for.
    assert!(load(FontDisplay::Block) < -800.0);
}

/// A sheet lets the first frame go, in which scripts are told of the size of the window.
#[test]
fn a_frame_waits_for_nobody_who_listens_to_its_steps() {
    let load = |event: &str| {
        let mut site = Site::new();
        blocking(site.asks("look.css", ResourceKind::Style, [150.0, 150.0, 1490.0, 1500.0]), 3);
        blocking(site.asks("foot.js", ResourceKind::Script, [150.0, 150.0, 1400.0, 1410.0]), 90);
        site.0.requests[2].render_blocking = RenderBlocking::InBodyParserBlocking;
        site.runs(WorkName::ParseSheet, [1501.0, 1503.0], "look.css");
        site.runs(WorkName::Evaluate, [1504.0, 1510.0], "foot.js");
        site.works(WorkName::Task, 0, [1515.0, 1635.0], None);
        site.works(WorkName::Style, 1, [1516.0, 1560.0], None);
        site.works(WorkName::Layout, 1, [1560.0, 1600.0], None);
        site.works(WorkName::Event, 1, [1601.0, 1605.0], None).event = Some(event.into());
        site.works(WorkName::Call, 2, [1602.0, 1604.0], Some("foot.js"));
        site.works(WorkName::Paint, 1, [1606.0, 1630.0], None);
        site.paints(1650.0, None);
        screens(&mut site, &[(1650.0, 1.0)]);
        (site.0.fcp, site.0.dom_interactive) = (Some(Millis(1650.0)), Some(Millis(1512.0)));
        site.0.largest_stands = Some(Standing::Lines { first: 20, last: 20, columns: None });
        forecast(&site, &at_once("look.css"))
    };
    let sooner = load("resize");
    // The sheet is parsed once the document is there, at 200 ms instead of 1,501.
    near(change(&sooner, Metric::Lcp), 200.0 - 1501.0);
    // The task of the frame goes with it: it blocks nobody after the first paint, and all is on the screen by then.
    near(change(&sooner, Metric::Tbt), 0.0);
    near(change(&sooner, Metric::SpeedIndex), 200.0 - 1501.0);
    // What a script is told of in a task of its own waits for that script. The text is shown by a frame before it, and
    // the screen with that.
    let behind = load("message");
    assert!(change(&behind, Metric::Tbt) > 50.0);
    assert!(change(&behind, Metric::Lcp) < -1200.0);
    near(change(&behind, Metric::SpeedIndex), change(&behind, Metric::Lcp));
}

/// A script runs for a moment, and promises that it keeps for longer: those wait for what lies in their own task.
#[test]
fn no_task_waits_for_what_lies_in_it() {
    let mut site = Site::new();
    site.draws([205.0, 215.0]);
    site.0.fcp = Some(Millis(230.0));
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 980.0, 990.0]);
    site.works(WorkName::Task, 0, [1000.0, 1010.0], None);
    site.works(WorkName::Evaluate, 1, [1000.1, 1000.3], Some("app.js"));
    site.works(WorkName::Microtasks, 1, [1000.35, 1009.0], Some("app.js"));
    site.changes(1008.0, "app.js");
    site.draws([1011.0, 1020.0]);
    site.paints(1035.0, None);
    // The load comes back as it was; that is asserted with every forecast. 830 ms sooner, the first frame shows it.
    near(change(&forecast(&site, &at_once("app.js")), Metric::Lcp), 230.0 - 1035.0);
}

#[test]
fn a_frame_that_nothing_set_off_shows_as_much_of_a_picture_as_has_come() {
    let mut site = Site::new();
    site.runs(WorkName::Evaluate, [150.0, 160.0], "");
    site.draws([205.0, 215.0]);
    site.paints(230.0, None);
    site.0.fcp = Some(Millis(230.0));
    // By the frame at 3 s half of it has come.
    site.asks("wide.jpg", ResourceKind::Image, [900.0, 900.0, 1000.0, 5000.0]);
    site.works(WorkName::Task, 0, [3000.0, 3004.0], None);
    site.works(WorkName::PrePaint, 1, [3000.0, 3001.0], None);
    site.works(WorkName::Paint, 1, [3001.0, 3004.0], None);
    screens(&mut site, &[(230.0, 0.0), (3010.0, 1.0)]);
    let sooner = forecast(&site, &[Edit::Preload { file: file("wide.jpg") }]);
    let moved = sooner.moved.iter().find(|m| m.request.0 == 1).unwrap();
    let asked = moved.start_ms.unwrap().0 - 900.0;
    assert!(asked < -600.0, "{asked}");
    near(change(&sooner, Metric::SpeedIndex), asked);
}

#[test]
fn what_the_head_asks_for_is_asked_for_with_the_first_tags() {
    let load = |first_tag: Option<f64>| {
        let mut site = Site::new();
        if let Some(at) = first_tag {
            site.asks("foot.js", ResourceKind::Script, [at, at, at + 100.0, at + 110.0]);
        }
        site.draws([205.0, 215.0]);
        site.0.fcp = Some(Millis(230.0));
        let hero = site.asks("hero.jpg", ResourceKind::Image, [800.0, 800.0, 1300.0, 1400.0]);
        hero.initiator.kind = InitiatorKind::Style;
        site.draws([1405.0, 1410.0]);
        site.paints(1430.0, Some("hero.jpg"));
        let sooner = forecast(&site, &[Edit::Preload { file: file("hero.jpg") }]);
        let hero = u32::from(first_tag.is_some()) + 1;
        sooner.moved.iter().find(|m| m.request.0 == hero).unwrap().start_ms.unwrap().0
    };
    // The document's first bytes are there at 100 ms.
    near(load(Some(155.0)), 155.0);
    near(load(None), 115.0);
    // A tag far down tells nothing of the head.
    near(load(Some(600.0)), 115.0);
}

/// A script in the head holds the parser until 505; the body is read in four pieces of 10 ms, and laid out in 200 ms once
/// a sheet has come at 600.
#[test]
fn a_first_frame_that_comes_sooner_lays_out_what_is_read_by_then() {
    let mut site = Site::new();
    // The empty page before it.
    site.draws([5.0, 9.0]);
    blocking(site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 480.0, 499.0]), 3);
    blocking(site.asks("page.css", ResourceKind::Style, [150.0, 150.0, 580.0, 600.0]), 4);
    site.works(WorkName::Task, 0, [500.0, 505.0], None);
    site.works(WorkName::ParseHtml, 1, [500.0, 505.0], None);
    site.works(WorkName::Evaluate, 2, [500.0, 505.0], Some("gate.js"));
    for from in [505.2, 516.0, 527.0, 538.0] {
        site.works(WorkName::Task, 0, [from, from + 10.0], None);
        site.works(WorkName::ParseHtml, 1, [from, from + 10.0], None);
    }
    site.runs(WorkName::ParseSheet, [600.0, 603.0], "page.css");
    site.draws([604.0, 804.0]);
    site.draws([900.0, 904.0]);
    site.paints(820.0, None);
    site.0.fcp = Some(Millis(820.0));
    let now = forecast(&site, &at_once("page.css"));
    // One piece is read before the frame, a quarter of all.
    let first = now.tasks.iter().find(|task| task.was_ms == Millis(604.0)).unwrap();
    near(first.start_ms.unwrap().0, 516.0);
    near(first.duration_ms.0, 50.0);
    near(change(&now, Metric::Lcp), 516.0 + 50.0 + 16.0 - 820.0);
    // What is read later is laid out later.
    let next = now.tasks.iter().find(|task| task.was_ms == Millis(900.0)).unwrap();
    near(next.duration_ms.0, 154.0);
}
