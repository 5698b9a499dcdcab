//! Each check just under and just over its threshold, and where it must keep quiet.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::checks::{Finding, Standing, Sureness};
use phainon_core::metrics::Coverage;
use phainon_core::words::{finding_title, finding_why, say_finding};
use phainon_core::{
    AnimatedAround, Animation, BodyRef, Bytes, Edit, EditKind, FontDisplay, Header, Initiator, InitiatorKind,
    LayoutShift, Millis, NoBodies, OwnerKind, PageFacts, PageImage, Prepared, Rect, RenderBlocking, Request,
    ResourceKey, ResourceKind, Settings, TextFont, WorkName, analyse, preset,
};
use site::{Site, at, font_asked_for_late, script};
use std::collections::HashMap;

fn found(site: &Site, check: &str) -> Vec<Finding> {
    found_with(site, check, &HashMap::new())
}

fn found_with(site: &Site, check: &str, bodies: &HashMap<String, Vec<u8>>) -> Vec<Finding> {
    let analysis = analyse(&Prepared::plain(site.0.clone()), &|hash: &str| bodies.get(hash).cloned());
    analysis.findings.into_iter().filter(|f| f.check == check).collect()
}

fn says(request: &mut Request, name: &str, value: &str) {
    request.response_headers.push(Header { name: name.into(), value: value.into() });
}

/// A file of the page, answered with 200.
fn file<'a>(site: &'a mut Site, path: &str, kind: ResourceKind, bytes: u64) -> &'a mut Request {
    let request = site.asks(path, kind, [300.0, 300.0, 400.0, 500.0]);
    request.status = Some(200);
    request.transferred = Some(Bytes(bytes));
    request
}

fn image(path: &str, side: f64, natural: u32) -> PageImage {
    PageImage {
        url: at(path),
        selector: "img".into(),
        rect: Rect { x: 0.0, y: 0.0, width: side, height: side },
        natural_width: natural,
        natural_height: natural,
        sized: true,
        ..PageImage::default()
    }
}

#[test]
fn a_cache_lifetime_is_short_under_a_week() {
    let lifetimes = [
        ("max-age=604799", true),
        ("max-age=604800", false),
        ("public, MAX-AGE=31536000, immutable", false),
        ("max-age=\"600\"", true),
        ("no-cache, max-age=31536000", true),
        ("no-store", true),
        ("private", true),
        ("max-age=never", true),
    ];
    for (control, short) in lifetimes {
        let mut site = Site::new();
        says(file(&mut site, "base.css", ResourceKind::Style, 9_000), "Cache-Control", control);
        assert_eq!(!found(&site, "short-cache-lifetime").is_empty(), short, "{control}");
    }
    // Not told of at all: a document, data, a file not found, one without headers, one with Expires alone.
    let mut site = Site::new();
    says(file(&mut site, "list.json", ResourceKind::Data, 9_000), "cache-control", "no-store");
    let gone = file(&mut site, "gone.css", ResourceKind::Style, 900);
    gone.status = Some(404);
    says(gone, "cache-control", "no-store");
    file(&mut site, "bare.js", ResourceKind::Script, 9_000);
    says(file(&mut site, "old.js", ResourceKind::Script, 9_000), "Expires", "Thu, 01 Jan 2032 00:00:00 GMT");
    assert_eq!(found(&site, "short-cache-lifetime").len(), 0);

    // One finding a host and owner, the heaviest file first in its evidence.
    for (path, bytes) in [("plugins/deck/a.js", 1_000), ("plugins/deck/b.js", 30_000), ("themes/tide/c.css", 5_000)] {
        let kind = if path.ends_with("css") { ResourceKind::Style } else { ResourceKind::Script };
        says(file(&mut site, path, kind, bytes), "cache-control", "max-age=600");
    }
    let findings = found(&site, "short-cache-lifetime");
    assert_eq!(findings.len(), 2, "{findings:#?}");
    let deck = findings.iter().find(|f| f.owner.name == "deck").unwrap();
    assert_eq!(
        (deck.owner.kind, deck.size_bytes, &*say_finding(deck).evidence[0].label),
        (OwnerKind::Plugin, Some(Bytes(31_000)), "b.js")
    );
}

#[test]
fn text_is_worth_compressing_from_1400_bytes_saved() {
    let body = |len: usize| -> (String, Vec<u8>) {
        // Words compress well; how well is what the check computes.
        (format!("body-{len}"), "Words of the ferry's timetable, again and again. ".bytes().cycle().take(len).collect())
    };
    let with = |len: usize, header: Option<&str>, kind: ResourceKind| {
        let mut site = Site::new();
        let (hash, bytes) = body(len);
        let request = file(&mut site, "list.txt", kind, len as u64);
        request.mime = Some(if kind == ResourceKind::Image { "image/jpeg" } else { "text/javascript" }.into());
        request.body = Some(BodyRef { hash: hash.clone(), size: Bytes(len as u64) });
        says(request, "server", "x");
        if let Some(value) = header {
            says(request, "Content-Encoding", value);
        }
        found_with(&site, "uncompressed-text", &HashMap::from([(hash, bytes)]))
    };
    assert_eq!(with(1_450, None, ResourceKind::Script).len(), 0, "some hundred bytes of it stay");
    let large = with(40_000, None, ResourceKind::Script);
    assert_eq!((large.len(), large[0].sureness, large[0].edit.kind()), (1, Sureness::Computed, EditKind::Compress));
    assert!(large[0].saving_bytes.unwrap() > Bytes(38_000), "{:?}", large[0].saving_bytes);
    for packed in ["gzip", "br", "zstd"] {
        assert_eq!(with(40_000, Some(packed), ResourceKind::Script).len(), 0, "{packed}");
    }
    assert_eq!(with(40_000, Some("identity"), ResourceKind::Script).len(), 1);
    assert_eq!(with(40_000, None, ResourceKind::Image).len(), 0, "pictures are packed already");
}

#[test]
fn the_server_is_slow_over_300_ms_beyond_the_round_trip() {
    let with = |first: f64, conditions: Option<&str>| {
        let mut site = Site::new();
        site.0.conditions = conditions.and_then(preset);
        let document = &mut site.0.requests[0];
        document.first_byte = Some(Millis(first));
        document.end = Some(Millis(first + 10.0));
        says(document, "Server-Timing", "db;dur=200, theme;dur=50, cache;desc=miss");
        found(&site, "slow-document")
    };
    assert_eq!(with(300.0, None).len(), 0);
    assert_eq!(with(301.0, None).len(), 1);
    // Of 420 ms on a link of 120 ms the server took 300.
    assert_eq!(with(420.0, Some("phone-on-the-move")).len(), 0);
    let slow = with(700.0, Some("phone-on-the-move"));
    assert_eq!((slow[0].size_ms, slow[0].sureness), (Some(Millis(580.0)), Sureness::Measured));
    let parts = say_finding(&slow[0]).evidence;
    let server: Vec<&str> = parts.iter().map(|e| &*e.label).filter(|l| l.starts_with("server")).collect();
    assert_eq!(server, ["server: db", "server: theme"], "by time, and only what has one");
}

#[test]
fn what_blocks_rendering_is_what_the_browser_marked() {
    let mut site = Site::new();
    site.0.fcp = Some(Millis(700.0));
    for (path, kind, blocking) in [
        ("gate.js", ResourceKind::Script, RenderBlocking::Blocking),
        ("late.js", ResourceKind::Script, RenderBlocking::NonBlocking),
        ("body.js", ResourceKind::Script, RenderBlocking::InBodyParserBlocking),
        ("base.css", ResourceKind::Style, RenderBlocking::Blocking),
        ("print.css", ResourceKind::Style, RenderBlocking::NonBlocking),
    ] {
        file(&mut site, path, kind, 9_000).render_blocking = blocking;
    }
    site.runs(WorkName::Evaluate, [520.0, 560.0], "gate.js");
    let urls = |check: &str| found(&site, check).into_iter().map(|f| (f.url.unwrap(), f.size_ms)).collect::<Vec<_>>();
    // From the asking to the end of its run; a sheet to its last byte, where nothing tells of its parsing.
    assert_eq!(urls("render-blocking-script"), [(at("gate.js"), Some(Millis(260.0)))]);
    assert_eq!(urls("render-blocking-stylesheet"), [(at("base.css"), Some(Millis(200.0)))]);
    // A frame's own files hold up the frame, not the page.
    for request in &mut site.0.requests {
        request.main_frame = request.kind == ResourceKind::Document;
    }
    assert!(found(&site, "render-blocking-script").is_empty() && found(&site, "render-blocking-stylesheet").is_empty());
}

#[test]
fn the_largest_picture_is_late_when_something_had_to_name_it() {
    let with = |start: f64, initiator: Option<Initiator>, lazy: bool| {
        let mut site = Site::new();
        let hero = site.asks("hero.jpg", ResourceKind::Image, [start, start, start + 100.0, start + 200.0]);
        if let Some(initiator) = initiator {
            hero.initiator = initiator;
        }
        site.0.page = Some(PageFacts {
            images: vec![PageImage { lazy, ..image("hero.jpg", 300.0, 300) }],
            ..PageFacts::default()
        });
        site.paints(start + 250.0, Some("hero.jpg"));
        found(&site, "late-largest")
    };
    // The document's first byte comes at 100 ms.
    assert_eq!(with(350.0, Some(script(&["a.js"])), false).len(), 0);
    assert_eq!(with(351.0, Some(script(&["a.js"])), false).len(), 1);
    assert_eq!(
        with(900.0, None, false).len(),
        0,
        "a parsed tag is found when it is reached; that is no fault of its own"
    );
    assert!(finding_why(&with(900.0, None, true)[0]).contains("loaded lazily"));
    let style =
        Initiator { kind: InitiatorKind::Style, url: Some(at("a.css").as_str().into()), ..Initiator::default() };
    let found = with(900.0, Some(style), false);
    assert!(finding_why(&found[0]).contains("a stylesheet names it"));
    assert_eq!((found[0].on_path_ms, found[0].standing), (Millis(800.0), Standing::OnPath));
}

#[test]
fn text_waits_for_its_font_as_the_sheet_says() {
    let with = |display: FontDisplay, end: f64, drawn: f64| {
        let mut site = Site::new();
        site.asks("own.woff2", ResourceKind::Font, [230.0, 230.0, 240.0, end]);
        site.draws([220.0, 240.0]);
        site.draws([drawn, drawn + 10.0]);
        site.paints(drawn + 30.0, None);
        site.0.lcp_candidates[0].fonts = Some(vec![TextFont::of(&at("own.woff2"), display)]);
        found(&site, "text-waits-for-font")
    };
    let one = with(FontDisplay::Block, 1_000.0, 1_005.0);
    assert_eq!(finding_title(&one[0]), "The largest text waits 770 ms for own.woff2");
    assert_eq!((one[0].size_ms, one[0].standing), (Some(Millis(770.0)), Standing::OnPath));
    assert_eq!(with(FontDisplay::Auto, 9_000.0, 2_005.0)[0].size_ms, Some(Millis(1_770.0)), "until it is given up on");
    assert!(with(FontDisplay::Swap, 1_000.0, 1_005.0).is_empty(), "shown in another font meanwhile it waits for none");
    assert!(with(FontDisplay::Block, 275.0, 280.0).is_empty(), "of the path it has less than 50 ms");
}

#[test]
fn text_that_fades_in_is_not_to_be_shown_before_its_font() {
    let with = |display: FontDisplay, begins: f64, stays: bool| {
        let mut site = Site::new();
        site.asks("own.woff2", ResourceKind::Font, [230.0, 230.0, 980.0, 1_000.0]);
        site.draws([220.0, 240.0]);
        site.draws([1_005.0, 1_015.0]);
        site.paints(1_035.0, None);
        site.0.fcp = Some(Millis(250.0));
        let name = String::from("opacity");
        site.0.animations = vec![Animation { from: Millis(begins), to: Millis(begins + 900.0), name, node: Some(7) }];
        let heading = &mut site.0.lcp_candidates[0];
        heading.animated = vec![AnimatedAround { node: 7, stays, before: Vec::new(), floats: Vec::new() }];
        heading.fonts = Some(vec![TextFont::of(&at("own.woff2"), display)]);
        found(&site, "text-waits-for-font")
    };
    let own = ResourceKey::of(&at("own.woff2"));
    for display in [FontDisplay::Block, FontDisplay::Swap] {
        let one = with(display, 235.0, true);
        assert_eq!(finding_title(&one[0]), "The largest text waits 770 ms for own.woff2");
        assert_eq!(one[0].edit, Edit::PreloadFont { file: own.clone() }, "{display:?}");
        assert!(finding_why(&one[0]).contains("fades in"));
    }
    // It was on the screen before the fade began; or is at its end.
    for (begins, stays) in [(600.0, true), (235.0, false)] {
        assert_eq!(with(FontDisplay::Block, begins, stays)[0].edit, Edit::ShowText { file: own.clone() });
    }
}

/// Asked for when two seconds have passed, a font is not waited for unless its sheet says so; what comes with it later is
/// on the path all the same.
#[test]
fn text_that_was_given_up_on_waits_for_no_font() {
    let found = |display| found(&font_asked_for_late(display), "text-waits-for-font").len();
    assert_eq!((found(FontDisplay::Block), found(FontDisplay::Auto)), (1, 0));
}

#[test]
fn a_picture_is_too_large_over_twice_the_pixels_shown() {
    let with = |natural: u32, bytes: u64, conditions: Option<&str>, change: fn(&mut PageImage)| {
        let mut site = Site::new();
        site.0.conditions = conditions.and_then(preset);
        file(&mut site, "boat.jpg", ResourceKind::Image, bytes);
        let mut shown = image("boat.jpg", 200.0, natural);
        change(&mut shown);
        site.0.page = Some(PageFacts { images: vec![shown], ..PageFacts::default() });
        found(&site, "image-larger-than-shown")
    };
    let same: fn(&mut PageImage) = |_| {};
    assert_eq!(with(280, 100_000, None, same).len(), 0, "280² is less than twice 200²");
    let four = with(400, 100_000, None, same);
    assert_eq!(
        (four.len(), four[0].saving_bytes),
        (1, Some(Bytes(75_000))),
        "four times the pixels: three quarters too many"
    );
    assert_eq!(with(400, 15_000, None, same).len(), 0, "11 kB are not worth it");
    assert_eq!(
        with(700, 100_000, Some("phone-on-the-move"), same).len(),
        0,
        "a phone's screen shows 2.6 × 2.6 as many"
    );
    assert_eq!(with(400, 100_000, None, |i| i.hidden = true).len(), 0, "what is hidden is not shown at any size");
    assert_eq!(with(400, 100_000, None, |i| i.background = true).len(), 0, "a background may be sized by its rules");
}

#[test]
fn pictures_without_dimensions_are_named_once_with_the_shift_they_made() {
    let mut site = Site::new();
    file(&mut site, "boat.jpg", ResourceKind::Image, 9_000);
    let unsized_image = PageImage { sized: false, ..image("boat.jpg", 200.0, 200) };
    site.0.page = Some(PageFacts {
        images: vec![
            unsized_image.clone(),
            unsized_image.clone(),
            PageImage { url: at("not-asked-for.jpg"), ..unsized_image.clone() },
            PageImage { hidden: true, ..unsized_image },
        ],
        ..PageFacts::default()
    });
    let shift =
        |ms: f64| LayoutShift { at: Millis(ms), score: 0.1, inner: false, had_recent_input: false, moved: Vec::new() };
    // The picture's last byte comes at 500 ms; a shift a second later is not its doing.
    site.draws([555.0, 562.0]);
    site.draws([1_497.0, 1_503.0]);
    site.0.shifts = vec![shift(560.0), shift(1_500.0)];
    let findings = found(&site, "image-without-dimensions");
    assert_eq!(findings.len(), 1);
    assert_eq!(say_finding(&findings[0]).evidence.last().map(|e| e.value.clone()).as_deref(), Some("0.100"));
}

#[test]
fn a_standout_is_more_than_15_per_cent_and_100_kb() {
    let with = |bytes: u64, rest: u64| {
        let mut site = Site::new();
        site.0.requests[0].transferred = Some(Bytes(rest));
        file(&mut site, "film.mp4", ResourceKind::Media, bytes);
        let of_film = |f: &Finding| f.url.as_deref() == Some(&at("film.mp4"));
        found(&site, "standout").into_iter().filter(of_film).collect::<Vec<_>>()
    };
    assert_eq!(with(150_000, 850_000).len(), 0, "15 % exactly");
    let over = with(151_000, 849_000);
    assert!(finding_title(&over[0]).contains("15 % of the weight: 151 kB of 1.00 MB"), "{:?}", over[0]);
    assert_eq!(with(99_999, 1_000).len(), 0, "of a light page it may be most");
    assert_eq!(with(100_000, 1_000).len(), 1);
    // What came from the cache weighs nothing.
    let mut site = Site::new();
    file(&mut site, "film.mp4", ResourceKind::Media, 900_000).cache = Some(phainon_core::CacheSource::Disk);
    assert!(found(&site, "standout").iter().all(|f| f.url.as_deref() != Some(&at("film.mp4"))));
}

#[test]
fn work_counts_for_a_script_from_100_ms_of_long_tasks_and_for_a_third_party_over_50_ms() {
    let chat = "http://chat.parleydock.test/chat.js";
    let with = |tasks: &[[f64; 2]]| {
        let mut site = Site::new();
        site.0.fcp = Some(Millis(300.0));
        site.asks("", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]).url = chat.into();
        for span in tasks {
            site.works(WorkName::Task, 0, *span, None);
            site.works(WorkName::Call, 1, *span, None).url = Some(chat.into());
        }
        (found(&site, "long-tasks"), found(&site, "third-party-work"))
    };
    let (long, third) = with(&[[400.0, 450.0]]);
    assert_eq!((long.len(), third.len()), (0, 0), "50 ms are neither long nor worth a finding");
    let (long, third) = with(&[[400.0, 451.0], [500.0, 548.0]]);
    assert_eq!((long.len(), third.len()), (0, 1), "51 ms of long tasks, 99 ms of work");
    let (long, third) = with(&[[400.0, 460.0], [500.0, 560.0]]);
    assert_eq!(long[0].size_ms, Some(Millis(120.0)));
    assert_eq!((&*third[0].owner.name, third[0].size_ms), ("parleydock.test", Some(Millis(120.0))));
    assert_eq!(third[0].edit.target(), "third_party parleydock.test");

    // The site's own script is no third party's.
    let mut site = Site::new();
    site.asks("app.js", ResourceKind::Script, [150.0, 150.0, 200.0, 210.0]);
    site.runs(WorkName::Call, [400.0, 600.0], "app.js");
    assert_eq!((found(&site, "long-tasks").len(), found(&site, "third-party-work").len()), (1, 0));
    assert_eq!(found(&site, "long-tasks")[0].standing, Standing::Unknown, "without a largest paint there is no path");
}

#[test]
fn a_third_party_holds_the_paint_up_from_50_ms_of_the_path() {
    let with = |ends: f64, kind: ResourceKind| {
        let mut site = Site::new();
        let url = "http://pictures.islandmedia.test/hero.jpg";
        let from = [150.0, 150.0, ends - 10.0, ends];
        site.asks("", kind, from).url = url.into();
        site.paints(ends + 5.0, Some("hero.jpg"));
        site.0.lcp_candidates[0].url = Some(url.into());
        found(&site, "third-party-on-path")
    };
    // The parser is done with the document at 200 ms; until then the picture is not what the paint waits for.
    assert_eq!(with(195.0, ResourceKind::Image).len(), 0);
    let found = with(400.0, ResourceKind::Image);
    assert_eq!((found[0].edit.kind(), found[0].standing), (EditKind::SelfHost, Standing::OnPath));
    assert!(found[0].on_path_ms >= Millis(50.0) && found[0].size_ms == Some(found[0].on_path_ms));
    assert!(say_finding(&found[0]).title.ends_with("for islandmedia.test"), "{}", say_finding(&found[0]).title);
    // What answers with data cannot be copied to the site's host.
    let data = with(400.0, ResourceKind::Data);
    assert_eq!(data.iter().map(|f| f.edit.kind()).collect::<Vec<_>>(), [EditKind::RemoveOwner]);
}

#[test]
fn a_plugin_is_unused_from_a_twentieth_of_2_kb_on() {
    let with = |bytes: u64, used: u32, path: &str| {
        let mut site = Site::new();
        file(&mut site, path, ResourceKind::Script, bytes).unpacked = Some(Bytes(bytes));
        let coverage = vec![Coverage { url: at(path), used: vec![(0, used)], length: 10_000 }];
        let analysis = analyse(&Prepared::plain(site.0).with_coverage(coverage), &NoBodies);
        analysis.findings.into_iter().filter(|f| f.check == "unused-plugin").collect::<Vec<_>>()
    };
    let plugin = "plugins/easy-forms/forms.js";
    assert_eq!(with(2_000, 501, plugin).len(), 0, "more than a twentieth is used");
    assert_eq!(with(1_999, 500, plugin).len(), 0, "so little code is no matter");
    assert_eq!(with(2_000, 500, "app.js").len(), 0, "the site's own is not a plugin's");
    let found = with(2_000, 500, plugin);
    assert_eq!(
        (found[0].edit.key().as_str(), found[0].sureness),
        ("remove_owner plugin easy-forms", Sureness::Inferred)
    );
    assert_eq!(finding_title(&found[0]), "easy-forms loads 2.0 kB of code of which this page uses 5 %");
    assert!(say_finding(&found[0]).evidence[0].value.contains("95 % of it not used"));
}

#[test]
fn two_owners_serve_one_purpose_by_what_was_said_and_else_by_their_names() {
    let mut site = Site::new();
    file(&mut site, "plugins/gull-stats/a.js", ResourceKind::Script, 9_000);
    file(&mut site, "plugins/page-counter/a.js", ResourceKind::Script, 30_000);
    file(&mut site, "plugins/lantern/a.js", ResourceKind::Script, 50_000);
    // A name of two meanings tells nothing.
    file(&mut site, "plugins/search-beacon/a.js", ResourceKind::Script, 70_000);
    let with = |said: &[(&str, &[&str])]| {
        let mut settings = Settings::default();
        for (owner, purposes) in said {
            let purposes = purposes.iter().map(|p| (*p).to_owned()).collect();
            settings.purposes.insert(format!("plugin {owner}"), purposes);
        }
        let prepared = Prepared::new(site.0.clone().into(), settings.into());
        let found = analyse(&prepared, &NoBodies).findings;
        let found = found.into_iter().filter(|f| f.check == "owners-of-one-purpose");
        found.map(|f| (finding_title(&f), f.edit.key())).collect::<Vec<_>>()
    };
    let counters = "page-counter and gull-stats are both for statistics".to_owned();
    assert_eq!(with(&[]), [(counters.clone(), "remove_owner plugin page-counter".to_owned())]);
    assert_eq!(with(&[("page-counter", &["guest book"])]), [], "what was said counts, not the name");
    let all = with(&[("lantern", &["statistics"])]);
    assert_eq!(all[0].0, "lantern, page-counter and gull-stats are all for statistics");
    assert_eq!(all[0].1, "remove_owner plugin lantern", "about the dearest of them");
    let twice = with(&[("lantern", &["light", "statistics"]), ("page-counter", &["light", "statistics"])]);
    assert_eq!(twice.len(), 1, "one finding for the dearest, whatever it shares with the others: {twice:?}");
}
