//! What reading a file takes in memory, whatever the file: measured, not computed.

#![allow(clippy::unwrap_used)]

use flate2::{Compression, write::GzEncoder};
use peak_alloc::PeakAlloc;
use phainon_formats::{FormatError, MemoryBudget, Opened, open_from};
use std::io::{Cursor, Write};
use std::sync::{Mutex, PoisonError};
use zip::write::SimpleFileOptions;

#[global_allocator]
static MEMORY: PeakAlloc = PeakAlloc;

/// One at a time: the allocator counts for all of them.
static ALONE: Mutex<()> = Mutex::new(());

const MB: usize = 1_000_000;
const BUDGET: usize = 60 * MB;

/// Opens a file within the budget; gives what became of it and how many bytes it took at most.
fn opened(file: &[u8]) -> (Result<Opened, FormatError>, usize) {
    let before = MEMORY.current_usage();
    MEMORY.reset_peak_usage();
    let opened = open_from(Cursor::new(file), "a file", &MemoryBudget::new(BUDGET as u64));
    (opened, MEMORY.peak_usage() - before)
}

/// What `times` times the same text packs to, in its frame.
fn gzip(begin: &str, again: &str, times: usize, end: &str) -> Vec<u8> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::fast());
    encoder.write_all(begin.as_bytes()).unwrap();
    let block = again.repeat(1_000);
    for _ in 0..times / 1_000 {
        encoder.write_all(block.as_bytes()).unwrap();
    }
    encoder.write_all(end.as_bytes()).unwrap();
    encoder.finish().unwrap()
}

/// An archive that says of itself what archives say, with one file of such text more.
fn archive(path: &str, text: &str, times: usize) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let usual = SimpleFileOptions::default();
    let manifest = r#"{"format":"phainon-recording","version":1,"url":"http://a.test/","loads":[{"visit":"first"}]}"#;
    zip.start_file("manifest.json", usual).unwrap();
    zip.write_all(manifest.as_bytes()).unwrap();
    if path != "load-1/network.jsonl" {
        zip.start_file("load-1/network.jsonl", usual).unwrap();
    }
    zip.start_file(path, usual).unwrap();
    let (begin, end) = text.split_once("…").unwrap();
    let (again, end) = end.split_once("…").unwrap();
    zip.write_all(begin.as_bytes()).unwrap();
    let block = again.repeat(1_000);
    for _ in 0..times / 1_000 {
        zip.write_all(block.as_bytes()).unwrap();
    }
    zip.write_all(end.as_bytes()).unwrap();
    zip.finish().unwrap().into_inner()
}

#[test]
fn no_file_takes_much_more_than_its_budget() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let entry = r#"{"request":{"url":"http://a.test/"},"response":{"content":{}},"timings":{}},"#;
    let frame = r#"{"file":"f"},"#;
    let files: Vec<(&str, Vec<u8>)> = vec![
        ("numbers in an entry", gzip(r#"{"log":{"entries":[{"x":["#, "0,", 9_000_000, "0]}]}}")),
        ("objects in an entry", gzip(r#"{"log":{"entries":[{"x":["#, "{},", 9_000_000, "0]}]}}")),
        ("names in an entry", gzip(r#"{"log":{"entries":[{"#, r#""a":0,"#, 5_000_000, r#""b":0}]}}"#)),
        ("entries", gzip(r#"{"log":{"entries":["#, entry, 99_000, "{}]}}")),
        ("one long text", gzip(r#"{"log":{"entries":[{"request":{"url":""#, "0123456789", 3_000_000, r#""}}]}}"#)),
        (
            "a long body",
            gzip(r#"{"log":{"entries":[{"response":{"content":{"text":""#, "abcdefghij", 3_000_000, r#""}}}]}}"#),
        ),
        ("pages", gzip(r#"{"log":{"pages":["#, "{},", 9_000_000, r#"{}],"entries":[{}]}}"#)),
        (
            "frames of an archive",
            archive("load-1/page.json", &format!(r#"{{"frames":[…{frame}…{{"file":"f"}}]}}"#), 2_000_000),
        ),
        ("elements of an archive", archive("load-1/page.json", r#"{"elements":[…{},…{}]}"#, 9_000_000)),
        ("events of an archive", archive("load-1/network.jsonl", "…{}\n…", 9_000_000)),
        ("a body of an archive", archive("bodies/x", "…0123456789…", 9_000_000)),
        (
            "kept bodies of an archive",
            archive(
                "load-1/bodies.json",
                r#"[…{"request":"","hash":"","size":1},…{"request":"","hash":"","size":1}]"#,
                900_000,
            ),
        ),
    ];
    let mut wrong = Vec::new();
    for (name, file) in files {
        let (opened, most) = opened(&file);
        let why = opened.err().map_or_else(|| "it was read".to_owned(), |refusal| refusal.to_string());
        // A buffer doubles while it grows.
        if most > BUDGET * 2 || !(why.contains("memory to read") || why.contains("unpacks to more")) {
            wrong.push(format!("{name} took {} MB: {why}", most / MB));
        }
    }
    assert!(wrong.is_empty(), "{wrong:#?}");
}

#[test]
fn what_is_passed_over_is_not_held_and_what_fits_is_read() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let entry = r#"{"request":{"url":"http://a.test/"},"response":{"content":{"text":"hello"}},"timings":{"wait":9}}"#;
    // A text of 30 MB that nobody asks for, before the entries and within the log.
    let long = gzip(r#"{"x":""#, "0123456789", 3_000_000, &format!(r#"","log":{{"entries":[{entry}]}}}}"#));
    let within = gzip(r#"{"log":{"x":""#, "0123456789", 3_000_000, &format!(r#"","entries":[{entry}]}}}}"#));
    // What a file is shows within its first 16 MB, which are looked at in one piece.
    for (file, limit) in [(long, 40 * MB), (within, 4 * MB)] {
        let (read, most) = opened(&file);
        assert_eq!(read.unwrap().bodies.len(), 1);
        assert!(most < limit, "it took {} MB", most / MB);
    }
    // Eight thousand entries of 3 kB each, mostly what is not kept.
    let big = format!(r#"{{"_x":"{}","request":{{"url":"http://a.test/"}}}},"#, "y".repeat(3_000));
    let (read, most) = opened(&gzip(r#"{"log":{"entries":["#, &big, 8_000, "{}]}}"));
    assert_eq!(read.unwrap().loads[0].requests.as_ref().unwrap().len(), 8_000);
    assert!(most < BUDGET, "it took {} MB", most / MB);
}
