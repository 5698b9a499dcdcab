//! What set a layout shift off, and what becomes of CLS without that: on small loads in which it is known by
//! construction.

#![allow(clippy::unwrap_used)]

mod site;

use phainon_core::forecast::Model;
use phainon_core::{
    Edit, LayoutShift, Millis, NoBodies, Prepared, RenderBlocking, ResourceKey, ResourceKind, Scope, ShiftBy, WorkName,
    analyse,
};
use site::{Site, at, drawn, script};
use std::sync::Arc;

/// A frame in which something shifts, at the end of its laying out.
fn shifts(site: &mut Site, start: f64, score: f64) {
    site.draws([start, start + 6.0]);
    let at = Millis(start + 3.0);
    site.0.shifts.push(LayoutShift { at, score, inner: false, had_recent_input: false, moved: Vec::new() });
}

/// A page whose words are there from the start; its largest paint is the first.
fn page() -> Site {
    let mut site = drawn();
    site.paints(230.0, None);
    site
}

/// What each shift was set off by: the kind and the name of a file.
fn set_off(site: &Site) -> Vec<Option<(ResourceKind, String)>> {
    let told = |by: ShiftBy| (by.kind, by.url.rsplit('/').next().unwrap().to_owned());
    let analysis = analyse(&Prepared::plain(site.0.clone()), &NoBodies);
    analysis.shifts.into_iter().map(|shift| shift.by.map(told)).collect()
}

/// CLS without some files.
fn without(site: &Site, names: &[&str]) -> f64 {
    let model = Model::of(&Arc::new(Prepared::plain(site.0.clone())));
    assert!(model.astray() < 0.01, "{} ms astray", model.astray());
    let edits: Vec<Edit> = names.iter().map(|name| Edit::Remove { file: ResourceKey::of(&at(name)) }).collect();
    let forecast = model.forecast(&edits, &NoBodies);
    assert_eq!(forecast.left_out, []);
    forecast.after.cls.unwrap()
}

fn near(value: f64, expected: f64) {
    assert!((value - expected).abs() < 1e-9, "{value}, expected {expected}");
}

/// A bar that a script puts in above all, and a picture without dimensions.
#[test]
fn a_shift_is_set_off_by_what_changed_since_the_frame_before() {
    let mut site = page();
    site.asks("bar.js", ResourceKind::Script, [150.0, 150.0, 700.0, 710.0]);
    site.runs(WorkName::Evaluate, [712.0, 720.0], "bar.js");
    site.changes(718.0, "bar.js");
    shifts(&mut site, 722.0, 0.07);
    site.asks("wide.jpg", ResourceKind::Image, [150.0, 150.0, 950.0, 990.0]);
    shifts(&mut site, 995.0, 0.02);
    let named = |kind, name: &str| Some((kind, name.to_owned()));
    assert_eq!(set_off(&site), [named(ResourceKind::Script, "bar.js"), named(ResourceKind::Image, "wide.jpg")]);
    near(without(&site, &[]), 0.09);
    near(without(&site, &["bar.js"]), 0.02);
    near(without(&site, &["wide.jpg"]), 0.07);
    near(without(&site, &["bar.js", "wide.jpg"]), 0.0);
}

/// A bar is put in soon after a picture came: dimensions given to the picture keep its own shift away, and no other.
#[test]
fn dimensions_keep_away_the_shift_of_what_has_them() {
    let mut site = page();
    site.asks("wide.jpg", ResourceKind::Image, [150.0, 150.0, 650.0, 690.0]);
    shifts(&mut site, 695.0, 0.02);
    site.asks("bar.js", ResourceKind::Script, [150.0, 150.0, 700.0, 710.0]);
    site.runs(WorkName::Evaluate, [712.0, 720.0], "bar.js");
    site.changes(718.0, "bar.js");
    shifts(&mut site, 722.0, 0.07);
    let model = Model::of(&Arc::new(Prepared::plain(site.0.clone())));
    let dimensions = Edit::SetDimensions { scope: Scope::file(&at("wide.jpg")) };
    near(model.forecast(&[dimensions], &NoBodies).after.cls.unwrap(), 0.07);
}

/// Text set again in its font, and a sheet that did not block.
#[test]
fn a_font_and_a_late_sheet_set_shifts_off() {
    let mut site = page();
    site.asks("words.woff2", ResourceKind::Font, [220.0, 220.0, 500.0, 520.0]);
    shifts(&mut site, 524.0, 0.04);
    let sheet = site.asks("late.css", ResourceKind::Style, [220.0, 220.0, 790.0, 800.0]);
    sheet.render_blocking = RenderBlocking::NonBlocking;
    site.runs(WorkName::ParseSheet, [801.0, 802.0], "late.css");
    shifts(&mut site, 805.0, 0.03);
    let names: Vec<String> = set_off(&site).into_iter().map(|by| by.unwrap().1).collect();
    assert_eq!(names, ["words.woff2", "late.css"]);
    near(without(&site, &["words.woff2"]), 0.03);
    near(without(&site, &["late.css"]), 0.04);
}

/// Nothing is known to have come or changed: it is said so, and the shift stays whatever is taken off.
#[test]
fn a_shift_that_nothing_is_known_of_stays() {
    let mut site = page();
    site.asks("idle.js", ResourceKind::Script, [150.0, 150.0, 300.0, 310.0]);
    site.runs(WorkName::Evaluate, [312.0, 320.0], "idle.js");
    site.draws([322.0, 328.0]);
    shifts(&mut site, 900.0, 0.05);
    assert_eq!(set_off(&site), [None]);
    near(without(&site, &["idle.js"]), 0.05);
}

/// What was changed in the frame before is not what shifted in this one.
#[test]
fn what_the_frame_before_showed_is_not_the_reason() {
    let mut site = page();
    site.asks("first.js", ResourceKind::Script, [150.0, 150.0, 300.0, 310.0]);
    site.runs(WorkName::Evaluate, [312.0, 380.0], "first.js");
    site.changes(370.0, "first.js");
    site.draws([382.0, 388.0]);
    let second = site.asks("second.js", ResourceKind::Script, [320.0, 320.0, 395.0, 398.0]);
    second.initiator = script(&["first.js"]);
    site.runs(WorkName::Evaluate, [399.0, 401.0], "second.js");
    site.changes(400.0, "second.js");
    shifts(&mut site, 402.0, 0.05);
    assert_eq!(set_off(&site), [Some((ResourceKind::Script, "second.js".to_owned()))]);
}

/// Windows are those of the times at which shifts come in the forecast: a second without any ends one.
#[test]
fn windows_follow_the_forecast_times() {
    let mut site = page();
    site.asks("bar.js", ResourceKind::Script, [150.0, 150.0, 700.0, 710.0]);
    site.runs(WorkName::Evaluate, [712.0, 720.0], "bar.js");
    site.changes(718.0, "bar.js");
    shifts(&mut site, 722.0, 0.04);
    site.asks("wide.jpg", ResourceKind::Image, [150.0, 150.0, 1_600.0, 1_650.0]);
    shifts(&mut site, 1_655.0, 0.03);
    near(without(&site, &[]), 0.07);
    let model = Model::of(&Arc::new(Prepared::plain(site.0.clone())));
    let sooner = Edit::FasterResponse { file: ResourceKey::of(&at("bar.js")), to: Some(Millis(0.0)) };
    let forecast = model.forecast(&[sooner], &NoBodies);
    near(forecast.after.cls.unwrap(), 0.04);
}
