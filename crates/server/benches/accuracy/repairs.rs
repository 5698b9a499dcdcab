//! Repairs of the stand-in, alone and together, and the edits that imitate them.

use crate::measure::median;
use phainon_core::metrics::{Metric, Metrics};
use phainon_core::server_work::server_times;
use phainon_core::{Edit, ResourceKey, Scope};
use phainon_server::trial::Base;

/// Repairs of the site, the page on which they show, and the edits that imitate them.
pub struct Repair {
    /// The names of switches; `-NAME` is a plugin that is switched off.
    pub on: &'static str,
    pub path: &'static str,
    /// As the command line writes edits: `*` is every file that it can be done to, `measured` what the repaired site
    /// took. Of several together, none: they are those of each.
    edits: &'static [&'static str],
    /// What trials are held by.
    pub metrics: &'static [Metric],
}

const PAINTS: &[Metric] = &[Metric::Fcp, Metric::Lcp];
const SERVER: &[Metric] = &[Metric::Ttfb, Metric::Fcp, Metric::Lcp];
const WORK: &[Metric] = &[Metric::Lcp, Metric::Tbt, Metric::Weight];
const BYTES: &[Metric] = &[Metric::Fcp, Metric::Lcp, Metric::Weight];

pub const REPAIRS: [Repair; 44] = [
    Repair {
        on: "scripts-deferred",
        path: "/",
        edits: &["defer_script:vendor.js", "defer_script:deck-slider/slider.js"],
        metrics: PAINTS,
    },
    Repair {
        on: "sheets-reduced",
        path: "/",
        edits: &[
            "reduce_style:base.css",
            "reduce_style:layout.css",
            "reduce_style:slider.css",
            "reduce_style:quay.css",
            // The fonts' sheet comes late: until then text is shown in another font.
            "show_text:quay-600.woff2",
            "show_text:quay-400.woff2",
        ],
        metrics: PAINTS,
    },
    Repair { on: "advert-reencoded", path: "/", edits: &["shrink:advert.jpg=0.1"], metrics: BYTES },
    Repair { on: "page-cache", path: "/", edits: &["page_cache:http://www.skerryline.test/"], metrics: SERVER },
    Repair { on: "text-packed", path: "/", edits: &["compress:*"], metrics: BYTES },
    Repair { on: "chat-delayed", path: "/", edits: &["delay_script:parleydock.test"], metrics: WORK },
    Repair { on: "tags-delayed", path: "/", edits: &["delay_script:driftmetric.test"], metrics: WORK },
    Repair { on: "pictures-sized", path: "/", edits: &["resize:hero-marlin-bay.jpg"], metrics: BYTES },
    Repair {
        on: "pictures-lazy",
        path: "/",
        edits: &[
            "lazy:crossing-anvil.jpg",
            "lazy:crossing-gull.jpg",
            "lazy:crossing-low-haven.jpg",
            "lazy:crossing-tern.jpg",
        ],
        metrics: BYTES,
    },
    Repair { on: "hero-in-html", path: "/", edits: &["put_in_html:hero-marlin-bay.jpg"], metrics: PAINTS },
    Repair {
        on: "font-swap",
        path: "/timetable/",
        edits: &[
            "show_text:quay-600.woff2",
            "show_text:quay-400.woff2",
            "preload_font:quay-600.woff2",
            "preload_font:quay-400.woff2",
        ],
        metrics: PAINTS,
    },
    Repair {
        on: "query-batched",
        path: "/timetable/",
        edits: &["faster_response:http://www.skerryline.test/timetable/=measured"],
        metrics: SERVER,
    },
    Repair { on: "text-packed", path: "/timetable/", edits: &["compress:*"], metrics: BYTES },
    Repair { on: "scripts-deferred", path: "/timetable/", edits: &["defer_script:vendor.js"], metrics: PAINTS },
    Repair {
        on: "sheets-reduced",
        path: "/timetable/",
        edits: &[
            "reduce_style:base.css",
            "reduce_style:layout.css",
            "reduce_style:quay.css",
            "show_text:quay-600.woff2",
            "show_text:quay-400.woff2",
        ],
        metrics: PAINTS,
    },
    Repair { on: "chat-delayed", path: "/timetable/", edits: &["delay_script:parleydock.test"], metrics: WORK },
    Repair {
        on: "page-cache",
        path: "/fleet/",
        edits: &["page_cache:http://www.skerryline.test/fleet/"],
        metrics: SERVER,
    },
    Repair { on: "tags-delayed", path: "/fleet/", edits: &["delay_script:driftmetric.test"], metrics: WORK },
    Repair { on: "imports-flat", path: "/notices/winter-refit/", edits: &["lift_import:*"], metrics: PAINTS },
    Repair {
        on: "player-on-demand",
        path: "/notices/winter-refit/",
        edits: &["delay_script:player.js"],
        metrics: WORK,
    },
    Repair {
        on: "page-cache",
        path: "/notices/winter-refit/",
        edits: &["page_cache:http://www.skerryline.test/notices/winter-refit/"],
        metrics: SERVER,
    },
    Repair {
        on: "scripts-deferred",
        path: "/crossing/anvil-gull/",
        edits: &["defer_script:vendor.js"],
        metrics: PAINTS,
    },
    Repair {
        on: "sheets-reduced",
        path: "/crossing/anvil-gull/",
        edits: &[
            "reduce_style:base.css",
            "reduce_style:layout.css",
            "reduce_style:stars.css",
            "reduce_style:quay.css",
            "show_text:quay-600.woff2",
            "show_text:quay-400.woff2",
        ],
        metrics: PAINTS,
    },
    Repair { on: "text-packed", path: "/crossing/anvil-gull/", edits: &["compress:*"], metrics: BYTES },
    Repair { on: "chat-delayed", path: "/book/", edits: &["delay_script:parleydock.test"], metrics: WORK },
    Repair { on: "tags-delayed", path: "/book/", edits: &["delay_script:driftmetric.test"], metrics: WORK },
    Repair {
        on: "-harbour-guard",
        path: "/",
        edits: &["remove_owner:harbour-guard", "server_remove:harbour-guard"],
        metrics: WORK,
    },
    Repair {
        on: "-tide-table",
        path: "/",
        edits: &["remove_owner:tide-table", "server_remove:tide-table"],
        metrics: WORK,
    },
    Repair {
        on: "-gull-stats",
        path: "/timetable/",
        edits: &["remove_owner:gull-stats", "server_remove:gull-stats"],
        metrics: WORK,
    },
    Repair {
        on: "-consent-bar",
        path: "/fleet/",
        edits: &["remove_owner:consent-bar", "server_remove:consent-bar"],
        metrics: WORK,
    },
    Repair {
        on: "-review-stars",
        path: "/crossing/anvil-gull/",
        edits: &["remove_owner:review-stars", "server_remove:review-stars"],
        metrics: WORK,
    },
    Repair {
        on: "-share-buoys",
        path: "/notices/winter-refit/",
        edits: &["remove_owner:share-buoys", "server_remove:share-buoys"],
        metrics: WORK,
    },
    Repair {
        on: "-berth-booking",
        path: "/book/",
        edits: &["remove_owner:berth-booking", "server_remove:berth-booking"],
        metrics: WORK,
    },
    Repair { on: "scripts-deferred,sheets-reduced", path: "/", edits: &[], metrics: PAINTS },
    Repair { on: "hero-in-html,pictures-sized", path: "/", edits: &[], metrics: PAINTS },
    Repair { on: "advert-reencoded,chat-delayed,tags-delayed", path: "/", edits: &[], metrics: PAINTS },
    Repair { on: "page-cache,text-packed", path: "/", edits: &[], metrics: PAINTS },
    Repair { on: "hero-in-html,scripts-deferred,sheets-reduced,page-cache", path: "/", edits: &[], metrics: PAINTS },
    Repair { on: "query-batched,sheets-reduced", path: "/timetable/", edits: &[], metrics: PAINTS },
    Repair { on: "font-swap,text-packed", path: "/timetable/", edits: &[], metrics: PAINTS },
    Repair { on: "imports-flat,player-on-demand", path: "/notices/winter-refit/", edits: &[], metrics: PAINTS },
    Repair { on: "scripts-deferred,sheets-reduced", path: "/crossing/anvil-gull/", edits: &[], metrics: PAINTS },
    Repair { on: "chat-delayed,tags-delayed", path: "/book/", edits: &[], metrics: PAINTS },
    Repair { on: "page-cache,tags-delayed", path: "/fleet/", edits: &[], metrics: PAINTS },
];

impl Repair {
    /// What asks the site for it.
    pub fn query(&self) -> String {
        let (off, fix): (Vec<&str>, Vec<&str>) = self.on.split(',').partition(|name| name.starts_with('-'));
        let off: Vec<&str> = off.iter().map(|name| name.trim_start_matches('-')).collect();
        format!("?fix={}&without={}", fix.join(","), off.join(","))
    }

    /// The edits of a load that imitate it, by what the repaired site measured.
    pub fn edits(&self, base: &Base, repaired: &[Metrics]) -> Vec<Edit> {
        let own = |r: &&Self| r.path == self.path && self.on.split(',').any(|name| name == r.on);
        let texts = REPAIRS.iter().filter(own).flat_map(|r| r.edits);
        let edits = texts.flat_map(|text| edits_of(text, base, repaired));
        // A plugin has files here, or work on the server, or both.
        let prepared = &base.prepared;
        let has = |edit: &Edit| match edit {
            Edit::RemoveOwner { owner } => {
                prepared.load.requests.iter().any(|r| prepared.owners.request(r.id) == owner)
            }
            Edit::ServerRemove { part } => server_times(prepared, part).iter().any(|time| time.0 > 0.0),
            _ => true,
        };
        edits.filter(has).collect()
    }
}

/// The edits that a text means: `*` is every file that it can be done to, `measured` what the repaired site took.
fn edits_of(text: &str, base: &Base, repaired: &[Metrics]) -> Vec<Edit> {
    let with_measure = match median(repaired, Metric::Ttfb).zip(base.prepared.load.document()) {
        Some((ttfb, document)) => {
            let way = document.first_byte.map_or(0.0, |b| b.0)
                - base.book.document().map_or(0.0, |d| d.wait.as_secs_f64() * 1000.0);
            text.replace("measured", &format!("{:.0}ms", (ttfb - way).max(0.0)))
        }
        None => text.to_owned(),
    };
    let Some(kind) = with_measure.strip_suffix(":*") else {
        return Edit::parse(&with_measure, &base.prepared).ok().into_iter().collect();
    };
    let own = |url: &str| url.contains("skerryline.test");
    let urls = base.book.answers.iter().map(|a| a.url.to_string()).filter(|url| own(url));
    let each = urls.map(|url| match kind {
        "compress" => Edit::Compress { scope: Scope::File { file: ResourceKey::of(&url) } },
        _ => Edit::LiftImport { file: ResourceKey::of(&url) },
    });
    each.filter(|edit| base.with(std::slice::from_ref(edit), &[]).is_ok()).collect()
}
