//! The command line: the names that its JSON promises, and its exit codes.

#![allow(clippy::unwrap_used)]

use serde_json::Value;
use std::path::PathBuf;
use std::process::{Command, Output, Stdio};

fn phainon(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_phainon")).args(arguments).output().unwrap()
}

fn demo() -> String {
    concat!(env!("CARGO_MANIFEST_DIR"), "/../../demo/home-phone-on-the-move.phainon.zip").to_owned()
}

fn printed(arguments: &[&str]) -> Value {
    let output = phainon(arguments);
    assert_eq!(output.status.code(), Some(0), "{}", String::from_utf8_lossy(&output.stderr));
    serde_json::from_slice(&output.stdout).unwrap()
}

fn written(name: &str, text: &str) -> (tempfile::TempDir, PathBuf) {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join(name);
    std::fs::write(&file, text).unwrap();
    (folder, file)
}

fn has(value: &Value, names: &[&str]) {
    for name in names {
        assert!(value.get(name).is_some(), "`{name}` is promised: {value}");
    }
}

#[test]
fn analyse_prints_the_promised_names() {
    let out = printed(&["analyse", &demo(), "--json"]);
    has(&out, &["metrics", "lcp", "render_blocking", "main_thread", "owners", "findings"]);
    has(
        &out["metrics"],
        &[
            "ttfb_ms",
            "fcp_ms",
            "lcp_ms",
            "cls",
            "tbt_ms",
            "tti_ms",
            "inp_ms",
            "speed_index_ms",
            "requests",
            "transferred_bytes",
        ],
    );
    assert!(out["metrics"]["inp_ms"].is_null(), "not measured is null");
    has(&out["lcp"], &["kind", "selector", "url", "parts", "path"]);
    assert_eq!(out["lcp"]["kind"], "image");
    assert_eq!(out["lcp"]["selector"], "img.deck-hero");
    has(&out["lcp"]["parts"], &["ttfb_ms", "load_delay_ms", "load_duration_ms", "render_delay_ms"]);
    for leg in out["lcp"]["path"].as_array().unwrap() {
        has(leg, &["from_ms", "to_ms", "cause", "url", "owner"]);
    }
    let blockers = out["render_blocking"].as_array().unwrap();
    let kinds = |kind: &str| blockers.iter().filter(|b| b["kind"] == kind).count();
    assert_eq!((kinds("script"), kinds("stylesheet")), (2, 4), "two scripts and four sheets stand in the head");
    blockers.iter().for_each(|b| has(b, &["url", "kind", "released_ms"]));
    has(&out["main_thread"], &["by_kind_ms", "long_tasks"]);
    for task in out["main_thread"]["long_tasks"].as_array().unwrap() {
        has(task, &["start_ms", "duration_ms", "url", "owner"]);
        assert!(task["duration_ms"].as_f64().unwrap() > 50.0);
    }
    for owner in out["owners"].as_array().unwrap() {
        has(owner, &["name", "kind", "requests", "transferred_bytes", "main_thread_ms", "server_ms", "path_ms"]);
    }
    for finding in out["findings"].as_array().unwrap() {
        has(finding, &["check", "title", "owner", "url", "on_path", "on_path_ms", "fix"]);
        assert_eq!(finding["on_path"].as_bool().unwrap(), finding["on_path_ms"].as_f64().unwrap() > 0.0);
    }
}

#[test]
fn the_demo_shows_the_faults_of_its_page() {
    let out = printed(&["analyse", &demo(), "--json"]);
    let found: Vec<(String, String)> = out["findings"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| (f["check"].as_str().unwrap().to_owned(), f["title"].as_str().unwrap().to_owned()))
        .collect();
    for (check, word) in [
        ("late-largest", "hero-marlin-bay.jpg"),
        ("render-blocking-script", "vendor.js"),
        ("render-blocking-script", "slider.js"),
        ("render-blocking-stylesheet", "base.css"),
        ("uncompressed-text", "vendor.js"),
        ("short-cache-lifetime", "static.skerryline.test"),
        ("image-larger-than-shown", "hero-marlin-bay.jpg"),
        ("image-without-dimensions", "4 pictures"),
        ("standout", "advert.jpg"),
        ("long-tasks", "chat.js"),
        ("third-party-work", "parleydock.test"),
        ("slow-document", "The server takes"),
    ] {
        assert!(
            found.iter().any(|(c, title)| c == check && title.contains(word)),
            "{check} of {word} is missing: {found:#?}"
        );
    }
    let owner = |name: &str| out["owners"].as_array().unwrap().iter().find(|o| o["name"] == name).cloned();
    assert_eq!(owner("deck-slider").unwrap()["kind"], "plugin");
    assert_eq!(owner("tidemark").unwrap()["kind"], "theme");
    assert_eq!(owner("parleydock.test").unwrap()["kind"], "third_party");
    assert!(owner("harbour-guard").unwrap()["server_ms"].as_f64().unwrap() > 10.0, "it works on the server alone");
}

#[test]
fn budgets_and_bad_input_have_their_exit_codes() {
    let code = |arguments: &[&str]| phainon(arguments).status.code();
    assert_eq!(code(&["analyse", &demo(), "--budget", "lcp=60s", "--budget", "cls=1"]), Some(0));
    assert_eq!(code(&["analyse", &demo(), "--budget", "lcp=100ms"]), Some(1));
    assert_eq!(code(&["analyse", &demo(), "--budget", "lcp=soon"]), Some(2));
    assert_eq!(code(&["analyse", &demo(), "--load", "9"]), Some(2));
    assert_eq!(code(&["analyse", "/no/such/file"]), Some(2));
    assert_eq!(code(&["analyse"]), Some(2));
    assert_eq!(code(&["record", "file:///etc/passwd"]), Some(2));
    assert_eq!(code(&["record", "http://www.skerryline.test/", "--conditions", "no-such"]), Some(2));
    assert_eq!(code(&["serve", "--listen", "0.0.0.0"]), Some(2), "others may only call with a token");
    let (_folder, half) = written("half.har", "{\"log\": {\"entries\": [");
    let output = phainon(&["analyse", half.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(2));
    assert_eq!(
        String::from_utf8_lossy(&output.stderr),
        "phainon: half.har is cut off: the JSON ends too early, at line 1, column 21.\n"
    );
}

#[test]
fn a_har_alone_leaves_unknown_what_it_cannot_tell() {
    let (_folder, file) = written(
        "alone.har",
        r#"{"log":{"version":"1.2","entries":[{"startedDateTime":"2026-11-24T09:00:00Z","request":{"method":"GET","url":"https://shop.example/"},
        "response":{"status":200,"headers":[],"content":{"size":10,"mimeType":"text/html"},"bodySize":10,"headersSize":5},"timings":{"wait":80,"receive":5}}]}}"#,
    );
    let out = printed(&["analyse", file.to_str().unwrap(), "--json"]);
    assert_eq!(out["metrics"]["ttfb_ms"], 80.0);
    for unknown in ["fcp_ms", "lcp_ms", "cls", "tbt_ms", "tti_ms"] {
        assert!(out["metrics"][unknown].is_null(), "{unknown}");
    }
    assert!(out["lcp"].is_null() && out["main_thread"].is_null());
    assert!(out["missing"].as_array().unwrap().len() >= 4);
    assert_eq!(
        phainon(&["analyse", file.to_str().unwrap(), "--budget", "lcp=9s"]).status.code(),
        Some(1),
        "a budget that cannot be judged is not met"
    );
}

#[test]
fn both_visits_an_interaction_and_the_rest_of_the_metrics_are_in_the_demo() {
    let archive = demo().replace("home-phone-on-the-move", "booking-home-laptop");
    let out = printed(&["analyse", &archive, "--json"]);
    assert_eq!((&out["visit"], &out["of"]), (&Value::from("first"), &Value::from(6)));
    let number = |name: &str| out["metrics"][name].as_f64().unwrap();
    assert!(number("inp_ms") > 20.0 && number("speed_index_ms") > 100.0 && number("tti_ms") > number("fcp_ms"));
    assert_eq!(out["interactions"].as_array().unwrap().len(), 3);
    assert_eq!(out["interactions"][0]["selector"], "#more");
    // A warm load is told apart and far lighter, and stays out of the recording's own rulers.
    let again = printed(&["analyse", &archive, "--json", "--load", "2"]);
    assert_eq!(again["visit"], "return");
    let weight = |of: &Value| of["metrics"]["transferred_bytes"].as_f64().unwrap();
    assert!(weight(&again) * 10.0 < weight(&out));
    let lcp = out["summary"]["rows"].as_array().unwrap().iter().find(|r| r["metric"] == "lcp").unwrap();
    assert_eq!(lcp["values"].as_array().unwrap().len(), 3);
    assert_eq!(out["summary"]["return_visits"], 3);
    assert_eq!(phainon(&["analyse", &archive, "--budget", "inp=1ms"]).status.code(), Some(1));
    assert_eq!(phainon(&["record", "http://a.test/", "--step", "jump #more"]).status.code(), Some(2));
}

#[test]
fn a_har_and_a_trace_are_read_together_and_strangers_are_not() {
    let (_one, har) = written(
        "a.har",
        r#"{"log":{"version":"1.2","entries":[{"startedDateTime":"2026-11-24T09:00:00Z","request":{"method":"GET","url":"http://a.test/"},
        "response":{"status":200,"content":{"size":10,"mimeType":"text/html"},"bodySize":10},"timings":{"wait":80,"receive":5}}]}}"#,
    );
    let trace = |url: &str| {
        format!(
            r#"{{"traceEvents":[{{"name":"navigationStart","ph":"R","ts":1000000,"pid":7,"tid":7,"args":{{"data":{{"documentLoaderURL":"{url}","navigationId":"N"}}}}}},
            {{"name":"RunTask","ph":"X","ts":1100000,"dur":90000,"pid":7,"tid":7}},
            {{"name":"firstContentfulPaint","ph":"R","ts":1200000,"pid":7,"tid":7,"args":{{"data":{{"navigationId":"N"}}}}}}]}}"#
        )
    };
    let (_two, same) = written("same.json", &trace("http://a.test/"));
    let (_three, other) = written("other.json", &trace("http://b.test/"));
    let path = |file: &PathBuf| file.to_str().unwrap().to_owned();
    let out = printed(&["analyse", &path(&har), &path(&same), "--json"]);
    assert_eq!(out["source"], "har_and_trace");
    assert_eq!((&out["metrics"]["ttfb_ms"], &out["metrics"]["fcp_ms"]), (&Value::from(80.0), &Value::from(200.0)));
    let apart = phainon(&["analyse", &path(&har), &path(&other)]);
    assert_eq!(apart.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&apart.stderr).contains("a.har and other.json are not of the same load"));
    assert_eq!(phainon(&["analyse", &path(&same), &path(&other)]).status.code(), Some(2));
}

#[test]
fn a_reader_that_has_enough_is_no_error_and_a_full_disk_is_one() {
    for arguments in [vec!["analyse"], vec!["analyse", "--json"]] {
        let file = demo();
        let run = |out: Stdio| {
            let mut command = Command::new(env!("CARGO_BIN_EXE_phainon"));
            command.args(&arguments).arg(&file).stdout(out).stderr(Stdio::piped());
            let output = command.spawn().unwrap().wait_with_output().unwrap();
            (output.status.code(), String::from_utf8_lossy(&output.stderr).into_owned())
        };
        let (reader, writer) = std::io::pipe().unwrap();
        drop(reader);
        assert_eq!(run(writer.into()), (Some(0), String::new()));
        let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
        let (code, why) = run(full.into());
        assert_eq!(code, Some(2));
        assert!(why.starts_with("phainon: what was found could not be printed: No space left"), "{why}");
    }
}

#[test]
fn one_program_at_a_time_works_on_a_data_directory() {
    let folder = tempfile::tempdir().unwrap();
    let _held = phainon_store::Alone::on(folder.path()).unwrap();
    let output = phainon(&["serve", "--port", "0", "--data", folder.path().to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(2));
    let why = String::from_utf8_lossy(&output.stderr);
    assert!(why.starts_with("phainon: Another Phainon is at work on "), "{why}");
}

#[test]
fn a_trial_says_before_the_work_what_cannot_be_tried() {
    let demo = demo();
    for (arguments, why) in [
        (vec!["--edit", "paint:x"], "there is no edit “paint”; there are remove, remove_owner, defer_script"),
        (vec!["--edit", "remove:nothing.js"], "this load asked for nothing that ends in “nothing.js”"),
        (vec!["--edit", "split_task:slider.js"], "change it by hand and try that"),
        (vec!["--edit", "none", "--load", "99"], "there is no load 99; the file holds 6."),
        (vec!["--edit", "none", "--out", "/no/such/place/x.zip"], "cannot be written"),
        (vec!["--edit", "none", "--loads", "0"], "0 is not in 1..=20"),
        (vec![], "--edit"),
    ] {
        let output = phainon(&[&["trial", &demo], &arguments[..]].concat());
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        let said = String::from_utf8_lossy(&output.stderr).into_owned();
        assert!(said.contains(why), "{arguments:?}: {said}");
    }
    let har = r#"{"log":{"version":"1.2","entries":[{"startedDateTime":"2026-11-24T09:00:00Z","time":85,"request":{"method":"GET","url":"http://bare.test/"},"response":{"status":200,"content":{"size":10,"mimeType":"text/html"}},"timings":{"wait":80,"receive":5}}]}}"#;
    let (_folder, file) = written("bare.har", har);
    let output = phainon(&["trial", file.to_str().unwrap(), "--edit", "none"]);
    assert_eq!(output.status.code(), Some(2));
    assert!(
        String::from_utf8_lossy(&output.stderr).contains("The body of the document, http://bare.test/, was not kept")
    );
    // A HAR with bodies lacks conditions alone.
    let (_folder, file) = written("whole.har", &har.replace("\"size\":10", "\"size\":10,\"text\":\"<p>Ferries\""));
    let output = phainon(&["trial", file.to_str().unwrap(), "--edit", "none"]);
    assert!(String::from_utf8_lossy(&output.stderr).contains("choose those of the trial"));
}

#[test]
fn a_trial_prints_the_promised_names() {
    let out = printed(&["trial", &demo(), "--edit", "none", "--loads", "1", "--json"]);
    has(&out, &["metrics", "differs", "answered", "broken"]);
    has(&out["answered"], &["exactly", "nearly", "not"]);
    let lcp = &out["metrics"]["lcp_ms"];
    has(lcp, &["a", "b", "difference", "low", "high", "verdict", "loads_needed"]);
    assert_eq!(
        (&lcp["verdict"], &out["against"]),
        (&"cannot_tell".into(), &"recording".into()),
        "one load tells nothing"
    );
    assert_eq!(out["answered"]["not"], 0, "{}", out["unknown"]);
    assert!(out["answered"]["exactly"].as_u64().unwrap() >= 25, "{}", out["answered"]);
    // Both come from the same responses; how busy this machine is now is another matter.
    let (a, b) = (lcp["a"].as_f64().unwrap(), lcp["b"].as_f64().unwrap());
    assert!(b > a * 0.3, "{a} and {b}");
    let weight = &out["metrics"]["transferred_bytes"];
    let (a, b) = (weight["a"].as_f64().unwrap(), weight["b"].as_f64().unwrap());
    assert!((a - b).abs() < a * 0.01, "{a} and {b}");
}

#[test]
fn a_forecast_a_comparison_and_a_plan_print_the_promised_names() {
    let out = printed(&["forecast", &demo(), "--edit", "put_in_html:hero-marlin-bay.jpg", "--json"]);
    has(&out, &["edits", "metrics", "path", "moved", "not_known"]);
    let lcp = &out["metrics"]["lcp_ms"];
    let of = |name: &str| lcp[name].as_f64().unwrap();
    assert!(of("low") <= of("after") && of("after") <= of("high") && of("after") < of("before"), "{lcp}");
    has(&out["metrics"], &["fcp_ms", "tbt_ms", "cls", "speed_index_ms", "transferred_bytes"]);
    has(&out["path"][0], &["from_ms", "to_ms", "cause", "url", "owner"]);
    has(&out["moved"][0], &["url", "from_ms", "to_ms"]);

    let story = |name: &str| demo().replace("home-phone-on-the-move", name);
    let (before, after) = (story("home-village-line"), story("home-village-line-repaired"));
    let out = printed(&["compare", &before, &after, "--json"]);
    has(&out, &["metrics", "differs"]);
    has(&out["metrics"]["lcp_ms"], &["a", "b", "difference", "low", "high", "verdict", "loads_needed"]);
    assert_eq!(out["metrics"]["lcp_ms"]["verdict"], "better");
    assert_eq!(phainon(&["compare", &after, &before]).status.code(), Some(1), "something is worse");
    let unlike = phainon(&["compare", &before, &demo()]);
    let said = String::from_utf8_lossy(&unlike.stdout).into_owned();
    assert!(said.contains("They were made under different conditions") && said.contains("no verdict"), "{said}");
    assert_eq!(unlike.status.code(), Some(0));

    let plan = phainon(&["plan", &demo(), "--effort", "2", "--json"]);
    let out: Value = serde_json::from_slice(&plan.stdout).unwrap();
    has(&out, &["question", "reached", "effort", "fixes", "pages", "left_out", "way", "sets"]);
    assert!(out["effort"].as_f64().unwrap() <= 2.0 && plan.status.code() == Some(0));
    has(&out["fixes"][0], &["edit", "title", "effort", "metrics"]);
    has(&out["fixes"][0]["metrics"]["lcp_ms"], &["before", "after", "low", "high"]);
    assert_eq!(phainon(&["plan", &demo(), "--effort", "-1"]).status.code(), Some(2));
}

#[test]
fn budgets_come_from_a_file_too() {
    let (_folder, file) = written(
        "phainon.toml",
        "[budgets]\nlcp = \"9s\"\n[[pages]]\npage = \"Home\"\nconditions = \"Phone on the move\"\nbudgets = { lcp = \"1s\" }\n",
    );
    let file = file.to_str().unwrap();
    let missed = phainon(&["analyse", &demo(), "--budgets", file]);
    assert_eq!(missed.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&missed.stderr).contains("budget lcp"));
    let own = phainon(&["analyse", &demo(), "--budgets", file, "--budget", "lcp=9s"]);
    assert_eq!(own.status.code(), Some(0), "what the command line says stands before the file");
    assert_eq!(phainon(&["analyse", &demo(), "--budgets", "no-such.toml"]).status.code(), Some(2));
}

#[test]
fn pages_of_a_file_are_recorded_and_held_against_its_budgets() {
    let pages = |budget: &str| {
        format!(
            "[[pages]]\npage = \"Notice\"\nurl = \"http://www.skerryline.test/notices/winter-refit/\"\nconditions = \"Home laptop\"\nbudgets = {{ {budget} }}\n"
        )
    };
    let (folder, file) = written("phainon.toml", &pages("lcp = \"60s\", tbt = \"1ms\", fcp = \"1ms\""));
    let (file, out) = (file.to_string_lossy().into_owned(), folder.path().join("notice.phainon.zip"));
    let out = out.to_string_lossy().into_owned();
    let recorded = phainon(&["record", "--pages", &file, "--loads", "1", "--no-detail", "--no-bodies", "--out", &out]);
    let said = String::from_utf8_lossy(&recorded.stderr);
    assert_eq!(recorded.status.code(), Some(1), "{said}");
    assert!(said.contains("budget fcp: ") && !said.contains("budget lcp"), "{said}");
    // What was recorded is there all the same, under the page's name.
    let again = phainon(&["analyse", &out, "--budgets", &file]);
    assert_eq!(again.status.code(), Some(1), "{}", String::from_utf8_lossy(&again.stderr));
    std::fs::write(&file, "[budgets]\nlcp = \"1s\"").unwrap();
    let none = phainon(&["record", "--pages", &file]);
    assert_eq!(none.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&none.stderr).contains("names no page with a url"));
}
