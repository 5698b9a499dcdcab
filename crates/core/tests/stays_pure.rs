//! The core does no I/O: no crate that does is among what it is built from.

use std::process::Command;

#[test]
fn nothing_that_does_io_is_below_the_core() {
    let output = Command::new(env!("CARGO"))
        .args(["tree", "--package", "phainon-core", "--edges", "normal", "--prefix", "none", "--format", "{p}"])
        .output()
        .expect("cargo tree runs");
    let tree = String::from_utf8_lossy(&output.stdout);
    let below: Vec<&str> = tree.lines().filter_map(|line| line.split_whitespace().next()).collect();
    assert!(below.contains(&"serde"), "the tree was not read: {}", String::from_utf8_lossy(&output.stderr));
    for forbidden in ["tokio", "axum", "hyper", "rusqlite", "chromiumoxide", "reqwest", "mio", "socket2"] {
        assert!(!below.contains(&forbidden), "phainon-core is built from {forbidden}");
    }
}
