//! What a forecast takes: the graph and its model made from a load, and one load run forward with an edit.

#![allow(missing_docs)]

mod made;

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use made::{called_back, in_turns, load, modules};
use phainon_core::forecast::Model;
use phainon_core::{Edit, NoBodies, Prepared, ResourceKey};
use std::hint::black_box;
use std::sync::Arc;

fn benches(c: &mut Criterion) {
    let mut group = c.benchmark_group("forecast");
    group.sample_size(20);
    for (requests, tasks) in [(150, 1_500), (2_000, 25_000)] {
        // Each task holds one call: twice as many pieces of work.
        let size = format!("{requests} requests, {} pieces", tasks * 2);
        let prepared = Arc::new(Prepared::plain(load(requests, tasks)));
        group.bench_with_input(BenchmarkId::new("model", &size), &prepared, |b, prepared| {
            b.iter(|| black_box(Model::of(black_box(prepared))));
        });
        let model = Model::of(&prepared);
        let edit = Edit::DeferScript { file: ResourceKey::of(&prepared.load.requests[1].url) };
        group.bench_with_input(BenchmarkId::new("run", &size), &model, |b, model| {
            b.iter(|| black_box(model.forecast(std::slice::from_ref(black_box(&edit)), &NoBodies)));
        });
    }
    let prepared = Arc::new(Prepared::plain(called_back(load(150, 1_500), 20_000)));
    let model = Model::of(&prepared);
    let edit = Edit::Remove { file: ResourceKey::of(&prepared.load.requests[2].url) };
    group.bench_with_input(BenchmarkId::new("without", "called back 10000 times"), &model, |b, model| {
        b.iter(|| black_box(model.forecast(std::slice::from_ref(black_box(&edit)), &NoBodies)));
    });
    for (requests, tasks) in [(150, 1_500), (2_000, 25_000)] {
        let prepared = Arc::new(Prepared::plain(in_turns(load(requests, tasks))));
        let size = format!("{requests} requests over six connections");
        group.bench_with_input(BenchmarkId::new("model", &size), &prepared, |b, prepared| {
            b.iter(|| black_box(Model::of(black_box(prepared))));
        });
        let model = Model::of(&prepared);
        assert!(model.astray() < 1.0, "{} ms astray", model.astray());
        let edit = Edit::Remove { file: ResourceKey::of(&prepared.load.requests[1].url) };
        group.bench_with_input(BenchmarkId::new("run", &size), &model, |b, model| {
            b.iter(|| black_box(model.forecast(std::slice::from_ref(black_box(&edit)), &NoBodies)));
        });
    }
    let prepared = Arc::new(Prepared::plain(modules(1_000)));
    group.bench_with_input(BenchmarkId::new("model", "1000 modules"), &prepared, |b, prepared| {
        b.iter(|| black_box(Model::of(black_box(prepared))));
    });
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
