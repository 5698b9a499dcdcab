//! Being killed in the middle: nothing acknowledged is lost, and no browser stays behind.

use crate::program::{ALONE, Program, one_load, site, until};
use crate::times;
use serde_json::{Value, json};
use std::sync::PoisonError;
use std::sync::atomic::{AtomicUsize, Ordering};

fn har(n: usize) -> Vec<u8> {
    json!({"log": {"entries": [{"startedDateTime": "2026-11-24T09:00:00Z", "time": 9,
        "request": {"method": "GET", "url": format!("http://kept.test/{n}"), "headers": []},
        "response": {"status": 200, "headers": [], "content": {"size": 5, "mimeType": "text/html", "text": "hello"}}, "timings": {"wait": 9}}]}})
    .to_string()
    .into_bytes()
}

#[test]
fn what_was_acknowledged_outlives_a_kill() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let data = tempfile::tempdir().unwrap();
    let acknowledged = AtomicUsize::new(0);
    let rounds = times(4, 60);
    for round in 1..=rounds {
        let program = Program::serve(data.path(), &[]);
        let listed: Value = program.get("/api/recordings?limit=1");
        let known = acknowledged.load(Ordering::SeqCst);
        // One more may be there: it was kept, and killed before it was acknowledged.
        let there = usize::try_from(listed["all"].as_u64().unwrap()).unwrap();
        assert!(there == known || there == known + 1, "round {round}: {there} of {known} acknowledged are there");
        acknowledged.store(there, Ordering::SeqCst);
        let (address, enough) = (program.address.clone(), known + 10 + round % 7);
        std::thread::scope(|scope| {
            scope.spawn(|| {
                let caller = Caller(&address);
                while caller.import(&har(acknowledged.load(Ordering::SeqCst))) {
                    acknowledged.fetch_add(1, Ordering::SeqCst);
                }
            });
            until("imports are kept", || acknowledged.load(Ordering::SeqCst) >= enough);
            program.kill();
        });
    }
    println!("{rounds} kills, {} acknowledged changes, none lost", acknowledged.load(Ordering::SeqCst));
}

/// Calls until the server is gone.
struct Caller<'a>(&'a str);

impl Caller<'_> {
    fn import(&self, file: &[u8]) -> bool {
        let head = "--part\r\ncontent-disposition: form-data; name=\"file\"; filename=\"a.har\"\r\n\r\n";
        let body = [head.as_bytes(), file, b"\r\n--part--\r\n"].concat();
        let asked =
            ureq::post(format!("{}/api/import", self.0)).header("content-type", "multipart/form-data; boundary=part");
        asked.send(&body[..]).is_ok_and(|mut answer| answer.body_mut().read_to_string().is_ok())
    }
}

#[test]
fn no_browser_outlives_its_program() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let page = site(|_| None);
    let out = tempfile::tempdir().unwrap();
    let out = out.path().join("x.zip");
    let mut ended = 0;
    for _ in 0..times(1, 15) {
        for signal in ["KILL", "TERM", "HUP", "INT"] {
            let data = tempfile::tempdir().unwrap();
            let server = Program::serve(data.path(), &[]);
            let (status, jobs) = server.post("/api/jobs", &one_load(&page));
            assert_eq!(status, 200, "{jobs}");
            let alone = Program::run(&["record", &page, "--loads", "1", "--out", out.to_str().unwrap()]);
            // The second waits for its turn, or the first: either may be at work.
            for mut program in [server, alone] {
                until("a browser runs", || program.started() > 0);
                program.signal(signal);
                program.child.wait().unwrap();
                until("its browser is gone", || program.started() == 0);
                ended += 1;
            }
        }
    }
    println!("{ended} programs ended while they recorded, no browser left");
    assert!(!out.exists(), "what was not finished was not written");
}
