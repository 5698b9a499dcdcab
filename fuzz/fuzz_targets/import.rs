//! The whole way of a file that somebody sends, up to the rows that the store would write.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_formats::{MemoryBudget, open_from};
use phainon_server::read_loads;
use phainon_store::{Derived, NewLoad, PackedBodies, PackedLoad};
use std::io::Cursor;

fuzz_target!(|bytes: &[u8]| {
    let budget = MemoryBudget::new(50_000_000);
    let Ok(mut opened) = open_from(Cursor::new(bytes), "fuzzed", &budget) else { return };
    for loads in opened.take_pages() {
        let Ok(reading) = read_loads(loads, &opened.bodies, &Default::default(), true) else { continue };
        for load in &reading.loads {
            let derived = load.reading.as_ref().map(|r| Derived {
                load: &r.load,
                analysis: &r.analysis,
                tracks: r.tracks.as_deref(),
            });
            PackedLoad::of(&NewLoad { raw: &load.raw, derived }).expect("what was read can be kept");
        }
    }
    let _ = PackedBodies::of(opened.bodies);
});
