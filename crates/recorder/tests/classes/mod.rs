//! Small pages, one for each way in which a page comes to wait for a file.

use crate::picture::picture;
use axum::Router;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::get;
use futures::{SinkExt, StreamExt, stream};
use std::net::SocketAddr;
use std::time::Duration;
use tokio_tungstenite::tungstenite::handshake::server::{Request, Response as Answer};
use tokio_tungstenite::tungstenite::{Error, Message};

/// How long the server takes over a file that is late.
pub const LATE: Duration = Duration::from_millis(700);

/// A page, and the file that is late in it.
pub struct Class {
    pub page: &'static str,
    pub file: &'static str,
    /// Whether the largest paint waits for that file.
    pub culprit: bool,
    /// Others that may carry some of the time.
    pub also: &'static [&'static str],
}

const fn waits(page: &'static str, file: &'static str) -> Class {
    Class { page, file, culprit: true, also: &[] }
}

const fn innocent(page: &'static str, file: &'static str, also: &'static [&'static str]) -> Class {
    Class { page, file, culprit: false, also }
}

pub const CLASSES: [Class; 59] = [
    waits("script-above-sheet", "/late.js"),
    waits("deferred-in-order", "/late.js"),
    waits("sheet-above-missing-script", "/late.css"),
    waits("script-above-picture", "/late.js"),
    waits("sheet-above-picture", "/late.css"),
    waits("fetch-then-message", "/late.json"),
    waits("fetch-then-frame", "/late.json"),
    waits("fetch-then-idle", "/late.json"),
    waits("interval-looks", "/late.js"),
    waits("timeouts-look", "/late.js"),
    waits("frames-look", "/late.js"),
    waits("class-for-background", "/late.js"),
    waits("lazy-inserted", "/late.js"),
    waits("parsed-event", "/late.js"),
    waits("load-event", "/late.png"),
    waits("inserted-sheet", "/late.css"),
    waits("switched-sheet", "/late.css"),
    waits("frame-message", "/late-frame"),
    waits("worker-message", "/late.js"),
    waits("event-stream", "/late-events"),
    waits("socket-says", "/late-socket"),
    waits("socket-answers", "/late.js"),
    waits("module-awaits", "/late.json"),
    waits("module-of-one-that-awaits", "/late.json"),
    waits("synchronous-request", "/late.json"),
    waits("fonts-ready", "/late.woff2"),
    waits("text-in-its-font", "/late.woff2"),
    waits("redirected-picture", "/late-hop"),
    Class { page: "picture-makes-room", file: "/late.png", culprit: true, also: &["/steady-800.png"] },
    waits("trickling-document", "/trickling-document"),
    waits("one-after-the-other", "/late.json"),
    waits("imported-as-it-runs", "/late.js"),
    waits("worker-opened", "/late.js"),
    waits("stream-opened", "/late.js"),
    waits("font-by-script", "/late.js"),
    waits("frame-below-sheet", "/late.css"),
    waits("transition", "/late.js"),
    waits("one-channel", "/late.json"),
    waits("anothers-answer", "/late.json"),
    waits("fetched-ahead", "/late.json"),
    waits("put-in-later", "/late.js"),
    waits("once-sized", "/late.css"),
    waits("frame-loaded", "/late-frame"),
    waits("styled-by-script", "/late.js"),
    waits("put-in-in-order", "/late.js"),
    waits("module-in-document", "/late.js"),
    waits("module-fetched-ahead", "/late.js"),
    waits("modules-together", "/late.js"),
    innocent("module-of-another", "/late.js", &[]),
    waits("transition-over", "/late.js"),
    waits("fetched-ahead-and-imported", "/late.js"),
    waits("channel-by-name", "/late.js"),
    waits("shared-worker", "/late.js"),
    waits("picture-decoded", "/late.png"),
    waits("both-events-in-one-task", "/late.js"),
    innocent("swapped-font", "/late.woff2", &[]),
    innocent("font-of-another", "/late.woff2", &["/font-of-another"]),
    innocent("answer-by-chance", "/late.json", &["/answer-by-chance"]),
    innocent("async-script", "/late.js", &[]),
];

fn words() -> String {
    format!("<h1>{}</h1>", "Words of the page that are many enough to be the largest thing on it. ".repeat(6))
}

const FACE: &str = "<style>@font-face { font-family: L; src: url(/late.woff2) }</style>";
const SWAPPED: &str = "<style>@font-face { font-family: L; src: url(/late.woff2); font-display: swap }</style>";

fn page(name: &str) -> Option<String> {
    let hero = "<img src=/hero.png width=360 height=240>";
    let words = words();
    let (head, body) = match name {
        "script-above-sheet" => ("<script src=/late.js></script><link rel=stylesheet href=/quick.css>".into(), words),
        "deferred-in-order" => (
            "<script defer src=/late.js></script><script defer src=/show.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "script-above-picture" => (String::new(), format!("<p>First</p>\n<script src=/late.js></script>\n{hero}")),
        "sheet-above-missing-script" => (
            "<link rel=stylesheet href=/late.css><script src=/missing.js></script><link rel=stylesheet href=/quick.css>"
                .into(),
            format!("<p>First</p>\n{hero}"),
        ),
        // Of pictures two are on their way at a time while the parser is held up in the head.
        "picture-makes-room" => {
            let pictures = ["late.png", "steady-1400.png"].map(|file| format!("<img src=/{file} width=120 height=90>"));
            let hero = "<img src=/steady-800.png width=360 height=240>";
            ("<script src=/steady-750.js></script>".into(), format!("<p>First</p>{}{hero}", pictures.concat()))
        }
        "sheet-above-picture" => {
            (String::new(), format!("<p>First</p>\n<link rel=stylesheet href=/late.css>\n{hero}"))
        }
        "fetch-then-message" | "fetch-then-frame" | "fetch-then-idle" => (
            format!("<script src=/scheduler.js></script><script defer src=/{name}.js></script>"),
            "<p>First</p><div id=r></div>".into(),
        ),
        "interval-looks" | "timeouts-look" | "frames-look" => (
            format!("<script defer src=/{name}.js></script><script async src=/late.js></script>"),
            "<p>First</p><div id=r></div>".into(),
        ),
        "class-for-background" => (
            "<link rel=stylesheet href=/background.css>".into(),
            "<p>First</p><div class=b></div><script async src=/late.js></script>".into(),
        ),
        "lazy-inserted" => {
            (String::new(), "<p>First</p><div id=r></div><script async src=/late.js></script>".into())
        }
        "parsed-event" => (
            "<script>addEventListener('DOMContentLoaded', () => show())</script><script src=/shows.js></script><script defer src=/late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "load-event" => (
            "<script src=/shows.js></script><script>addEventListener('load', () => show())</script>".into(),
            "<p>First</p><div id=r></div><img src=/late.png width=40 height=30>".into(),
        ),
        "inserted-sheet" => (
            "<style>h1 { display: none }</style><script>const l = document.createElement('link'); l.rel = 'stylesheet'; l.href = '/late.css'; document.head.append(l)</script>".into(),
            format!("<p>First</p>{words}"),
        ),
        "switched-sheet" => (
            "<style>h1 { display: none }</style><link rel=stylesheet href=/late.css media=print onload=\"this.media='all'\">".into(),
            format!("<p>First</p>{words}"),
        ),
        "frame-message" => (
            "<script src=/shows.js></script><script>onmessage = () => show()</script>".into(),
            "<p>First</p><div id=r></div><iframe src=/late-frame width=40 height=30></iframe>".into(),
        ),
        "worker-message" => (
            "<script src=/shows.js></script><script>new Worker('/late.js').onmessage = () => show()</script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "event-stream" => (
            "<script src=/shows.js></script><script>const s = new EventSource('/late-events'); s.onmessage = () => { s.close(); show() }</script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "socket-says" => (
            "<script src=/shows.js></script><script src=/socket-says.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        // Whoever opened it, what comes over it answers what was said.
        "socket-answers" => (
            "<script src=/shows.js></script><script src=/socket-answers.js></script><script async src=/late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "module-awaits" => (
            "<script src=/shows.js></script><script type=module src=/awaits.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "module-of-one-that-awaits" => (
            "<script src=/shows.js></script><script type=module src=/imports.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "synchronous-request" => (
            "<script src=/shows.js></script><script defer src=/stands.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "fonts-ready" => (
            format!("{FACE}<script src=/shows.js></script><script defer src=/ready.js></script>"),
            "<p style='font-family:L'>First</p><div id=r></div>".into(),
        ),
        "text-in-its-font" => (format!("{FACE}<style>h1 {{ font-family: L }}</style>"), format!("<p>First</p>{words}")),
        "redirected-picture" => {
            (String::new(), "<p>First</p><img src=/late-hop width=360 height=240>".into())
        }
        "one-after-the-other" => (
            "<script src=/shows.js></script><script defer src=/one-after-the-other.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "imported-as-it-runs" => (
            "<script src=/shows.js></script><script defer src=/imported-as-it-runs.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "worker-opened" | "stream-opened" | "font-by-script" => (
            "<script src=/shows.js></script><script async src=/late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        // The code waits for the sheet, and the parser for the code.
        "frame-below-sheet" => (
            "<link rel=stylesheet href=/late.css><script src=/shows.js></script>".into(),
            "\n<div id=r></div>\n<script>onmessage = () => show()</script>\n<iframe src=/frame width=40 height=30></iframe>".into(),
        ),
        "transition" => (
            "<style>h1 { visibility: hidden; transition: visibility 0s 200ms } .on h1 { visibility: visible }</style>".into(),
            format!("<p>First</p>{words}<script async src=/late.js></script>"),
        ),
        "one-channel" => (
            "<script src=/channel.js></script><script src=/shows.js></script><script defer src=/one-channel.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "anothers-answer" => (
            "<script>globalThis.asked = fetch('/late.json')</script><script src=/shows.js></script><script defer src=/anothers-answer.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "fetched-ahead" => (
            "<link rel=preload as=fetch crossorigin href=/late.json><script src=/shows.js></script><script defer src=/fetched-ahead.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "put-in-later" => (
            "<link rel=preload as=script href=/show.js><script async src=/late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "once-sized" => (
            "<link rel=stylesheet href=/late.css media=print onload=\"this.media='all'\"><script src=/shows.js></script>".into(),
            "<h1 style='font-size:4px'>Few</h1><div id=r></div><script>new ResizeObserver(([seen], o) => { if (seen.contentRect.height > 40) { o.disconnect(); show() } }).observe(document.querySelector('h1'))</script>".into(),
        ),
        "frame-loaded" => (
            "<script src=/shows.js></script>".into(),
            "<p>First</p><div id=r></div><script>document.body.append(Object.assign(document.createElement('iframe'), { src: '/late-frame', onload: () => show() }))</script>".into(),
        ),
        "styled-by-script" => (
            String::new(),
            "<p>First</p><div class=b style='width:360px;height:240px'></div><script defer src=/late.js></script>".into(),
        ),
        "put-in-in-order" => (
            "<script>for (const src of ['/late.js', '/show.js']) document.head.append(Object.assign(document.createElement('script'), { src, async: false }))</script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "module-in-document" => (
            "<script src=/shows.js></script>".into(),
            "<p>First</p><div id=r></div><script type=module>import '/late.js'; show()</script>".into(),
        ),
        "module-fetched-ahead" => (
            "<link rel=modulepreload href=/late.js><link rel=modulepreload href=/imports-late.js><script src=/shows.js></script><script type=module src=/imports-late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "modules-together" => (
            "<script src=/shows.js></script><script type=module src=/together.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "module-of-another" => (
            "<script src=/shows.js></script><script type=module src=/first-shows.js></script><script type=module src=/imports-alone.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "transition-over" => (
            "<style>p { opacity: 0.5; transition: opacity 200ms } .on p { opacity: 1 }</style><script src=/shows.js></script><script>addEventListener('transitionend', () => show())</script>".into(),
            "<p>First</p><div id=r></div><script async src=/late.js></script>".into(),
        ),
        "fetched-ahead-and-imported" => (
            "<script src=/shows.js></script><script type=module src=/ahead-and-imports.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "channel-by-name" => (
            "<script src=/shows.js></script><script>new BroadcastChannel('c').onmessage = () => show()</script><script async src=/late.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "shared-worker" => (
            "<script src=/shows.js></script><script>new SharedWorker('/late.js').port.onmessage = () => show()</script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "picture-decoded" => (
            "<script src=/shows.js></script><script defer src=/decodes.js></script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        // All else has loaded by the time the script comes: one task tells of the parsed document and of the load.
        "both-events-in-one-task" => (
            "<script src=/shows.js></script><script>addEventListener('DOMContentLoaded', () => setTimeout(show)); addEventListener('load', () => { globalThis.over = true })</script>".into(),
            "<p>First</p><div id=r></div><script src=/late.js></script>".into(),
        ),
        "swapped-font" => (format!("{SWAPPED}<style>h1 {{ font-family: L }}</style>"), format!("<p>First</p>{words}")),
        // Words that a timer shows just after a font of a few others has come.
        "font-of-another" => (
            format!("{FACE}<script src=/shows.js></script><script>setTimeout(() => show(), 760)</script>"),
            "<p>First</p><p style='font-family:L'>Few</p><div id=r></div>".into(),
        ),
        "answer-by-chance" => (
            "<script src=/shows.js></script><script>fetch('/late.json'); setTimeout(() => show(), 760)</script>".into(),
            "<p>First</p><div id=r></div>".into(),
        ),
        "animated" => (
            "<style>h1 { visibility: hidden; animation: appear 0s 700ms forwards } @keyframes appear { to { visibility: visible } }</style><script async src=/late.js></script>".into(),
            format!("<p>First</p>{words}"),
        ),
        "async-script" => ("<script async src=/late.js></script>".into(), words),
        _ => return None,
    };
    Some(format!("<!doctype html><meta name=viewport content='width=device-width'><title>t</title>{head}<body>{body}"))
}

/// A script by its name, and the page that asks for it.
fn script(name: &str, referer: &str) -> Option<String> {
    let show = format!("document.getElementById('r').innerHTML = `{}`", words());
    Some(match name {
        "late.js" => match referer {
            "class-for-background" => "document.body.className = 'on'".into(),
            "lazy-inserted" => {
                "document.getElementById('r').innerHTML = '<img loading=lazy src=/hero.png width=360 height=240>'".into()
            }
            "worker-message" => "postMessage('done')".into(),
            "imported-as-it-runs" | "imported-as-it-runs.js" => "export const imported = () => globalThis.show()".into(),
            "styled-by-script" => "document.querySelector('.b').style.backgroundImage = 'url(/hero.png)'".into(),
            "transition-over" => "document.body.className = 'on'".into(),
            "fetched-ahead-and-imported" | "ahead-and-imports.js" => {
                "export const imported = () => globalThis.show()".into()
            }
            "channel-by-name" => "new BroadcastChannel('c').postMessage('done')".into(),
            "shared-worker" => "onconnect = opened => opened.ports[0].postMessage('done')".into(),
            "worker-opened" => "new Worker('/says.js').onmessage = () => show()".into(),
            "stream-opened" => "const s = new EventSource('/events'); s.onmessage = () => { s.close(); show() }".into(),
            "socket-answers" => "{ const say = () => socket.send('tide'); if (socket.readyState) say(); else socket.onopen = say }".into(),
            "font-by-script" => "new FontFace('M', 'url(/letters.woff2)').load().then(() => show())".into(),
            "transition" => "document.body.className = 'on'".into(),
            "put-in-later" => {
                "document.head.append(Object.assign(document.createElement('script'), { src: '/show.js' }))".into()
            }
            _ => "globalThis.library = true".into(),
        },
        "show.js" => show,
        "socket-says.js" => "new WebSocket('ws://127.0.0.1:PORT/late-socket').onmessage = () => show()".into(),
        "socket-answers.js" => "globalThis.socket = new WebSocket('ws://127.0.0.1:PORT/socket'); socket.onmessage = () => show()".into(),
        "shows.js" => format!("globalThis.show = () => {{ {show} }}"),
        "scheduler.js" => "globalThis.later = (run) => { const c = new MessageChannel(); c.port1.onmessage = run; c.port2.postMessage(0) }; globalThis.frame = (run) => requestAnimationFrame(run); globalThis.idle = (run) => requestIdleCallback(run)".into(),
        "fetch-then-message.js" => format!("fetch('/late.json').then(() => later(() => {{ {show} }}))"),
        "fetch-then-frame.js" => format!("fetch('/late.json').then(() => frame(() => {{ {show} }}))"),
        "fetch-then-idle.js" => format!("fetch('/late.json').then(() => idle(() => {{ {show} }}))"),
        "one-after-the-other.js" => "fetch('/late.json').then(() => fetch('/then.json')).then(() => show())".into(),
        "imported-as-it-runs.js" => "import('/late.js').then(module => module.imported())".into(),
        "anothers-answer.js" => "asked.then(answer => answer.text()).then(() => show())".into(),
        "fetched-ahead.js" => "fetch('/late.json').then(answer => answer.text()).then(() => show())".into(),
        "imports-late.js" => "import '/late.js'; show()".into(),
        "together.js" => "import '/first-shows.js'; import '/late.js'".into(),
        "first-shows.js" => "globalThis.show()".into(),
        "imports-alone.js" => "import '/late.js'".into(),
        "ahead-and-imports.js" => "const ahead = href => new Promise(told => document.head.append(Object.assign(document.createElement('link'), { rel: 'modulepreload', href, onload: told }))); Promise.all(['/late.js'].map(ahead)).then(() => import('/late.js')).then(module => module.imported())".into(),
        "decodes.js" => "const i = new Image(); i.src = '/late.png'; i.decode().then(() => show())".into(),
        "says.js" => "postMessage('done')".into(),
        "channel.js" => "{ const c = new MessageChannel(), queue = []; c.port1.onmessage = () => queue.shift()(); globalThis.later = (run) => { queue.push(run); c.port2.postMessage(0) } }".into(),
        "one-channel.js" => "fetch('/late.json').then(() => later(() => show()))".into(),
        "interval-looks.js" => {
            format!("const t = setInterval(() => {{ if (globalThis.library) {{ clearInterval(t); {show} }} }}, 50)")
        }
        "timeouts-look.js" => {
            format!("const look = () => {{ if (globalThis.library) {{ {show} }} else setTimeout(look, 40) }}; look()")
        }
        "frames-look.js" => {
            format!("const look = () => {{ if (globalThis.library) {{ {show} }} else requestAnimationFrame(look) }}; look()")
        }
        "awaits.js" => "await fetch('/late.json'); show()".into(),
        "imports.js" => "import '/awaited.js'; show()".into(),
        "awaited.js" => "await fetch('/late.json')".into(),
        "stands.js" => "const r = new XMLHttpRequest(); r.open('GET', '/late.json', false); r.send(); show()".into(),
        "ready.js" => "document.fonts.ready.then(() => show())".into(),
        _ => return None,
    })
}

async fn answer(State(site): State<Site>, Path(name): Path<String>, headers: axum::http::HeaderMap) -> Response {
    let fast = site.fast;
    let late = |file: &str| name == file.trim_start_matches('/') && fast != Some(file);
    if name == "trickling-document" {
        let wait = if fast == Some("/trickling-document") { Duration::ZERO } else { LATE };
        let parts = [
            (Duration::ZERO, "<!doctype html><title>t</title><body><p>First</p>".to_owned() + &" ".repeat(3_000)),
            (wait, words()),
        ];
        let parts = stream::unfold(parts.into_iter(), |mut rest| async move {
            let (wait, part) = rest.next()?;
            tokio::time::sleep(wait).await;
            Some((Ok::<_, std::io::Error>(part), rest))
        });
        return ([(header::CONTENT_TYPE, "text/html")], Body::from_stream(parts)).into_response();
    }
    if name.starts_with("late") && late(&format!("/{name}")) && name != "late-events" {
        tokio::time::sleep(LATE).await;
    }
    if let Some((takes, kind)) = name.strip_prefix("steady-").and_then(|name| name.split_once('.')) {
        tokio::time::sleep(Duration::from_millis(takes.parse().unwrap_or_default())).await;
        return match kind {
            "png" => ([(header::CONTENT_TYPE, "image/png")], picture()).into_response(),
            _ => ([(header::CONTENT_TYPE, "text/javascript")], "").into_response(),
        };
    }
    if let Some(page) = page(&name) {
        return Html(page).into_response();
    }
    let referer = headers.get(header::REFERER).and_then(|r| r.to_str().ok()).unwrap_or_default();
    if let Some(script) = script(&name, referer.rsplit('/').next().unwrap_or_default()) {
        let script = script.replace("PORT", &site.sockets.to_string());
        return ([(header::CONTENT_TYPE, "text/javascript")], script).into_response();
    }
    match name.as_str() {
        "hero.png" | "late.png" => ([(header::CONTENT_TYPE, "image/png")], picture()).into_response(),
        "late-hop" => (StatusCode::FOUND, [(header::LOCATION, "/hero.png")]).into_response(),
        "late.json" | "then.json" => ([(header::CONTENT_TYPE, "application/json")], "{}").into_response(),
        "late.css" => ([(header::CONTENT_TYPE, "text/css")], "h1 { display: block; min-height: 60px }").into_response(),
        "quick.css" => ([(header::CONTENT_TYPE, "text/css")], "h1 { color: navy }").into_response(),
        "background.css" => {
            let css = ".b { width: 360px; height: 240px } .on .b { background: url(/hero.png) }";
            ([(header::CONTENT_TYPE, "text/css")], css).into_response()
        }
        "late-frame" | "frame" => Html("<script>parent.postMessage('done', '*')</script>").into_response(),
        "late.woff2" | "letters.woff2" => {
            ([(header::CONTENT_TYPE, "font/woff2")], include_bytes!("letters.woff2").as_slice()).into_response()
        }
        "late-events" | "events" => {
            let wait = if name == "late-events" && late("/late-events") { LATE } else { Duration::ZERO };
            let said = stream::once(async move {
                tokio::time::sleep(wait).await;
                Ok::<_, std::io::Error>("data: done\n\n")
            });
            ([(header::CONTENT_TYPE, "text/event-stream")], Body::from_stream(said)).into_response()
        }
        _ => StatusCode::NOT_FOUND.into_response(),
    }
}

/// What the pages are served by.
#[derive(Clone, Copy)]
struct Site {
    /// A file that is there at once.
    fast: Option<&'static str>,
    /// The port of its web sockets.
    sockets: u16,
}

/// Serves web sockets: a late one says something of itself, any other answers what it is told.
async fn sockets(fast: Option<&'static str>) -> u16 {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let port = listener.local_addr().unwrap().port();
    tokio::spawn(async move {
        while let Ok((stream, _)) = listener.accept().await {
            tokio::spawn(async move {
                let mut path = String::new();
                #[allow(clippy::result_large_err)]
                let seen = |request: &Request, response: Answer| {
                    request.uri().path().clone_into(&mut path);
                    Ok(response)
                };
                let mut socket = tokio_tungstenite::accept_hdr_async(stream, seen).await?;
                if path == "/late-socket" {
                    tokio::time::sleep(if fast == Some("/late-socket") { Duration::ZERO } else { LATE }).await;
                    socket.send(Message::text("tide")).await?;
                }
                while let Some(said) = socket.next().await {
                    if let said @ Message::Text(_) = said? {
                        socket.send(said).await?;
                    }
                }
                Ok::<_, Error>(())
            });
        }
    });
    port
}

/// Serves the pages, with one file there at once.
pub async fn site(fast: Option<&'static str>) -> SocketAddr {
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    let app = Router::new().route("/{name}", get(answer)).with_state(Site { fast, sockets: sockets(fast).await });
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    address
}
