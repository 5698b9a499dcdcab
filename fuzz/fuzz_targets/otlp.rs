//! Spans are read, whatever a server sends, and laid on a load whose sums stay what they are.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::Prepared;
use phainon_core::server_work::answers;
use phainon_formats::otlp::{Coding, batches, load_of_trace};

fuzz_target!(|data: &[u8]| {
    let Some((first, rest)) = data.split_first() else { return };
    let coding = if first % 2 == 0 { Coding::Protobuf } else { Coding::Json };
    let Ok(read) = batches(rest, coding, "fuzzed") else { return };
    for batch in read.batches {
        let Ok(load) = load_of_trace(&[batch.json], "fuzzed") else { continue };
        for answer in answers(&Prepared::plain(load)) {
            let sum: f64 = answer.by_kind.iter().map(|kind| kind.ms.0).sum();
            let whole = answer.span_ms.map_or(0.0, |ms| ms.0);
            assert!((sum - whole).abs() <= 1e-6 * whole.abs().max(1.0));
        }
    }
});
