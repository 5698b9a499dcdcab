//! Ways that a page's platform offers and few pages take: workers with parts of their own, inner frames with files,
//! code that the document carries for what comes later, promises that the browser itself keeps, and routes.

use crate::drawn::{Draw, HOSTS, PLACE, SHOW, Way, acting, words};
use rand::prelude::IndexedRandom;

/// Each with what it is called.
pub const PLATFORM: [(&str, Way); 28] = [
    ("a worker that imports a script", importing_worker),
    ("a worker of modules", module_worker),
    ("a worker that asks for one thing after the other", asking_worker),
    ("an inner frame's picture holds its load event", frames_picture),
    ("an inner frame without an address", frame_in_place),
    ("an inner frame that a script puts in", frame_put_in),
    ("what comes later takes its place", swapped),
    ("an async script that rendering waits for", blocking_async),
    ("an animation that a script awaits", animation_awaited),
    ("a transition of views", view_transition),
    ("an observer of what the browser measures", performance_observed),
    ("a module that is data", data_module),
    ("a module that is a sheet", sheet_module),
    ("a script that lets others go first", yields),
    ("a lock", lock),
    ("an answer as an address of its own", data_address),
    ("an answer unpacked by a script", unpacked),
    ("an answer through a pipe", piped),
    ("a route by the address's fragment", hash_route),
    ("a route by the history", history_route),
    ("a navigation that the page takes over", intercepted),
    ("a document written anew", written_anew),
    ("an answer of the browser's own", browsers_answer),
    ("HTML put in by another way", other_html),
    ("a second try after a limit", second_try),
    ("a store of answers", answers_kept),
    ("when the document's state changes", ready_state),
    ("an old request by its states", request_states),
];

fn at_home(draw: &mut Draw, body: &str) -> String {
    let wait = draw.wait();
    draw.file_at(HOSTS[0], "js", "text/javascript", body.as_bytes().to_vec(), wait)
}

fn importing_worker(draw: &mut Draw) -> String {
    let part = draw.script("globalThis.there = true");
    let worker = at_home(draw, &format!("importScripts('{part}'); postMessage('go')"));
    acting(draw, &format!("new Worker('{worker}').onmessage = () => {{ {SHOW} }}"))
}

fn module_worker(draw: &mut Draw) -> String {
    let part = draw.script("export const word = 1");
    let worker = at_home(draw, &format!("import {{ word }} from '{part}'; postMessage(word)"));
    acting(draw, &format!("new Worker('{worker}', {{ type: 'module' }}).onmessage = () => {{ {SHOW} }}"))
}

fn asking_worker(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.data());
    let body = format!(
        "onmessage = async e => {{ await (await fetch('{a}')).json(); await (await fetch('{b}')).json(); postMessage(e.data) }}"
    );
    let worker = at_home(draw, &body);
    let does =
        format!("{{ const w = new Worker('{worker}'); w.onmessage = () => {{ {SHOW} }}; w.postMessage('ask') }}");
    acting(draw, &does)
}

fn frames_picture(draw: &mut Draw) -> String {
    let image = draw.image();
    let frame = format!("<!doctype html><title>Inner</title><img src={image} width=40 height=30 alt=''>");
    let frame = draw.file("html", "text/html", frame.into_bytes());
    format!("{PLACE}<script>globalThis.show = () => {{ {SHOW} }}</script><iframe src={frame} onload='show()'></iframe>")
}

fn frame_in_place(draw: &mut Draw) -> String {
    let script = draw.script("parent.postMessage('go', '*')");
    format!(
        "{PLACE}<script>addEventListener('message', () => {{ {SHOW} }})</script><iframe srcdoc='<!doctype html><title>Inner</title><script src={script}></script>'></iframe>"
    )
}

fn frame_put_in(draw: &mut Draw) -> String {
    let script = draw.script("parent.postMessage('go', '*')");
    let frame = format!("<!doctype html><title>Inner</title><script src={script}></script>");
    let frame = draw.file("html", "text/html", frame.into_bytes());
    let does = format!(
        "addEventListener('message', () => {{ {SHOW} }}); document.body.append(Object.assign(document.createElement('iframe'), {{ src: '{frame}' }}))"
    );
    acting(draw, &does)
}

fn swapped(draw: &mut Draw) -> String {
    let script = draw.script("globalThis.swap = (from, to) => document.getElementById(to).replaceWith(document.getElementById(from).content)");
    draw.below.push(format!(
        "<template id=later>{}</template><script src={script}></script><script>swap('later', 'place')</script>",
        words()
    ));
    PLACE.into()
}

fn blocking_async(draw: &mut Draw) -> String {
    let script = draw.script("document.documentElement.className = 'kind'");
    draw.head.push(format!("<script async blocking=render src={script}></script>"));
    words()
}

fn animation_awaited(draw: &mut Draw) -> String {
    let does = format!(
        "document.getElementById('bar').animate([{{ opacity: 0 }}, {{ opacity: 1 }}], 120).finished.then(() => {{ {SHOW} }})"
    );
    format!("<p id=bar>Bar</p>{}", acting(draw, &does))
}

fn view_transition(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(
        draw,
        &format!("fetch('{data}').then(r => r.json()).then(() => document.startViewTransition(() => {{ {SHOW} }}))"),
    )
}

fn performance_observed(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "new PerformanceObserver(list => {{ if (list.getEntries().some(e => e.name.endsWith('.png'))) {{ {SHOW} }} }}).observe({{ type: 'resource', buffered: true }})"
    );
    format!("{}<img src={image} width=40 height=30 alt=''>", acting(draw, &does))
}

fn data_module(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(draw, &format!("import('{data}', {{ with: {{ type: 'json' }} }}).then(() => {{ {SHOW} }})"))
}

fn sheet_module(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { color: navy }");
    let does = format!(
        "import('{sheet}', {{ with: {{ type: 'css' }} }}).then(m => {{ document.adoptedStyleSheets = [m.default]; {SHOW} }})"
    );
    acting(draw, &does)
}

fn yields(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "(async () => {{ await (await fetch('{data}')).json(); await scheduler.yield(); await new Promise(done => setTimeout(done)); {SHOW} }})()"
    );
    acting(draw, &does)
}

fn lock(draw: &mut Draw) -> String {
    let data = draw.data();
    let first = draw.script(&format!("navigator.locks.request('one', () => fetch('{data}').then(r => r.json()))"));
    let second = draw.script(&format!("navigator.locks.request('one', () => {{ {SHOW} }})"));
    format!("{PLACE}<script src={first}></script><script src={second}></script>")
}

fn data_address(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "fetch('{image}').then(r => r.blob()).then(b => {{ const f = new FileReader(); f.onload = () => {{ document.getElementById('large').src = f.result }}; f.readAsDataURL(b) }})"
    );
    format!("<img id=large width=360 height=240 alt=''>{}", draw.actor(&does))
}

fn unpacked(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('{data}').then(r => new Response(r.body.pipeThrough(new CompressionStream('gzip')).pipeThrough(new DecompressionStream('gzip'))).text()).then(() => {{ {SHOW} }})"
    );
    acting(draw, &does)
}

fn piped(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('{data}').then(r => r.body.pipeThrough(new TextDecoderStream()).pipeTo(new WritableStream({{ write() {{ {SHOW} }} }})))"
    );
    acting(draw, &does)
}

fn hash_route(draw: &mut Draw) -> String {
    let (routes, start) = (
        draw.script(&format!("addEventListener('hashchange', () => {{ {SHOW} }})")),
        draw.script("location.hash = 'start'"),
    );
    format!("{PLACE}<script defer src={routes}></script><script defer src={start}></script>")
}

fn history_route(draw: &mut Draw) -> String {
    let module = draw.script(&format!("export const view = () => {{ {SHOW} }}"));
    let does = format!(
        "addEventListener('popstate', () => import('{module}').then(m => m.view())); history.pushState({{}}, '', '#list'); history.pushState({{}}, '', '#one'); history.back()"
    );
    acting(draw, &does)
}

fn intercepted(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "navigation.addEventListener('navigate', e => e.intercept({{ handler: async () => {{ await (await fetch('{data}')).json(); {SHOW} }} }})); navigation.navigate('#view', {{ history: 'replace' }})"
    );
    acting(draw, &does)
}

fn written_anew(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('{data}').then(r => r.json()).then(() => {{ document.open(); document.write('<!doctype html><title>New</title>' + WORDS); document.close() }})"
    );
    acting(draw, &does)
}

fn browsers_answer(draw: &mut Draw) -> String {
    let asked = *[
        "navigator.userAgentData.getHighEntropyValues(['model'])",
        "navigator.permissions.query({ name: 'notifications' })",
        "navigator.storage.estimate()",
        "document.hasStorageAccess()",
    ]
    .choose(&mut draw.chance)
    .unwrap_or(&"Promise.resolve()");
    acting(draw, &format!("{asked}.then(() => {{ {SHOW} }})"))
}

fn other_html(draw: &mut Draw) -> String {
    let data = draw.data();
    let place = "document.getElementById('place')";
    let put = match *["beside", "unsafe", "range", "replaced", "parsed"].choose(&mut draw.chance).unwrap_or(&"beside") {
        "unsafe" => format!("{place}.setHTMLUnsafe(WORDS)"),
        "range" => format!("{place}.append(document.createRange().createContextualFragment(WORDS))"),
        "replaced" => format!(
            "{{ const h = document.createElement('h1'); h.textContent = WORDS.slice(4, -5); {place}.replaceChildren(h) }}"
        ),
        "parsed" => {
            format!("{place}.replaceWith(...new DOMParser().parseFromString(WORDS, 'text/html').body.children)")
        }
        _ => format!("{place}.insertAdjacentHTML('afterend', WORDS)"),
    };
    acting(draw, &format!("fetch('{data}').then(r => r.json()).then(() => {{ {put} }})"))
}

fn second_try(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('https://{}/never', {{ signal: AbortSignal.timeout(150) }}).catch(() => 0).then(() => fetch('{data}')).then(() => {{ {SHOW} }})",
        HOSTS[2]
    );
    acting(draw, &does)
}

fn answers_kept(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "caches.open('kept').then(async c => {{ await c.add('{data}'); await (await c.match('{data}')).json(); {SHOW} }})"
    );
    acting(draw, &does)
}

fn ready_state(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "document.addEventListener('readystatechange', () => {{ if (document.readyState === 'complete') {{ {SHOW} }} }})"
    );
    let script = draw.script(&does);
    format!("{PLACE}<script src={script}></script><img src={image} width=40 height=30 alt=''>")
}

fn request_states(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "{{ const r = new XMLHttpRequest(); r.open('GET', '{data}'); r.onreadystatechange = () => {{ if (r.readyState === 4) {{ {SHOW} }} }}; r.send() }}"
    );
    acting(draw, &does)
}
