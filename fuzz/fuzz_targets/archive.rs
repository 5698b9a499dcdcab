//! Any bytes at all are opened: archive, HAR, trace, packed or not.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_formats::open;

fuzz_target!(|bytes: &[u8]| {
    let Ok(opened) = open(bytes, "fuzzed") else { return };
    for raw in &opened.loads {
        let _ = raw.assemble();
    }
});
