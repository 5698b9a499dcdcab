//! The interface, driven in a real browser by Playwright from Node.js, on the demo's data in a data
//! directory of its own.

#![allow(clippy::unwrap_used)]

use serde_json::Value;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};

struct Server(Child);

impl Drop for Server {
    fn drop(&mut self) {
        // Asked to end, so that it ends its browsers too.
        let _ = Command::new("kill").arg(self.0.id().to_string()).status();
        let _ = self.0.wait();
    }
}

#[test]
fn the_journeys_through_the_interface() {
    let root = concat!(env!("CARGO_MANIFEST_DIR"), "/../..");
    assert!(
        std::path::Path::new(root).join("e2e/node_modules").exists()
            && std::path::Path::new(root).join("web/dist/index.html").exists(),
        "the front end and its tests are not set up: run `cargo xtask test`"
    );
    let data = tempfile::tempdir().unwrap();
    let mut server = Command::new(env!("CARGO_BIN_EXE_phainon"))
        .args(["demo", "--port", "0", "--data"])
        .arg(data.path())
        .stdout(Stdio::piped())
        .spawn()
        .unwrap();
    let said = server.stdout.take().unwrap();
    let server = Server(server);
    let mut lines = BufReader::new(said).lines();
    let line = lines.next().expect("it says where it is").unwrap();
    let address = line.split_whitespace().find(|w| w.starts_with("http://")).unwrap().trim_end_matches('/').to_owned();
    let report = data.path().join("journeys.json");
    let status = Command::new("npm")
        .args(["test", "--silent"])
        .current_dir(format!("{root}/e2e"))
        .env("PHAINON_ADDRESS", address)
        .env("PHAINON_JOURNEYS", &report)
        .status()
        .unwrap();
    drop(server);
    assert!(status.success(), "journeys failed; what they saw stands above:\n{}", failed(&report).join("\n"));
}

/// The journeys that failed at every try, each with the first line of what was wrong.
fn failed(report: &Path) -> Vec<String> {
    let read = std::fs::read(report).ok().and_then(|text| serde_json::from_slice::<Value>(&text).ok());
    let mut names = Vec::new();
    let mut open: Vec<Value> = read.and_then(|r| r["suites"].as_array().cloned()).unwrap_or_default();
    while let Some(suite) = open.pop() {
        open.extend(suite["suites"].as_array().cloned().unwrap_or_default());
        for spec in suite["specs"].as_array().into_iter().flatten().filter(|s| s["ok"] == false) {
            let whole = spec["tests"][0]["results"][0]["error"]["message"].as_str().unwrap_or("no message");
            let said = whole.lines().next().unwrap_or_default();
            names.push(format!("{}: {}: {said}", spec["file"], spec["title"]));
        }
    }
    names
}
