//! A HAR is read, analysed and written again, whatever its bytes.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::{NoBodies, Prepared, analyse, document_view};
use phainon_formats::{MemoryBudget, har};

fuzz_target!(|bytes: &[u8]| {
    let Ok((loads, bodies)) = har::read(bytes, "fuzzed.har", &MemoryBudget::new(100_000_000)) else { return };
    for raw in &loads {
        let Ok(load) = raw.assemble() else { continue };
        let _ = analyse(&Prepared::plain(load.clone()), &NoBodies);
        if let Some(body) = load.document().and_then(|d| bodies.get(&d.body.as_ref()?.hash)) {
            let _ = document_view(&load, body);
        }
        let written = har::text(&load, None);
        har::read(written.as_bytes(), "written.har", &MemoryBudget::default()).expect("what is written can be read");
    }
});
