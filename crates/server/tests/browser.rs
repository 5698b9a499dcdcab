//! The interface, driven in a real browser by Playwright from Node.js, on the demo's data in a data
//! directory of its own.

#![allow(clippy::unwrap_used)]

use std::io::{BufRead, BufReader};
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
    let status = Command::new("npm")
        .args(["test", "--silent"])
        .current_dir(format!("{root}/e2e"))
        .env("PHAINON_ADDRESS", address)
        .status()
        .unwrap();
    drop(server);
    assert!(status.success(), "a journey failed; what it saw stands above");
}
