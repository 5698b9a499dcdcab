//! The site: its files, made once at start, and its document, made for each visit.

use crate::paint::{Scene, jpeg, png};
use crate::spans::{Exporter, Tracer};
use crate::switches::{Switch, Switches};
use crate::{pages, plugins, scripts, styles};
use rusqlite::Connection;
use std::collections::{BTreeMap, BTreeSet, HashMap};
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError};

/// A static file.
pub struct File {
    pub mime: &'static str,
    pub body: Vec<u8>,
    /// `Cache-Control`, where one is sent.
    pub cache: Option<&'static str>,
    /// Sent with gzip.
    pub packed: bool,
    /// Sent with an `ETag`, so that a kept copy can be asked about.
    pub tagged: bool,
}

/// Everything that is served.
pub struct Site {
    /// By host and path.
    pub files: BTreeMap<(&'static str, &'static str), File>,
    /// The gallery's pictures by name, painted when the first of them is asked for.
    gallery: OnceLock<BTreeMap<String, File>>,
    /// Pages as the page cache keeps them, by path and repairs.
    cached: Mutex<HashMap<String, String>>,
    // One connection behind a lock, not a pool: a small site's database is like that.
    database: Mutex<Connection>,
    /// Plugins that are switched off for every visit.
    off: Mutex<BTreeSet<String>>,
    /// Where spans go.
    pub exporter: OnceLock<Exporter>,
}

const STATIC: &str = "static.skerryline.test";
const WWW: &str = "www.skerryline.test";
const SHORT: Option<&str> = Some("max-age=600");
const LONG: Option<&str> = Some("public, max-age=31536000, immutable");

impl Site {
    /// Paints the pictures and fills the database.
    pub fn build() -> rusqlite::Result<Self> {
        let mut files = BTreeMap::new();
        let text =
            |mime, body: String, cache, packed| File { mime, body: body.into_bytes(), cache, packed, tagged: false };
        let js = "text/javascript; charset=utf-8";
        let css = "text/css; charset=utf-8";
        let mut put = |host, path, file| {
            files.insert((host, path), file);
        };
        put(STATIC, "/themes/tidemark/base.css", text(css, styles::base(), SHORT, false));
        put(STATIC, "/themes/tidemark/layout.css", text(css, styles::layout(), SHORT, false));
        put(STATIC, "/plugins/deck-slider/slider.css", text(css, styles::slider(), SHORT, false));
        put(
            "fonts.typequay.test",
            "/quay.css",
            text(css, styles::fonts("block"), Some("private, max-age=86400"), true),
        );
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
        put(STATIC, "/plugins/tide-table/table.js", text(js, scripts::table(true), SHORT, false));
        put(STATIC, "/plugins/tide-table/table-batched.js", text(js, scripts::table(false), SHORT, false));
        put(STATIC, "/plugins/berth-booking/book.js", text(js, scripts::booking(false), SHORT, true));
        put(STATIC, "/plugins/berth-booking/book-split.js", text(js, scripts::booking(true), SHORT, true));
        put(STATIC, "/plugins/review-stars/stars.css", text(css, styles::stars(), SHORT, false));
        put(STATIC, "/plugins/review-stars/stars.js", text(js, scripts::stars(), SHORT, false));
        put(WWW, "/plugins/review-stars/reviews.json", text("application/json", scripts::reviews(), None, true));
        for (path, sheet) in styles::notices() {
            put(STATIC, path, text(css, sheet, SHORT, false));
        }
        put("video.reelharbour.test", "/player.js", text(js, scripts::player(), Some("max-age=3600"), true));
        put(
            "video.reelharbour.test",
            "/films.json",
            text("application/json", scripts::films(), Some("no-store"), true),
        );
        put(WWW, "/plugins/consent-bar/texts.json", text(
            "application/json",
            r#"{"question":"We would like to count visits and show you offers of our island partners. May we? You can change your mind at the harbour office or at the foot of any page.","yes":"You may","no":"Rather not"}"#.into(),
            None,
            true,
        ));
        put("tags.driftmetric.test", "/tag.js", text(js, scripts::tag(), Some("max-age=300"), true));
        put(
            "tags.driftmetric.test",
            "/rules.js",
            File { tagged: true, ..text(js, scripts::rules(), Some("no-cache"), true) },
        );
        put("chat.parleydock.test", "/chat.js", text(js, scripts::chat(), Some("max-age=3600"), true));
        put("ads.islandmedia.test", "/place.js", text(js, scripts::advert(), Some("no-store"), true));
        for (path, body) in [
            ("/quay-400.woff2", include_bytes!("../assets/quay-400.woff2").to_vec()),
            ("/quay-600.woff2", include_bytes!("../assets/quay-600.woff2").to_vec()),
        ] {
            put(
                "fonts.typequay.test",
                path,
                File {
                    mime: "font/woff2",
                    body,
                    cache: Some("public, max-age=31536000"),
                    packed: false,
                    tagged: false,
                },
            );
        }

        let scenes: [(&str, &str, Scene); 18] = [
            (STATIC, "/media/hero-marlin-bay.jpg", scene(1, 1920, 1080, 84, 0.36, true)),
            (STATIC, "/media/hero-marlin-bay-phone.jpg", scene(1, 1080, 608, 84, 0.36, true)),
            (STATIC, "/themes/tidemark/header-waves.jpg", scene(2, 1600, 420, 82, 0.30, false)),
            ("ads.islandmedia.test", "/advert.jpg", scene(3, 1500, 1000, 93, 0.42, false)),
            ("ads.islandmedia.test", "/advert-small.jpg", scene(3, 960, 640, 62, 0.12, false)),
            (STATIC, "/media/crossing-anvil.jpg", scene(4, 1200, 800, 84, 0.26, false)),
            (STATIC, "/media/crossing-gull.jpg", scene(5, 1200, 800, 84, 0.24, true)),
            (STATIC, "/media/crossing-low-haven.jpg", scene(6, 1200, 800, 80, 0.2, false)),
            (STATIC, "/media/crossing-tern.jpg", scene(7, 1200, 800, 80, 0.2, true)),
            (STATIC, "/media/season-wide.jpg", scene(8, 1400, 420, 80, 0.22, false)),
            (STATIC, "/media/season-phone.jpg", scene(9, 820, 500, 80, 0.22, false)),
            (STATIC, "/media/sound-1.jpg", scene(21, 1300, 870, 86, 0.26, false)),
            (STATIC, "/media/sound-2.jpg", scene(22, 1300, 870, 86, 0.26, true)),
            (STATIC, "/media/sound-3.jpg", scene(23, 1300, 870, 86, 0.26, false)),
            (STATIC, "/media/sound-1-small.jpg", scene(21, 480, 320, 72, 0.1, false)),
            (STATIC, "/media/sound-2-small.jpg", scene(22, 480, 320, 72, 0.1, true)),
            (STATIC, "/media/sound-3-small.jpg", scene(23, 480, 320, 72, 0.1, false)),
            ("video.reelharbour.test", "/refit-poster.jpg", scene(24, 960, 540, 80, 0.2, true)),
        ];
        // Two threads: the machines that run this have two cores.
        let (left, right) = scenes.split_at(4);
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
            put(host, path, File { mime: "image/jpeg", body, cache, packed: false, tagged: false });
        }
        Ok(Self {
            files,
            gallery: OnceLock::new(),
            cached: Mutex::default(),
            database: Mutex::new(plugins::database()?),
            off: Mutex::default(),
            exporter: OnceLock::new(),
        })
    }

    fn off(&self) -> MutexGuard<'_, BTreeSet<String>> {
        self.off.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// A visit's switches, with the plugins that are off for everybody.
    pub fn with_active(&self, switches: Switches) -> Switches {
        switches.without(self.off().iter().map(String::as_str))
    }

    /// Switches a plugin on or off for every visit.
    pub fn set_active(&self, plugin: &str, active: bool) {
        if active {
            self.off().remove(plugin);
        } else {
            self.off().insert(plugin.to_owned());
        }
    }

    /// Makes a page: its markup, and what each plugin took. From the page cache nothing took anything.
    pub fn page(
        &self,
        page: &pages::Page,
        switches: &Switches,
        tracer: &Tracer,
    ) -> rusqlite::Result<(String, Vec<(&'static str, f64)>)> {
        tracer.answer("GET", page.path, || self.made(page, switches, tracer))
    }

    fn made(
        &self,
        page: &pages::Page,
        switches: &Switches,
        tracer: &Tracer,
    ) -> rusqlite::Result<(String, Vec<(&'static str, f64)>)> {
        let key = format!("{} {switches:?}", page.path);
        let kept = || self.cached.lock().unwrap_or_else(PoisonError::into_inner);
        if switches.has(Switch::PageCache)
            && let Some(markup) = kept().get(&key)
        {
            return Ok((markup.clone(), Vec::new()));
        }
        let made = {
            let database = self.database.lock().unwrap_or_else(PoisonError::into_inner);
            plugins::make(&database, page.path, switches, tracer)?
        };
        let markup = tracer.template("tidemark", page.name, || (page.make)(&made, switches));
        if switches.has(Switch::PageCache) {
            kept().insert(key, markup.clone());
        }
        Ok((markup, made.took))
    }

    /// A picture of the gallery, `/media/fleet/NAME`.
    pub fn gallery(&self, name: &str) -> Option<&File> {
        self.gallery.get_or_init(gallery).get(name)
    }
}

/// Paints the gallery: each picture as a PNG and as the small JPEG that it should have been.
fn gallery() -> BTreeMap<String, File> {
    let paint = |numbers: std::ops::Range<usize>| {
        numbers
            .flat_map(|n| {
                let seed = 100 + n as u64;
                let large = scene(seed, 420, 280, 0, 0.3, n % 3 != 0);
                let small = scene(seed, 300, 200, 70, 0.05, n % 3 != 0);
                let file = |mime, body, cache| File { mime, body, cache, packed: false, tagged: false };
                [
                    (format!("{n:02}.png"), file("image/png", png(large), Some("max-age=60"))),
                    (format!("{n:02}-small.jpg"), file("image/jpeg", jpeg(small), Some("max-age=60"))),
                ]
            })
            .collect::<Vec<_>>()
    };
    let half = pages::PICTURES / 2;
    std::thread::scope(|scope| {
        let other = scope.spawn(|| paint(0..half));
        let mut painted = paint(half..pages::PICTURES);
        painted.extend(other.join().unwrap_or_default());
        painted.into_iter().collect()
    })
}

fn scene(seed: u64, width: u32, height: u32, quality: u8, grain: f32, ship: bool) -> Scene {
    Scene { seed, width, height, quality, grain, ship }
}
