//! The fonts that the largest text is set in, as the real browser tells: it waits for them as their sheet says, and
//! for no other.

#![allow(clippy::unwrap_used)]

mod steady;

use axum::Router;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use phainon_core::path::{Leg, LegFact};
use phainon_core::{FontDisplay, Load, Prepared, TextFont, path, preset, standings};
use phainon_recorder::{RecordRequest, record_whole};
use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::Duration;
use steady::wrong_each_time;
use tokio::sync::mpsc;

type Asked = Arc<Mutex<HashMap<String, u32>>>;

const SHEET: &str = "@font-face { font-family: Own; src: url(/own.woff2) }
@font-face { font-family: Other; font-display: block; src: url(/other.woff2) }
h1 { font: 60px Own, serif } p { font: 20px Other, serif }";

/// Icons before or behind the largest text, in an element that fades in and stays so; a sign elsewhere.
const FADE: &str = "@keyframes appear { from { opacity: 0 } } div { animation: appear 1500ms both }
p::after { content: '.'; animation: appear 9s }
@font-face { font-family: Icons; src: url(/own.woff2) } i::before { font: 60px Icons; content: 'a' } s { float: right } section { height: 100px; overflow: hidden }
@font-face { font-family: Late; src: url(/other.woff2) } s::before { font: 60px Late; content: 'a' } h1 { font: 60px serif }";

fn page(name: &str) -> String {
    let words = "Words that are many enough to be the largest thing on it. ".repeat(4);
    let inside = match name {
        "icons" => format!("<i></i><h1>{words}</h1>"),
        "behind" => format!("<h1>{words}</h1><i></i>"),
        "apart" => format!("<section><s></s></section><h1>{words}</h1><p><i></i></p>"),
        "boxed" => format!("<section><s></s></section><i></i><h1>{words}</h1>"),
        "floats" => format!("<s></s><h1>{words}</h1><p><i></i></p>"),
        sheet => return page_with(sheet, &words),
    };
    format!(
        "<!doctype html><meta name=viewport content='width=device-width'><title>t</title><style>{FADE}</style>\n<p>Few</p><div>{inside}</div>"
    )
}

fn page_with(sheet: &str, words: &str) -> String {
    format!(
        "<!doctype html><meta name=viewport content='width=device-width'><title>t</title><link rel=stylesheet href=/{sheet}.css>\n<h1>{words}</h1>\n<p>Few</p>\n<script src=/below.js></script>"
    )
}

async fn answer(State(asked): State<Asked>, Path(name): Path<String>) -> Response {
    *asked.lock().unwrap().entry(name.clone()).or_default() += 1;
    let (wait, kind) = match name.as_str() {
        "early" | "late" | "icons" | "behind" | "floats" | "apart" | "boxed" => {
            return Html(page(&name)).into_response();
        }
        "early.css" => (0, "text/css"),
        "late.css" => (2_300, "text/css"),
        "below.js" => (2_700, "text/javascript"),
        "own.woff2" => (600, "font/woff2"),
        "other.woff2" => (1_100, "font/woff2"),
        _ => return StatusCode::NOT_FOUND.into_response(),
    };
    tokio::time::sleep(Duration::from_millis(wait)).await;
    let body: &'static [u8] = match kind {
        "text/css" => SHEET.as_bytes(),
        "font/woff2" => include_bytes!("classes/letters.woff2"),
        _ => {
            b"document.querySelector('p').append('.'); for (const t = performance.now(); performance.now() - t < 60;);"
        }
    };
    ([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "no-store")], body).into_response()
}

/// A load of a page, how often its sheet was asked for where it has one, and the path to its largest paint.
async fn recorded(name: &str) -> (Load, Option<u32>, Vec<Leg>) {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let asked = Asked::default();
    let app = Router::new().route("/{name}", get(answer)).with_state(asked.clone());
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    let mut request = RecordRequest::new(&format!("http://{address}/{name}"), preset("unshaped").unwrap(), 1);
    request.limits.quiet = Duration::from_millis(1_500);
    request.detail = false;
    let (sender, _receiver) = mpsc::unbounded_channel();
    let recording = record_whole(&request, sender).await.unwrap();
    assert_eq!(recording.loads[0].failed, None, "{name}");
    let mut load = recording.loads[0].assemble().unwrap();
    (load.largest_stands, load.words_stand) = standings(&load, page(name).as_bytes());
    let legs = path::path_to_largest(&Prepared::plain(load.clone())).unwrap();
    let sheets = asked.lock().unwrap().get(&format!("{name}.css")).copied();
    (load, sheets, legs)
}

fn given(legs: &[Leg], file: &str) -> f64 {
    legs.iter().filter(|l| l.url.as_deref().is_some_and(|u| u.ends_with(file))).map(|l| l.length().0).sum()
}

async fn holds(name: &str, trouble: impl Fn(&Load, &[Leg]) -> Option<String>) {
    let wrong = wrong_each_time(3, async || {
        let (load, sheets, legs) = recorded(name).await;
        let largest = load.largest().unwrap();
        assert_eq!(largest.tag.as_deref(), Some("h1"));
        let file = |name: &str| load.requests.iter().find(|r| r.url.ends_with(name)).unwrap().url.clone();
        let own = TextFont::of(&file("/own.woff2"), FontDisplay::Auto);
        assert_eq!(largest.fonts.as_deref(), Some(&[own][..]), "{name}");
        // To be told of fonts costs neither the server nor the recording a request.
        assert_eq!(sheets, Some(1), "{name}");
        assert_eq!(load.requests.iter().filter(|r| r.url.ends_with(".css")).count(), 1, "{name}");
        trouble(&load, &legs)
    })
    .await;
    assert_eq!(wrong, None, "{name}");
}

#[tokio::test]
async fn the_largest_text_waits_for_its_own_font_until_the_browser_gives_up_on_it() {
    holds("early", |load, legs| {
        let (own, other) = (given(legs, "/own.woff2"), given(legs, "/other.woff2"));
        (own < 450.0 || other > 1.0).then(|| format!("{own} {other} {:?} {legs:#?}", load.largest()))
    })
    .await;
    holds("late", |load, legs| {
        let sheet = given(legs, "/late.css");
        let by_run = legs.iter().any(|l| matches!(l.fact, LegFact::ChangesPage { .. }));
        // The stop-watch: it was shown long before its font had come.
        let came = load.requests.iter().find(|r| r.url.ends_with("/own.woff2")).and_then(|r| r.end).unwrap();
        let largest = load.largest().unwrap().at;
        let early = largest < came;
        // But not in the frame that asked for it, whose text counts as the page's first.
        let first = load.fcp.unwrap();
        let wrong = sheet < 2_000.0 || by_run || !early || first >= largest;
        wrong.then(|| format!("{sheet} {early} {first:?} {largest:?} {legs:#?}"))
    })
    .await;
}

#[tokio::test]
async fn text_that_fades_in_counts_when_a_font_moves_it() {
    // Icons that float are laid out anew with what stands beside them when another font comes.
    for (name, before, floats) in [
        ("icons", &["own.woff2"][..], &[][..]),
        ("floats", &["other.woff2"], &["other.woff2"]),
        ("boxed", &["other.woff2", "own.woff2"], &[]),
    ] {
        let wrong = wrong_each_time(3, async || {
            let (load, _, legs) = recorded(name).await;
            let largest = load.largest().unwrap();
            let [around] = &largest.animated[..] else { return Some(format!("{largest:?}")) };
            let names = |fonts: &[TextFont]| -> Vec<String> {
                fonts.iter().map(|f| f.url.rsplit('/').next().unwrap().to_owned()).collect()
            };
            let told = names(&around.before) == before && names(&around.floats) == floats;
            let its = (largest.tag.as_deref(), around.stays, told) == (Some("h1"), true, true);
            let font = given(&legs, "/own.woff2");
            (!its || font < 450.0).then(|| format!("{font} {largest:?} {legs:#?}"))
        })
        .await;
        assert_eq!(wrong, None, "{name}");
    }
    // What comes behind it does not move it, nor what floats in a box of its own: it never counts, faded in as it is.
    for name in ["behind", "apart"] {
        let (load, ..) = recorded(name).await;
        let came = load.requests.iter().find(|r| r.url.ends_with("/own.woff2")).and_then(|r| r.end).unwrap();
        assert!(load.animations.iter().any(|a| a.from < came && came < a.to), "{came:?} {:?}", load.animations);
        assert_ne!(load.largest().unwrap().tag.as_deref(), Some("h1"), "{name}");
    }
}
