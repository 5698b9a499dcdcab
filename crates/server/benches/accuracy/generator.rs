//! Pages drawn by chance from a seed: what stands in the head and in which order, what the body holds,
//! and in what way the largest element comes to be shown. A page is the same for the same seed.

use crate::drawn::{Draw, Drawn, HOSTS, SHOW, words};
use crate::rarer::{self, RARER_FROM};
use rand::Rng;
use rand::prelude::IndexedRandom;
use std::path::Path;

/// Draws the page of a seed. `picture` is the file that pictures are.
pub fn draw(seed: u64, picture: &[u8]) -> Drawn {
    let mut draw = Draw::empty(seed, picture, Path::new(""));
    for _ in 0..draw.chance.random_range(1..5) {
        draw.head_piece();
    }
    for _ in 0..draw.chance.random_range(0..3) {
        draw.body_piece();
    }
    let largest = if seed < RARER_FROM { draw.largest() } else { rarer::largest(&mut draw, seed) };
    for _ in 0..draw.chance.random_range(0..3) {
        draw.last_piece();
    }
    let (html, start) = draw.html(&largest);
    let trickles = draw.chance.random_bool(0.08).then(|| (start, draw.late()));
    if trickles.is_some() {
        draw.about.push("document in two parts".into());
    }
    let wait = draw.short();
    let first_only = HOSTS.into_iter().filter(|_| draw.chance.random_bool(0.3)).collect();
    let conditions = *["unshaped", "home-laptop"].choose(&mut draw.chance).unwrap_or(&"unshaped");
    Drawn { seed, html, wait, trickles, files: draw.files, about: draw.about.join(", "), first_only, conditions }
}

impl Draw {
    fn head_piece(&mut self) {
        let piece = match self.chance.random_range(0..11) {
            0 | 1 => format!("<link rel=stylesheet href={}>", self.sheet("h1 { color: navy }")),
            2 => format!("<script src={}></script>", self.script("")),
            3 => format!("<script async src={}></script>", self.script("")),
            4 => format!("<script defer src={}></script>", self.script("")),
            5 => format!("<script type=module src={}></script>", self.script("")),
            6 => {
                let imported = self.sheet("p { color: teal }");
                format!("<link rel=stylesheet href={}>", self.sheet(&format!("@import '{imported}';")))
            }
            7 => {
                let busy = self.chance.random_range(10..120);
                format!("<script>{{ const t = performance.now(); while (performance.now() - t < {busy}); }}</script>")
            }
            8 => {
                let inserted = self.script("");
                format!(
                    "<script>{{ const s = document.createElement('script'); s.src = '{inserted}'; document.head.append(s) }}</script>"
                )
            }
            9 => {
                let font = self.font();
                let shown = if self.chance.random_bool(0.5) { "swap" } else { "block" };
                format!(
                    "<style>@font-face {{ font-family: Other; src: url({font}); font-display: {shown} }} p {{ font-family: Other }}</style>"
                )
            }
            _ => format!("<link rel=stylesheet media=print href={}>", self.sheet("h1 { color: black }")),
        };
        self.head.push(piece);
    }

    fn body_piece(&mut self) {
        let piece = match self.chance.random_range(0..5) {
            0 => format!("<script src={}></script>", self.script("")),
            1 => format!("<link rel=stylesheet href={}>", self.sheet("h1 { color: maroon }")),
            2 => format!("<img src={} width=40 height=30 alt=''>", self.image()),
            3 => format!("<script async src={}></script>", self.script("")),
            _ => format!("<script>fetch('{}')</script>", self.data()),
        };
        self.above.push(piece);
    }

    fn last_piece(&mut self) {
        let piece = match self.chance.random_range(0..4) {
            0 => format!("<script src={}></script>", self.script("")),
            1 => format!("<img src={} width=40 height=30 alt=''>", self.image()),
            2 => format!("<img loading=lazy src={} width=40 height=30 alt=''>", self.image()),
            _ => format!("<script defer src={}></script>", self.script("")),
        };
        self.below.push(piece);
    }

    /// The largest element, in one of the ways in which it comes to be shown.
    fn largest(&mut self) -> String {
        let place = "<div id=place></div>";
        let way = self.chance.random_range(0..17);
        let name = [
            "picture in the HTML",
            "lazy picture",
            "background by a sheet",
            "picture by a script",
            "lazy picture by a script",
            "words in the HTML",
            "words by a script",
            "words after a fetch",
            "words after a timer",
            "words once parsed",
            "words at the load event",
            "words in a font",
            "words by an animation",
            "words by a late sheet",
            "picture behind a hop",
            "words once a library is there",
            "background by a class",
        ];
        self.about.push(name.get(way).copied().unwrap_or_default().into());
        match way {
            0 => format!("<img src={} width=360 height=240 alt=''>", self.image()),
            1 => format!("<img loading=lazy src={} width=360 height=240 alt=''>", self.image()),
            2 => {
                let image = self.image();
                let sheet = self.sheet(&format!(".large {{ width: 360px; height: 240px; background: url({image}) }}"));
                self.head.push(format!("<link rel=stylesheet href={sheet}>"));
                "<div class=large></div>".into()
            }
            3 | 4 => {
                let lazy = if way == 4 { "loading=lazy " } else { "" };
                let image = self.image();
                let does = format!(
                    "document.getElementById('place').innerHTML = \"<img {lazy}src={image} width=360 height=240 alt=''>\""
                );
                format!("{place}{}", self.actor(&does))
            }
            5 => words(),
            6 => format!("{place}{}", self.actor(SHOW)),
            7 => {
                let data = self.data();
                let then = match self.chance.random_range(0..3) {
                    0 => format!("() => {{ {SHOW} }}"),
                    1 => format!("() => requestAnimationFrame(() => {{ {SHOW} }})"),
                    _ => format!("r => r.json().then(() => {{ {SHOW} }})"),
                };
                format!("{place}{}", self.actor(&format!("fetch('{data}').then({then})")))
            }
            8 => {
                let after = self.chance.random_range(100..900);
                format!("{place}{}", self.actor(&format!("setTimeout(() => {{ {SHOW} }}, {after})")))
            }
            9 => format!("{place}<script>addEventListener('DOMContentLoaded', () => {{ {SHOW} }})</script>"),
            10 => format!("{place}<script>addEventListener('load', () => {{ {SHOW} }})</script>"),
            11 => {
                let font = self.font();
                self.head.push(format!(
                    "<style>@font-face {{ font-family: Own; src: url({font}) }} h1 {{ font-family: Own }}</style>"
                ));
                words()
            }
            12 => {
                let after = self.chance.random_range(200..900);
                self.head.push(format!("<style>h1 {{ visibility: hidden; animation: appear 0s {after}ms forwards }} @keyframes appear {{ to {{ visibility: visible }} }}</style>"));
                words()
            }
            13 => {
                let sheet = self.sheet("h1 { display: block }");
                self.head.push("<style>h1 { display: none }</style>".into());
                let link = if self.chance.random_bool(0.5) {
                    format!(
                        "<script>{{ const l = document.createElement('link'); l.rel = 'stylesheet'; l.href = '{sheet}'; document.head.append(l) }}</script>"
                    )
                } else {
                    format!("<link rel=stylesheet href={sheet} media=print onload=\"this.media='all'\">")
                };
                self.head.push(link);
                words()
            }
            14 => {
                let image = self.image();
                let wait = self.wait();
                let hop = self.file_at(HOSTS[1], "png", "image/png", Vec::new(), wait);
                if let Some(made) = self.files.last_mut() {
                    made.leads = Some(image);
                }
                format!("<img src={hop} width=360 height=240 alt=''>")
            }
            15 => {
                let library = self.script("globalThis.library = true");
                self.head.push(format!("<script async src={library}></script>"));
                let looks = match self.chance.random_range(0..3) {
                    0 => format!(
                        "const t = setInterval(() => {{ if (globalThis.library) {{ clearInterval(t); {SHOW} }} }}, 50)"
                    ),
                    1 => format!(
                        "const look = () => {{ if (globalThis.library) {{ {SHOW} }} else setTimeout(look, 40) }}; look()"
                    ),
                    _ => format!(
                        "const look = () => {{ if (globalThis.library) {{ {SHOW} }} else requestAnimationFrame(look) }}; look()"
                    ),
                };
                format!("{place}<script>{looks}</script>")
            }
            _ => {
                let image = self.image();
                let sheet = self.sheet(&format!(
                    ".large {{ width: 360px; height: 240px }} .on .large {{ background: url({image}) }}"
                ));
                self.head.push(format!("<link rel=stylesheet href={sheet}>"));
                format!("<div class=large></div>{}", self.actor("document.body.className = 'on'"))
            }
        }
    }
}
