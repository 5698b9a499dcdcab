//! A site's own settings reach every place, and what names a finding stays the same from one release of
//! the page to the next.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::metrics::{Metric, site_weight};
use phainon_core::profile::{CodePlace, Profile, ProfileNode, functions};
use phainon_core::{
    Analysis, Bytes, Counted, Header, Load, Millis, NoBodies, Owner, OwnerKind, OwnerRule, Prepared, RenderBlocking,
    ResourceKind, RuleOn, Settings, Target, Visit, WorkName, analyse, summarise, tracks,
};
use site::{Site, at, script};
use std::collections::BTreeSet;
use std::sync::Arc;

/// A page that waits for a theme's sheet and a slow script, and shows a picture that the script inserts.
/// `release` stands in the names of its files, as builds put it there.
fn page(release: &str) -> Site {
    let mut site = Site::new();
    let (sheet, code) = (format!("build/base.{release}.css"), format!("build/deck.{release}.js"));
    let hero = "media/hero.jpg";
    for (path, kind, times) in [
        (&sheet, ResourceKind::Style, [110.0, 110.0, 200.0, 420.0]),
        (&code, ResourceKind::Script, [112.0, 112.0, 250.0, 700.0]),
    ] {
        let request = site.asks(path, kind, times);
        request.render_blocking = RenderBlocking::Blocking;
        request.status = Some(200);
        request.transferred = Some(Bytes(180_000));
        request.response_headers.push(Header { name: "cache-control".into(), value: "max-age=600".into() });
    }
    site.runs(WorkName::Evaluate, [710.0, 900.0], &code);
    let picture = site.asks(hero, ResourceKind::Image, [850.0, 850.0, 1_000.0, 1_900.0]);
    picture.initiator = script(&[&code]);
    picture.status = Some(200);
    picture.transferred = Some(Bytes(620_000));
    site.draws([1_905.0, 1_930.0]);
    site.paints(1_930.0, Some(hero));
    site.0.fcp = Some(Millis(1_000.0));
    site
}

fn analysed(load: &Load, settings: &Settings) -> (Prepared, Analysis) {
    let prepared = Prepared::new(Arc::new(load.clone()), Arc::new(settings.clone()));
    let analysis = analyse(&prepared, &NoBodies);
    (prepared, analysis)
}

#[test]
fn a_rule_for_an_owner_is_followed_everywhere() {
    let mine = Owner { name: "lantern-kit".into(), kind: OwnerKind::Plugin };
    let rules = Settings {
        owner_rules: vec![
            OwnerRule { pattern: "/build/deck".into(), on: RuleOn::Address, owner: mine.clone() },
            OwnerRule {
                pattern: "/build/".into(),
                on: RuleOn::Address,
                owner: Owner { name: "quayside".into(), kind: OwnerKind::Theme },
            },
        ],
        ..Settings::default()
    };
    let mut site = page("3f9a1c7b");
    let code = at("build/deck.3f9a1c7b.js");
    site.0.profile = Some(Profile {
        places: vec![CodePlace { function: "start".into(), url: Some(code.as_str().into()), line: Some(1) }],
        nodes: vec![ProfileNode { parent: None, place: 0 }],
        at: vec![Millis(720.0), Millis(760.0), Millis(800.0)],
        node: vec![0, 0, 0],
    });
    let (prepared, analysis) = analysed(&site.0, &rules);
    let without = analysed(&site.0, &Settings::default()).1;
    assert!(without.owners.iter().all(|o| o.name != mine.name), "only the rule knows the name");

    let row = |of: &Analysis, end: &str| of.requests.iter().find(|r| r.url.contains(end)).unwrap().owner.clone();
    assert_eq!(row(&analysis, "deck"), mine);
    assert_eq!(row(&analysis, "base").name, "quayside", "the first rule that matches wins");
    assert_eq!(row(&analysis, "hero"), mine, "what its script inserts is its own");
    let path = &analysis.lcp.as_ref().unwrap().path;
    assert!(path.iter().any(|leg| leg.owner == mine), "the legs of the path");
    let account = analysis.owners.iter().find(|o| o.name == mine.name).unwrap();
    assert_eq!((account.requests, account.transferred_bytes), (2, Bytes(800_000)));
    assert!(account.main_thread_ms.unwrap() >= Millis(190.0), "its runs");
    let thread = analysis.main_thread.as_ref().unwrap();
    assert!(thread.long_tasks.iter().any(|t| t.owner == mine) && thread.by_script.iter().any(|s| s.owner == mine));
    let late = analysis.findings.iter().find(|f| f.check == "late-largest").unwrap();
    assert_eq!(late.owner, mine, "findings");
    assert!(tracks(&prepared).head.owners.contains(&mine), "the main thread to be drawn");
    let profile = prepared.load.profile.as_ref().unwrap();
    let told = functions(profile, &prepared.load.work, &prepared.owners, Millis(0.0), Millis(5_000.0));
    assert!(told.heaviest.iter().all(|f| f.owner == mine), "time by function");
    let weight = site_weight(&[&prepared]);
    assert!(weight.files.iter().any(|f| f.owner == mine), "the site's weight");
    // Nobody else lost or gained anything by it.
    let sum = |of: &Analysis| of.owners.iter().map(|o| o.transferred_bytes.0).sum::<u64>();
    assert_eq!(sum(&analysis), sum(&without));
}

#[test]
fn own_targets_rate_rulers_and_summaries_alike() {
    let load = page("1").0;
    let rated = |settings: &Settings| {
        let (_, analysis) = analysed(&load, settings);
        let ruler = analysis.rulers.iter().find(|r| r.metric == Metric::Lcp).unwrap().rating;
        let counted = Counted { number: 1, visit: Visit::First, failed: false, metrics: &analysis.metrics };
        let summary = summarise(&[counted], settings).unwrap();
        let row = summary.rows.iter().find(|r| r.metric == Metric::Lcp).unwrap();
        assert_eq!(row.rating, ruler, "the list and the load agree");
        (format!("{ruler:?}"), summary.pace.unwrap())
    };
    let strict =
        Settings { targets: [(Metric::Lcp, Target { target: 500.0, limit: 900.0 })].into(), ..Settings::default() };
    let (usual, strictly) = (rated(&Settings::default()), rated(&strict));
    assert_eq!((usual.0.as_str(), strictly.0.as_str()), ("Within", "Past"));
    assert!(strictly.1 < usual.1, "and the pace follows");
}

#[test]
fn a_check_that_is_off_finds_nothing_and_the_others_go_on() {
    let load = page("1").0;
    let checks = |settings: &Settings| {
        analysed(&load, settings).1.findings.into_iter().map(|f| f.check).collect::<BTreeSet<_>>()
    };
    let all = checks(&Settings::default());
    assert!(all.len() >= 4, "{all:?}");
    for off in &all {
        let left = checks(&Settings { checks_off: [off.to_string()].into(), ..Settings::default() });
        assert_eq!(left, all.iter().filter(|c| *c != off).cloned().collect(), "without {off}");
    }
}

#[test]
fn findings_and_fixes_keep_their_keys_in_the_next_release() {
    let keys = |release: &str| {
        let (_, analysis) = analysed(&page(release).0, &Settings::default());
        let findings: BTreeSet<String> = analysis.findings.iter().map(|f| f.key.clone()).collect();
        assert_eq!(findings.len(), analysis.findings.len(), "each finding has a key of its own");
        let fixes: BTreeSet<String> = analysis.findings.iter().map(|f| f.edit.key()).collect();
        (findings, fixes)
    };
    let first = keys("3f9a1c7b");
    assert!(first.0.len() >= 4);
    for release in ["99ff00aa", "0123456789abcdef", "a1b2c3d4e5f60718293a"] {
        assert_eq!(keys(release), first, "{release}");
    }
}

#[test]
fn what_was_computed_says_with_which_settings() {
    let load = page("1").0;
    let own = Settings { checks_off: ["standout".to_owned()].into(), ..Settings::default() };
    let of = |settings: &Settings| analysed(&load, settings).1.settings;
    assert_eq!(of(&own), own.hash());
    assert_ne!(of(&own), of(&Settings::default()));
    assert_eq!(of(&Settings::default()), Settings::default().hash());
}
