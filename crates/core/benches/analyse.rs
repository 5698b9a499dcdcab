//! What it takes to analyse a load, by its number of requests and pieces of work.

#![allow(missing_docs)]

mod made;

use criterion::{BenchmarkId, Criterion, criterion_group, criterion_main};
use made::load;
use phainon_core::{NoBodies, Prepared, analyse};
use std::hint::black_box;

fn benches(c: &mut Criterion) {
    let mut group = c.benchmark_group("analyse");
    group.sample_size(20);
    for (requests, tasks) in [(60, 2_000), (500, 10_000), (2_000, 50_000)] {
        let load = load(requests, tasks);
        group.bench_with_input(
            BenchmarkId::new("prepare", format!("{requests} requests, {tasks} tasks")),
            &load,
            |b, load| {
                b.iter(|| black_box(Prepared::plain(black_box(load.clone()))));
            },
        );
        let prepared = Prepared::plain(load);
        group.bench_with_input(
            BenchmarkId::new("prepared", format!("{requests} requests, {tasks} tasks")),
            &prepared,
            |b, prepared| {
                b.iter(|| black_box(analyse(black_box(prepared), &NoBodies)));
            },
        );
    }
    group.finish();
}

criterion_group!(all, benches);
criterion_main!(all);
