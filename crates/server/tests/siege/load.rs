//! Many questions at once, while a large file is read.

use crate::program::{ALONE, Program};
use crate::times;
use std::sync::PoisonError;
use std::sync::atomic::{AtomicUsize, Ordering};
use std::time::{Duration, Instant};

/// Questions a second.
const RATE: usize = 200;

/// A trace of so many megabytes.
fn trace(megabytes: usize) -> Vec<u8> {
    let mut text = String::from(
        r#"[{"name":"thread_name","ph":"M","ts":0,"pid":1,"tid":1,"args":{"name":"CrRendererMain"}},{"name":"navigationStart","ph":"R","ts":0,"pid":1,"tid":1,"args":{"frame":"F","data":{"documentLoaderURL":"http://big.test/","isOutermostMainFrame":true,"navigationId":"N"}}}"#,
    );
    let mut at = 1_000;
    while text.len() < megabytes << 20 {
        text += &format!(
            r#",{{"name":"RunTask","ph":"X","ts":{at},"dur":900,"pid":1,"tid":1,"args":{{}}}},{{"name":"FunctionCall","ph":"X","ts":{},"dur":800,"pid":1,"tid":1,"args":{{"data":{{"functionName":"f{}","url":"http://big.test/app.js"}}}}}}"#,
            at + 10,
            at % 97
        );
        at += 1_000;
    }
    text.push(']');
    text.into_bytes()
}

#[test]
#[allow(clippy::cast_precision_loss, clippy::cast_possible_truncation, clippy::cast_sign_loss)]
fn every_question_is_answered_while_a_large_file_is_read() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let data = tempfile::tempdir().unwrap();
    let program = Program::serve(data.path(), &[]);
    for name in ["home-home-laptop", "timetable-phone-on-the-move", "booking-home-laptop"] {
        let file = format!("{}/../../demo/{name}.phainon.zip", env!("CARGO_MANIFEST_DIR"));
        assert_eq!(program.import(name, &std::fs::read(file).unwrap()).0, 200);
    }
    let paths = [
        "/api/recordings?limit=200",
        "/api/recordings/1",
        "/api/recordings/1/loads/1",
        "/api/recordings/2/loads/1/requests",
        "/api/storage",
        "/api/sites/skerryline.test/plan",
    ];
    let (seconds, megabytes) = times((6, 20), (60, 100));
    let wanted = RATE * seconds;
    let (next, answered) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let file = trace(megabytes);
    let began = Instant::now();
    let mut waits: Vec<Duration> = std::thread::scope(|scope| {
        let importing = scope.spawn(|| program.import("big.json", &file));
        let callers: Vec<_> = (0..32)
            .map(|_| {
                scope.spawn(|| {
                    let agent: ureq::Agent =
                        ureq::Agent::config_builder().timeout_global(Some(Duration::from_secs(60))).build().into();
                    let mut waits = Vec::new();
                    loop {
                        let number = next.fetch_add(1, Ordering::Relaxed);
                        if number >= wanted {
                            return waits;
                        }
                        // Each has its moment, whether those before it were answered or not.
                        let due = began + Duration::from_secs_f64(number as f64 / RATE as f64);
                        std::thread::sleep(due.saturating_duration_since(Instant::now()));
                        let asked = agent.get(format!("{}{}", program.address, paths[number % paths.len()])).call();
                        if asked.is_ok_and(|mut answer| answer.body_mut().read_to_vec().is_ok()) {
                            answered.fetch_add(1, Ordering::Relaxed);
                            waits.push(due.elapsed());
                        }
                    }
                })
            })
            .collect();
        let waits = callers.into_iter().flat_map(|caller| caller.join().unwrap()).collect();
        assert_eq!(importing.join().unwrap().0, 200);
        waits
    });
    waits.sort();
    let at = |share: f64| waits[((waits.len() - 1) as f64 * share) as usize].as_secs_f64() * 1_000.0;
    println!(
        "{} of {wanted} answered at {RATE} a second during an import of {megabytes} MB: median {:.1} ms, p99 {:.1} ms, longest {:.1} ms",
        answered.load(Ordering::Relaxed),
        at(0.5),
        at(0.99),
        at(1.0)
    );
    assert_eq!(answered.load(Ordering::Relaxed), wanted);
}
