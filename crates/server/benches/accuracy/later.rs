//! Ways in which a page comes to its largest element after something else has been waited for: promises of other parts of
//! the browser, events of elements, and code that is run as text.

use crate::drawn::{Draw, HOSTS, PLACE, SHOW, Way, acting, words};
use rand::Rng;

/// Each with what it is called.
pub const LATER: [(&str, Way); 22] = [
    ("scripts put in that keep their order", in_order),
    ("a module by a map of names", mapped),
    ("a module fetched ahead", module_ahead),
    ("a module in the document that imports", inline_imports),
    ("when an animation has ended", animation_ended),
    ("when a transition has ended", transition_ended),
    ("an animation that a script sets off", script_animates),
    ("when a picture has loaded, by its tag", picture_tag),
    ("when all has loaded, by a tag", body_tag),
    ("a font that is asked for by its name", font_by_name),
    ("every part of a body", every_part),
    ("a store of the browser", kept_in_store),
    ("a digest of an answer", digest),
    ("a program in binary form", binary),
    ("a task that is scheduled", scheduled_task),
    ("code fetched as text", code_as_text),
    ("code fetched and put in", code_put_in),
    ("a shared worker", shared_worker),
    ("a dialog", dialog),
    ("a loader that knows what needs what", knows_needs),
    ("all that settles", all_settled),
    ("a watched picture and a limit that is far", far_limit),
];

fn in_order(draw: &mut Draw) -> String {
    let (first, second) = (draw.script("globalThis.first = true"), draw.script(SHOW));
    let does = format!(
        "for (const src of ['{first}', '{second}']) document.head.append(Object.assign(document.createElement('script'), {{ src, async: false }}))"
    );
    acting(draw, &does)
}

fn mapped(draw: &mut Draw) -> String {
    let module = draw.script("export const words = WORDS");
    draw.head.push(format!("<script type=importmap>{{\"imports\":{{\"tide\":\"{module}\"}}}}</script>"));
    let first = draw.script("import { words } from 'tide'; document.getElementById('place').innerHTML = words");
    format!("{PLACE}<script type=module src={first}></script>")
}

fn module_ahead(draw: &mut Draw) -> String {
    let last = draw.script("export const words = WORDS");
    let first =
        draw.script(&format!("import {{ words }} from '{last}'; document.getElementById('place').innerHTML = words"));
    draw.head.push(format!("<link rel=modulepreload href={last}><link rel=modulepreload href={first}>"));
    format!("{PLACE}<script type=module src={first}></script>")
}

fn inline_imports(draw: &mut Draw) -> String {
    let module = draw.script("export const words = WORDS");
    format!(
        "{PLACE}<script type=module>import {{ words }} from '{module}'; document.getElementById('place').innerHTML = words</script>"
    )
}

fn animation_ended(draw: &mut Draw) -> String {
    let after = draw.chance.random_range(100..400);
    draw.head.push(format!(
        "<style>@keyframes go {{ from {{ margin-left: 1px }} }} .on p {{ animation: go {after}ms }}</style>"
    ));
    let listens = format!("<script>addEventListener('animationend', () => {{ {SHOW} }})</script>");
    format!("{listens}{}", acting(draw, "document.body.className = 'on'"))
}

fn transition_ended(draw: &mut Draw) -> String {
    let after = draw.chance.random_range(100..400);
    draw.head
        .push(format!("<style>p {{ opacity: 0.5; transition: opacity {after}ms }} .on p {{ opacity: 1 }}</style>"));
    let listens = format!("<script>addEventListener('transitionend', () => {{ {SHOW} }})</script>");
    format!("{listens}{}", acting(draw, "document.body.className = 'on'"))
}

fn script_animates(draw: &mut Draw) -> String {
    let after = draw.chance.random_range(100..400);
    let does = format!(
        "document.querySelector('p').animate([{{ opacity: 0.5 }}, {{ opacity: 1 }}], {after}).finished.then(() => {{ {SHOW} }})"
    );
    acting(draw, &does)
}

fn picture_tag(draw: &mut Draw) -> String {
    let image = draw.image();
    format!(
        "<script>globalThis.shows = () => {{ {SHOW} }}</script>{PLACE}<img src={image} width=40 height=30 alt='' onload='shows()'>"
    )
}

fn body_tag(draw: &mut Draw) -> String {
    let image = draw.image();
    format!("<script>onload = () => {{ {SHOW} }}</script>{PLACE}<img src={image} width=40 height=30 alt=''>")
}

fn font_by_name(draw: &mut Draw) -> String {
    let font = draw.font();
    draw.head.push(format!("<style>@font-face {{ font-family: Own; src: url({font}) }}</style>"));
    acting(draw, &format!("document.fonts.load('1em Own').then(() => {{ {SHOW} }})"))
}

fn every_part(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(
        draw,
        &format!(
            "(async () => {{ for await (const part of (await fetch('{data}')).body) globalThis.part = part; {SHOW} }})()"
        ),
    )
}

fn kept_in_store(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('{data}').then(r => r.text()).then(text => {{ const o = indexedDB.open('tide', 1); o.onupgradeneeded = () => o.result.createObjectStore('kept'); o.onsuccess = () => {{ const t = o.result.transaction('kept', 'readwrite'); t.objectStore('kept').put(text, 'a'); t.oncomplete = () => {{ {SHOW} }} }} }})"
    );
    acting(draw, &does)
}

fn digest(draw: &mut Draw) -> String {
    let data = draw.data();
    let does = format!(
        "fetch('{data}').then(r => r.arrayBuffer()).then(b => crypto.subtle.digest('SHA-256', b)).then(() => {{ {SHOW} }})"
    );
    acting(draw, &does)
}

fn binary(draw: &mut Draw) -> String {
    let program = draw.file("wasm", "application/wasm", vec![0, 97, 115, 109, 1, 0, 0, 0]);
    acting(draw, &format!("WebAssembly.instantiateStreaming(fetch('{program}')).then(() => {{ {SHOW} }})"))
}

fn scheduled_task(draw: &mut Draw) -> String {
    let data = draw.data();
    acting(
        draw,
        &format!("fetch('{data}').then(() => scheduler.postTask(() => {{ {SHOW} }}, {{ priority: 'background' }}))"),
    )
}

fn code_as_text(draw: &mut Draw) -> String {
    let code = draw.script(SHOW);
    acting(draw, &format!("fetch('{code}').then(r => r.text()).then(text => (0, eval)(text))"))
}

fn code_put_in(draw: &mut Draw) -> String {
    let code = draw.script(SHOW);
    let does = format!(
        "fetch('{code}').then(r => r.text()).then(text => document.head.append(Object.assign(document.createElement('script'), {{ text }})))"
    );
    acting(draw, &does)
}

fn shared_worker(draw: &mut Draw) -> String {
    let wait = draw.wait();
    let body = b"onconnect = e => e.ports[0].postMessage('go')".to_vec();
    let worker = draw.file_at(HOSTS[0], "js", "text/javascript", body, wait);
    acting(draw, &format!("new SharedWorker('{worker}').port.onmessage = () => {{ {SHOW} }}"))
}

fn dialog(draw: &mut Draw) -> String {
    format!("<dialog id=place>{}</dialog>{}", words(), draw.actor("document.getElementById('place').showModal()"))
}

fn knows_needs(draw: &mut Draw) -> String {
    let loader = "globalThis.define = (needs, makes) => { const d = document.currentScript; Promise.all(needs.map(load)).then(() => { makes(); d.told() }) }; globalThis.load = src => new Promise(told => document.head.append(Object.assign(document.createElement('script'), { src, told, async: true })))";
    let loader = draw.script(loader);
    let base = draw.script("define([], () => { globalThis.base = true })");
    let main = draw.script(&format!("define(['{base}'], () => {{ {SHOW} }})"));
    format!("<script src={loader}></script>{}", acting(draw, &format!("load('{main}')")))
}

fn all_settled(draw: &mut Draw) -> String {
    let (a, b) = (draw.data(), draw.image());
    let does = format!(
        "Promise.allSettled([fetch('{a}'), new Promise(r => {{ const i = new Image(); i.onload = r; i.src = '{b}' }})]).then(() => {{ {SHOW} }})"
    );
    acting(draw, &does)
}

fn far_limit(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "{{ const i = new Image(); i.src = '{image}'; Promise.race([i.decode(), new Promise(r => setTimeout(r, 9000))]).then(() => {{ {SHOW} }}) }}"
    );
    acting(draw, &does)
}
