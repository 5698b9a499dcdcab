//! A library that calls handlers back, in the real browser: the time is that of who gave the handlers to it, and
//! without their script it is gone.

#![allow(clippy::unwrap_used)]

mod steady;

use axum::Router;
use axum::extract::Path;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use phainon_core::forecast::Model;
use phainon_core::metrics::Metric;
use phainon_core::path::LegFact;
use phainon_core::{Edit, Load, NoBodies, Prepared, ResourceKey, analyse, handlers, path, preset, standings};
use phainon_recorder::{RecordRequest, record_whole};
use std::sync::Arc;
use std::time::Duration;
use steady::wrong_each_time;
use tokio::sync::mpsc;

/// Keeps what it is given, and calls it when all is there; does the work of whoever asks.
const LIBRARY: &str = "const given = [];
function ready(handler) { given.push(handler); }
function spin(ms) { for (const end = performance.now() + ms; performance.now() < end;); }
addEventListener('load', () => { for (const handler of given) handler(); });";

const GALLERY: &str = "ready(function gallery() { spin(300); });";

const WORDS: &str = "ready(function words() {
  const words = document.createElement('h1');
  words.textContent = 'Words that are many enough to be the largest thing on it. '.repeat(4);
  document.body.append(words);
});";

fn page(scripts: &[&str]) -> String {
    let scripts: String = scripts.iter().map(|s| format!("<script src=/{s}></script>\n")).collect();
    format!(
        "<!doctype html><meta name=viewport content='width=device-width'><title>t</title>\n{scripts}<p>Few</p><img src=/late.gif alt=''>"
    )
}

async fn answer(Path(name): Path<String>) -> Response {
    let script = match name.as_str() {
        "whole" => return Html(page(&["library.js", "gallery.js", "words.js"])).into_response(),
        "without" => return Html(page(&["library.js", "words.js"])).into_response(),
        "library.js" => LIBRARY,
        "gallery.js" => GALLERY,
        "words.js" => WORDS,
        // What is there until then has long been drawn.
        _ => {
            tokio::time::sleep(Duration::from_millis(400)).await;
            return StatusCode::NOT_FOUND.into_response();
        }
    };
    ([(header::CONTENT_TYPE, "text/javascript")], script).into_response()
}

async fn recorded(address: &str, name: &str) -> Load {
    let request = RecordRequest::new(&format!("http://{address}/{name}"), preset("unshaped").unwrap(), 1);
    let (sender, _receiver) = mpsc::unbounded_channel();
    let recording = record_whole(&request, sender).await.unwrap();
    assert_eq!(recording.loads[0].failed, None, "{name}");
    let mut load = recording.loads[0].assemble().unwrap();
    (load.largest_stands, load.words_stand) = standings(&load, page(&[]).as_bytes());
    load
}

/// What is not as it should be of one recording of both pages.
fn trouble(whole: &Load, without: &Load) -> Option<String> {
    let prepared = Arc::new(Prepared::plain(whole.clone()));
    let scripts = analyse(&prepared, &NoBodies).main_thread.unwrap().by_script;
    let took = |file: &str| -> f64 {
        scripts.iter().filter(|s| s.url.as_deref().is_some_and(|u| u.ends_with(file))).map(|s| s.total_ms.0).sum()
    };
    if took("/gallery.js") < 250.0 || took("/library.js") > 60.0 {
        return Some(format!("the account: {scripts:#?}"));
    }
    let rows = handlers(&prepared);
    let own = rows.iter().find(|r| r.by.as_ref().is_some_and(|by| &*by.function == "gallery"));
    if own.is_none_or(|r| r.what != "load" || r.total_ms.0 < 250.0) {
        return Some(format!("the handlers: {rows:#?}"));
    }
    let legs = path::path_to_largest(&prepared).unwrap();
    let busy = |l: &&path::Leg| matches!(l.fact, LegFact::BusyWith { .. });
    let gallery = legs.iter().filter(busy).find(|l| l.url.as_deref().is_some_and(|u| u.ends_with("/gallery.js")));
    if gallery.is_none_or(|l| l.length().0 < 250.0) {
        let told = legs.iter().map(|l| format!("{:?} {:?} {:?} {:?}", l.from_ms.0, l.to_ms.0, l.cause, l.fact));
        return Some(format!("the path: {:#?}", told.collect::<Vec<_>>()));
    }
    let file = whole.requests.iter().find(|r| r.url.ends_with("/gallery.js")).unwrap();
    let edit = Edit::Remove { file: ResourceKey::of(&file.url) };
    let forecast = Model::of(&prepared).forecast(&[edit], &NoBodies).after.value(Metric::Lcp).unwrap();
    // The page without it, really loaded.
    let measured = without.largest().unwrap().at.0;
    (forecast > whole.largest().unwrap().at.0 - 250.0 || (forecast - measured).abs() > 120.0)
        .then(|| format!("forecast {forecast}, measured {measured} of {:?}", whole.largest()))
}

#[tokio::test]
async fn the_time_of_a_handler_is_its_own_scripts_and_goes_with_that() {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    tokio::spawn(async move { axum::serve(listener, Router::new().route("/{name}", get(answer))).await.unwrap() });
    let wrong = async || trouble(&recorded(&address, "whole").await, &recorded(&address, "without").await);
    assert_eq!(wrong_each_time(3, wrong).await, None);
}
