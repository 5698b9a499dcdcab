//! Each cause that a path can name, on a small load in which it is known by construction.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::path::{Leg, LegFact, path_to_first_paint, path_to_largest};
use phainon_core::words::leg_title;
use phainon_core::{
    EditKind, Initiator, InitiatorKind, Millis, PageChange, PageFacts, PageImage, Prepared, RenderBlocking, RequestId,
    ResourceKind, TimerInstall, WorkName, name_runs,
};
use site::{PAGE, Site, at, script};

trait Paths {
    fn path(&self) -> Vec<Leg>;

    /// Where each leg ends, its cause and the file it is about.
    fn told(&self) -> Vec<String> {
        self.path().iter().map(told).collect()
    }
}

impl Paths for Site {
    fn path(&self) -> Vec<Leg> {
        path_to_largest(&Prepared::plain(self.0.clone())).unwrap()
    }
}

fn told(leg: &Leg) -> String {
    let file = leg.url.as_deref().map_or("", |u| u.strip_prefix(PAGE).unwrap_or(u));
    format!("{} {:?} {file}", leg.to_ms.0, leg.cause).trim_end().to_owned()
}

#[test]
fn a_redirect_before_the_document() {
    let mut site = Site::new();
    // The document's place is taken by its old address; it itself follows.
    site.0.requests.clear();
    let old = site.asks("old/", ResourceKind::Document, [5.0, 5.0, 90.0, 90.0]);
    old.initiator = Initiator { kind: InitiatorKind::Navigation, ..Initiator::default() };
    old.status = Some(301);
    let new = site.asks("", ResourceKind::Document, [90.0, 90.0, 300.0, 400.0]);
    new.redirected_from = Some(RequestId(0));
    new.initiator = Initiator { kind: InitiatorKind::Redirect, ..Initiator::default() };
    site.paints(450.0, None);
    assert_eq!(site.told(), ["5 Navigation", "90 Redirect old/", "300 Wait", "400 Download", "450 Render"]);
    assert_eq!(site.path()[1].fixes, [EditKind::DropRedirect]);
}

#[test]
fn a_chain_of_sheets_before_text() {
    let mut site = Site::new();
    site.asks("base.css", ResourceKind::Style, [150.0, 160.0, 260.0, 300.0]).render_blocking = RenderBlocking::Blocking;
    let imported = site.asks("type.css", ResourceKind::Style, [310.0, 320.0, 420.0, 500.0]);
    imported.render_blocking = RenderBlocking::Blocking;
    imported.initiator =
        Initiator { kind: InitiatorKind::Style, url: Some(at("base.css").as_str().into()), ..Initiator::default() };
    site.runs(WorkName::ParseSheet, [300.0, 310.0], "base.css");
    site.runs(WorkName::ParseSheet, [505.0, 520.0], "type.css");
    site.paints(560.0, None);
    assert_eq!(
        site.told(),
        [
            "100 Wait",
            "150 Download",
            "160 Queue base.css",
            "260 Wait base.css",
            "300 Download base.css",
            "310 StyleFound base.css",
            "320 Queue type.css",
            "420 Wait type.css",
            "500 Download type.css",
            "505 Handover type.css",
            "520 Render type.css",
            "560 Render",
        ]
    );
}

#[test]
fn a_background_that_only_its_sheet_names() {
    let mut site = Site::new();
    site.asks("base.css", ResourceKind::Style, [150.0, 150.0, 250.0, 300.0]);
    site.asks("sea.jpg", ResourceKind::Image, [380.0, 390.0, 500.0, 900.0]).initiator =
        Initiator { kind: InitiatorKind::Style, url: Some(at("base.css").as_str().into()), ..Initiator::default() };
    site.paints(930.0, Some("sea.jpg"));
    let legs = site.path();
    assert_eq!(told(&legs[4]), "380 StyleFound base.css");
    assert_eq!(legs[4].fixes, [EditKind::Preload]);
    assert_eq!(leg_title(&legs[4].fact), "sea.jpg is found through base.css");
}

#[test]
fn a_font_that_no_style_can_need_while_rendering_is_blocked() {
    let mut site = Site::new();
    site.asks("type.css", ResourceKind::Style, [150.0, 150.0, 250.0, 300.0]);
    site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 700.0, 800.0]).render_blocking = RenderBlocking::Blocking;
    site.runs(WorkName::Evaluate, [800.0, 850.0], "gate.js");
    site.asks("letters.woff2", ResourceKind::Font, [880.0, 880.0, 950.0, 1000.0]).initiator =
        Initiator { kind: InitiatorKind::Style, url: Some(at("type.css").as_str().into()), ..Initiator::default() };
    site.draws([860.0, 875.0]);
    site.draws([1005.0, 1015.0]);
    site.paints(1030.0, None);
    let told = site.told();
    assert_eq!(
        told[2..6],
        ["700 Wait gate.js", "800 Download gate.js", "850 Script gate.js", "880 StyleFound type.css"],
        "{told:?}"
    );
}

#[test]
fn a_lazily_loaded_picture() {
    let mut site = Site::new();
    site.asks("hero.jpg", ResourceKind::Image, [420.0, 420.0, 500.0, 700.0]);
    site.0.page = Some(PageFacts {
        images: vec![PageImage { url: at("hero.jpg"), lazy: true, ..PageImage::default() }],
        ..PageFacts::default()
    });
    site.paints(720.0, Some("hero.jpg"));
    let told = site.told();
    assert_eq!(
        told,
        ["100 Wait", "200 Download", "420 Lazy", "500 Wait hero.jpg", "700 Download hero.jpg", "720 Render"]
    );
}

#[test]
fn a_script_that_fetches_before_it_inserts() {
    let mut site = Site::new();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 300.0]);
    site.asks("list.json", ResourceKind::Data, [340.0, 340.0, 800.0, 820.0]).initiator = script(&["app.js"]);
    site.asks("hero.jpg", ResourceKind::Image, [850.0, 850.0, 950.0, 1200.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::Evaluate, [310.0, 350.0], "app.js");
    site.runs(WorkName::Call, [830.0, 850.0], "app.js");
    site.paints(1220.0, Some("hero.jpg"));
    assert_eq!(
        site.told(),
        [
            "100 Wait",
            "150 Download",
            "250 Wait app.js",
            "300 Download app.js",
            "310 Handover app.js",
            "340 Script app.js",
            "800 Wait list.json",
            "820 Download list.json",
            "830 Handover app.js",
            "850 Script app.js",
            "950 Wait hero.jpg",
            "1200 Download hero.jpg",
            "1220 Render",
        ]
    );
}

#[test]
fn a_script_held_behind_a_sheet_and_woken_at_the_end_of_the_document() {
    let mut site = Site::new();
    site.asks("base.css", ResourceKind::Style, [150.0, 150.0, 300.0, 600.0]).render_blocking = RenderBlocking::Blocking;
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 300.0, 350.0]).render_blocking = RenderBlocking::Blocking;
    site.asks("hero.jpg", ResourceKind::Image, [740.0, 740.0, 850.0, 1000.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::ParseSheet, [600.0, 605.0], "base.css");
    site.runs(WorkName::Evaluate, [605.0, 630.0], "app.js");
    site.works(WorkName::Task, 0, [710.0, 745.0], None);
    site.works(WorkName::Event, 1, [710.0, 745.0], None).event = Some("DOMContentLoaded".into());
    site.works(WorkName::Call, 2, [710.0, 745.0], Some("app.js"));
    site.0.dom_interactive = Some(Millis(700.0));
    site.paints(1030.0, Some("hero.jpg"));
    assert_eq!(
        site.told(),
        [
            "100 Wait",
            "150 Download",
            "300 Wait base.css",
            "600 Download base.css",
            "605 Render base.css",
            "630 Script app.js",
            "700 Parse",
            "710 Busy",
            "740 Script app.js",
            "850 Wait hero.jpg",
            "1000 Download hero.jpg",
            "1030 Render",
        ]
    );
}

#[test]
fn a_timer_set_by_one_script_that_runs_another() {
    let mut site = Site::new();
    site.asks("loader.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.asks("hero.jpg", ResourceKind::Image, [810.0, 810.0, 850.0, 1000.0]).initiator = script(&["loader.js"]);
    site.runs(WorkName::Evaluate, [270.0, 300.0], "loader.js");
    site.works(WorkName::Task, 0, [800.0, 815.0], None);
    site.works(WorkName::Timer, 1, [800.0, 815.0], None).timer = Some(4);
    site.works(WorkName::Call, 2, [800.0, 815.0], Some("loader.js"));
    site.0.timers = vec![
        TimerInstall { timer: 4, at: Millis(290.0), timeout: Millis(500.0), by: None },
        // Another one, set later than this one fired: not its cause.
        TimerInstall { timer: 4, at: Millis(900.0), timeout: Millis(500.0), by: None },
    ];
    site.paints(1010.0, Some("hero.jpg"));
    let told = site.told();
    assert_eq!(told[4..7], ["270 Handover loader.js", "290 Script loader.js", "800 Timer loader.js"]);
}

#[test]
fn text_waits_for_its_font_and_a_script_in_the_body() {
    let mut site = Site::new();
    site.asks("letters.woff2", ResourceKind::Font, [250.0, 250.0, 400.0, 880.0]);
    site.draws([210.0, 220.0]);
    site.draws([882.0, 890.0]);
    site.paints(900.0, None);
    assert_eq!(site.told().last().map(String::as_str), Some("900 Render"));
    assert!(site.told().contains(&"880 Download letters.woff2".to_owned()));

    // A font that came long before cannot be what it waited for.
    site.draws([1980.0, 1990.0]);
    site.paints(2000.0, None);
    assert!(!site.told().iter().any(|l| l.contains("letters.woff2")), "{:?}", site.told());

    let gate = site.asks("gate.js", ResourceKind::Script, [150.0, 150.0, 900.0, 1000.0]);
    gate.render_blocking = RenderBlocking::InBodyParserBlocking;
    site.0.work.truncate(6);
    site.runs(WorkName::Evaluate, [1000.0, 1400.0], "gate.js");
    site.draws([1405.0, 1412.0]);
    site.paints(1420.0, None);
    let told = site.told();
    assert_eq!(told[told.len() - 2..], ["1400 Script gate.js", "1420 Render"]);
}

#[test]
fn a_module_waits_for_all_that_it_imports() {
    let mut site = Site::new();
    let module =
        |by: &str| Initiator { kind: InitiatorKind::Script, url: Some(at(by).as_str().into()), ..Initiator::default() };
    site.asks("outer.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.asks("inner.js", ResourceKind::Script, [270.0, 270.0, 600.0, 640.0]).initiator = module("outer.js");
    site.asks("side.js", ResourceKind::Script, [270.0, 270.0, 400.0, 410.0]).initiator = module("outer.js");
    site.asks("deep.js", ResourceKind::Script, [650.0, 650.0, 900.0, 950.0]).initiator = module("inner.js");
    site.asks("hero.jpg", ResourceKind::Image, [980.0, 980.0, 1100.0, 1300.0]).initiator = script(&["outer.js"]);
    site.runs(WorkName::Evaluate, [960.0, 985.0], "outer.js");
    site.paints(1320.0, Some("hero.jpg"));
    assert_eq!(
        site.told()[4..10],
        [
            "270 ScriptWait outer.js",
            "600 Wait inner.js",
            "640 Download inner.js",
            "650 ScriptWait inner.js",
            "900 Wait deep.js",
            "950 Download deep.js",
        ],
        "{:?}",
        site.told()
    );
}

#[test]
fn a_picture_in_a_frame_waits_for_the_frames_document() {
    let mut site = Site::new();
    site.asks("inner.html", ResourceKind::Document, [180.0, 180.0, 500.0, 550.0]).main_frame = false;
    let hero = site.asks("hero.jpg", ResourceKind::Image, [540.0, 540.0, 600.0, 900.0]);
    hero.initiator.url = Some(at("inner.html").as_str().into());
    site.paints(930.0, Some("hero.jpg"));
    assert!(site.told().contains(&"500 Wait inner.html".to_owned()), "{:?}", site.told());
}

#[test]
fn a_connection_of_its_own_and_a_full_main_thread() {
    let mut site = Site::new();
    let hero = site.asks("hero.jpg", ResourceKind::Image, [150.0, 420.0, 600.0, 900.0]);
    (hero.connect_start, hero.tls_start, hero.connect_end) =
        (Some(Millis(160.0)), Some(Millis(280.0)), Some(Millis(420.0)));
    site.asks("chat.js", ResourceKind::Script, [150.0, 150.0, 300.0, 310.0]);
    site.runs(WorkName::Call, [890.0, 1250.0], "chat.js");
    site.paints(1270.0, Some("hero.jpg"));
    let legs = site.path();
    let told: Vec<String> = legs.iter().map(told).collect();
    assert_eq!(
        told,
        [
            "100 Wait",
            "150 Download",
            "160 Queue hero.jpg",
            "420 Connect hero.jpg",
            "600 Wait hero.jpg",
            "900 Download hero.jpg",
            "1250 Busy chat.js",
            "1270 Render",
        ]
    );
    assert!(matches!(legs[3].fact, LegFact::Connects { tls: true, .. }));
    assert_eq!(legs[3].fixes, [EditKind::Preconnect]);
    assert_eq!(legs[6].fixes, [EditKind::SplitTask, EditKind::DelayScript]);
}

#[test]
fn what_is_not_known_is_said() {
    // A source without initiators and phases: nothing is made up between the document and the file.
    let mut site = Site::new();
    let hero = site.asks("hero.jpg", ResourceKind::Image, [600.0, 600.0, 700.0, 900.0]);
    hero.initiator = Initiator::default();
    site.paints(920.0, Some("hero.jpg"));
    assert_eq!(site.told()[2], "600 Unknown");
    // A paint before anything had come.
    site.0.fcp = Some(Millis(20.0));
    let first = path_to_first_paint(&Prepared::plain(site.0.clone())).unwrap();
    assert_eq!(first.iter().map(|l| l.to_ms.0).next_back(), Some(20.0));
    // No paint at all: no path.
    site.0.lcp_candidates.clear();
    assert!(path_to_largest(&Prepared::plain(site.0.clone())).is_none());
}

/// A script with promises: its callbacks run in pieces of work without an address.
#[test]
fn text_that_a_promise_puts_in_waits_for_its_data() {
    let mut site = Site::new();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 250.0, 300.0]);
    site.asks("list.json", ResourceKind::Data, [340.0, 340.0, 900.0, 920.0]).initiator = script(&["app.js"]);
    site.runs(WorkName::Evaluate, [310.0, 345.0], "app.js");
    site.draws([360.0, 370.0]);
    site.works(WorkName::Task, 0, [925.0, 960.0], None);
    site.works(WorkName::Microtasks, 1, [930.0, 955.0], None);
    site.draws([962.0, 970.0]);
    site.0.fcp = Some(Millis(385.0));
    site.paints(985.0, None);
    let by = phainon_core::profile::CodePlace {
        function: "show".into(),
        url: Some(at("app.js").as_str().into()),
        line: Some(4),
    };
    site.0.changes = vec![PageChange { at: Millis(950.0), by }];
    name_runs(&mut site.0);
    let told = site.told();
    let expected = ["340 Script app.js", "900 Wait list.json", "920 Download list.json", "930 Handover app.js"];
    assert_eq!(told[5..9], expected, "{told:?}");
    assert_eq!(told[9..], ["955 Script app.js", "985 Render"]);
}

#[test]
fn a_picture_that_a_timer_shows_long_after_it_came() {
    let mut site = Site::new();
    site.asks("slides.js", ResourceKind::Script, [150.0, 150.0, 250.0, 260.0]);
    site.asks("hero.jpg", ResourceKind::Image, [160.0, 160.0, 300.0, 500.0]);
    site.runs(WorkName::Evaluate, [265.0, 290.0], "slides.js");
    site.draws([510.0, 520.0]);
    site.works(WorkName::Task, 0, [1280.0, 1290.0], None);
    site.works(WorkName::Timer, 1, [1280.0, 1290.0], None).timer = Some(9);
    site.works(WorkName::Call, 2, [1280.0, 1290.0], Some("slides.js"));
    // A clock that ticks shortly before, and for less long, is not what showed it.
    site.runs(WorkName::Call, [1291.0, 1292.0], "clock.js");
    site.draws([1293.0, 1300.0]);
    site.0.timers = vec![TimerInstall { timer: 9, at: Millis(280.0), timeout: Millis(1000.0), by: None }];
    site.paints(1320.0, Some("hero.jpg"));
    let told = site.told();
    let expected = ["280 Script slides.js", "1280 Timer slides.js", "1290 Script slides.js", "1320 Render"];
    assert_eq!(told[told.len() - 4..], expected, "{told:?}");
}

#[test]
fn a_document_that_comes_piece_by_piece() {
    let mut site = Site::new();
    site.0.requests[0].end = Some(Millis(2000.0));
    site.runs(WorkName::ParseHtml, [110.0, 120.0], "");
    site.draws([130.0, 140.0]);
    site.runs(WorkName::ParseHtml, [1500.0, 1510.0], "");
    site.draws([1512.0, 1520.0]);
    site.0.fcp = Some(Millis(150.0));
    site.paints(1540.0, None);
    assert_eq!(site.told(), ["100 Wait", "1500 Download", "1540 Render"]);
}

#[test]
fn text_whose_font_never_comes_and_a_paint_that_nothing_explains() {
    let mut site = Site::new();
    let font = site.asks("letters.woff2", ResourceKind::Font, [250.0, 250.0, 0.0, 0.0]);
    (font.first_byte, font.end) = (None, None);
    site.draws([210.0, 220.0]);
    site.draws([3250.0, 3260.0]);
    site.paints(3280.0, None);
    let legs = site.path();
    assert_eq!(told(&legs[legs.len() - 2]), "3250 Wait letters.woff2");
    assert!(matches!(legs[legs.len() - 2].fact, LegFact::FontGivenUp { .. }));

    // Without the font nothing that was recorded explains the wait, and nothing is made up.
    site.0.requests.pop();
    assert_eq!(site.told()[2..], ["3250 Unknown", "3280 Render"]);

    // A main thread that is busy all the while explains it.
    site.0.work.clear();
    site.runs(WorkName::Call, [221.0, 3249.0], "chat.js");
    site.draws([3250.0, 3260.0]);
    let told = site.told();
    assert_eq!(told[told.len() - 2..], ["3249 Busy chat.js", "3280 Render"], "{told:?}");

    // A frame that was drawn before all that would have shown the text, had it been there: the script brought it.
    site.0.work.clear();
    site.draws([211.0, 220.0]);
    site.runs(WorkName::Call, [221.0, 3249.0], "chat.js");
    site.draws([3250.0, 3260.0]);
    let told = site.told();
    assert_eq!(told[told.len() - 2..], ["3249 Script chat.js", "3280 Render"], "{told:?}");
}
