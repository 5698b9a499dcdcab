//! Pages that surprised an earlier version: what the browser does there, and what a recording must say.

#![allow(clippy::unwrap_used)]

use axum::Router;
use axum::body::Body;
use axum::extract::Request;
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{any, get};
use phainon_core::{Load, Millis, Note, RenderBlocking, RequestId, Standing, Subject, preset, standings};
use phainon_recorder::{Access, RecordRequest, Recording, Step, record_whole};
use std::net::SocketAddr;
use std::time::Duration;
use tokio::sync::{Mutex, mpsc};

/// Browsers measure each other when two run at once; these tests take turns.
static TURN: Mutex<()> = Mutex::const_new(());

const HOST: &str = "www.skerryline.test";
const OTHER: &str = "media.islandmedia.test";

fn script(text: &str) -> Response {
    ([(header::CONTENT_TYPE, "text/javascript")], text.to_owned()).into_response()
}

/// A JPEG with real detail, so that the browser takes it for content.
fn picture(width: u32, height: u32) -> Vec<u8> {
    let noisy = image::RgbImage::from_fn(width, height, |x, y| {
        let at = |n: u32| u8::try_from((x * 31 + y * 17 + (x * y * n) % 97) % 251).unwrap();
        image::Rgb([at(3), at(5), at(7)])
    });
    let mut bytes = Vec::new();
    image::codecs::jpeg::JpegEncoder::new_with_quality(&mut bytes, 80).encode_image(&noisy).unwrap();
    bytes
}

async fn site() -> SocketAddr {
    let page = |text: &'static str| get(move || async move { Html(text) });
    let app = Router::new()
        .route("/worker", page("<!doctype html><h1>Worker</h1><p id=out>waiting</p><script>const w = new Worker('/worker.js'); w.onmessage = (e) => { out.textContent = e.data; };</script>"))
        .route("/worker.js", get(|| async { script(&format!("postMessage('started');\n/*{}*/\nsetTimeout(() => postMessage('later'), 300);", "x".repeat(500_000))) }))
        .route("/shared", page("<!doctype html><h1>Shared worker</h1><p id=out>waiting</p><script>new SharedWorker('/shared.js').port.onmessage = (e) => { out.textContent = e.data; };</script>"))
        .route("/shared.js", get(|| async { script(&format!("onconnect = e => e.ports[0].postMessage('started');\n/*{}*/", "x".repeat(50_000))) }))
        .route("/unread", page("<!doctype html><h1>Nobody reads the answer</h1><script>window.kept = []; fetch('/held').then((r) => kept.push(r)); fetch('/small');</script>"))
        .route("/small", any(|| async { "x" }))
        .route("/held", any(|| async {
            let first = futures::stream::iter([Ok::<_, std::io::Error>("x".repeat(2000))]);
            Body::from_stream(futures::StreamExt::chain(first, futures::stream::pending()))
        }))
        .route("/blob", page("<!doctype html><h1>A picture by way of a blob</h1><script>fetch('/hero.jpg').then((r) => r.blob()).then((b) => { const i = new Image(); i.src = URL.createObjectURL(b); document.body.append(i); });</script>"))
        .route("/hero.jpg", get(|| async { ([(header::CONTENT_TYPE, "image/jpeg")], picture(600, 400)) }))
        .route("/hop.jpg", get(|| async {
            tokio::time::sleep(Duration::from_millis(250)).await;
            (StatusCode::FOUND, [(header::LOCATION, "/hero.jpg")])
        }))
        .route("/redirected", page("<!doctype html><p>Small</p><img src=/hop.jpg width=600 height=400>"))
        .route("/latin", get(|| async { ([(header::CONTENT_TYPE, "text/html; charset=windows-1252")], b"<!doctype html><title>M\xf6we</title><h1>M\xf6weninsel \x96 caf\xe9</h1>".to_vec()) }))
        .route("/shifts", page("<!doctype html><style>body{margin:0}</style><h1>Outer</h1><iframe src=/inner style='width:100%;height:400px;border:0'></iframe>"))
        .route("/inner", page("<!doctype html><style>body{margin:0}</style><div id=late></div><p style='height:200px;background:#ccc'>Moved</p><script>setTimeout(() => { late.style.height = '150px'; }, 400)</script>"))
        .route("/elsewhere", page("<!doctype html><h1>With a frame of another site</h1><iframe src='http://media.islandmedia.test/inner' width=300 height=200></iframe><img src='http://media.islandmedia.test/hero.jpg' width=60 height=40>"))
        .route("/steps", page("<!doctype html><h1>Steps</h1><button id=go onclick='const t = performance.now(); while (performance.now() - t < 400);'>Go</button>"))
        .route("/changing", page("<!doctype html><body style='margin:0;background:#fff'><h1>First</h1><script>addEventListener('load', () => setTimeout(() => { document.body.style.background = '#048'; const d = document.createElement('div'); d.style.cssText = 'font-size:90px;color:#fff'; d.textContent = 'A much larger text that comes late'; document.body.append(d); }, 500));</script>"))
        .route("/counted", get(|headers: HeaderMap| async move {
            let again = headers.get("cookie").is_some_and(|c| c.to_str().is_ok_and(|c| c.contains("seen=1")));
            let title = if again { "again" } else { "first" };
            ([(header::SET_COOKIE, "seen=1; Max-Age=600")], Html(format!("<!doctype html><title>{title}</title><h1>Counted</h1>")))
        }))
        .route("/names", page("<!doctype html><title>names</title><link rel=dns-prefetch href='//prefetched.no-such-name.test'><link rel=preconnect href='https://connected.no-such-name.test'><h1>Names</h1><img src='http://shown.no-such-name.test/a.png'><script>fetch('https://fetched.no-such-name.test/').catch(() => {}); try { new WebTransport('https://carried.no-such-name.test:4433/').ready.catch(() => {}); } catch (e) {}</script>"))
        .route("/calls", page("<!doctype html><title>calling</title><h1>Calls</h1><script>const p = new RTCPeerConnection({ iceServers: [{ urls: 'stun:127.0.0.1:' + location.hash.slice(1) }] }); p.createDataChannel('x'); p.onicegatheringstatechange = () => { if (p.iceGatheringState === 'complete') document.title = 'gathered'; }; p.createOffer().then((o) => p.setLocalDescription(o));</script>"))
        .route("/windows", page("<!doctype html><h1>Opens windows</h1><script>for (let i = 0; i < 60; i++) open('/small?' + i);</script>"))
        .route("/no-head", page(NO_HEAD))
        .route("/late.css", get(|| async {
            tokio::time::sleep(Duration::from_millis(1_500)).await;
            ([(header::CONTENT_TYPE, "text/css")], "p{line-height:1.6}")
        }))
        .route("/forged", page("<!doctype html><h1>A large text that is really painted here</h1><script>for (const name of ['cloneNode', 'getBoundingClientRect', 'getAttribute']) Element.prototype[name] = () => ({ outerHTML: '<b>forged</b>', x: 0, y: 0, width: 9, height: 9 }); for (const name of ['localName', 'tagName', 'id', 'className', 'outerHTML']) Object.defineProperty(Element.prototype, name, { get: () => 'forged' }); Object.defineProperty(Node.prototype, 'parentElement', { get: () => null }); document.querySelectorAll = () => []; document.querySelector = () => null; window.getComputedStyle = () => ({ backgroundImage: 'url(http://forged.test/)' });</script>"))
        .route("/flip", page("<!doctype html><h1>Flip</h1><script>let n = 0; const draw = () => { document.body.style.background = n++ % 2 ? '#fff' : '#135'; requestAnimationFrame(draw); }; draw(); setInterval(() => fetch('/small'), 200);</script>"))
        .route("/secret", any(|headers: HeaderMap| async move {
            let has = |name: &str, value: &str| headers.get(name).and_then(|v| v.to_str().ok()).is_some_and(|v| v.contains(value));
            if has("x-preview", "harbour-word") && has("cookie", "berth=b-s3cret") && has("authorization", "Basic ") {
                Html("<!doctype html><h1>Let in</h1><img src='http://media.islandmedia.test/echo.jpg' width=60 height=40>").into_response()
            } else {
                (StatusCode::UNAUTHORIZED, "no").into_response()
            }
        }))
        .route("/echo.jpg", any(|request: Request<Body>| async move {
            let leaked = request.headers().contains_key("x-preview") || request.headers().contains_key("authorization");
            (if leaked { StatusCode::IM_A_TEAPOT } else { StatusCode::OK }, [(header::CONTENT_TYPE, "image/jpeg")], picture(60, 40))
        }))
        .route("/members", get(|headers: HeaderMap| async move {
            let known = headers.get("cookie").and_then(|v| v.to_str().ok()).is_some_and(|v| v.contains("member=yes"));
            if known { Html("<!doctype html><link rel=stylesheet href=/site.css><h1>Members only</h1>").into_response() } else { (StatusCode::FORBIDDEN, "members only").into_response() }
        }))
        .route("/site.css", get(|| async { ([(header::CONTENT_TYPE, "text/css"), (header::CACHE_CONTROL, "max-age=600")], "h1{color:#123}") }))
        .route("/log-in", page("<!doctype html><link rel=stylesheet href=/site.css><form action=/welcome method=get><input id=word name=word><button id=go>In</button></form>"))
        .route("/welcome", get(|request: Request<Body>| async move {
            let right = request.uri().query().is_some_and(|q| q.contains("word=open+sesame"));
            let cookie = if right { "member=yes; Path=/" } else { "member=no; Path=/" };
            ([(header::SET_COOKIE, cookie)], Html("<!doctype html><h1>Welcome</h1>"))
        }));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(async move { axum::serve(listener, app).await.unwrap() });
    address
}

async fn request(path: &str) -> RecordRequest {
    let address = site().await;
    let mut request = RecordRequest::new(&format!("http://{HOST}{path}"), preset("unshaped").unwrap(), 1);
    request.hosts = vec![(HOST.to_owned(), address), (OTHER.to_owned(), address)];
    request.limits.quiet = Duration::from_millis(800);
    request.limits.longest = Duration::from_secs(12);
    request
}

async fn recorded(request: &RecordRequest) -> Recording {
    let (sender, _receiver) = mpsc::unbounded_channel();
    record_whole(request, sender).await.unwrap()
}

async fn load(path: &str) -> (Recording, Load) {
    let recording = recorded(&request(path).await).await;
    assert_eq!(recording.loads[0].failed, None);
    let load = recording.loads[0].assemble().unwrap();
    (recording, load)
}

fn ends_with<'a>(load: &'a Load, end: &str) -> &'a phainon_core::Request {
    load.requests.iter().find(|r| r.url.ends_with(end)).unwrap_or_else(|| panic!("{end}: {:#?}", load.requests))
}

#[tokio::test]
async fn a_workers_script_has_its_bytes_and_its_time() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/worker").await;
    let script = ends_with(&load, "/worker.js");
    assert_eq!(script.unpacked.unwrap().0, script.body.as_ref().unwrap().size.0);
    assert!(script.transferred.unwrap().0 > 500_000, "{:?}", script.transferred);
    assert!(script.first_byte.unwrap() >= script.start && script.first_byte <= script.end, "{script:#?}");
    // It was at work for a while before it rested, and had come before that.
    let posted = load.changes.first().unwrap().at;
    assert!(script.end.unwrap() < posted, "{:?} {posted:?}", script.end);
}

#[tokio::test]
async fn a_worker_that_pages_share_keeps_no_load_busy() {
    let _turn = TURN.lock().await;
    let (recording, load) = load("/shared").await;
    assert_eq!(recording.loads[0].failed, None);
    assert!(!load.cut_off, "{:?}", load.end);
    let script = ends_with(&load, "/shared.js");
    assert!(script.end.is_some_and(|end| end >= script.start), "{script:#?}");
}

#[tokio::test]
async fn pictures_of_the_screen_stand_at_the_paints_that_they_show() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/changing").await;
    for conditions in ["unshaped", "home-laptop", "phone-on-the-move"] {
        wanted.conditions = preset(conditions).unwrap();
        let load = recorded(&wanted).await.loads[0].assemble().unwrap();
        let [first, .., last] = load.frames.as_slice() else { panic!("{:?}", load.frames) };
        assert!(first.at_ms < load.fcp.unwrap(), "before anything was painted");
        let late = load.largest().unwrap().at;
        assert!((last.at_ms - late).0.abs() < 2.0, "{conditions}: {:?} shows the paint of {late:?}", last.at_ms);
        let at_fcp = load.frames.iter().any(|f| (f.at_ms - load.fcp.unwrap()).0.abs() < 2.0);
        assert!(at_fcp, "{conditions}: {:?} {:?}", load.frames, load.fcp);
    }
}

#[tokio::test]
async fn an_answer_that_nobody_reads_keeps_no_load_busy() {
    let _turn = TURN.lock().await;
    let wanted = request("/unread").await;
    let recording = recorded(&wanted).await;
    assert_eq!(recording.loads[0].failed, None);
    let load = recording.loads[0].assemble().unwrap();
    let held = ends_with(&load, "/held");
    assert_eq!((held.status, held.end), (Some(200), None));
    assert!(load.notes.contains(&Note::NeverRead { answers: 1 }), "{:?}", load.notes);
    assert!(load.end < Millis(8000.0), "{:?}", load.end);
}

#[tokio::test]
async fn a_picture_from_a_blob_is_not_named_by_a_number_that_changes() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/blob").await;
    let fetched = ends_with(&load, "/hero.jpg");
    assert_eq!((fetched.unpacked, &fetched.body), (None, &None), "nobody counted its bytes, so they are not 0");
    assert!(fetched.transferred.unwrap().0 > 100_000);
    let blob = load.requests.iter().find(|r| r.url.starts_with("blob:")).unwrap();
    assert_eq!(blob.short_name(), "blob: URL");
}

#[tokio::test]
async fn a_picture_behind_a_redirect_is_the_file_and_its_delay_the_hops() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/redirected").await;
    let largest = load.largest().unwrap();
    let file = load.request_for(largest.url.as_deref().unwrap(), largest.at).unwrap();
    assert!(file.url.ends_with("/hero.jpg") && file.redirected_from.is_some(), "{file:#?}");
    let parts = phainon_core::metrics::lcp_parts(&load).unwrap();
    assert!(parts.load_duration_ms >= Millis(250.0), "the hop took 250 ms: {parts:?}");
}

#[tokio::test]
async fn a_page_in_another_encoding_keeps_its_own_bytes() {
    let _turn = TURN.lock().await;
    let (recording, load) = load("/latin").await;
    let document = load.document().unwrap();
    let body = &recording.bodies[&document.body.as_ref().unwrap().hash];
    assert!(body.windows(5).any(|w| w == b"M\xf6wen"), "{body:?}");
    assert_eq!(document.unpacked.unwrap().0, body.len() as u64);
    assert_eq!(load.title.as_deref(), Some("Möwe"));
}

#[tokio::test]
async fn a_shift_in_an_inner_frame_counts_with_its_share() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/shifts").await;
    let metrics = phainon_core::metrics::metrics(&load, &phainon_core::Settings::default());
    let [shift] = load.shifts.as_slice() else { panic!("{:?}", load.shifts) };
    assert!(shift.inner && shift.score > 0.03, "{shift:?}");
    assert_eq!((metrics.cls, metrics.cls_main_frame), (Some(shift.score), Some(0.0)));
    assert_eq!(load.observed.unwrap().cls, Some(0.0), "the page's own observer sees nothing of it");
}

#[tokio::test]
async fn a_click_belongs_to_the_user_and_not_to_the_load() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/steps").await;
    wanted.steps = Step::parse_all("click #go").unwrap();
    let load = recorded(&wanted).await.loads[0].assemble().unwrap();
    assert!(load.work.iter().any(|w| w.duration > Millis(350.0)), "the handler keeps the main thread");
    let metrics = phainon_core::metrics::metrics(&load, &phainon_core::Settings::default());
    assert!(metrics.tbt_ms.unwrap() < Millis(200.0), "{:?}", metrics.tbt_ms);
    assert!(metrics.tti_ms.unwrap() < load.acted.unwrap(), "{:?} {:?}", metrics.tti_ms, load.acted);
    assert!(metrics.inp_ms.unwrap() > Millis(350.0));
}

#[tokio::test]
async fn a_screen_that_never_rests_keeps_its_newest_picture() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/flip").await;
    wanted.limits.longest = Duration::from_secs(9);
    let recording = recorded(&wanted).await;
    let load = recording.loads[0].assemble().unwrap();
    assert!(load.frames.len() <= 240);
    let last = load.frames.last().unwrap().at_ms;
    assert!(last > Millis(6000.0), "{last:?} of {:?}", load.end);
}

#[tokio::test]
async fn frames_of_other_sites_are_let_go_on_and_what_is_blocked_is_not_asked_for() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/elsewhere").await;
    wanted.detail = true;
    let recording = recorded(&wanted).await;
    let load = recording.loads[0].assemble().unwrap();
    let inner = ends_with(&load, "/inner");
    assert!(!inner.main_frame && inner.end.is_some());
    let detail = recording.detail.unwrap();
    assert!(detail.notes.is_empty(), "the load for used code came to its end: {:?}", detail.notes);

    wanted.detail = false;
    wanted.blocked = vec![OTHER.to_owned()];
    let load = recorded(&wanted).await.loads[0].assemble().unwrap();
    let theirs: Vec<_> = load.requests.iter().filter(|r| r.url.contains(OTHER)).collect();
    assert!(
        !theirs.is_empty() && theirs.iter().all(|r| r.failed.is_some() && r.status.is_none()),
        "{:?}",
        theirs.iter().map(|r| (&r.url, &r.failed, r.status)).collect::<Vec<_>>()
    );
    assert!(ends_with(&load, "/elsewhere").failed.is_none());
}

#[tokio::test]
async fn a_page_that_is_not_public_is_opened_and_nothing_of_the_key_is_kept() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/secret").await;
    wanted.access = Access {
        headers: Access::parse_headers("X-Preview: harbour-word").unwrap(),
        cookies: Access::parse_cookies("berth=b-s3cret").unwrap(),
        basic: Access::parse_basic("ann:pass-word").unwrap(),
        ..Access::default()
    };
    let recording = recorded(&wanted).await;
    assert_eq!(recording.loads[0].failed, None);
    let load = recording.loads[0].assemble().unwrap();
    assert_eq!(ends_with(&load, "/echo.jpg").status, Some(200), "a third party does not get the key");
    let raw = &recording.loads[0];
    let mut kept = String::from_utf8_lossy(&raw.network.as_ref().unwrap().events).into_owned();
    kept.push_str(&String::from_utf8_lossy(&raw.trace.as_ref().unwrap().whole().unwrap()));
    kept.push_str(&serde_json::to_string(&raw.page).unwrap());
    for secret in ["harbour-word", "b-s3cret", "pass-word", "YW5uOnBhc3Mtd29yZA"] {
        assert!(!kept.contains(secret), "{secret}");
    }
}

#[tokio::test]
async fn a_log_in_opens_the_page_and_leaves_the_cache_empty() {
    let _turn = TURN.lock().await;
    let mut wanted = request("/members").await;
    let address = |path: &str| format!("http://{HOST}{path}");
    wanted.access.log_in_at = Some(address("/log-in"));
    wanted.access.log_in = Step::parse_all("type #word open sesame\nclick #go").unwrap();
    let recording = recorded(&wanted).await;
    assert_eq!(recording.loads[0].failed, None);
    let load = recording.loads[0].assemble().unwrap();
    assert_eq!(load.document().unwrap().status, Some(200));
    assert_eq!(ends_with(&load, "/site.css").cache, None, "a first visit, though the log-in had loaded it");
    assert!(load.requests.iter().all(|r| !r.url.contains("welcome")), "the log-in is not part of the load");

    wanted.access.log_in = Step::parse_all("type #nowhere open sesame").unwrap();
    let why = recorded(&wanted).await.loads[0].failed.clone().unwrap();
    assert!(why.starts_with("Logging in failed") && why.contains("#nowhere") && !why.contains("sesame"), "{why}");
}

#[tokio::test]
async fn what_a_har_tells_less_is_said() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/worker").await;
    assert!(load.why_missing(Subject::BodyParts).is_none(), "a recording knows when each part of a response came");
    assert!(load.requests.iter().all(|r| r.id == RequestId(r.id.0)) && !load.document().unwrap().parts.is_empty());
}

#[tokio::test]
async fn nothing_of_a_page_leaves_beside_the_link() {
    let _turn = TURN.lock().await;
    let stun = tokio::net::UdpSocket::bind("127.0.0.1:0").await.unwrap();
    let (_, load) = load(&format!("/calls#{}", stun.local_addr().unwrap().port())).await;
    // The page did try: the browser told it that all ways were looked for.
    assert_eq!(load.title.as_deref(), Some("gathered"));
    let mut datagram = [0u8; 64];
    let heard = stun.try_recv_from(&mut datagram);
    assert!(heard.is_err(), "a datagram came past the link: {heard:?}");
}

/// UDP sockets of the browsers that recordings started, by their remote end.
fn datagram_sockets() -> Vec<String> {
    let mut found = Vec::new();
    for process in std::fs::read_dir("/proc").unwrap().flatten() {
        let path = process.path();
        let ours =
            std::fs::read(path.join("cmdline")).is_ok_and(|c| String::from_utf8_lossy(&c).contains("phainon-profile-"));
        let Some(open) = ours.then(|| std::fs::read_dir(path.join("fd")).ok()).flatten() else { continue };
        let sockets: Vec<String> = open
            .flatten()
            .filter_map(|fd| {
                std::fs::read_link(fd.path())
                    .ok()?
                    .to_str()?
                    .strip_prefix("socket:[")?
                    .strip_suffix(']')
                    .map(str::to_owned)
            })
            .collect();
        for table in ["net/udp", "net/udp6"] {
            let text = std::fs::read_to_string(path.join(table)).unwrap_or_default();
            for line in text.lines().skip(1) {
                let columns: Vec<&str> = line.split_whitespace().collect();
                if columns.get(9).is_some_and(|inode| sockets.iter().any(|s| s == inode)) {
                    found.push(columns[2].to_owned());
                }
            }
        }
    }
    found
}

#[tokio::test]
async fn the_browser_asks_no_name_server_and_speaks_no_datagrams() {
    let _turn = TURN.lock().await;
    let watching: tokio::task::JoinHandle<()> = tokio::spawn(async {
        let mut seen = std::collections::BTreeSet::new();
        loop {
            seen.extend(datagram_sockets());
            assert!(seen.is_empty(), "a socket for datagrams: {seen:?}");
            tokio::time::sleep(Duration::from_millis(15)).await;
        }
    });
    let (_, load) = load("/names").await;
    // The names were asked for, of the link; it knows that they are nobody's.
    let failed: Vec<_> = load.requests.iter().filter(|r| r.failed.is_some()).map(|r| r.url.to_string()).collect();
    assert!(failed.iter().any(|url| url.contains("no-such-name")), "{failed:?}");
    assert!(!watching.is_finished(), "{:?}", watching.await);
    watching.abort();
    // It would have been seen: a program that calls itself so and has one is.
    let _control = tokio::process::Command::new("bash")
        .args(["-c", "exec 3<>/dev/udp/127.0.0.1/9; read", "phainon-profile-control"])
        .stdin(std::process::Stdio::piped())
        .kill_on_drop(true)
        .spawn()
        .unwrap();
    let seen = async {
        while datagram_sockets().is_empty() {
            tokio::time::sleep(Duration::from_millis(15)).await;
        }
    };
    tokio::time::timeout(Duration::from_secs(20), seen).await.unwrap();
}

/// Text where the head should stand, and three notes of one name.
const NO_HEAD: &str = "text: in place of a head\n<link rel=stylesheet href=/site.css>\n<div id=note><p>Short.</p></div>\n<link rel=stylesheet href=/late.css>\n<div id=note><p>The largest text of the page, which nothing but its words tells apart from the two others that are named alike.</p></div>\n<div id=note><p>Another.</p></div>";

#[tokio::test]
async fn a_sheet_below_what_was_painted_blocks_no_rendering_and_the_largest_text_stands_where_its_words_do() {
    let _turn = TURN.lock().await;
    let (_, load) = load("/no-head").await;
    let late = ends_with(&load, "/late.css");
    assert!(load.fcp.unwrap() < late.end.unwrap(), "{:?} {late:#?}", load.fcp);
    assert_eq!(late.render_blocking, RenderBlocking::InBodyParserBlocking);
    let stands = standings(&load, NO_HEAD.as_bytes()).0.and_then(Standing::places);
    assert_eq!(stands.map(|at| at.map(|(line, _)| line)), Some([5, 5]), "{:?}", load.largest());
}

#[tokio::test]
async fn a_page_can_forge_neither_its_largest_element_nor_hide_that_it_opens_windows() {
    let _turn = TURN.lock().await;
    let (recording, load) = load("/forged").await;
    let largest = load.lcp_candidates.last().unwrap();
    assert_eq!((largest.tag.as_deref(), largest.selector.as_deref()), (Some("h1"), Some("h1")), "{largest:?}");
    assert_eq!(largest.snippet.as_deref(), Some("<h1>"));
    assert_eq!(largest.words.as_deref(), Some("A large text that is really painted here"));
    let page = serde_json::to_string(&recording.loads[0].page).unwrap();
    assert!(!page.contains("forged.test") && !page.contains("<b>"), "{page}");
    let (_, load) = self::load("/windows").await;
    let opened: Vec<_> = load.notes.iter().filter(|n| matches!(n, phainon_core::Note::WindowsOpened { .. })).collect();
    assert_eq!(opened, [&phainon_core::Note::WindowsOpened { count: 60 }], "{:?}", load.notes);
}

/// A browser that somebody else started, with a port for whoever wants to use it; ended when it is dropped.
struct Elsewhere {
    child: tokio::process::Child,
    address: String,
    _profile: tempfile::TempDir,
}

impl Drop for Elsewhere {
    fn drop(&mut self) {
        phainon_recorder::browser::kill_group(&self.child);
    }
}

async fn browser_elsewhere() -> Elsewhere {
    let profile = tempfile::tempdir().unwrap();
    let mut child = tokio::process::Command::new(phainon_recorder::browser::find(None).unwrap())
        .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-first-run", "--remote-debugging-port=0"])
        .arg(format!("--user-data-dir={}", profile.path().display()))
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::piped())
        .process_group(0)
        .spawn()
        .unwrap();
    let mut lines = tokio::io::AsyncBufReadExt::lines(tokio::io::BufReader::new(child.stderr.take().unwrap()));
    while let Some(line) = lines.next_line().await.unwrap() {
        if let Some(at) = line.find("ws://") {
            let address = line[at..].trim().to_owned();
            tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
            return Elsewhere { child, address, _profile: profile };
        }
    }
    panic!("the browser has no address");
}

#[tokio::test]
async fn a_browser_elsewhere_has_clean_loads_says_whose_link_it_is_and_is_left_as_it_was() {
    let _turn = TURN.lock().await;
    let site = site().await;
    let elsewhere = browser_elsewhere().await;
    let address = elsewhere.address.clone();
    let mut wanted = RecordRequest::new(&format!("http://{site}/counted"), preset("phone-on-the-move").unwrap(), 2);
    (wanted.browser, wanted.return_visits, wanted.detail) = (Some(address.clone()), true, false);
    (wanted.limits.quiet, wanted.limits.longest) = (Duration::from_millis(500), Duration::from_secs(12));
    let recording = recorded(&wanted).await;
    // Each first visit is one, and what comes after it has its cookie.
    let titles: Vec<_> = recording.loads.iter().map(|l| l.assemble().unwrap().title.unwrap_or_default()).collect();
    assert_eq!(titles, ["first", "again", "first", "again"]);
    let conditions = &recording.about.conditions;
    assert!(conditions.name.ends_with(", on the link of the browser elsewhere"), "{}", conditions.name);
    assert_eq!((conditions.round_trip_ms, conditions.down_bits, conditions.up_bits), (0.0, 0, 0));
    // What it reaches cannot be known from here.
    let (sender, _receiver) = mpsc::unbounded_channel();
    let public = RecordRequest { public_only: true, ..wanted.clone() };
    let why = record_whole(&public, sender.clone()).await.err().unwrap().to_string();
    assert!(why.contains("may reach private addresses"), "{why}");
    // Interrupted in the middle, its tab goes too.
    let busy = RecordRequest { url: format!("http://{site}/flip"), ..wanted };
    let pages = || async {
        let (host, _) = address.trim_start_matches("ws://").split_once('/').unwrap();
        let mut stream = tokio::net::TcpStream::connect(host).await.unwrap();
        let ask = format!("GET /json/list HTTP/1.1\r\nHost: {host}\r\nConnection: close\r\n\r\n");
        tokio::io::AsyncWriteExt::write_all(&mut stream, ask.as_bytes()).await.unwrap();
        // The browser keeps the line open: a list of pages is short, and comes at once or in two parts.
        let mut text = String::new();
        let mut part = [0u8; 16 << 10];
        while !text.trim_end().ends_with(']') {
            match tokio::io::AsyncReadExt::read(&mut stream, &mut part).await.unwrap() {
                0 => break,
                read => text.push_str(&String::from_utf8_lossy(&part[..read])),
            }
        }
        text.matches("/flip").count()
    };
    let recording = tokio::spawn(async move { record_whole(&busy, sender).await });
    let comes_to = async |any: bool| {
        let looking = async {
            while (pages().await > 0) != any {
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
        };
        tokio::time::timeout(Duration::from_secs(60), looking).await.is_ok()
    };
    assert!(comes_to(true).await, "it records in a tab");
    recording.abort();
    let _ = recording.await;
    assert!(comes_to(false).await, "the tab is gone");
}
