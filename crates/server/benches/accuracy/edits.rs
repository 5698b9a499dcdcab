//! Whether an edit brings in a trial what the repair brings on the site: the stand-in's switches.

use crate::measure::{base, median, record, replayed, request};
use phainon_core::compare::difference_of_medians;
use phainon_core::metrics::{Metric, Metrics};
use phainon_core::{Edit, ResourceKey, Scope, preset};
use phainon_server::trial::Base;
use phainon_standin::StandIn;
use std::collections::BTreeMap;

/// A repair of the site, the page on which it shows, and the edits that imitate it.
struct Pair {
    switch: &'static str,
    path: &'static str,
    edits: &'static [&'static str],
    /// What it is held by.
    metrics: &'static [Metric],
}

const PAINTS: &[Metric] = &[Metric::Fcp, Metric::Lcp];

const PAIRS: [Pair; 16] = [
    Pair {
        switch: "scripts-deferred",
        path: "/",
        edits: &["defer_script:vendor.js", "defer_script:deck-slider/slider.js"],
        metrics: PAINTS,
    },
    Pair {
        switch: "sheets-reduced",
        path: "/",
        edits: &[
            "reduce_style:base.css",
            "reduce_style:layout.css",
            "reduce_style:slider.css",
            "reduce_style:quay.css",
        ],
        metrics: PAINTS,
    },
    Pair {
        switch: "advert-reencoded",
        path: "/",
        edits: &["shrink:advert.jpg=0.1"],
        metrics: &[Metric::Lcp, Metric::Weight],
    },
    Pair {
        switch: "page-cache",
        path: "/",
        edits: &["page_cache:http://www.skerryline.test/"],
        metrics: &[Metric::Ttfb, Metric::Fcp, Metric::Lcp],
    },
    Pair {
        switch: "text-packed",
        path: "/",
        edits: &["compress:*"],
        metrics: &[Metric::Fcp, Metric::Lcp, Metric::Weight],
    },
    Pair {
        switch: "chat-delayed",
        path: "/",
        edits: &["delay_script:parleydock.test"],
        metrics: &[Metric::Lcp, Metric::Tbt, Metric::Weight],
    },
    Pair {
        switch: "tags-delayed",
        path: "/",
        edits: &["delay_script:driftmetric.test"],
        metrics: &[Metric::Lcp, Metric::Tbt, Metric::Weight],
    },
    Pair {
        switch: "pictures-sized",
        path: "/",
        edits: &["resize:hero-marlin-bay.jpg"],
        metrics: &[Metric::Lcp, Metric::Weight],
    },
    Pair {
        switch: "pictures-lazy",
        path: "/",
        edits: &[
            "lazy:crossing-anvil.jpg",
            "lazy:crossing-gull.jpg",
            "lazy:crossing-low-haven.jpg",
            "lazy:crossing-tern.jpg",
        ],
        metrics: &[Metric::Lcp, Metric::Weight],
    },
    Pair { switch: "hero-in-html", path: "/", edits: &["put_in_html:hero-marlin-bay.jpg"], metrics: PAINTS },
    Pair {
        switch: "font-swap",
        path: "/timetable/",
        edits: &[
            "show_text:quay-600.woff2",
            "show_text:quay-400.woff2",
            "preload_font:quay-600.woff2",
            "preload_font:quay-400.woff2",
        ],
        metrics: PAINTS,
    },
    Pair {
        switch: "query-batched",
        path: "/timetable/",
        edits: &["faster_response:http://www.skerryline.test/timetable/=measured"],
        metrics: &[Metric::Ttfb, Metric::Fcp, Metric::Lcp],
    },
    Pair {
        switch: "text-packed",
        path: "/timetable/",
        edits: &["compress:*"],
        metrics: &[Metric::Fcp, Metric::Lcp, Metric::Weight],
    },
    Pair {
        switch: "page-cache",
        path: "/fleet/",
        edits: &["page_cache:http://www.skerryline.test/fleet/"],
        metrics: &[Metric::Ttfb, Metric::Fcp, Metric::Lcp],
    },
    Pair { switch: "imports-flat", path: "/notices/winter-refit/", edits: &["lift_import:*"], metrics: PAINTS },
    Pair {
        switch: "player-on-demand",
        path: "/notices/winter-refit/",
        edits: &["delay_script:player.js"],
        metrics: &[Metric::Lcp, Metric::Tbt, Metric::Weight],
    },
];

pub async fn edits(loads: usize, only: Option<&str>) {
    let site = StandIn::start().await.expect("the stand-in starts");
    let conditions = preset("phone-on-the-move").expect("a preset");
    println!("{loads} loads each; what the repair brings on the site, and what the edit brings in a trial");
    let mut held = (0, 0);
    let mut bases: BTreeMap<&str, Base> = BTreeMap::new();
    for pair in PAIRS.iter().filter(|p| only.is_none_or(|only| only.split(',').any(|o| p.switch == o))) {
        let asked = |fix: &str, loads: usize| {
            let mut request =
                request(&format!("http://www.skerryline.test{}{fix}", pair.path), conditions.clone(), loads);
            request.hosts = site.hosts();
            request.trusted_key = Some(site.key_hash().to_owned());
            request
        };
        let fix = format!("?fix={}", pair.switch);
        if !bases.contains_key(pair.path) {
            let mut request = asked("", 3);
            request.detail = true;
            let Ok((recording, _)) = record(&request).await else { continue };
            let Ok(base) = base(&recording) else { continue };
            bases.insert(pair.path, base);
        }
        let Some(base) = bases.get(pair.path) else { continue };
        let Ok((_, first)) = record(&asked(&fix, 1)).await else { continue };
        let edits: Vec<Edit> = pair.edits.iter().flat_map(|text| edits_of(text, base, &first)).collect();
        let (book, told) = match base.with(&edits, &[]) {
            Ok(made) => made,
            Err(refused) => {
                println!("{} {}: {}", pair.switch, pair.path, refused.sentence());
                continue;
            }
        };
        // Turn by turn, so that what drifts on the machine hits all four.
        let (mut recorded, mut repaired, mut plain, mut tried) = (vec![], vec![], vec![], vec![]);
        for _ in 0..loads {
            let Ok((_, made)) = record(&asked("", 1)).await else { continue };
            recorded.extend(made);
            let Ok((_, made)) = record(&asked(&fix, 1)).await else { continue };
            repaired.extend(made);
            let Ok((made, _, _)) = replayed(base, base.book.clone(), 1).await else { continue };
            plain.extend(made);
            let Ok((made, _, _)) = replayed(base, book.clone(), 1).await else { continue };
            tried.extend(made);
        }
        let (recorded, repaired, plain, tried) = (&recorded, &repaired, &plain, &tried);
        println!("{} {}", pair.switch, pair.path);
        for metric in pair.metrics {
            let values = |of: &[Metrics]| of.iter().filter_map(|m| m.value(*metric)).collect::<Vec<f64>>();
            let of_site = difference_of_medians(&values(recorded), &values(repaired));
            let of_trial = difference_of_medians(&values(plain), &values(tried));
            let m = |of: &[Metrics]| median(of, *metric).unwrap_or(f64::NAN);
            let (site_gain, trial_gain) = (m(repaired) - m(recorded), m(tried) - m(plain));
            let near = (site_gain - trial_gain).abs() <= 0.1 * m(recorded);
            let overlap = of_site.zip(of_trial).is_some_and(|(a, b)| {
                a.low <= trial_gain && trial_gain <= a.high && b.low <= site_gain && site_gain <= b.high
            });
            held.0 += usize::from(near || overlap);
            held.1 += 1;
            println!(
                "    {metric:?}: on the site {site_gain:+.0}, tried {trial_gain:+.0}, of {:.0} recorded and {:.0} replayed{}",
                m(recorded),
                m(plain),
                if near || overlap { "" } else { "  ← off" }
            );
        }
        for line in told {
            println!("    {line}");
        }
    }
    println!("\n{} of {} gains are within 10 % of the metric, or in each other's intervals", held.0, held.1);
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
