//! The site: its files, made once at start, and its document, made for each visit.

use crate::paint::{Scene, jpeg};
use crate::switches::{Switch, Switches};
use crate::{plugins, scripts, styles};
use rusqlite::Connection;
use std::collections::BTreeMap;
use std::fmt::Write;
use std::sync::Mutex;

/// A static file.
pub struct File {
    pub mime: &'static str,
    pub body: Vec<u8>,
    /// `Cache-Control`, where one is sent.
    pub cache: Option<&'static str>,
    /// Sent with gzip.
    pub packed: bool,
}

/// Everything that is served.
pub struct Site {
    /// By host and path.
    pub files: BTreeMap<(&'static str, &'static str), File>,
    // One connection behind a lock, not a pool: a small site's database is like that.
    database: Mutex<Connection>,
}

const STATIC: &str = "static.skerryline.test";
const WWW: &str = "www.skerryline.test";
const SHORT: Option<&str> = Some("max-age=600");
const LONG: Option<&str> = Some("public, max-age=31536000, immutable");

impl Site {
    /// Paints the pictures and fills the database.
    pub fn build() -> rusqlite::Result<Self> {
        let mut files = BTreeMap::new();
        let text = |mime, body: String, cache, packed| File { mime, body: body.into_bytes(), cache, packed };
        let js = "text/javascript; charset=utf-8";
        let css = "text/css; charset=utf-8";
        let mut put = |host, path, file| {
            files.insert((host, path), file);
        };
        put(STATIC, "/themes/tidemark/base.css", text(css, styles::base(), SHORT, false));
        put(STATIC, "/themes/tidemark/layout.css", text(css, styles::layout(), SHORT, false));
        put(STATIC, "/plugins/deck-slider/slider.css", text(css, styles::slider(), SHORT, false));
        put("fonts.typequay.test", "/quay.css", text(css, styles::fonts(), Some("private, max-age=86400"), true));
        put(STATIC, "/themes/tidemark/vendor.js", text(js, scripts::vendor(), SHORT, false));
        put(STATIC, "/plugins/deck-slider/slider.js", text(js, scripts::slider(), SHORT, false));
        put(STATIC, "/plugins/consent-bar/bar.js", text(js, scripts::consent(), SHORT, true));
        put(STATIC, "/plugins/gull-stats/stats.js", text(js, scripts::stats(), SHORT, true));
        put(STATIC, "/plugins/share-buoys/share.js", text(js, scripts::share(), SHORT, false));
        put(
            STATIC,
            "/plugins/easy-forms/forms.js",
            text(js, scripts::forms("easy-forms", 21, 12_000, true), LONG, true),
        );
        put(
            STATIC,
            "/plugins/form-builder/builder.js",
            text(js, scripts::forms("form-builder", 22, 46_000, false), LONG, true),
        );
        put(STATIC, "/plugins/berth-booking/berths.js", text(js, scripts::berths(), LONG, true));
        put(WWW, "/plugins/consent-bar/texts.json", text(
            "application/json",
            r#"{"question":"We would like to count visits and show you offers of our island partners. May we? You can change your mind at the harbour office or at the foot of any page.","yes":"You may","no":"Rather not"}"#.into(),
            None,
            true,
        ));
        put("tags.driftmetric.test", "/tag.js", text(js, scripts::tag(), Some("max-age=300"), true));
        put("tags.driftmetric.test", "/rules.js", text(js, scripts::rules(), Some("no-cache"), true));
        put("chat.parleydock.test", "/chat.js", text(js, scripts::chat(), Some("max-age=3600"), true));
        put("ads.islandmedia.test", "/place.js", text(js, scripts::advert(), Some("no-store"), true));
        for (path, body) in [
            ("/quay-400.woff2", include_bytes!("../assets/quay-400.woff2").to_vec()),
            ("/quay-600.woff2", include_bytes!("../assets/quay-600.woff2").to_vec()),
        ] {
            put(
                "fonts.typequay.test",
                path,
                File { mime: "font/woff2", body, cache: Some("public, max-age=31536000"), packed: false },
            );
        }

        let scenes: [(&str, &str, Scene); 10] = [
            (STATIC, "/media/hero-marlin-bay.jpg", scene(1, 1920, 1080, 84, 0.36, true)),
            (STATIC, "/themes/tidemark/header-waves.jpg", scene(2, 1600, 420, 82, 0.30, false)),
            ("ads.islandmedia.test", "/advert.jpg", scene(3, 1500, 1000, 93, 0.42, false)),
            ("ads.islandmedia.test", "/advert-small.jpg", scene(3, 960, 640, 62, 0.12, false)),
            (STATIC, "/media/crossing-anvil.jpg", scene(4, 1200, 800, 84, 0.26, false)),
            (STATIC, "/media/crossing-gull.jpg", scene(5, 1200, 800, 84, 0.24, true)),
            (STATIC, "/media/crossing-low-haven.jpg", scene(6, 1200, 800, 80, 0.2, false)),
            (STATIC, "/media/crossing-tern.jpg", scene(7, 1200, 800, 80, 0.2, true)),
            (STATIC, "/media/season-wide.jpg", scene(8, 1400, 420, 80, 0.22, false)),
            (STATIC, "/media/season-phone.jpg", scene(9, 820, 500, 80, 0.22, false)),
        ];
        // Two threads: the machines that run this have two cores.
        let (left, right) = scenes.split_at(2);
        let paint = |part: &[(&'static str, &'static str, Scene)]| {
            part.iter().map(|&(host, path, scene)| (host, path, jpeg(scene))).collect::<Vec<_>>()
        };
        let painted = std::thread::scope(|scope| {
            let other = scope.spawn(|| paint(left));
            let mut painted = paint(right);
            painted.extend(other.join().unwrap_or_default());
            painted
        });
        for (host, path, body) in painted {
            let cache = if host == STATIC { SHORT } else { Some("max-age=60") };
            put(host, path, File { mime: "image/jpeg", body, cache, packed: false });
        }
        Ok(Self { files, database: Mutex::new(plugins::database()?) })
    }

    /// Makes the home page: its markup, and what each plugin took.
    pub fn home(&self, switches: &Switches) -> rusqlite::Result<(String, Vec<(&'static str, f64)>)> {
        let made = {
            let database = self.database.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
            plugins::make(&database, "/")?
        };
        Ok((markup(&made, switches), made.took))
    }
}

fn scene(seed: u64, width: u32, height: u32, quality: u8, grain: f32, ship: bool) -> Scene {
    Scene { seed, width, height, quality, grain, ship }
}

fn markup(made: &plugins::Made, on: &Switches) -> String {
    let mut page = String::with_capacity(16_000);
    let hero = "//static.skerryline.test/media/hero-marlin-bay.jpg";
    let hero_tag = format!(
        "<img class=\"deck-hero\" src=\"{hero}\" width=\"1920\" height=\"1080\" fetchpriority=\"high\" alt=\"The ferry Marlin Bay off Anvil Skerry\">"
    );
    page.push_str("<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n<title>Skerry Line: small ferries to the islands</title>\n<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<link rel=\"icon\" href=\"data:,\">\n");
    page.push_str(&made.meta);
    if on.has(Switch::HeroInHtml) {
        let _ = write!(page, "\n<link rel=\"preload\" as=\"image\" href=\"{hero}\" fetchpriority=\"high\">");
    }
    let sheets = [
        "//static.skerryline.test/themes/tidemark/base.css",
        "//static.skerryline.test/themes/tidemark/layout.css",
        "//static.skerryline.test/plugins/deck-slider/slider.css",
        "//fonts.typequay.test/quay.css",
    ];
    if on.has(Switch::SheetsReduced) {
        let _ = write!(page, "\n<style>{}</style>", styles::first_screen());
    }
    for sheet in sheets {
        if on.has(Switch::SheetsReduced) {
            let _ = write!(
                page,
                "\n<link rel=\"stylesheet\" href=\"{sheet}\" media=\"print\" onload=\"this.media='all'\">"
            );
        } else {
            let _ = write!(page, "\n<link rel=\"stylesheet\" href=\"{sheet}\">");
        }
    }
    let defer = if on.has(Switch::ScriptsDeferred) { " defer" } else { "" };
    for script in ["themes/tidemark/vendor.js", "plugins/deck-slider/slider.js"] {
        let _ = write!(page, "\n<script src=\"//static.skerryline.test/{script}\"{defer}></script>");
    }
    page.push_str("\n</head>\n<body>\n");
    if on.has(Switch::ConsentReserved) {
        page.push_str("<div id=\"consent\" style=\"min-height:190px\"></div>\n");
    }
    page.push_str("<header class=\"site\"><strong>Skerry Line</strong><nav><a href=\"/\">Home</a><a href=\"/timetable/\">Timetable</a><a href=\"/book/\">Book</a><a href=\"/fleet/\">Fleet</a></nav></header>\n");
    let _ = writeln!(
        page,
        "<div id=\"deck\" data-hero=\"{hero}\">{}</div>",
        if on.has(Switch::HeroInHtml) { hero_tag.as_str() } else { "" }
    );
    page.push_str("<main>\n<h1>Six islands, four harbours, one ticket</h1>\n<p>We have carried people, post, sheep and the odd piano since the pier at Low Haven was built. Boats run every day of the year but two. Dogs travel free, bicycles for the price of a bun.</p>\n");
    let _ = writeln!(
        page,
        "<h2>Leaving next</h2>\n<table><thead><tr><th>At</th><th>For</th><th>Vessel</th><th>High water</th></tr></thead><tbody>{}</tbody></table>",
        made.departures
    );
    let picture = if on.has(Switch::AdvertReencoded) { "advert-small.jpg" } else { "advert.jpg" };
    let _ = writeln!(page, "<div id=\"advert\" data-picture=\"{picture}\"></div>");
    page.push_str("<h2>Crossings</h2>\n<div class=\"crossings\">\n");
    for (file, name, words) in [
        (
            "crossing-anvil",
            "Anvil Skerry",
            "Forty minutes past the light tower; seals on the north rocks most mornings.",
        ),
        ("crossing-gull", "Gull Island", "The long crossing. Take a coat, and come back for the evening boat."),
        ("crossing-low-haven", "Low Haven", "Every hour in summer. The bakery opens with the first boat."),
        ("crossing-tern", "Tern Rock", "Weather allowing, which it does on about two days in three."),
    ] {
        let _ = writeln!(
            page,
            "<article class=\"crossing\"><img src=\"//static.skerryline.test/media/{file}.jpg\" alt=\"{name}\"><h3>{name}</h3><p>{words}</p></article>"
        );
    }
    page.push_str("</div>\n<h2>The season</h2>\n<img class=\"only-wide\" src=\"//static.skerryline.test/media/season-wide.jpg\" width=\"1400\" height=\"420\" alt=\"Autumn light over the sound\">\n<img class=\"only-phone\" src=\"//static.skerryline.test/media/season-phone.jpg\" width=\"820\" height=\"500\" alt=\"Autumn light over the sound\">\n<p>The winter timetable starts in six weeks. Until then the last boat leaves each island at a quarter to nine.</p>\n");
    page.push_str(&made.form);
    page.push_str("\n</main>\n<footer>Skerry Line, The Pier, Low Haven. Made with Mooring.</footer>\n");
    for script in [
        "consent-bar/bar.js",
        "gull-stats/stats.js",
        "share-buoys/share.js",
        "easy-forms/forms.js",
        "form-builder/builder.js",
        "berth-booking/berths.js",
    ] {
        let _ = writeln!(page, "<script src=\"//static.skerryline.test/plugins/{script}\"></script>");
    }
    page.push_str("<script async src=\"//ads.islandmedia.test/place.js\"></script>\n<script async src=\"//tags.driftmetric.test/tag.js\"></script>\n<script async src=\"//chat.parleydock.test/chat.js\"></script>\n</body>\n</html>\n");
    page
}
