//! A trace is read, analysed and drawn, whatever its bytes.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::profile::functions;
use phainon_core::{Millis, NoBodies, Prepared, analyse, tracks};
use phainon_formats::{RawLoad, TraceText};

fuzz_target!(|bytes: &[u8]| {
    let raw = RawLoad { name: "fuzzed.json".into(), trace: Some(TraceText::of(bytes)), ..RawLoad::default() };
    let Ok(load) = raw.assemble() else { return };
    let prepared = Prepared::plain(load);
    let _ = analyse(&prepared, &NoBodies);
    let _ = tracks(&prepared).to_bytes();
    if let Some(profile) = &prepared.load.profile {
        let _ = functions(profile, &prepared.load.work, &prepared.owners, Millis(3.0), Millis(1e6));
    }
});
