//! Profiles are refused or read, whatever they hold, and what they tell adds up.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::Owners;
use phainon_formats::{MemoryBudget, callgrind::read};

fuzz_target!(|data: &[u8]| {
    let Ok(profile) = read(data, "fuzzed", &MemoryBudget::new(100_000_000)) else { return };
    let owners = Owners::by_rules(&[]);
    for measure in 0..profile.measures.len().min(3) {
        let told = profile.reading(&owners, measure);
        // Of sums near the end of the scale the last digits are not told.
        let slack = 1e-6 * profile.functions.iter().map(|f| f.own[measure].unsigned_abs() as f64).sum::<f64>().max(1.0);
        let sum: f64 = told.owners.iter().map(|o| o.own).sum();
        assert!((sum - told.total).abs() <= slack, "{sum} {}", told.total);
        for (place, step) in told.tree.iter().enumerate() {
            assert!(step.parent.is_none_or(|parent| (parent as usize) < place));
        }
    }
    for function in 0..profile.functions.len().min(20) {
        assert!(profile.neighbours(&owners, 0, function as u32).is_some());
    }
});
