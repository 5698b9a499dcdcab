//! Reading a packed trace against merely parsing the same text, and the memory that reading takes.
//!
//! `PHAINON_BENCH_MB` sets the size; 100 by default. Memory is counted by the allocator, which costs
//! reading, with its many small allocations, more than parsing.

#[path = "support/make_trace.rs"]
mod make_trace;

use criterion::{Criterion, Throughput, criterion_group, criterion_main};
use peak_alloc::PeakAlloc;
use phainon_formats::TraceText;
use phainon_formats::trace::{Wanted, read};
use std::time::{Duration, Instant};

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

fn once<T>(act: impl FnOnce() -> T) -> (Duration, T) {
    let began = Instant::now();
    let result = act();
    (began.elapsed(), result)
}

fn median(mut times: Vec<Duration>) -> Duration {
    times.sort();
    times[times.len() / 2]
}

#[allow(clippy::cast_precision_loss)]
fn read_trace(criterion: &mut Criterion) {
    let megabytes: usize = std::env::var("PHAINON_BENCH_MB").ok().and_then(|m| m.parse().ok()).unwrap_or(100);
    let trace = make_trace::make_trace(megabytes * 1_000_000, 1).into_bytes();
    // simd-json writes into its input, so it gets a copy each time; copying is not counted.
    let (packing, text) = once(|| TraceText::of(&trace));
    let (mut parsing, mut reading) = (Vec::new(), Vec::new());
    for _ in 0..5 {
        let mut copy = trace.clone();
        // The tape is the least that parsing can mean: no values are built.
        let (time, parsed) = once(|| simd_json::to_tape(&mut copy).is_ok());
        assert!(parsed, "simd-json reads it too");
        parsing.push(time);
        let (time, facts) = once(|| read(&text, "the trace", Wanted::default()));
        facts.expect("a trace");
        reading.push(time);
    }
    let before = MEMORY.current_usage_as_mb();
    MEMORY.reset_peak_usage();
    let facts = read(&text, "the trace", Wanted::default()).expect("a trace");
    let peak = (MEMORY.peak_usage_as_mb() - before) * 1.048_576;
    let kept = (MEMORY.current_usage_as_mb() - before) * 1.048_576;
    let (parsing, reading) = (median(parsing), median(reading));
    println!(
        "{megabytes} MB, packed to {:.1} MB in {packing:.0?}: simd-json parses in {parsing:.0?}, reading takes {reading:.0?}: {:.2} times; {} pieces of work, {} samples; reading needs {peak:.0} MB, of which {kept:.0} MB are what was read",
        text.packed().len() as f64 / 1e6,
        reading.as_secs_f64() / parsing.as_secs_f64(),
        facts.work.len(),
        facts.profile.as_ref().map_or(0, |p| p.at.len()),
    );
    drop(facts);
    let mut group = criterion.benchmark_group("trace");
    group.sample_size(10).throughput(Throughput::Bytes(trace.len() as u64));
    group.bench_function("simd-json parses", |b| {
        b.iter_batched_ref(
            || trace.clone(),
            |copy| simd_json::to_tape(copy).is_ok(),
            criterion::BatchSize::PerIteration,
        );
    });
    group.bench_function("read", |b| b.iter(|| read(&text, "the trace", Wanted::default()).is_ok()));
    group.finish();
}

criterion_group!(benches, read_trace);
criterion_main!(benches);
