//! Ways in which the look of a page that scripts change brings its largest element: own styles, style elements,
//! properties, and pictures that scripts name.

use crate::drawn::{Draw, Way, acting, words};
use rand::prelude::IndexedRandom;

/// Each with what it is called.
pub const LOOKS: [(&str, Way); 15] = [
    ("a background that a script sets", set_by_script),
    ("a background in HTML that a script puts in", in_html),
    ("a background in a style element put in", style_element),
    ("a background in a sheet that a script builds", built_sheet),
    ("a background by a property that a script sets", property),
    ("a picture's sources set by a script", sources_set),
    ("a lazy picture that a script makes eager", made_eager),
    ("a picture as an element's content", as_content),
    ("a picture in HTML read apart", read_apart),
    ("a picture in a part of its own", own_part),
    ("a sheet in a part of its own", sheet_in_part),
    ("a picture written by a script", picture_written),
    ("a picture in a drawing put in", drawing_put_in),
    ("a sheet that a style put in imports", imported_by_style),
    ("a picture of a kept template", of_template),
];

const ROOM: &str = "<div id=place style='width:360px;height:240px'></div>";
const SIZED: &str = ".large { width: 360px; height: 240px }";

fn acting_in_room(draw: &mut Draw, does: &str) -> String {
    format!("{ROOM}{}", draw.actor(does))
}

fn set_by_script(draw: &mut Draw) -> String {
    let image = draw.image();
    let when = *["", "addEventListener('DOMContentLoaded', () => ", "setTimeout(() => "]
        .choose(&mut draw.chance)
        .unwrap_or(&"");
    let close = if when.is_empty() { "" } else { ")" };
    let set = format!("document.getElementById('place').style.backgroundImage = \"url({image})\"");
    let script = draw.script(&format!("{when}{set}{close}"));
    format!("{ROOM}<script defer src={script}></script>")
}

fn in_html(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "document.getElementById('place').innerHTML = \"<div style='width:360px;height:240px;background:url({image})'></div>\""
    );
    acting(draw, &does)
}

fn style_element(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "document.head.append(Object.assign(document.createElement('style'), {{ textContent: '#place {{ background: url({image}) }}' }}))"
    );
    acting_in_room(draw, &does)
}

fn built_sheet(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "{{ const s = new CSSStyleSheet(); s.replaceSync('#place {{ background: url({image}) }}'); document.adoptedStyleSheets = [s] }}"
    );
    acting_in_room(draw, &does)
}

fn property(draw: &mut Draw) -> String {
    let image = draw.image();
    draw.head.push("<style>#place { background: var(--large) }</style>".into());
    let does = format!("document.documentElement.style.setProperty('--large', 'url({image})')");
    acting_in_room(draw, &does)
}

fn sources_set(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!("document.getElementById('large').srcset = '{image} 1x'");
    format!("<img id=large width=360 height=240 alt=''>{}", draw.actor(&does))
}

fn made_eager(draw: &mut Draw) -> String {
    let image = draw.image();
    let does =
        "{ const i = document.getElementById('large'); i.loading = 'eager'; document.getElementById('far').remove() }";
    let script = draw.actor(does);
    format!(
        "<div id=far style='height:9000px'></div><img id=large loading=lazy src={image} width=360 height=240 alt=''>{script}"
    )
}

fn as_content(draw: &mut Draw) -> String {
    let image = draw.image();
    draw.head.push(format!("<style>{SIZED} .on .large {{ content: url({image}) }}</style>"));
    format!("<div class=large></div>{}", draw.actor("document.body.className = 'on'"))
}

fn read_apart(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "{{ const d = new DOMParser().parseFromString(\"<img src={image} width=360 height=240 alt=''>\", 'text/html'); document.getElementById('place').append(d.body.firstChild) }}"
    );
    acting(draw, &does)
}

fn own_part(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "document.getElementById('place').attachShadow({{ mode: 'open' }}).innerHTML = \"<style>div {{ width: 360px; height: 240px; background: url({image}) }}</style><div></div>\""
    );
    acting(draw, &does)
}

fn sheet_in_part(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { display: block }");
    let does = format!(
        "document.getElementById('place').attachShadow({{ mode: 'open' }}).innerHTML = `<style>h1 {{ display: none }}</style><link rel=stylesheet href={sheet}>${{WORDS}}`"
    );
    acting(draw, &does)
}

fn picture_written(draw: &mut Draw) -> String {
    let image = draw.image();
    let script = draw.script(&format!("document.write(\"<img src={image} width=360 height=240 alt=''>\")"));
    format!("<script src={script}></script>")
}

fn drawing_put_in(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = format!(
        "document.getElementById('place').innerHTML = '<svg width=360 height=240><image href={image} width=360 height=240></svg>'"
    );
    acting(draw, &does)
}

fn imported_by_style(draw: &mut Draw) -> String {
    let sheet = draw.sheet("h1 { display: block }");
    draw.head.push("<style>h1 { display: none }</style>".into());
    let does = format!(
        "document.head.append(Object.assign(document.createElement('style'), {{ textContent: '@import url({sheet});' }}))"
    );
    format!("{}{}", words(), draw.actor(&does))
}

fn of_template(draw: &mut Draw) -> String {
    let image = draw.image();
    let does = "document.getElementById('place').append(document.getElementById('kept').content.cloneNode(true))";
    let shows = acting(draw, does);
    format!("<template id=kept><img src={image} width=360 height=240 alt=''></template>{shows}")
}
