//! A disk that fills up under the running program.

use crate::program::{ALONE, Program};
use serde_json::json;
use std::process::Command;
use std::sync::PoisonError;

#[test]
fn a_full_disk_is_said_and_deleting_is_the_way_out() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let place = tempfile::tempdir().unwrap();
    let mount = Command::new("mount").args(["-t", "tmpfs", "-o", "size=60m", "tmpfs"]).arg(place.path()).output();
    if !mount.is_ok_and(|done| done.status.success()) {
        println!("not tried: this process may not mount a small disk");
        return;
    }
    let program = Program::serve(place.path(), &[]);
    let archive = concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/home-home-laptop.phainon.zip");
    let archive = std::fs::read(archive).unwrap();
    let mut kept = 0;
    let refusal = loop {
        let (status, answer) = program.import("home.zip", &archive);
        if status != 200 {
            break (status, answer["detail"].as_str().unwrap_or_default().to_owned());
        }
        kept += 1;
    };
    println!("{kept} kept, then {refusal:?}");
    assert_eq!(refusal.0, 507, "{refusal:?}");
    assert_eq!(program.get("/api/recordings")["all"], kept, "what was acknowledged is there");
    let (status, made) = program.post("/api/storage/thin", &json!({"days": 0, "what": "whole"}));
    assert_eq!((status, &made["recordings"]), (200, &kept.into()), "{made}");
    println!("deleted: {made}");
    assert_eq!(program.import("home.zip", &archive).0, 200);
    drop(program);
    let again = Program::serve(place.path(), &[]);
    assert_eq!(again.get("/api/recordings")["all"], 1);
    drop(again);
    let _ = Command::new("umount").arg("-l").arg(place.path()).status();
}
