//! Files that unpack to more than they look, in every form that is read.

use crate::is_long;
use crate::program::{ALONE, Program};
use flate2::{Compression, write::GzEncoder};
use std::io::{Cursor, Write};
use std::sync::PoisonError;
use zip::write::SimpleFileOptions;

const MANIFEST: &str =
    r#"{"format":"phainon-recording","version":1,"url":"http://a.test/","loads":[{"visit":"first"}]}"#;

fn gzip(begin: &str, again: &str, times: usize, end: &str) -> Vec<u8> {
    let mut encoder = GzEncoder::new(Vec::new(), Compression::best());
    encoder.write_all(begin.as_bytes()).unwrap();
    let block = again.repeat(1_000);
    (0..times / 1_000).for_each(|_| encoder.write_all(block.as_bytes()).unwrap());
    encoder.write_all(end.as_bytes()).unwrap();
    encoder.finish().unwrap()
}

fn zip(files: &[(&str, &[u8], usize)]) -> Vec<u8> {
    let mut zip = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (path, block, times) in files {
        zip.start_file(*path, SimpleFileOptions::default()).unwrap();
        (0..*times).for_each(|_| zip.write_all(block).unwrap());
    }
    zip.finish().unwrap().into_inner()
}

/// The same with every packed size in its directory made a gigabyte.
fn with_false_sizes(mut zip: Vec<u8>) -> Vec<u8> {
    let mut at = 0;
    while let Some(found) = zip[at..].windows(4).position(|w| w == b"PK\x01\x02") {
        at += found + 20;
        zip[at..at + 4].copy_from_slice(&(1u32 << 30).to_le_bytes());
    }
    zip
}

fn pictures() -> Vec<u8> {
    let white = image::GrayImage::from_pixel(4_096, 4_096, image::Luma([255]));
    let black = image::GrayImage::from_pixel(4_096, 4_096, image::Luma([0]));
    let jpeg = |picture: &image::GrayImage| {
        let mut bytes = Vec::new();
        image::codecs::jpeg::JpegEncoder::new(&mut bytes).encode_image(picture).unwrap();
        bytes
    };
    let frames: Vec<String> = (0..200).map(|n| format!(r#"{{"file":"{}.jpg"}}"#, n % 2)).collect();
    let page = format!(r#"{{"frames":[{}]}}"#, frames.join(","));
    zip(&[
        ("manifest.json", MANIFEST.as_bytes(), 1),
        ("load-1/network.jsonl", b"{}\n", 1),
        ("load-1/page.json", page.as_bytes(), 1),
        ("load-1/frames/0.jpg", &jpeg(&white), 1),
        ("load-1/frames/1.jpg", &jpeg(&black), 1),
    ])
}

#[test]
fn no_bomb_takes_more_than_an_import_may() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let data = tempfile::tempdir().unwrap();
    // The usual budget where all is tried; else a smaller one, under which the same files show the same.
    let (budget, memory, scale) = if is_long() { ("1GB", 1_000_000_000u64, 8) } else { ("100MB", 100_000_000, 1) };
    let program = Program::serve(data.path(), &["--import-memory", budget]);
    let block = vec![b'x'; 1 << 20];
    let manifest = ("manifest.json", MANIFEST.as_bytes(), 1);
    let elements = format!(r#"{{"elements":[{}{{}}]}}"#, "{},".repeat(9_000_000));
    let bombs: Vec<(&str, Vec<u8>)> = vec![
        ("spaces.har.gz", gzip("{\"log\":", " ", 300_000_000 * scale, "")),
        ("numbers.har.gz", gzip("{\"log\":{\"entries\":[{\"x\":[", "0,", 15_000_000, "0]}]}}")),
        ("objects.har.gz", gzip("{\"log\":{\"entries\":[", "{},", 10_000_000, "{}]}}")),
        ("deep.har.gz", gzip("{\"log\":{\"entries\":", "[", 10_000_000, "")),
        ("deep.json.gz", gzip("{\"traceEvents\":[{\"args\":", "[", 10_000_000, "")),
        ("events.json.gz", gzip("[", "{\"name\":\"RunTask\",\"ph\":\"X\",\"ts\":1,\"dur\":1,\"pid\":1,\"tid\":1},", 500_000, "{}]")),
        ("false.zip", with_false_sizes(zip(&[manifest, ("load-1/trace.json", &block, 300 * scale)]))),
        ("body.zip", zip(&[manifest, ("load-1/network.jsonl", b"{}\n", 1), ("bodies/x", &block, 300 * scale)])),
        ("elements.zip", zip(&[manifest, ("load-1/network.jsonl", b"{}\n", 1), ("load-1/page.json", elements.as_bytes(), 1)])),
        ("lines.zip", zip(&[manifest, ("load-1/network.jsonl", b"{\"method\":\"Network.requestWillBeSent\",\"params\":{\"requestId\":\"1\",\"request\":{\"url\":\"http://a.test/\"}}}\n", 300_000 * scale)])),
        ("pictures.zip", pictures()),
    ];
    for (name, bomb) in &bombs {
        let (status, answer) = program.import(name, bomb);
        let peak = program.peak_memory();
        println!(
            "{name}: {} kB packed, answered {status}, peak memory {} MB: {answer}",
            bomb.len() / 1_000,
            peak / 1_000_000
        );
        assert!(status == 200 || status == 422, "{name}: {status} {answer}");
        assert!(peak < 2 * memory + 150_000_000, "{name} took {} MB", peak / 1_000_000);
    }
    assert_eq!(program.get("/api/about")["version"].as_str().map(str::is_empty), Some(false), "it goes on");
}
