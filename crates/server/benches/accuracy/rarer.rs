//! Rarer ways in which the largest element of a drawn page comes to be shown. They are drawn for seeds from `RARER_FROM`
//! on: the pages of smaller seeds stay what they were when they were measured.

use crate::drawn::{Draw, Drawn, HOSTS, PLACE, SHOW, Way, acting, words};
use crate::habits::HABITS;
use crate::later::LATER;
use crate::libraries::LIBRARIES;
use crate::looks::LOOKS;
use crate::platform::PLATFORM;
use rand::Rng;
use rand::prelude::IndexedRandom;
use std::path::Path;
use std::time::Duration;

/// From this seed on pages show their largest element in one of these ways.
pub const RARER_FROM: u64 = 1_000;

/// Each with what it is called.
pub const WAYS: [(&str, Way); 59] = [
    ("an element that a script defines", defined),
    ("an element that draws itself", drawn_by_itself),
    ("all hidden until a script lets go", let_go),
    ("a sheet fetched ahead and switched on", switched_on),
    ("one fetch after the other", one_after_the_other),
    ("two fetches together", both),
    ("the first of two fetches", either),
    ("a module asked for by a script", asked_for),
    ("a chain of modules", chain),
    ("a font that a script loads", font_by_script),
    ("when the fonts are ready", fonts_ready),
    ("a picture loaded before it is shown", loaded_before),
    ("a picture decoded before it is shown", decoded_before),
    ("a picture out of a fetch", out_of_a_fetch),
    ("a picture when it comes into view", into_view),
    ("a message of an inner frame", inner_frame),
    ("a message of a worker", worker),
    ("an event of a stream", event_stream),
    ("an old request", old_request),
    ("data that comes as a script", data_as_script),
    ("a change that is watched", watched),
    ("a script that a script writes", written),
    ("a video's picture", poster),
    ("a picture in a drawing", in_a_drawing),
    ("a picture of several sources", several_sources),
    ("a template cloned", cloned),
    ("a sheet fetched as text", sheet_as_text),
    ("a background by two sheets", two_sheets),
    ("a sheet that is off", sheet_that_is_off),
    ("when the thread is idle", idle),
    ("a transition", transition),
    ("a scheduler of another file", scheduler),
    ("a request that stops the thread", stops_the_thread),
    ("a module that waits for data", module_waits),
    ("a library or a limit", library_or_limit),
    ("a queue that a library takes up", queue),
    ("a loader of several scripts", loader),
    ("hidden in the HTML", hidden_in_html),
    ("two frames later", two_frames),
    ("a picture fetched ahead", fetched_ahead),
    ("a picture in the place of a smaller one", in_its_place),
    ("an answer that another script asked for", anothers_answer),
    ("data fetched ahead", data_fetched_ahead),
    ("a script fetched ahead and put in by another", script_fetched_ahead),
    ("a font fetched ahead", font_fetched_ahead),
    ("once an element is defined", once_defined),
    ("when an element has its size", when_sized),
    ("a fetch and then a timer", fetch_then_timer),
    ("a timer and then a fetch", timer_then_fetch),
    ("when a sheet has loaded", sheet_loaded),
    ("when a script has loaded", script_loaded),
    ("when an inner frame has loaded", frame_loaded),
    ("when a picture has failed", picture_failed),
    ("when a fetch has failed", fetch_failed),
    ("an event that another script sets off", event_of_another),
    ("a function that awaits three times", awaits_thrice),
    ("a fetch when it comes into view", fetch_in_view),
    ("a message on a channel by name", channel_by_name),
    ("the first part of a body", first_part),
];

/// From this seed on they draw from those of `looks.rs`, `later.rs` and `habits.rs` as well.
const ALL_FROM: u64 = 2_000;

/// All ways, in the order of their numbers.
pub fn all() -> impl Iterator<Item = (&'static str, Way)> {
    WAYS.into_iter().chain(LOOKS).chain(LATER).chain(HABITS)
}

/// And those with libraries and of the platform, which no page is drawn with.
pub fn every_way() -> impl Iterator<Item = (&'static str, Way)> {
    all().chain(LIBRARIES).chain(PLATFORM)
}

/// Puts one of the ways into a page.
pub fn largest(draw: &mut Draw, seed: u64) -> String {
    let count = if seed < ALL_FROM { WAYS.len() } else { all().count() };
    let at = draw.chance.random_range(0..count);
    let Some((name, way)) = all().nth(at) else { return String::new() };
    draw.about.push(name.into());
    way(draw)
}

/// How long the server takes over a file that is late, and over all others.
const LATE: Duration = Duration::from_millis(800);
const SOON: Duration = Duration::from_millis(8);

/// A page with nothing on it but one of the ways, in a variant; every file but `late` comes soon; libraries come from
/// `packages`. `None` where there is no such way or no such file.
pub fn plain(way: usize, variant: u64, late: Option<usize>, picture: &[u8], packages: &Path) -> Option<Drawn> {
    let (name, way) = every_way().nth(way)?;
    let mut draw = Draw::empty(variant, picture, packages);
    let largest = way(&mut draw);
    let (html, _) = draw.html(&largest);
    draw.files.iter_mut().for_each(|file| file.wait = SOON);
    if let Some(late) = late {
        draw.files.get_mut(late)?.wait = LATE;
    }
    let about = std::iter::once(name.to_owned()).chain(draw.about).collect::<Vec<_>>().join(", ");
    let (wait, files) = (SOON, draw.files);
    Some(Drawn { seed: 0, html, wait, trickles: None, files, about, first_only: Vec::new(), conditions: "unshaped" })
}

fn defined(draw: &mut Draw) -> String {
    draw.head.push("<style>tide-card:not(:defined) { visibility: hidden }</style>".into());
    let script = draw.actor("customElements.define('tide-card', class extends HTMLElement {})");
    format!("<tide-card>{}</tide-card>{script}", words())
}

fn drawn_by_itself(draw: &mut Draw) -> String {
    let does = "customElements.define('tide-card', class extends HTMLElement { connectedCallback() { this.attachShadow({ mode: 'open' }).innerHTML = WORDS } })";
    format!("<tide-card></tide-card>{}", draw.actor(does))
}

fn let_go(draw: &mut Draw) -> String {
    draw.head.push("<style>.away { opacity: 0 }</style><script>document.documentElement.className = 'away'; setTimeout(() => { document.documentElement.className = '' }, 4000)</script>".into());
    let script = draw.script("document.documentElement.className = ''");
    draw.head.push(format!("<script async src={script}></script>"));
    words()
}

fn switched_on(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { display: block }");
    draw.head.push("<style>h1 { display: none }</style>".into());
    draw.head.push(format!("<link rel=preload as=style href={sheet} onload=\"this.rel = 'stylesheet'\">"));
    words()
}

fn one_after_the_other(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.data());
    acting(draw, &format!("fetch('{a}').then(() => fetch('{b}')).then(() => {{ {SHOW} }})"))
}

fn both(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.data());
    acting(draw, &format!("Promise.all([fetch('{a}'), fetch('{b}')]).then(() => {{ {SHOW} }})"))
}

fn either(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.data());
    acting(draw, &format!("Promise.race([fetch('{a}'), fetch('{b}')]).then(() => {{ {SHOW} }})"))
}

fn asked_for(draw: &mut Draw) -> String {
    let module = draw.script(&format!("export const show = () => {{ {SHOW} }}"));
    acting(draw, &format!("import('{module}').then(m => m.show())"))
}

fn chain(draw: &mut Draw) -> String {
    let last = draw.script("export const words = WORDS");
    let middle = draw.script(&format!("export {{ words }} from '{last}'"));
    let first =
        draw.script(&format!("import {{ words }} from '{middle}'; document.getElementById('place').innerHTML = words"));
    format!("{PLACE}<script type=module src={first}></script>")
}

fn font_by_script(draw: &mut Draw) -> String {
    let font = draw.font();
    let does = format!(
        "{{ const f = new FontFace('Own', 'url({font})'); f.load().then(() => {{ document.fonts.add(f); {SHOW} }}) }}"
    );
    acting(draw, &does)
}

fn fonts_ready(draw: &mut Draw) -> String {
    let font = draw.font();
    draw.head
        .push(format!("<style>@font-face {{ font-family: Own; src: url({font}) }} p {{ font-family: Own }}</style>"));
    acting(draw, &format!("document.fonts.ready.then(() => {{ {SHOW} }})"))
}

fn loaded_before(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "{{ const i = new Image(360, 240); i.onload = () => document.getElementById('place').append(i); i.src = '{image}' }}"
    );
    acting(draw, &does)
}

fn decoded_before(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "{{ const i = new Image(360, 240); i.src = '{image}'; i.decode().then(() => document.getElementById('place').append(i)) }}"
    );
    acting(draw, &does)
}

fn out_of_a_fetch(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "fetch('{image}').then(r => r.blob()).then(b => {{ const i = new Image(360, 240); i.src = URL.createObjectURL(b); document.getElementById('place').append(i) }})"
    );
    acting(draw, &does)
}

fn into_view(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = "new IntersectionObserver((seen, o) => { for (const s of seen) if (s.isIntersecting) { s.target.src = s.target.dataset.src; o.disconnect() } }).observe(document.getElementById('large'))";
    format!("<img id=large data-src={image} width=360 height=240 alt=''>{}", draw.actor(does))
}

fn inner_frame(draw: &mut Draw) -> String {
    let script = draw.script("parent.postMessage('go', '*')");
    let frame = format!("<!doctype html><title>Inner</title><script src={script}></script>");
    let frame = draw.file("html", "text/html", frame.into_bytes());
    format!("{PLACE}<script>addEventListener('message', () => {{ {SHOW} }})</script><iframe src={frame}></iframe>")
}

fn worker(draw: &mut Draw) -> String {
    let data = draw.data();
    let wait = draw.wait();
    let body = format!("fetch('{data}').then(() => postMessage('go'))");
    let worker = draw.file_at(HOSTS[0], "js", "text/javascript", body.into_bytes(), wait);
    acting(draw, &format!("new Worker('{worker}').onmessage = () => {{ {SHOW} }}"))
}

fn event_stream(draw: &mut Draw) -> String {
    let stream = draw.file("events", "text/event-stream", b"data: go\n\n".to_vec());
    let does = format!("{{ const s = new EventSource('{stream}'); s.onmessage = () => {{ s.close(); {SHOW} }} }}");
    acting(draw, &does)
}

fn old_request(draw: &mut Draw) -> String {
    let data = draw.data();
    let told = *["r.onload = () =>", "r.onreadystatechange = () => r.readyState === 4 &&"]
        .choose(&mut draw.chance)
        .unwrap_or(&"");
    let does = format!("{{ const r = new XMLHttpRequest(); r.open('GET', '{data}'); {told} ({SHOW}); r.send() }}");
    acting(draw, &does)
}

fn data_as_script(draw: &mut Draw) -> String {
    let data = draw.script("took({})");
    let does = format!(
        "globalThis.took = () => {{ {SHOW} }}; {{ const s = document.createElement('script'); s.src = '{data}'; document.head.append(s) }}"
    );
    acting(draw, &does)
}

fn watched(draw: &mut Draw) -> String {
    let watch = format!(
        "<script>new MutationObserver(() => {{ if (document.getElementById('mark')) {{ {SHOW} }} }}).observe(document.getElementById('room'), {{ childList: true }})</script>"
    );
    let does = "document.getElementById('room').append(Object.assign(document.createElement('i'), { id: 'mark' }))";
    format!("{PLACE}<div id=room></div>{watch}{}", draw.actor(does))
}

fn written(draw: &mut Draw) -> String {
    let inner = draw.script(SHOW);
    let outer = draw.script(&format!("document.write('<script src={inner}></' + 'script>')"));
    format!("{PLACE}<script src={outer}></script>")
}

fn poster(draw: &mut Draw) -> String {
    format!("<video poster={} width=360 height=240></video>", draw.image())
}

fn in_a_drawing(draw: &mut Draw) -> String {
    format!("<svg width=360 height=240><image href={} width=360 height=240></svg>", draw.image())
}

fn several_sources(draw: &mut Draw) -> String {
    let (wide, narrow) = (draw.image(), draw.image());
    format!(
        "<picture><source media='(min-width: 700px)' srcset={wide}><img src={narrow} width=360 height=240 alt=''></picture>"
    )
}

fn cloned(draw: &mut Draw) -> String {
    let does = "document.getElementById('place').append(document.getElementById('kept').content.cloneNode(true))";
    format!("<template id=kept>{}</template>{}", words(), acting(draw, does))
}

fn sheet_as_text(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { display: block }");
    draw.head.push("<style>h1 { display: none }</style>".into());
    let then = *[
        "document.head.append(Object.assign(document.createElement('style'), { textContent: t }))",
        "{ const s = new CSSStyleSheet(); s.replaceSync(t); document.adoptedStyleSheets = [s] }",
    ]
    .choose(&mut draw.chance)
    .unwrap_or(&"");
    let script = draw.actor(&format!("fetch('{sheet}').then(r => r.text()).then(t => {then})"));
    format!("{}{script}", words())
}

fn two_sheets(draw: &mut Draw) -> String {
    let image = draw.image();
    let looks = draw.sheet(".large { width: 360px; height: 240px; background: var(--large) }");
    let names = draw.sheet(&format!(":root {{ --large: url({image}) }}"));
    draw.head.push(format!("<link rel=stylesheet href={looks}><link rel=stylesheet href={names}>"));
    "<div class=large></div>".into()
}

fn sheet_that_is_off(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { display: block }");
    draw.head.push("<style>h1 { display: none }</style>".into());
    draw.head.push(format!("<link rel=stylesheet id=off disabled href={sheet}>"));
    format!("{}{}", words(), draw.actor("document.getElementById('off').disabled = false"))
}

fn idle(draw: &mut Draw) -> String {
    acting(draw, &format!("requestIdleCallback(() => {{ {SHOW} }})"))
}

fn transition(draw: &mut Draw) -> String {
    let after = draw.chance.random_range(100..500);
    draw.head.push(format!(
        "<style>h1 {{ visibility: hidden; transition: visibility 0s {after}ms }} .on h1 {{ visibility: visible }}</style>"
    ));
    format!("{}{}", words(), draw.actor("document.body.className = 'on'"))
}

fn scheduler(draw: &mut Draw) -> String {
    let library = draw.script("{ const c = new MessageChannel(), q = []; c.port1.onmessage = () => q.shift()(); globalThis.later = f => { q.push(f); c.port2.postMessage(0) } }");
    let data = draw.data();
    let tag = format!("<script src={library}></script>");
    format!("{tag}{}", acting(draw, &format!("fetch('{data}').then(() => later(() => {{ {SHOW} }}))")))
}

fn stops_the_thread(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(draw, &format!("{{ const r = new XMLHttpRequest(); r.open('GET', '{data}', false); r.send(); {SHOW} }}"))
}

fn module_waits(draw: &mut Draw) -> String {
    let data = draw.data();
    let module = draw.script(&format!("await fetch('{data}'); {SHOW}"));
    format!("{PLACE}<script type=module src={module}></script>")
}

fn library_or_limit(draw: &mut Draw) -> String {
    let limit = draw.chance.random_range(300..900);
    let library = draw.script("globalThis.ready?.()");
    format!(
        "{PLACE}<script>Promise.race([new Promise(r => {{ globalThis.ready = r }}), new Promise(r => setTimeout(r, {limit}))]).then(() => {{ {SHOW} }})</script><script async src={library}></script>"
    )
}

fn queue(draw: &mut Draw) -> String {
    let library = draw.script("for (const f of globalThis.queued ?? []) f()");
    draw.head.push(format!("<script>globalThis.queued = []</script><script async src={library}></script>"));
    format!("{PLACE}<script>queued.push(() => {{ {SHOW} }})</script>")
}

fn loader(draw: &mut Draw) -> String {
    let parts = [draw.script("need.done()"), draw.script("need.done()")];
    let does = format!(
        "globalThis.need = {{ left: 2, done() {{ if (--this.left === 0) {{ {SHOW} }} }} }}; for (const src of ['{}', '{}']) document.head.append(Object.assign(document.createElement('script'), {{ src }}))",
        parts[0], parts[1]
    );
    acting(draw, &does)
}

fn hidden_in_html(draw: &mut Draw) -> String {
    let does = "addEventListener('DOMContentLoaded', () => document.getElementById('place').removeAttribute('hidden'))";
    let how = *["", "defer"].choose(&mut draw.chance).unwrap_or(&"");
    let script = draw.script(does);
    format!("<div id=place hidden>{}</div><script {how} src={script}></script>", words())
}

fn two_frames(draw: &mut Draw) -> String {
    acting(draw, &format!("requestAnimationFrame(() => requestAnimationFrame(() => {{ {SHOW} }}))"))
}

fn fetched_ahead(draw: &mut Draw) -> String {
    let image = draw.image();
    draw.head.push(format!("<link rel=preload as=image href={image}>"));
    let does =
        format!("document.getElementById('place').innerHTML = \"<img src={image} width=360 height=240 alt=''>\"");
    acting(draw, &does)
}

fn in_its_place(draw: &mut Draw) -> String {
    let (small, large) = (draw.image(), draw.image());
    let does =
        format!("{{ const i = document.getElementById('large'); i.width = 360; i.height = 240; i.src = '{large}' }}");
    format!("<img id=large src={small} width=90 height=60 alt=''>{}", draw.actor(&does))
}

fn anothers_answer(draw: &mut Draw) -> String {
    let data = draw.data();
    draw.head.push(format!("<script>globalThis.asked = fetch('{data}')</script>"));
    acting(draw, &format!("asked.then(r => r.text()).then(() => {{ {SHOW} }})"))
}

fn data_fetched_ahead(draw: &mut Draw) -> String {
    let data = draw.data();
    draw.head.push(format!("<link rel=preload as=fetch crossorigin href={data}>"));
    acting(draw, &format!("fetch('{data}').then(r => r.text()).then(() => {{ {SHOW} }})"))
}

fn script_fetched_ahead(draw: &mut Draw) -> String {
    let script = draw.script(SHOW);
    draw.head.push(format!("<link rel=preload as=script href={script}>"));
    let does = format!("document.head.append(Object.assign(document.createElement('script'), {{ src: '{script}' }}))");
    acting(draw, &does)
}

fn font_fetched_ahead(draw: &mut Draw) -> String {
    let font = draw.font();
    draw.head.push(format!("<link rel=preload as=font crossorigin href={font}>"));
    draw.head
        .push(format!("<style>@font-face {{ font-family: Own; src: url({font}) }} h1 {{ font-family: Own }}</style>"));
    words()
}

fn once_defined(draw: &mut Draw) -> String {
    let script = draw.script("customElements.define('tide-card', class extends HTMLElement {})");
    draw.head.push(format!("<script async src={script}></script>"));
    acting(draw, &format!("customElements.whenDefined('tide-card').then(() => {{ {SHOW} }})"))
}

fn when_sized(draw: &mut Draw) -> String {
    let sheet = draw.sheet("#room { height: 50px }");
    draw.head.push(format!("<link rel=stylesheet media=print onload=\"this.media = 'all'\" href={sheet}>"));
    format!(
        "<div id=room></div>{PLACE}<script>new ResizeObserver(([room], o) => {{ if (room.contentRect.height >= 50) {{ o.disconnect(); {SHOW} }} }}).observe(document.getElementById('room'))</script>"
    )
}

fn fetch_then_timer(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(draw, &format!("fetch('{data}').then(() => setTimeout(() => {{ {SHOW} }}, 100))"))
}

fn timer_then_fetch(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(draw, &format!("setTimeout(() => fetch('{data}').then(() => {{ {SHOW} }}), 100)"))
}

fn sheet_loaded(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { color: navy }");
    let does = format!(
        "document.head.append(Object.assign(document.createElement('link'), {{ rel: 'stylesheet', href: '{sheet}', onload() {{ {SHOW} }} }}))"
    );
    acting(draw, &does)
}

fn script_loaded(draw: &mut Draw) -> String {
    let library = draw.script("globalThis.library = true");
    let does = format!(
        "document.head.append(Object.assign(document.createElement('script'), {{ src: '{library}', onload() {{ {SHOW} }} }}))"
    );
    acting(draw, &does)
}

fn frame_loaded(draw: &mut Draw) -> String {
    let frame = draw.file("html", "text/html", b"<!doctype html><title>Inner</title>".to_vec());
    let does = format!(
        "document.body.append(Object.assign(document.createElement('iframe'), {{ src: '{frame}', onload() {{ {SHOW} }} }}))"
    );
    acting(draw, &does)
}

fn picture_failed(draw: &mut Draw) -> String {
    let broken = draw.file("png", "image/png", b"no picture".to_vec());
    let does = format!("{{ const i = new Image(); i.onerror = () => {{ {SHOW} }}; i.src = '{broken}' }}");
    acting(draw, &does)
}

fn fetch_failed(draw: &mut Draw) -> String {
    let data = draw.file("json", "application/json", b"not json".to_vec());
    acting(draw, &format!("fetch('{data}').then(r => r.json()).catch(() => {{ {SHOW} }})"))
}

fn event_of_another(draw: &mut Draw) -> String {
    let other = draw.script("document.dispatchEvent(new Event('tide'))");
    format!(
        "{PLACE}<script>document.addEventListener('tide', () => {{ {SHOW} }})</script><script async src={other}></script>"
    )
}

fn awaits_thrice(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.data());
    acting(
        draw,
        &format!("(async () => {{ const r = await fetch('{a}'); await r.json(); await fetch('{b}'); {SHOW} }})()"),
    )
}

fn fetch_in_view(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "new IntersectionObserver((seen, o) => {{ if (seen.some(s => s.isIntersecting)) {{ o.disconnect(); fetch('{data}').then(() => {{ {SHOW} }}) }} }}).observe(document.getElementById('room'))"
    );
    format!("<div id=room style='height:20px'></div>{}", acting(draw, &does))
}

fn channel_by_name(draw: &mut Draw) -> String {
    let other = draw.script("new BroadcastChannel('tide').postMessage('go')");
    format!(
        "{PLACE}<script>new BroadcastChannel('tide').onmessage = () => {{ {SHOW} }}</script><script async src={other}></script>"
    )
}

fn first_part(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(draw, &format!("fetch('{data}').then(r => r.body.getReader().read()).then(() => {{ {SHOW} }})"))
}
