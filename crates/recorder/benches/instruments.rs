//! What the recorder's instruments cost a load: the stand-in's home page bare (nothing but the
//! page's own observer) and fully instrumented, in turn, and the ratio of the medians.
//!
//! Run with `cargo bench --package phainon-recorder`; PHAINON_BENCH_PAIRS sets how many pairs.

#![allow(missing_docs, clippy::unwrap_used)]

use phainon_core::{Millis, preset};
use phainon_recorder::{Instruments, RecordRequest, record_whole};
use phainon_standin::{HOME, StandIn};

fn median(values: &mut [f64]) -> f64 {
    values.sort_by(f64::total_cmp);
    values[values.len() / 2]
}

#[tokio::main]
async fn main() {
    let pairs: usize = std::env::var("PHAINON_BENCH_PAIRS").ok().and_then(|v| v.parse().ok()).unwrap_or(7);
    let stand_in = StandIn::start().await.unwrap();
    for conditions in ["phone-on-the-move", "home-laptop"] {
        let mut request = RecordRequest::new(HOME, preset(conditions).unwrap(), 1);
        request.hosts = stand_in.hosts();
        let mut told: [[Vec<f64>; 2]; 2] = Default::default();
        for _ in 0..pairs {
            for (how, instruments) in [Instruments::BARE, Instruments::ALL].into_iter().enumerate() {
                request.instruments = instruments;
                let (sender, _receiver) = tokio::sync::mpsc::unbounded_channel();
                let recording = record_whole(&request, sender).await.unwrap();
                let page = recording.loads[0].page.as_ref().expect("the page was read");
                let observed = page.observed.clone().unwrap();
                let ms = |v: Option<Millis>| v.unwrap().0;
                told[how][0].push(ms(observed.fcp_ms));
                told[how][1].push(ms(observed.lcp_ms));
            }
        }
        let [bare, full] = &mut told;
        for (metric, (bare, full)) in ["FCP", "LCP"].iter().zip(bare.iter_mut().zip(full.iter_mut())) {
            let (bare, full) = (median(bare), median(full));
            println!(
                "{conditions}: {metric} bare {bare:.0} ms, instrumented {full:.0} ms, ratio {:.3} ({pairs} pairs, medians)",
                full / bare
            );
        }
    }
}
