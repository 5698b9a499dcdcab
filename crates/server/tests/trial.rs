//! Recorded pages, really loaded again in the browser: as they were, and with edits that have to do there
//! what they say.

#![allow(clippy::unwrap_used)]

mod caller;
mod reload;

use axum::Router;
use axum::body::Body;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{any, get, post};
use phainon_core::compare::Verdict;
use phainon_core::{CacheSource, Edit, Load, Visit};
use phainon_formats::RawLoad;
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::{RecordRequest, Step};
use phainon_replay::{Book, Broken, Replay};
use phainon_server::read_loads;
use phainon_server::state::State;
use phainon_server::trial::{HandMade, Outcome, request_of, seen_of};
use phainon_store::Store;
use reload::{Again, Recorded, TURN, again, conditions};
use std::sync::Arc;
use std::time::Duration;

const HOST: &str = "www.skerryline.test";
const OTHER: &str = "media.islandmedia.test";

/// A sheet with what a reduced one must keep: custom properties, the frames of an animation, rules of a medium.
const STYLED: &str = ":root{--deep:#0a2a43;--pale:#eef3f6}body{background:var(--pale);margin:0;font:18px/1.4 serif}h1{color:var(--deep);animation:rise 80ms forwards}@keyframes rise{from{opacity:0}to{opacity:1;letter-spacing:3px}}.note{border:6px solid var(--deep);padding:2em;margin:1em}@media (min-width:700px){.wide{background:#c2410c;color:#fff;padding:3em}}@media (max-width:699px){.wide{background:#157347;padding:1em}}.gone{color:red}.gone:hover{color:blue}@keyframes never{to{opacity:0}}@media print{h1{color:red}}";

/// What one document takes: more than any noise of the machine that runs the tests.
const LATE: Duration = Duration::from_secs(8);

fn script(text: &'static str) -> Response {
    ([(header::CONTENT_TYPE, "text/javascript")], text).into_response()
}

fn picture() -> Vec<u8> {
    let noisy = image::RgbImage::from_fn(320, 200, |x, y| {
        image::Rgb([(x * 31 % 251) as u8, (y * 17 % 251) as u8, ((x * y) % 97) as u8])
    });
    let mut bytes = std::io::Cursor::new(Vec::new());
    noisy.write_to(&mut bytes, image::ImageFormat::Jpeg).unwrap();
    bytes.into_inner()
}

/// Each page writes what happened to it into its title.
async fn site() -> LocalHosts {
    let page = |text: &'static str| get(move || async move { Html(text) });
    let app = Router::new()
        .route("/order", page("<!doctype html><title>start</title><script src=/lib.js></script><script>Lib.ready = true; order.push('inline ' + document.readyState); addEventListener('load', () => { document.title = order.join(', '); })</script><h1>Order</h1>"))
        .route("/lib.js", get(|| async { script("window.Lib = {}; window.order = ['lib ' + document.readyState];") }))
        .route("/chat", page("<!doctype html><title>start</title><h1>Chat</h1><button id=go>Go</button><script src=/chat.js></script>"))
        .route("/chat.js", get(|| async { script("document.title = 'ran'; document.addEventListener('DOMContentLoaded', () => { document.getElementById('go').onclick = (e) => { document.title = 'handled ' + e.type; }; });") }))
        .route("/stamped", page("<!doctype html><title>start</title><h1>Stamped</h1><img src='http://media.islandmedia.test/hero.jpg' width=320 height=200><script>fetch('/data?t=' + Date.now() + '&r=' + Math.random()).then((r) => r.text()).then((t) => { document.title = t + ' in ' + new Date().getFullYear(); });</script>"))
        .route("/data", get(|| async { tokio::time::sleep(Duration::from_millis(150)).await; "data" }))
        .route("/hero.jpg", get(|| async { ([(header::CONTENT_TYPE, "image/jpeg")], picture()) }))
        .route("/hop.jpg", get(|| async { (StatusCode::FOUND, [(header::LOCATION, "/hero.jpg"), (header::SET_COOKIE, "seen=yes")]) }))
        .route("/mixed", get(|| async { ([(header::CONTENT_TYPE, "text/html; charset=windows-1252")], b"<!doctype html><title>start</title><h1>M\xf6we</h1><img id=i src=/hop.jpg width=320 height=200><script>const name = document.querySelector('h1').textContent; addEventListener('load', async () => { const said = await (await fetch('/answer', { method: 'POST', body: 'tide' })).text(); document.title = [name, i.naturalWidth, said, location.host].join(', '); });</script>".to_vec()) }))
        .route("/answer", post(|| async { "high water" }))
        .route("/inserted", page("<!doctype html><title>start</title><h1>Inserted</h1><img src='http://skerryline.test:1/gone.png'><script>const s = document.createElement('script'); s.src = '/widget.js?v=1*2'; s.onerror = () => { document.title = 'without'; }; document.head.append(s);</script>"))
        .route("/widget.js", get(|| async { script("document.title = 'with';") }))
        .route("/stream", page("<!doctype html><title>start</title><h1>Stream</h1><script>new EventSource('/live').onmessage = (e) => { document.title = e.data; };</script>"))
        .route("/live", any(|| async {
            let first = futures::stream::iter([Ok::<_, std::io::Error>("data: live\n\n")]);
            ([(header::CONTENT_TYPE, "text/event-stream")], Body::from_stream(futures::StreamExt::chain(first, futures::stream::pending())))
        }))
        .route("/again", page("<!doctype html><title>start</title><h1>Again</h1><script>if (sessionStorage.seen) document.title = 'twice'; else { sessionStorage.seen = 1; location.reload(); }</script>"))
        .route("/sheet", page("<!doctype html><title>start</title><link rel=stylesheet href=/site.css><h1>Sheet</h1><p class=note>Read this</p><script>addEventListener('load', () => setTimeout(() => { const at = (s) => getComputedStyle(document.querySelector(s)); document.title = at('h1').color + ' ' + at('.note').borderTopWidth + ' ' + document.styleSheets.length; }, 300));</script>"))
        .route("/worker", page("<!doctype html><title>start</title><h1>Worker</h1><script>const there = navigator.serviceWorker; there.register('/sw.js').then(() => new Promise((done) => { if (there.controller) done(); else there.addEventListener('controllerchange', done); })).then(() => fetch('/made-up')).then((r) => r.text()).then((t) => { document.title = t; });</script>"))
        .route("/sw.js", get(|| async { script("addEventListener('install', () => skipWaiting()); addEventListener('activate', (e) => e.waitUntil(clients.claim())); addEventListener('fetch', (e) => { if (e.request.url.endsWith('/made-up')) e.respondWith(new Response('from the worker')); });") }))
        .route("/bodies", page("<!doctype html><title>start</title><h1>Bodies</h1><script>const ask = (body) => fetch('/graph', { method: 'POST', body }).then((r) => r.text()); const order = ['tide', 'wind']; Promise.all(order.map(ask)).then((all) => { document.title = order.map((o, i) => o + ' is ' + all[i]).join(', '); });</script>"))
        .route("/graph", post(|body: String| async move { if body == "tide" { "high" } else { "south" } }))
        .route("/styled", page("<!doctype html><meta name=viewport content='width=device-width'><title>start</title><link rel=stylesheet href=/styled.css><h1>Styled</h1><p class=wide>Wide</p><p class=note>Read this</p>"))
        .route("/late", get(|| async { tokio::time::sleep(LATE).await; Html("<!doctype html><title>start</title><h1>Late</h1>") }))
        .route("/styled.css", get(|| async { ([(header::CONTENT_TYPE, "text/css")], STYLED) }))
        .route("/kept", page("<!doctype html><title>start</title><h1>Kept</h1><script src=/kept.js></script>"))
        .route("/kept.js", get(|headers: HeaderMap| async move {
            let known = headers.get(header::IF_NONE_MATCH).is_some_and(|t| t == "\"k1\"");
            let about = [(header::CONTENT_TYPE, "text/javascript"), (header::ETAG, "\"k1\""), (header::CACHE_CONTROL, "no-cache")];
            if known { (StatusCode::NOT_MODIFIED, about, "") } else { (StatusCode::OK, about, "document.title = 'kept'") }
        }))
        .route("/site.css", get(|| async { ([(header::CONTENT_TYPE, "text/css")], "h1{color:rgb(1,2,3)}.note{border:3px solid}.gone{color:red}@media print{h1{color:red}}") }));
    LocalHosts::start(&[HOST.into(), OTHER.into()], app, |_| Offer::Both).await.unwrap()
}

/// Records a page of the site, which is gone afterwards.
async fn recorded(address: &str) -> Recorded {
    let site = site().await;
    Recorded::from(&site, &[HOST, OTHER], RecordRequest::new(address, conditions(), 1)).await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_page_is_loaded_again_when_its_site_is_gone() {
    let _turn = TURN.lock().await;
    let year = chrono::Utc::now().format("%Y").to_string();
    let stamped = recorded("http://www.skerryline.test/stamped").await;
    let replayed = again(&stamped.base(), &[], &[], "").await;
    assert_eq!(replayed.title(), format!("data in {year}"));
    assert_eq!((replayed.answered.not, replayed.unknown.len()), (0, 0), "{:?}", replayed.unknown);
    assert!(replayed.answered.exactly >= 2 && replayed.answered.nearly <= 1, "{:?}", replayed.answered);
    // The server's own time is kept, and the line's is not counted twice.
    let wait = |load: &Load| {
        let data = load.requests.iter().find(|r| r.url.contains("/data")).unwrap();
        data.first_byte.unwrap().0 - data.sent.unwrap().0
    };
    let (before, after) = (wait(&stamped.load()), wait(&replayed.recorded.load()));
    let base = stamped.base();
    let data = base.book.answers.iter().find(|a| a.url.contains("/data")).unwrap();
    let servers = data.wait.as_secs_f64() * 1000.0;
    // The way there and back is 30 ms of what was waited.
    assert!(servers <= before - 29.0 && servers > 100.0 && after >= servers, "{before}, of it {servers}, and {after}");

    let mixed = recorded("https://www.skerryline.test/mixed").await;
    let replayed = again(&mixed.base(), &[], &[], "").await;
    assert_eq!(replayed.title(), "Möwe, 320, high water, www.skerryline.test");
    let load = replayed.recorded.load();
    assert_eq!(load.document().unwrap().protocol.as_deref(), Some("h2"));
    assert_eq!(load.requests.iter().filter(|r| r.status == Some(302)).count(), 1);
    assert_eq!(replayed.answered.not + replayed.answered.nearly, 0, "{:?}", replayed.unknown);
}

#[tokio::test(flavor = "multi_thread")]
async fn odd_pages_are_replayed_or_say_what_is_missing() {
    let _turn = TURN.lock().await;
    let stream = recorded("http://www.skerryline.test/stream").await;
    assert_eq!(stream.load().title.as_deref(), Some("live"));
    let base = stream.base();
    assert!(base.shortfalls().iter().any(|s| s.contains("streams of events")), "{:?}", base.shortfalls());
    assert_eq!(again(&base, &[], &[], "").await.title(), "start");
    let twice = recorded("http://www.skerryline.test/again").await;
    assert_eq!(again(&twice.base(), &[], &[], "").await.title(), "twice");
    let worker = recorded("https://www.skerryline.test/worker").await;
    assert_eq!(worker.load().title.as_deref(), Some("from the worker"));
    let base = worker.base();
    assert!(base.shortfalls().iter().any(|s| s.contains("A service worker gave 1")), "{:?}", base.shortfalls());
    assert_eq!(again(&base, &[], &[], "").await.title(), "from the worker");
    // A limit of bodies: what was left out is a blank of the same size, and that is said.
    let mut request = RecordRequest::new("http://www.skerryline.test/stamped", conditions(), 1);
    request.limits.bodies = 5_000;
    let limited = Recorded::from(&site().await, &[HOST, OTHER], request).await;
    let base = limited.base();
    assert!(base.shortfalls().iter().any(|s| s.contains("The bodies of 1 responses")), "{:?}", base.shortfalls());
    let size = |load: &Load| load.requests.iter().find(|r| r.url.ends_with("hero.jpg")).unwrap().unpacked;
    let replayed = again(&base, &[], &[], "").await;
    assert_eq!((replayed.answered.not, size(&replayed.recorded.load())), (0, size(&limited.load())));
}

#[tokio::test(flavor = "multi_thread")]
async fn nothing_beside_the_recording_is_ever_reached() {
    let _turn = TURN.lock().await;
    // A site that still stands must not be asked either.
    let site = site().await;
    let address = site.address();
    let mut request = RecordRequest::new("http://www.skerryline.test/chat", conditions(), 1);
    request.hosts = vec![(HOST.into(), address)];
    let base = Recorded::of(request).await.base();
    let text = format!(
        "<!doctype html><title>start</title><h1>Leak</h1><img src='http://outside.test/a.gif'><img src='http://{address}/hero.jpg'><script>fetch('https://outside.test/b').catch(() => {{}});</script>"
    );
    let leak = HandMade { url: "http://www.skerryline.test/chat".into(), text: Some(text), base64: None };
    let tried = again(&base, &[], &[leak], "").await;
    let asked: Vec<&str> = tried.unknown.keys().map(String::as_str).collect();
    assert!(asked.contains(&"http://outside.test/a.gif"), "{asked:?}");
    assert!(
        asked.contains(&format!("http://{address}/hero.jpg").as_str()),
        "the replay stands for every address: {asked:?}"
    );
    let load = tried.recorded.load();
    let answered = load.requests.iter().filter(|r| r.status == Some(200)).count();
    assert_eq!(answered, 1, "the document alone");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_deferred_script_runs_after_parsing_and_takes_its_dependants_along() {
    let _turn = TURN.lock().await;
    let base = recorded("http://www.skerryline.test/order").await.base();
    assert_eq!(base.prepared.load.title.as_deref(), Some("lib loading, inline loading"));
    let tried = again(&base, &["defer_script:lib.js"], &[], "").await;
    assert_eq!(tried.title(), "lib interactive, inline interactive");
    assert!(tried.recorded.load().errors.is_empty());
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_script_inserts_is_taken_off_too_and_a_host_that_was_away_is_away_alone() {
    let _turn = TURN.lock().await;
    let site = site().await;
    // The bare domain takes no connection; what lies below it does.
    let away = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap().local_addr().unwrap();
    let mut request = RecordRequest::new("http://www.skerryline.test/inserted", conditions(), 1);
    request.hosts = vec![(HOST.into(), site.address()), ("skerryline.test".into(), away)];
    let base = Recorded::of(request).await.base();
    assert_eq!(base.prepared.load.title.as_deref(), Some("with"));
    assert!(base.book.refused.contains("skerryline.test"), "{:?}", base.book.refused);
    assert_eq!(again(&base, &[], &[], "").await.title(), "with");
    let tried = again(&base, &["remove:widget.js?v=1*2"], &[], "").await;
    assert_eq!(tried.title(), "without");
    assert_eq!(tried.answered.exactly, 1, "the document alone was asked for");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_trial_that_breaks_the_page_is_not_better() {
    let _turn = TURN.lock().await;
    let page = recorded("http://www.skerryline.test/order").await;
    let base = page.base();
    let remove = "remove:lib.js";
    let tried = again(&base, &[remove], &[], "").await;
    let edit = Edit::parse(remove, &base.prepared).unwrap();
    let (book, _) = base.with(std::slice::from_ref(&edit), &[]).unwrap();
    let outcome = Outcome::of(&page.seen(), &tried.recorded.seen(), &book, &[edit], &[], vec![]);
    assert!(
        matches!(&outcome.broken[..], [Broken::Error { said }, ..] if said.contains("Lib is not defined")),
        "{:?}",
        outcome.broken
    );
    assert!(outcome.is_broken());
    let mut faster = outcome.compared[0].clone();
    faster.verdict = Verdict::Better;
    assert_eq!(outcome.verdict(&faster), Verdict::CannotTell);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_held_script_waits_for_the_first_input_and_then_answers_it() {
    let _turn = TURN.lock().await;
    let base = recorded("http://www.skerryline.test/chat").await.base();
    assert_eq!(base.prepared.load.title.as_deref(), Some("ran"));
    let held = again(&base, &["delay_script:chat.js"], &[], "").await;
    assert_eq!(held.title(), "start");
    assert!(held.recorded.load().requests.iter().all(|r| !r.url.ends_with("chat.js")), "not even fetched");
    // Its handler is set at DOMContentLoaded, long gone; the click that woke it is handed on to it.
    let touched = again(&base, &["delay_script:chat.js"], &[], "click #go\nwait 600").await;
    assert_eq!(touched.title(), "handled click");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reduced_sheet_looks_the_same_and_blocks_nothing() {
    let _turn = TURN.lock().await;
    let page = recorded("http://www.skerryline.test/sheet").await;
    let mut base = page.base();
    let css = "h1{color:rgb(1,2,3)}.note{border:3px solid}";
    base.coverage = vec![phainon_core::metrics::Coverage {
        url: "http://www.skerryline.test/site.css".into(),
        used: vec![(0, u32::try_from(css.len()).unwrap())],
        length: 102,
    }];
    let tried = again(&base, &["reduce_style:site.css"], &[], "").await;
    assert_eq!(tried.title(), "rgb(1, 2, 3) 3px 2", "the used part, and the whole, late");
    let load = tried.recorded.load();
    let sheet = load.requests.iter().find(|r| r.url.ends_with("site.css")).unwrap();
    assert_ne!(sheet.render_blocking, phainon_core::RenderBlocking::Blocking);
    let (a, b) = (page.seen(), tried.recorded.seen());
    let outcome = Outcome::of(&a, &b, &base.book, &[], &[], vec![]);
    assert!(outcome.broken.is_empty(), "{:?}", outcome.broken);
}

/// Mean difference of two pictures' colours, of 255.
fn apart(a: &[u8], b: &[u8]) -> f64 {
    let (a, b) = (image::load_from_memory(a).unwrap().to_rgb8(), image::load_from_memory(b).unwrap().to_rgb8());
    assert_eq!(a.dimensions(), b.dimensions());
    let sum: f64 = a.as_raw().iter().zip(b.as_raw()).map(|(a, b)| f64::from(a.abs_diff(*b))).sum();
    sum / a.as_raw().len() as f64
}

#[tokio::test(flavor = "multi_thread")]
async fn a_reduced_sheet_gives_the_same_screen_at_the_width_of_a_phone_and_of_a_laptop() {
    let _turn = TURN.lock().await;
    let site = site().await;
    for width in [360, 1280] {
        let mut conditions = conditions();
        (conditions.width, conditions.height, conditions.mobile) = (width, 640, width < 700);
        let mut request = RecordRequest::new("http://www.skerryline.test/styled", conditions, 1);
        request.hosts = vec![(HOST.into(), site.address())];
        // What is used of the sheet is what the browser says.
        request.detail = true;
        let page = Recorded::of(request).await;
        let base = page.base();
        let edit = Edit::parse("reduce_style:styled.css", &base.prepared).unwrap();
        let (book, _) = base.with(&[edit], &[]).unwrap();
        let document = book.document().unwrap().text().unwrap();
        assert!(document.contains("@keyframes rise") && !document.contains(".gone"), "{document}");
        // What comes late is taken off, so that the picture is of what stands in the document alone.
        let alone = Book { answers: book.answers.into_iter().filter(|a| !a.url.ends_with(".css")).collect(), ..book };
        let replay = Replay::start(alone).await.unwrap();
        let reduced = Recorded::of(request_of(&replay, &base.course(1, false, None))).await;
        let last = |of: &Recorded| of.seen()[0].last.clone().unwrap();
        let apart = apart(&last(&page), &last(&reduced));
        // A tolerance of half a step of a colour: JPEG noise alone is less.
        assert!(apart < 0.5, "{width} wide: {apart}");
        let blank = apart_from_blank(&last(&page));
        assert!(blank > 5.0, "the picture shows something: {blank}");
    }
}

fn apart_from_blank(picture: &[u8]) -> f64 {
    let (width, height) = image::load_from_memory(picture).unwrap().to_rgb8().dimensions();
    let white = image::RgbImage::from_pixel(width, height, image::Rgb([255, 255, 255]));
    let mut bytes = std::io::Cursor::new(Vec::new());
    white.write_to(&mut bytes, image::ImageFormat::Png).unwrap();
    apart(picture, bytes.get_ref())
}

#[tokio::test(flavor = "multi_thread")]
async fn what_is_sent_tells_answers_of_one_address_apart() {
    let _turn = TURN.lock().await;
    let page = recorded("http://www.skerryline.test/bodies").await;
    assert_eq!(page.load().title.as_deref(), Some("tide is high, wind is south"));
    assert!(!format!("{:?}", page.raw).contains("\"tide\""), "what was sent is not kept");
    let base = page.base();
    // Asked the other way round, each still gets its own answer.
    let text = base.book.document().unwrap().text().unwrap().replace("['tide', 'wind']", "['wind', 'tide']");
    let turned = HandMade { url: "http://www.skerryline.test/bodies".into(), text: Some(text), base64: None };
    let tried = again(&base, &[], &[turned], "").await;
    assert_eq!(tried.title(), "wind is south, tide is high");
    assert_eq!((tried.answered.nearly, tried.answered.not), (0, 0), "{:?}", tried.unknown);
}

#[tokio::test(flavor = "multi_thread")]
async fn a_return_visit_and_a_users_steps_are_made_again() {
    let _turn = TURN.lock().await;
    let site = site().await;
    let mut request = RecordRequest::new("http://www.skerryline.test/kept", conditions(), 1);
    request.hosts = vec![(HOST.into(), site.address())];
    request.return_visits = true;
    request.steps = Step::parse_all("click h1").unwrap();
    let page = Recorded::of(request).await;
    assert_eq!(page.load().steps, ["click h1"]);
    let base = page.base();
    let course = base.course(1, true, None);
    assert_eq!(course.steps, Step::parse_all("click h1").unwrap());
    let revisited = |loads: &[RawLoad]| {
        let read = read_loads(loads.to_vec(), &page.bodies, &Arc::default(), None).unwrap();
        let again = seen_of(&read.loads, Visit::Return);
        assert_eq!(again.len(), 1);
        again[0].load.requests.iter().find(|r| r.url.ends_with("kept.js")).cloned()
    };
    assert_eq!(revisited(&page.raw).unwrap().cache, Some(CacheSource::Revalidated));
    let replayed = |book: Book| {
        let course = course.clone();
        async move {
            let replay = Replay::start(book).await.unwrap();
            Recorded::of(request_of(&replay, &course)).await.raw
        }
    };
    let plain = replayed(base.book.clone()).await;
    assert_eq!(revisited(&plain).unwrap().cache, Some(CacheSource::Revalidated));
    let read = read_loads(plain, &page.bodies, &Arc::default(), None).unwrap();
    assert!(seen_of(&read.loads, Visit::First)[0].metrics.inp_ms.is_some(), "the user acted again");
    let longer = Edit::parse("cache_longer:kept.js", &base.prepared).unwrap();
    let kept = replayed(base.with(&[longer], &[]).unwrap().0).await;
    assert!(matches!(revisited(&kept).unwrap().cache, Some(CacheSource::Disk | CacheSource::Memory)));
}

#[tokio::test(flavor = "multi_thread")]
async fn a_handler_that_is_not_set_any_more_is_told() {
    let _turn = TURN.lock().await;
    let page = recorded("http://www.skerryline.test/chat").await;
    let listened = page.load().listened.clone().unwrap();
    assert!(listened.contains(&"click on body > button#go".to_owned()), "{listened:?}");
    let base = page.base();
    let outcome = |book: &Book, edits: &[Edit], tried: &Again| {
        Outcome::of(&page.seen(), &tried.recorded.seen(), book, edits, &[], vec![])
    };
    let lost = |outcome: &Outcome| {
        outcome
            .broken
            .iter()
            .any(|b| matches!(b, Broken::Handlers { lost } if lost.iter().any(|l| l.starts_with("click"))))
    };
    // A script that sets nothing: the page is broken, though nothing failed.
    let emptied = HandMade { url: "http://www.skerryline.test/chat.js".into(), text: Some("1".into()), base64: None };
    let tried = again(&base, &[], &[emptied], "").await;
    let told = outcome(&base.book, &[], &tried);
    assert!(lost(&told) && told.is_broken(), "{:?}", told.broken);
    // Held until the first input it sets them later, as it is meant to.
    let edit = Edit::parse("delay_script:chat.js", &base.prepared).unwrap();
    let held = again(&base, &["delay_script:chat.js"], &[], "").await;
    let told = outcome(&base.book, &[edit], &held);
    assert!(lost(&told) && !told.is_broken(), "{:?}", told.broken);
}

#[tokio::test(flavor = "multi_thread")]
async fn edits_are_tried_each_alone_with_more_loads_until_the_verdict_stands() {
    let _turn = TURN.lock().await;
    let state = Arc::new(State::new(Store::temporary().unwrap()));
    let late = recorded("http://www.skerryline.test/late").await;
    caller::import(&state, &[("late.zip", late.archive())]).await;
    let site = state.store.recording(1).unwrap().site;
    // Two loads of each can never tell; the first of the edits does what no noise does.
    let asked = serde_json::json!({
        "edits": [{"kind": "faster_response", "file": "www.skerryline.test/late", "to": 20.0}, {"kind": "page_cache", "file": "www.skerryline.test/late"}],
        "loads": 2, "one_by_one": true, "until_sure": true,
    });
    let call =
        caller::call("POST", "/api/recordings/1/loads/1/trials", &[caller::HOST, caller::JSON], asked.to_string());
    let (status, text, _) = caller::ask(&state, call).await;
    assert_eq!(status, StatusCode::OK, "{text}");
    let begun: Vec<serde_json::Value> = serde_json::from_str(&text).unwrap();
    assert_eq!(begun.len(), 2);
    let jobs = |trial: &serde_json::Value| {
        trial["jobs"].as_array().unwrap().iter().map(|j| j["id"].as_u64().unwrap()).collect::<Vec<_>>()
    };
    assert_eq!(jobs(&begun[0])[0], jobs(&begun[1])[0], "one replay serves both");
    // The second is ended, which leaves the replay to the first.
    let end = caller::call("DELETE", &format!("/api/trials/{}", begun[1]["id"]), &[caller::HOST], "");
    assert!(caller::ask(&state, end).await.0.is_success());
    let over = async |id: &serde_json::Value| loop {
        let trial = caller::json(&state, &format!("/api/trials/{id}")).await;
        if trial["state"] != "running" {
            return trial;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    let (tried, ended) = (over(&begun[0]["id"]).await, over(&begun[1]["id"]).await);
    assert_eq!((&tried["state"], &ended["state"]), (&"done".into(), &"cancelled".into()), "{tried}");
    let fcp = tried["result"]["metrics"].as_array().unwrap().iter().find(|m| m["compared"]["metric"] == "fcp").unwrap();
    assert_eq!(fcp["verdict"], "better", "{fcp}");
    let values = |side: &str| fcp["compared"][side].as_array().unwrap().len();
    assert!(values("a_values") >= 4 && values("a_values") == values("b_values"), "{fcp}");
    for recording in [&tried["replay"], &tried["tried"]] {
        let head = state.store.recording(recording.as_i64().unwrap()).unwrap();
        assert_eq!((head.loads.len(), head.loads[3].number), (values("a_values"), 4));
    }
    // The plan of the site says what came of it.
    let told = caller::json(&state, &format!("/api/sites/{site}/tried")).await;
    assert_eq!(
        (told.as_array().unwrap().len(), &told[0]["trial"], &told[0]["key"]),
        (1, &tried["id"], &tried["edits"][0]["key"])
    );
}
