//! `Server-Timing` headers are read, whatever they say.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_core::{Header, server_timing};

fuzz_target!(|text: &str| {
    let header = Header { name: "server-timing".into(), value: text.to_owned() };
    for timing in server_timing(&[header]) {
        assert!(!timing.name.is_empty());
    }
});
