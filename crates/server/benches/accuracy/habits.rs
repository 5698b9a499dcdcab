//! What pages are in the habit of doing before they show their largest element: loaders, stand-ins for what fails,
//! covers that fade, counts of what is still to come.

use crate::drawn::{Draw, PLACE, SHOW, Way, acting, words};

/// Each with what it is called.
pub const HABITS: [(&str, Way); 18] = [
    ("a module as builders import it", built_import),
    ("a fragment that names a picture", fragment),
    ("a library and data, both", library_and_data),
    ("a cover that fades", cover),
    ("once all pictures are there", all_pictures),
    ("a class for fonts", class_for_fonts),
    ("a script that fails, and one written for it", written_for_it),
    ("a script that fails, and one put in for it", put_in_for_it),
    ("a sheet that fails", sheet_fails),
    ("a sheet that a script writes", sheet_written),
    ("sheets that import sheets", sheets_import),
    ("a size that is told again", size_told),
    ("words that take others' place", others_place),
    ("two scripts in any order", any_order),
    ("a module, then data", module_then_data),
    ("a cloak until a library is there", cloak),
    ("a while after all has loaded", while_after),
    ("words that are typed", typed),
];

fn built_import(draw: &mut Draw) -> String {
    let vendor = draw.script("export const words = WORDS");
    let module = draw.script(&format!(
        "import {{ words }} from '{vendor}'; export const show = () => {{ document.getElementById('place').innerHTML = words }}"
    ));
    let main = draw.script(&format!(
        "const ahead = href => new Promise(r => {{ const l = Object.assign(document.createElement('link'), {{ rel: 'modulepreload', href, onload: r, onerror: r }}); document.head.append(l) }}); Promise.all(['{module}', '{vendor}'].map(ahead)).then(() => import('{module}')).then(m => m.show())"
    ));
    format!("{PLACE}<script type=module src={main}></script>")
}

fn fragment(draw: &mut Draw) -> String {
    let image = draw.image();
    let html = format!("<img src={image} width=360 height=240 alt=''>");
    let html = draw.file("html", "text/html", html.into_bytes());
    acting(
        draw,
        &format!("fetch('{html}').then(r => r.text()).then(t => {{ document.getElementById('place').innerHTML = t }})"),
    )
}

fn library_and_data(draw: &mut Draw) -> String {
    let (library, data) = (draw.script("globalThis.marked = () => WORDS"), draw.data());
    let does = format!(
        "Promise.all([new Promise(r => document.head.append(Object.assign(document.createElement('script'), {{ src: '{library}', onload: r }}))), fetch('{data}').then(r => r.text())]).then(() => {{ document.getElementById('place').innerHTML = marked() }})"
    );
    acting(draw, &does)
}

fn cover(draw: &mut Draw) -> String {
    let image = draw.image();
    draw.head.push("<style>#all { opacity: 0 }</style>".into());
    let does = "addEventListener('load', () => { let o = 0; const t = setInterval(() => { o += 0.2; document.getElementById('all').style.opacity = o; if (o >= 1) clearInterval(t) }, 13) })";
    let script = draw.script(does);
    format!("<div id=all>{}<img src={image} width=40 height=30 alt=''></div><script src={script}></script>", words())
}

fn all_pictures(draw: &mut Draw) -> String {
    let images = [draw.image(), draw.image()];
    let does = format!(
        "{{ const all = [...document.images]; let left = all.filter(i => !i.complete).length; const done = () => {{ {SHOW} }}; if (!left) done(); else for (const i of all) i.addEventListener('load', () => {{ if (--left === 0) done() }}) }}"
    );
    let tags: String = images.iter().map(|i| format!("<img src={i} width=40 height=30 alt=''>")).collect();
    let script = draw.script(&does);
    format!("{tags}{PLACE}<script src={script}></script>")
}

fn class_for_fonts(draw: &mut Draw) -> String {
    let font = draw.font();
    draw.head.push(format!("<style>@font-face {{ font-family: Own; src: url({font}) }} h1 {{ visibility: hidden }} .there h1 {{ visibility: visible; font-family: Own }}</style>"));
    let does = "document.fonts.load('1em Own').then(() => { document.documentElement.className = 'there' })";
    format!("{}{}", words(), draw.actor(does))
}

fn written_for_it(draw: &mut Draw) -> String {
    let fails = draw.script("throw new Error('not this one')");
    let local = draw.script("globalThis.library = () => { document.getElementById('place').innerHTML = WORDS }");
    format!(
        "{PLACE}<script src={fails}></script><script>globalThis.library || document.write('<script src={local}><\\/script>')</script><script>library()</script>"
    )
}

fn put_in_for_it(draw: &mut Draw) -> String {
    let fails = draw.file("gone", "text/html", b"not a script".to_vec());
    let local = draw.script(SHOW);
    format!(
        "{PLACE}<script>globalThis.other = () => document.head.append(Object.assign(document.createElement('script'), {{ src: '{local}' }}))</script><script async src={fails} onload='other()' onerror='other()'></script>"
    )
}

fn sheet_fails(draw: &mut Draw) -> String {
    let sheet = draw.file("gone", "text/html", b"not a sheet".to_vec());
    draw.head.push(format!("<link rel=stylesheet href={sheet}>"));
    words()
}

fn sheet_written(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { color: navy }");
    let script = draw.script(&format!("document.write('<link rel=stylesheet href={sheet}>')"));
    draw.head.push(format!("<script src={script}></script>"));
    words()
}

fn sheets_import(draw: &mut Draw) -> String {
    let last = draw.sheet("h1 { color: navy }");
    let middle = draw.sheet(&format!("@import url({last});"));
    let first = draw.sheet(&format!("@import url({middle});"));
    draw.head.push(format!("<link rel=stylesheet href={first}>"));
    words()
}

fn size_told(draw: &mut Draw) -> String {
    let other = draw.script("dispatchEvent(new Event('resize'))");
    draw.below.push(format!("<script async src={other}></script>"));
    format!("<script>addEventListener('resize', () => {{ {SHOW} }})</script>{PLACE}")
}

fn others_place(draw: &mut Draw) -> String {
    let data = draw.data();
    let does =
        format!("fetch('{data}').then(r => r.json()).then(() => {{ document.querySelector('h2').outerHTML = WORDS }})");
    format!("<h2>A few words for now</h2>{}", draw.actor(&does))
}

fn any_order(draw: &mut Draw) -> String {
    let does = format!("globalThis.come = (globalThis.come ?? 0) + 1; if (come === 2) {{ {SHOW} }}");
    let (a, b) = (draw.script(&does), draw.script(&does));
    format!("{PLACE}<script async src={a}></script><script async src={b}></script>")
}

fn module_then_data(draw: &mut Draw) -> String {
    let (module, data) = (draw.script("export const word = 1"), draw.data());
    acting(
        draw,
        &format!("(async () => {{ await import('{module}'); await (await fetch('{data}')).json(); {SHOW} }})()"),
    )
}

fn cloak(draw: &mut Draw) -> String {
    draw.head.push("<style>[cloak] { display: none }</style>".into());
    let library = draw.script("globalThis.mount = e => e.removeAttribute('cloak')");
    let main = draw.script("mount(document.getElementById('place'))");
    format!(
        "<div id=place cloak>{}</div><script defer src={library}></script><script defer src={main}></script>",
        words()
    )
}

fn while_after(draw: &mut Draw) -> String {
    let image = draw.image();
    let script = draw.script(&format!("addEventListener('load', () => setTimeout(() => {{ {SHOW} }}, 120))"));
    format!("{PLACE}<img src={image} width=40 height=30 alt=''><script src={script}></script>")
}

fn typed(draw: &mut Draw) -> String {
    let does = "{ const all = WORDS.replace(/<[^>]*>/g, '').split(' '), e = document.createElement('h1'); let n = 0; document.getElementById('place').append(e); const t = setInterval(() => { n += 12; e.textContent = all.slice(0, n).join(' '); if (n >= all.length) clearInterval(t) }, 20) }";
    acting(draw, does)
}
