//! How fast and how busy the recording machine is.

use phainon_formats::Machine;
use std::time::Instant;

/// Reads the load average and times a fixed calculation on one core.
#[must_use]
pub fn look() -> Machine {
    let load_average =
        std::fs::read_to_string("/proc/loadavg").ok().and_then(|s| s.split_whitespace().next()?.parse().ok());
    let cores = std::thread::available_parallelism().map_or(1, |n| u32::try_from(n.get()).unwrap_or(1));
    Machine { cores, load_average, calibration_ms: Some(calibrate()) }
}

/// The quickest of three runs of 20 million steps of a linear congruential generator.
fn calibrate() -> f64 {
    (0..3)
        .map(|_| {
            let start = Instant::now();
            let mut state = 1u64;
            for _ in 0..20_000_000 {
                state = std::hint::black_box(state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1));
            }
            std::hint::black_box(state);
            start.elapsed().as_secs_f64() * 1000.0
        })
        .fold(f64::INFINITY, f64::min)
}
