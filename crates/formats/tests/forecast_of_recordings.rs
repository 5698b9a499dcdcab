//! The forward run held against recorded loads of the demo.

#![allow(clippy::unwrap_used)]

use phainon_core::forecast::{Figures, Model};
use phainon_core::{Load, NoBodies, Prepared, metrics::metrics};
use phainon_formats::open;
use std::sync::Arc;

fn loads() -> Vec<(String, Load)> {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo");
    let mut files: Vec<_> = std::fs::read_dir(folder).unwrap().map(|f| f.unwrap().path()).collect();
    files.retain(|p| p.extension().is_some_and(|e| e == "zip"));
    files.sort();
    let mut loads = Vec::new();
    for file in files {
        let name = file.file_name().unwrap().to_string_lossy().into_owned();
        let opened = open(&std::fs::read(&file).unwrap(), &name).unwrap();
        loads.extend(opened.loads.iter().enumerate().map(|(i, raw)| (format!("{name} {i}"), raw.assemble().unwrap())));
    }
    assert!(loads.len() > 20);
    loads
}

#[test]
fn a_load_without_edits_comes_back_as_it_was_observed() {
    for (name, load) in loads() {
        let prepared = Arc::new(Prepared::plain(load));
        let model = Model::of(&prepared);
        assert!(model.astray() < 1.0, "{name}: {} ms astray", model.astray());
        let (forecast, observed) = (model.forecast(&[], &NoBodies), metrics(&prepared.load, &prepared.settings));
        assert!(forecast.moved.is_empty(), "{name}: {:?}", forecast.moved);
        assert_eq!(forecast.before, forecast.after);
        for metric in Figures::METRICS {
            let (ours, told) = (forecast.after.value(metric), observed.value(metric));
            let near = match (ours, told) {
                (Some(ours), Some(told)) => (ours - told).abs() <= (told * 0.01).max(1.0),
                (ours, told) => ours == told,
            };
            assert!(near, "{name}: {metric:?} {ours:?}, observed {told:?}");
        }
    }
}
