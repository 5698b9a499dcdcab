//! Every kind of edit that acts on responses, in the real browser: each does there what it says. Those that
//! change what scripts do, and when, are in `trial.rs`.

#![allow(clippy::unwrap_used)]

mod reload;

use axum::Router;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use phainon_core::forecast::Model;
use phainon_core::{Edit, Load, NoBodies, PageImage, Prepared, RenderBlocking, Request};
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::RecordRequest;
use reload::{Recorded, TURN, again, conditions};
use std::sync::Arc;
use std::time::Duration;

const HOST: &str = "www.skerryline.test";
const OTHER: &str = "media.islandmedia.test";
const FAR: &str = "far.islandmedia.test";

/// A page with something for every edit; its scripts write into the title in which order they ran.
const PAGE: &str = "<!doctype html><html><head><meta charset=utf-8><title>start</title><link rel=stylesheet href=/all.css><script>window.seen = []</script><script src=/plugins/tide/a.js></script><script src=http://media.islandmedia.test/tag.js></script></head><body><h1>All</h1><img src=/hero.jpg style='width:100px'><img src=/low.jpg loading=lazy width=32 height=20><img src=/moved.gif width=20 height=20><div id=deck data-hero=http://far.islandmedia.test/late.jpg></div><script>seen.push('end'); addEventListener('load', () => { document.title = seen.join(); setTimeout(() => { const deck = document.getElementById('deck'); if (deck.querySelector('img')) return; const hero = document.createElement('img'); hero.className = 'hero'; hero.src = deck.dataset.hero; deck.append(hero); }, 400); })</script><p style='margin-top:9000px'></p><img src=/deep.jpg width=320 height=200></body></html>";

const SHEET: &str = "@import \"part.css\";\n/* A remark that is for those who read the sheet, and that nobody's browser needs to be sent over a line that is slow, though it always was. */\nh1 { color: rgb(1, 2, 3); }\n.gone { color: red; margin: 1px; padding: 2px; border: 3px solid blue; }\n.gone:hover { color: blue; }\n";

fn of_type(kind: &'static str, body: impl IntoResponse) -> Response {
    ([(header::CONTENT_TYPE, kind)], body).into_response()
}

fn picture() -> Response {
    let noisy = image::RgbImage::from_fn(320, 200, |x, y| {
        image::Rgb([(x * 31 % 251) as u8, (y * 17 % 251) as u8, ((x * y) % 97) as u8])
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    noisy.write_to(&mut bytes, image::ImageFormat::Jpeg).unwrap();
    of_type("image/jpeg", bytes.into_inner())
}

async fn site(offer: Offer) -> LocalHosts {
    let app = Router::new()
        .route("/all", get(|| async {
            tokio::time::sleep(Duration::from_millis(400)).await;
            ([("server-timing", "tide;dur=300")], Html(PAGE))
        }))
        .route("/all.css", get(|| async { of_type("text/css", SHEET) }))
        .route("/part.css", get(|| async { of_type("text/css", ".hero { width: 900px; height: 560px; }") }))
        .route("/plugins/tide/a.js", get(|| async {
            tokio::time::sleep(Duration::from_millis(300)).await;
            of_type("text/javascript", "// the tide\nseen.push( 'a' ) ;\nfunction never() { return 'nobody calls this, on no page of the ferry line, and still it is sent to everybody' }\n")
        }))
        .route("/tag.js", get(|| async { of_type("text/javascript", "seen.push('tag');") }))
        .route("/moved.gif", get(|| async { (StatusCode::FOUND, [(header::LOCATION, "/there.jpg")]) }))
        .route("/text", get(|| async {
            Html("<!doctype html><style>@font-face{font-family:Q;src:url(/q.woff2)}body{font-family:Q}</style><script>window.seen = []</script><script src=/plugins/tide/a.js></script><h1>Only text</h1>")
        }))
        .route("/lettered", get(|| async {
            Html("<!doctype html><style>@font-face{font-family:Quay;src:url(/quay.woff2)}h1{font:40px Quay;float:left}</style><h1>Ferry to the isles</h1><script>document.fonts.ready.then(() => { document.title = document.fonts.check('40px Quay') + ' ' + document.querySelector('h1').offsetWidth })</script>")
        }))
        .route("/faded", get(|| async {
            Html("<!doctype html><style>@font-face{font-family:Quay;src:url(/slow.woff2)}@keyframes appear{from{opacity:0}}h1{font:60px Quay,serif;animation:appear 300ms both}</style><h1>Ferry to the isles</h1><p>Few words")
        }))
        .route("/slow.woff2", get(|| async {
            tokio::time::sleep(Duration::from_millis(900)).await;
            of_type("font/woff2", include_bytes!("../../standin/assets/quay-400.woff2").as_slice())
        }))
        .route("/quay.woff2", get(|| async {
            of_type("font/woff2", include_bytes!("../../standin/assets/quay-400.woff2").as_slice())
        }))
        .route("/q.woff2", get(|| async {
            tokio::time::sleep(Duration::from_millis(900)).await;
            of_type("font/woff2", "no font")
        }))
        .fallback(|| async { picture() });
    LocalHosts::start(&[HOST.into(), OTHER.into(), FAR.into()], app, move |_| offer).await.unwrap()
}

async fn recorded(address: &str, offer: Offer) -> Recorded {
    let mut request = RecordRequest::new(address, conditions(), 1);
    request.detail = true;
    Recorded::from(&site(offer).await, &[HOST, OTHER, FAR], request).await
}

fn asked<'a>(load: &'a Load, end: &str) -> Option<&'a Request> {
    load.requests.iter().find(|r| r.url.ends_with(end) && r.status.is_none_or(|s| s != 302))
}

fn one<'a>(load: &'a Load, end: &str) -> &'a Request {
    asked(load, end).unwrap_or_else(|| panic!("{end} is asked for"))
}

fn image<'a>(load: &'a Load, end: &str) -> &'a PageImage {
    load.page.as_ref().unwrap().images.iter().find(|i| i.url.ends_with(end)).unwrap()
}

/// The server's time and the way.
fn waited(load: &Load, end: &str) -> f64 {
    let request = one(load, end);
    request.first_byte.unwrap().0 - request.sent.unwrap().0
}

fn bytes(load: &Load, end: &str) -> u64 {
    one(load, end).transferred.unwrap().0
}

fn title(load: &Load) -> &str {
    load.title.as_deref().unwrap()
}

/// What a load asked for, for who has to mend what does not hold.
fn asked_for(load: &Load) -> String {
    let about = |r: &Request| {
        let at = |ms: Option<phainon_core::Millis>| ms.map_or(-1.0, |m| m.0.round());
        format!(
            "{} {:?} {:?} asked {:.0} connected {} done {} {:?}",
            r.short_name(),
            r.priority,
            r.render_blocking,
            r.start.0,
            at(r.connect_end),
            at(r.end),
            r.unpacked
        )
    };
    format!("{} {:#?}", title(load), load.requests.iter().map(about).collect::<Vec<_>>())
}

/// What an edit has to do: to the load without it, and with it.
type Does = fn(&Load, &Load) -> bool;

const EDITS: [(&str, Does); 24] = [
    ("async_script:a.js", |_, b| one(b, "a.js").render_blocking != RenderBlocking::Blocking && title(b).ends_with('a')),
    ("script_to_end:a.js", |a, b| title(a) == "a,tag,end" && title(b).ends_with('a')),
    ("lift_import:part.css", |a, b| one(b, "part.css").start.0 + 20.0 < one(a, "part.css").start.0),
    ("preload:late.jpg", |a, b| one(b, "late.jpg").start.0 + 200.0 < one(a, "late.jpg").start.0),
    ("raise_priority:deep.jpg", |a, b| {
        let high = |l: &Load| one(l, "deep.jpg").priority.as_deref() == Some("High");
        !high(a) && high(b)
    }),
    ("put_in_html:late.jpg", |a, b| {
        let largest = |l: &Load| l.largest().and_then(|l| l.url.clone()).is_some_and(|u| u.ends_with("late.jpg"));
        largest(a) && largest(b) && b.largest().unwrap().at.0 + 300.0 < a.largest().unwrap().at.0
    }),
    ("lazy:deep.jpg", |a, b| asked(a, "deep.jpg").is_some() && asked(b, "deep.jpg").is_none()),
    ("eager:low.jpg", |a, b| one(b, "low.jpg").start.0 + 200.0 < one(a, "low.jpg").start.0),
    ("compress:all.css", |a, b| {
        bytes(b, "all.css") < bytes(a, "all.css") && one(b, "all.css").header("content-encoding") == Some("gzip")
    }),
    ("minify:a.js", |a, b| one(b, "a.js").unpacked < one(a, "a.js").unpacked && title(b) == "a,tag,end"),
    ("minify:all.css", |a, b| {
        one(b, "all.css").unpacked < one(a, "all.css").unpacked && asked(b, "part.css").is_some()
    }),
    ("shrink:hero.jpg=0.4", |a, b| bytes(b, "hero.jpg") < bytes(a, "hero.jpg") / 2),
    ("resize:hero.jpg", |a, b| image(a, "hero.jpg").natural_width == 320 && image(b, "hero.jpg").natural_width == 100),
    ("set_dimensions:hero.jpg", |a, b| !image(a, "hero.jpg").sized && image(b, "hero.jpg").sized),
    ("drop_unused:all.css", |a, b| {
        one(b, "all.css").unpacked.unwrap().0 + 100 < one(a, "all.css").unpacked.unwrap().0
            && asked(b, "part.css").is_some()
    }),
    ("drop_unused:a.js", |a, b| {
        one(b, "a.js").unpacked.unwrap().0 + 80 < one(a, "a.js").unpacked.unwrap().0 && title(a) == title(b)
    }),
    ("faster_response:a.js=20ms", |a, b| waited(a, "a.js") > 300.0 && waited(b, "a.js") < 200.0),
    ("page_cache:/all", |a, b| waited(b, "/all") + 250.0 < waited(a, "/all")),
    ("server_remove:tide", |a, b| waited(b, "/all") + 200.0 < waited(a, "/all")),
    ("server_faster:tide=0.5", |a, b| (100.0..200.0).contains(&(waited(a, "/all") - waited(b, "/all")))),
    ("nearer:far.islandmedia.test=4ms", |a, b| {
        let took = |l: &Load| one(l, "late.jpg").duration().unwrap().0;
        took(b) + 50.0 < took(a)
    }),
    ("self_host:tag.js", |_, b| one(b, "tag.js").host().as_deref() == Some(HOST) && title(b) == "a,tag,end"),
    ("drop_redirect:moved.gif", |a, b| {
        let hops = |l: &Load| l.requests.iter().filter(|r| r.status == Some(302)).count();
        hops(a) == 1 && hops(b) == 0 && asked(b, "there.jpg").is_some()
    }),
    ("remove_owner:islandmedia.test", |a, b| {
        let of =
            |l: &Load| l.requests.iter().filter(|r| r.url.contains("islandmedia.test") && r.status.is_some()).count();
        of(a) == 2 && of(b) == 0
    }),
];

#[tokio::test(flavor = "multi_thread")]
async fn each_edit_does_in_the_browser_what_it_says() {
    let _turn = TURN.lock().await;
    let page = recorded("http://www.skerryline.test/all", Offer::First).await;
    let base = page.base();
    let plain = again(&base, &[], &[], "").await.recorded.load();
    let mut wrong = Vec::new();
    for (edit, does) in EDITS {
        let tried = again(&base, &[edit], &[], "").await.recorded.load();
        if does(&plain, &tried) {
            continue;
        }
        // A machine that stood still for a moment is no fault of an edit's: both are loaded once more.
        let plain = again(&base, &[], &[], "").await.recorded.load();
        let tried = again(&base, &[edit], &[], "").await.recorded.load();
        if !does(&plain, &tried) {
            wrong.push(format!("{edit}: {}; without it {}", asked_for(&tried), asked_for(&plain)));
        }
    }
    assert!(wrong.is_empty(), "these do not: {wrong:#?}");
}

#[tokio::test(flavor = "multi_thread")]
async fn text_is_shown_before_its_font_and_a_font_is_asked_for_sooner() {
    let _turn = TURN.lock().await;
    let base = recorded("http://www.skerryline.test/text", Offer::First).await.base();
    let plain = again(&base, &[], &[], "").await.recorded.load();
    // Text that is there and not to be seen counts as painted first, but not as the largest.
    let waits = |l: &Load| l.largest().unwrap().at >= one(l, "q.woff2").end.unwrap();
    assert!(waits(&plain), "hidden until the font has come");
    let shown = again(&base, &["show_text:q.woff2"], &[], "").await.recorded.load();
    assert!(!waits(&shown));
    // Taken off, it is asked for by nobody, and nothing fails.
    let off = again(&base, &["remove:q.woff2"], &[], "").await.recorded.load();
    assert!(asked(&off, "q.woff2").is_none(), "{}", asked_for(&off));
    assert!(off.largest().unwrap().at.0 + 500.0 < plain.largest().unwrap().at.0);
    // A script that takes 300 ms to come stands above the text, which is what asks for the font.
    let after = |l: &Load| one(l, "q.woff2").start.0 - one(l, "/text").first_byte.unwrap().0;
    // A machine that others use too can stand still within a load: what is late three times in a row is late.
    let mut asked = Vec::new();
    while asked.len() < 3 && asked.last().is_none_or(|at| at + 150.0 >= after(&plain)) {
        let preloaded = again(&base, &["preload_font:q.woff2"], &[], "").await.recorded.load();
        assert_eq!(preloaded.requests.iter().filter(|r| r.url.ends_with("q.woff2")).count(), 1, "and not twice");
        asked.push(after(&preloaded));
    }
    assert!(asked.last().is_some_and(|at| at + 150.0 < after(&plain)), "{asked:?} and {}", after(&plain));
}

#[tokio::test(flavor = "multi_thread")]
async fn text_under_a_fade_counts_with_its_font_however_soon_it_is_shown() {
    let _turn = TURN.lock().await;
    let base = recorded("http://www.skerryline.test/faded", Offer::First).await.base();
    let show = Edit::parse("show_text:slow.woff2", &base.prepared).unwrap();
    let off = Edit::parse("remove:slow.woff2", &base.prepared).unwrap();
    let model = Model::of(&Arc::new(Prepared::plain((*base.prepared.load).clone())));
    let forecast = |edit: Edit| model.forecast(&[edit], &NoBodies).after.lcp_ms.unwrap();
    let counts_with_font = |l: &Load| l.largest().unwrap().at >= one(l, "slow.woff2").end.unwrap();
    let shown = again(&base, &["show_text:slow.woff2"], &[], "").await.recorded.load();
    assert!(counts_with_font(&shown));
    assert!(forecast(show) >= one(&base.prepared.load, "slow.woff2").end.unwrap());
    // Without it nothing has the heading painted anew: the few words are the largest that counts.
    let without = again(&base, &["remove:slow.woff2"], &[], "").await.recorded.load();
    assert_eq!(without.largest().unwrap().tag.as_deref(), Some("p"));
    let first = base.prepared.load.lcp_candidates[0].at;
    assert!((forecast(off) - first).0.abs() < 1.0);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_font_with_fewer_letters_draws_those_that_it_has_as_before() {
    let _turn = TURN.lock().await;
    let base = recorded("http://www.skerryline.test/lettered", Offer::First).await.base();
    let plain = again(&base, &[], &[], "").await.recorded.load();
    let subset = again(&base, &["subset_font:quay.woff2"], &[], "").await.recorded.load();
    assert!(bytes(&subset, "quay.woff2") * 3 < bytes(&plain, "quay.woff2") * 2);
    assert!(
        title(&plain).starts_with("true ") && title(&plain) == title(&subset),
        "{} {}",
        title(&plain),
        title(&subset)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_host_speaks_another_protocol() {
    let _turn = TURN.lock().await;
    let base = recorded("https://www.skerryline.test/text", Offer::First).await.base();
    let spoken = async |edits: &[&str]| {
        let load = again(&base, edits, &[], "").await.recorded.load();
        one(&load, "/text").protocol.clone().unwrap()
    };
    assert_eq!(spoken(&[]).await, "http/1.1");
    assert_eq!(spoken(&["http2:www.skerryline.test"]).await, "h2");
}
