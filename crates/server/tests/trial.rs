//! Recorded pages, really loaded again in the browser: as they were, and with edits that have to do there
//! what they say.

#![allow(clippy::unwrap_used)]

use axum::Router;
use axum::body::Body;
use axum::http::{StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{any, get, post};
use phainon_core::compare::Verdict;
use phainon_core::{Conditions, Edit, Load, preset};
use phainon_formats::{BodyMap, RawLoad};
use phainon_local::{LocalHosts, Offer};
use phainon_recorder::{RecordRequest, Step, record_whole};
use phainon_replay::{Answered, Broken, Replay};
use phainon_server::read_loads;
use phainon_server::trial::{Base, HandMade, Outcome, SeenLoad, request_of, seen_of};
use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc};

/// Browsers measure each other when two run at once; these tests take turns.
static TURN: Mutex<()> = Mutex::const_new(());

const HOST: &str = "www.skerryline.test";
const OTHER: &str = "media.islandmedia.test";

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
        .route("/site.css", get(|| async { ([(header::CONTENT_TYPE, "text/css")], "h1{color:rgb(1,2,3)}.note{border:3px solid}.gone{color:red}@media print{h1{color:red}}") }));
    LocalHosts::start(&[HOST.into(), OTHER.into()], app, |_| Offer::Both).await.unwrap()
}

/// On a quick line, so that a load takes little more than its quiet at the end.
fn conditions() -> Conditions {
    preset("home-laptop").unwrap()
}

/// Recorded loads with their bodies.
struct Recorded {
    raw: Vec<RawLoad>,
    bodies: BodyMap,
}

impl Recorded {
    async fn of(mut request: RecordRequest) -> Self {
        request.limits.quiet = Duration::from_millis(700);
        let (sender, _held) = mpsc::unbounded_channel();
        let recording = record_whole(&request, sender).await.unwrap();
        Self { raw: recording.loads, bodies: recording.bodies }
    }

    fn seen(&self) -> Vec<SeenLoad> {
        seen_of(&read_loads(self.raw.clone(), &self.bodies, &Arc::default(), false).unwrap().loads)
    }

    fn load(&self) -> Arc<Load> {
        self.seen()[0].load.clone()
    }

    fn base(&self) -> Base {
        let body = |hash: &str| self.bodies.get(hash).cloned();
        Base::of(self.load(), &body, None, Arc::default(), None).unwrap()
    }
}

/// Records a page of the site, which is gone afterwards.
async fn recorded(address: &str) -> Recorded {
    let site = site().await;
    let mut request = RecordRequest::new(address, conditions(), 1);
    request.hosts = [HOST, OTHER].map(|host| (host.to_owned(), site.address())).into();
    request.trusted_key = Some(site.key_hash().to_owned());
    let recorded = Recorded::of(request).await;
    assert_eq!(recorded.raw[0].failed, None);
    recorded
}

struct Again {
    recorded: Recorded,
    answered: Answered,
    unknown: BTreeMap<String, u32>,
}

impl Again {
    fn title(&self) -> String {
        self.recorded.load().title.clone().unwrap()
    }
}

/// Loads a book again, with what a scripted user does.
async fn again(base: &Base, edits: &[&str], by_hand: &[HandMade], steps: &str) -> Again {
    let edits: Vec<Edit> = edits.iter().map(|e| Edit::parse(e, &base.prepared).unwrap()).collect();
    let (book, _) = base.with(&edits, by_hand).unwrap();
    let replay = Replay::start(book).await.unwrap();
    let mut request = request_of(&replay, &base.conditions, 1, None);
    request.steps = Step::parse_all(steps).unwrap();
    let recorded = Recorded::of(request).await;
    let told = replay.next_load();
    Again { recorded, answered: told.answered, unknown: told.unknown }
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
        matches!(&outcome.broken[..], [Broken::Error { said }] if said.contains("Lib is not defined")),
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
