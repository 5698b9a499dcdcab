//! Pages that do their worst to whoever records them.

use crate::program::{ALONE, Program, one_load, site, until};
use crate::times;
use std::sync::PoisonError;

/// By path; those first are tried in every run.
const PAGES: [(&str, &str); 24] = [
    ("spins", "<h1>x</h1><script>for (;;);</script>"),
    ("alerts", "<h1>x</h1><script>for (;;) alert(1);</script>"),
    ("grows", "<h1>x</h1><script>const all = []; for (;;) all.push(new Array(1e6).fill(Math.random()));</script>"),
    ("reloads", "<h1>x</h1><script>location.reload();</script>"),
    ("leaves", "<h1>x</h1><script>location = 'about:blank';</script>"),
    ("closes", "<h1>x</h1><script>window.close(); close();</script>"),
    ("asks", "<h1>x</h1><script>onbeforeunload = () => 'stay'; prompt('?'); confirm('?'); print();</script>"),
    ("opens", "<h1>x</h1><script>for (let i = 0; i < 500; i++) open('/plain?' + i);</script>"),
    (
        "frames",
        "<h1>x</h1><script>for (let i = 0; i < 200; i++) document.body.append(Object.assign(document.createElement('iframe'), { src: '/plain?' + i }));</script>",
    ),
    ("nests", "<h1>x</h1><iframe src='/nests'></iframe>"),
    ("fetches", "<h1>x</h1><script>for (let i = 0; i < 20000; i++) fetch('/plain?' + i);</script>"),
    (
        "deep",
        "<script>for (let i = 0, at = document.documentElement; i < 20000; i++) at = at.appendChild(document.createElement('div'));</script>",
    ),
    ("wide", "<body><script>document.body.innerHTML = '<p id=x class=y>z</p>'.repeat(300000);</script>"),
    (
        "long",
        "<h1 id=x></h1><script>x.id = 'n'.repeat(5e6); x.textContent = 'text'; x.className = 'c'.repeat(5e6);</script>",
    ),
    ("marks", "<h1>x</h1><script>for (let i = 0; i < 200000; i++) performance.mark('m' + i);</script>"),
    ("logs", "<h1>x</h1><script>for (let i = 0; i < 200000; i++) console.log('x'.repeat(1000));</script>"),
    ("history", "<h1>x</h1><script>for (let i = 0; i < 5000; i++) history.pushState(0, '', '/p' + i);</script>"),
    (
        "moves",
        "<h1 id=x style='position:relative'>x</h1><script>setInterval(() => { x.style.top = Math.random() * 400 + 'px'; });</script>",
    ),
    (
        "workers",
        "<h1>x</h1><script>for (let i = 0; i < 200; i++) new Worker(URL.createObjectURL(new Blob(['for(;;);'])));</script>",
    ),
    (
        "sockets",
        "<h1>x</h1><script>for (let i = 0; i < 300; i++) new WebSocket('ws://' + location.host + '/s' + i);</script>",
    ),
    (
        "downloads",
        "<h1>x</h1><a id=a download=x href='data:application/octet-stream,x'>x</a><script>setInterval(() => a.click(), 1);</script>",
    ),
    (
        "markup",
        "<title>&lt;script&gt;alert(1)&lt;/script&gt;</title><h1 id='&quot;&gt;&lt;img src=x onerror=alert(1)&gt;'>x</h1>",
    ),
    ("unfinished", ""),
    ("plain", "<h1>Plain</h1>"),
];

fn page(path: &str) -> Option<String> {
    let name = path.trim_start_matches('/').split('?').next()?;
    if name == "unfinished" {
        return None;
    }
    let found = PAGES.iter().find(|(known, _)| *known == name);
    Some(format!("<!doctype html>{}", found.map_or("<p>x</p>", |(_, text)| text)))
}

#[test]
fn every_hostile_page_ends_and_the_next_is_recorded() {
    let _alone = ALONE.lock().unwrap_or_else(PoisonError::into_inner);
    let address = site(page);
    let data = tempfile::tempdir().unwrap();
    let program = Program::serve(data.path(), &[]);
    let tried = PAGES.iter().take(times(3, PAGES.len() - 1)).chain(PAGES.last());
    for (name, _) in tried {
        let (status, jobs) = program.post("/api/jobs", &one_load(&format!("{address}/{name}")));
        assert_eq!(status, 200, "{name}: {jobs}");
        let job = program.outcome(&jobs);
        until("its browser is gone", || program.started() == 0);
        // Where nothing could be observed there is no recording, and the job says why.
        let outcome = match job["recording"].as_i64() {
            Some(id) => program.get(&format!("/api/recordings/{id}"))["loads"][0]["failed"].clone(),
            None => job["error"].clone(),
        };
        let outcome = outcome.as_str().unwrap_or("it was recorded").to_owned();
        println!("{name}: {outcome}");
        assert!(job["recording"].is_i64() || job["error"].is_string(), "{name} ends without a word: {job}");
        if *name == "plain" {
            assert_eq!(outcome, "it was recorded");
        }
    }
    println!("peak memory {} MB", program.peak_memory() / 1_000_000);
}
