//! An archive whose manifest is any bytes: refused, or read, written and read again the same.
#![no_main]

use libfuzzer_sys::fuzz_target;
use phainon_formats::{archive, open};
use std::io::{Cursor, Write};
use zip::write::SimpleFileOptions;

fuzz_target!(|bytes: &[u8]| {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let stored = SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (path, text) in [("manifest.json", bytes), ("load-1/network.jsonl", b"{}\n")] {
        zip.start_file(path, stored).expect("memory");
        zip.write_all(text).expect("memory");
    }
    let file = zip.finish().expect("memory").into_inner();
    let Ok(opened) = open(&file, "fuzzed") else { return };
    let loads: Vec<_> = opened.loads.iter().map(|raw| (raw, raw.assemble().ok())).collect();
    let parts: Vec<_> = loads.iter().map(|(raw, load)| (*raw, load.as_ref())).collect();
    let manifest = opened.manifest.as_ref().expect("an archive has one");
    let written = archive::write(Vec::new(), manifest, &parts, &opened.bodies, None).expect("memory");
    let again = open(&written, "written").expect("what is written can be read");
    let text = |manifest| serde_json::to_string(&manifest).expect("JSON");
    assert_eq!(text(again.manifest.as_ref()), text(opened.manifest.as_ref()));
});
