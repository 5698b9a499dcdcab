//! Pages whose largest paint waits for one known thing each, loaded in the real browser: the path
//! must name it.

#![allow(clippy::unwrap_used)]

mod picture;
mod steady;

use axum::Router;
use axum::extract::Path;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use phainon_core::path::{Cause, Leg};
use phainon_core::{Analysis, Load, NoBodies, Note, Prepared, analyse, preset};
use phainon_recorder::{RecordRequest, record_whole};
use picture::picture;
use std::net::SocketAddr;
use std::time::Duration;
use steady::wrong_each_time;
use tokio::sync::{Mutex, mpsc};

/// Browsers measure each other when two run at once; these tests take turns.
static TURN: Mutex<()> = Mutex::const_new(());

const WORDS: &str = "Words of the page that are many enough to be the largest thing on it. ";

fn page(name: &str) -> Option<String> {
    let hero = "<img src=/hero.png width=360 height=240>";
    let body = match name {
        "promise" => "<p>First</p><div id=r></div><script type=module src=/fetching.js></script>".to_owned(),
        "timer" => "<p>First</p><div id=r></div><script src=/timer.js defer></script>".to_owned(),
        "slides" => "<div id=r></div><script src=/slides.js></script>".to_owned(),
        "module" => "<div id=r></div><script type=module src=/outer.js></script>".to_owned(),
        "lazy" => "<img loading=lazy src=/hero.png width=360 height=240>".to_owned(),
        "background" => "<link rel=stylesheet href=/sheet.css><div class=b></div>".to_owned(),
        "font" => "<link rel=stylesheet href=/font.css><h1>Words in a late font</h1>".to_owned(),
        "window" => format!("{hero}<script>open('/timer')</script>"),
        "moved" => {
            "<p>Old</p><script>onload = () => setTimeout(() => location.href = '/hero', 300)</script>".to_owned()
        }
        "hero" => hero.to_owned(),
        // The preload scanner fetches the picture at once; its element waits for the script above it.
        "held" => format!("<p>First</p>\n<script src=/gate.js></script>\n{hero}"),
        "held-in-one-line" => format!("<p>First</p><script src=/gate.js></script>{hero}"),
        // The same script below the picture holds up nothing of it.
        "not-held" => format!("<p>First</p>\n{hero}\n<script src=/gate.js></script>"),
        _ => return None,
    };
    Some(format!("<!doctype html><meta name=viewport content='width=device-width'><title>t</title><body>{body}"))
}

/// A file and how long its server takes over it.
fn file(name: &str) -> Option<(&'static str, String, u64)> {
    let show = format!("document.getElementById('r').innerHTML = '<h1>{}</h1>'", WORDS.repeat(6));
    let script = "text/javascript";
    Some(match name {
        "fetching.js" => (script, format!("fetch('/data.json').then((r) => r.json()).then(() => {{ {show} }})"), 0),
        "data.json" => ("application/json", "{}".into(), 500),
        "timer.js" => (script, format!("setTimeout(() => {{ {show} }}, 900)"), 0),
        "slides.js" => (
            script,
            "const i = new Image(); i.onload = () => setTimeout(() => document.getElementById('r').append(i), 700); i.src = '/hero.png'"
                .into(),
            0,
        ),
        "gate.js" => (script, "document.title = 'open'".into(), 700),
        "outer.js" => (script, "import { put } from '/inner.js'; put()".into(), 0),
        "inner.js" => (
            script,
            "export const put = () => { const i = new Image(360, 240); i.src = '/hero.png'; document.getElementById('r').append(i) }"
                .into(),
            400,
        ),
        "sheet.css" => ("text/css", ".b { width: 360px; height: 240px; background: url(/hero.png) }".into(), 300),
        "font.css" => (
            "text/css",
            "@font-face { font-family: L; src: url(/letters.woff2); font-display: block } h1 { font: 60px L }".into(),
            0,
        ),
        _ => return None,
    })
}

async fn answer(Path(name): Path<String>) -> Response {
    if let Some(page) = page(&name) {
        return Html(page).into_response();
    }
    if let Some((mime, text, wait)) = file(&name) {
        tokio::time::sleep(Duration::from_millis(wait)).await;
        return ([(header::CONTENT_TYPE, mime)], text).into_response();
    }
    match name.as_str() {
        "hero.png" => ([(header::CONTENT_TYPE, "image/png")], picture()).into_response(),
        "letters.woff2" => {
            tokio::time::sleep(Duration::from_millis(800)).await;
            StatusCode::NOT_FOUND.into_response()
        }
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

async fn site() -> SocketAddr {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let app = Router::new().route("/{name}", get(answer));
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    address
}

async fn recorded(address: SocketAddr, name: &str) -> (Load, Analysis) {
    let mut request = RecordRequest::new(&format!("http://{address}/{name}"), preset("unshaped").unwrap(), 1);
    request.limits.quiet = Duration::from_millis(1200);
    request.detail = false;
    let (sender, _receiver) = mpsc::unbounded_channel();
    let recording = record_whole(&request, sender).await.unwrap();
    assert_eq!(recording.loads[0].failed, None, "{name}");
    let load = recording.loads[0].assemble().unwrap();
    let analysis = analyse(&Prepared::plain(load.clone()), &NoBodies);
    (load, analysis)
}

/// Whether the path has a leg of this cause that is about this file and takes at least this long.
fn has(path: &[Leg], cause: Cause, file: &str, least: f64) -> bool {
    path.iter().any(|leg| {
        leg.cause == cause && leg.length().0 >= least && leg.url.as_deref().is_some_and(|url| url.ends_with(file))
    })
}

#[tokio::test]
async fn the_path_names_what_each_page_waits_for() {
    let _turn = TURN.lock().await;
    let address = site().await;
    // What the largest element is, and the leg that must be there: cause, file, and how long at least.
    let cases: [(&str, &str, Cause, &str, f64); 7] = [
        ("promise", "h1", Cause::Wait, "/data.json", 450.0),
        ("timer", "h1", Cause::Timer, "/timer.js", 800.0),
        ("slides", "img", Cause::Timer, "/slides.js", 600.0),
        ("module", "img", Cause::Wait, "/inner.js", 350.0),
        ("lazy", "img", Cause::Lazy, "", 0.0),
        ("background", "div.b", Cause::Wait, "/sheet.css", 250.0),
        ("font", "h1", Cause::Wait, "/letters.woff2", 700.0),
    ];
    for case in cases {
        let wrong = wrong_each_time(3, async || trouble(&recorded(address, case.0).await.1, case)).await;
        assert_eq!(wrong, None, "{}", case.0);
    }
}

/// What is wrong with the path of a page, if anything.
fn trouble(analysis: &Analysis, (_, element, cause, file, least): (&str, &str, Cause, &str, f64)) -> Option<String> {
    let Some(largest) = &analysis.lcp else { return Some("no largest paint".into()) };
    let selector = largest.selector.as_deref().unwrap_or("");
    if !selector.ends_with(element) {
        return Some(format!("the largest element is {selector}"));
    }
    let found = match cause {
        Cause::Lazy => largest.path.iter().any(|leg| leg.cause == Cause::Lazy),
        _ => has(&largest.path, cause, file, least),
    };
    let unexplained = largest.path.iter().filter(|l| l.cause == Cause::Unknown).map(|l| l.length().0).sum::<f64>();
    let path = || largest.path.iter().map(|l| (&l.fact, l.length())).collect::<Vec<_>>();
    (!found || unexplained >= 50.0).then(|| format!("{unexplained} ms are not explained in {:#?}", path()))
}

#[tokio::test]
async fn a_window_that_the_page_opens_is_not_the_page_and_one_it_moves_to_is() {
    let _turn = TURN.lock().await;
    let address = site().await;
    let (load, analysis) = recorded(address, "window").await;
    assert!(load.url.ends_with("/window"), "{}", load.url);
    assert_eq!(analysis.lcp.unwrap().selector.as_deref(), Some("img"));

    let (load, analysis) = recorded(address, "moved").await;
    assert!(load.url.ends_with("/hero"), "{}", load.url);
    assert!(load.requests.iter().all(|r| !r.url.ends_with("/moved")), "what came before does not count");
    assert!(load.notes.iter().any(|n| matches!(n, Note::MovedOn { .. })), "and that is said: {:?}", load.notes);
    assert_eq!(analysis.metrics.requests, 2, "{:?}", load.requests.iter().map(|r| &r.url).collect::<Vec<_>>());
}

/// What is not as it should be of a load whose picture is held up by a script, or is not.
fn held_or_not((load, analysis): &(Load, Analysis), held: bool) -> Option<String> {
    let came = load.requests.iter().find(|r| r.url.ends_with("/hero.png")).unwrap();
    let largest = analysis.lcp.as_ref().unwrap();
    assert_eq!(largest.selector.as_deref(), Some("img"));
    // The stop-watch: how late it was painted, though it had come at once.
    let (at, end) = (analysis.metrics.lcp_ms.unwrap(), came.end.unwrap());
    let told = has(&largest.path, Cause::Wait, "/gate.js", 550.0);
    let right = end.0 < 400.0 && (at.0 > 700.0) == held && told == held;
    (!right).then(|| format!("came at {end:?}, painted at {at:?}: {:#?}", largest.path))
}

#[tokio::test]
async fn a_picture_below_a_script_waits_for_it_and_one_above_does_not() {
    let _turn = TURN.lock().await;
    let address = site().await;
    for (name, held) in [("held", true), ("held-in-one-line", true), ("not-held", false)] {
        let wrong = wrong_each_time(3, async || held_or_not(&recorded(address, name).await, held)).await;
        assert_eq!(wrong, None, "{name}");
    }
}
