//! `cargo xtask`: the repository's chores. Standard library only, so that it starts at once.
//!
//! `demo` and `test` begin with the same set-up: what is missing is installed, or the exact command
//! that installs it is printed.

use std::env;
use std::path::{Path, PathBuf};
use std::process::{Command, ExitCode, Stdio};
use std::time::{Duration, Instant};

const HELP: &str = "cargo xtask demo [ARGS]   set up, build, and serve the application with the demo's data
cargo xtask test          set up, then formatting, lints, types and all tests, browser tests included
cargo xtask docs          write docs/checks.md and web/src/api/types.ts anew
cargo xtask demo-data [PAGES]  record the demo's archives anew from the stand-in (needs a quiet machine)
cargo xtask screenshots   take the pictures in docs/screenshots anew
cargo xtask siege         attacks and faults on the running program, all of them, with figures (a quarter of an hour)
cargo xtask accuracy replay|edits|pairs|judge|fixes|judge-fixes|switches|judge-switches|generate|judge-generated|ways|judge-ways|late|judge-late|off|judge-off|gather|noise [ONLY]  how near replays come to recordings and trials to real repairs; what comparisons say of unchanged pages; edits of many pages measured, and path and forecast judged by them (half an hour each, judge at once)
cargo xtask bench         core, trace and store benches, the screens in a browser, the link and what recording costs a load";

/// What a chore ends with.
type Done = Result<(), String>;

fn main() -> ExitCode {
    let mut arguments = env::args().skip(1);
    let chore = arguments.next().unwrap_or_default();
    let rest: Vec<String> = arguments.collect();
    let done = match chore.as_str() {
        "demo" => demo(&rest),
        "test" => test(),
        "docs" => docs(),
        "demo-data" => demo_data(&rest),
        "screenshots" => screenshots(),
        "siege" => siege(),
        "accuracy" => accuracy(&rest),
        "bench" => bench(),
        _ => {
            println!("{HELP}");
            return if chore.is_empty() || chore == "help" { ExitCode::SUCCESS } else { ExitCode::from(2) };
        }
    };
    match done {
        Ok(()) => ExitCode::SUCCESS,
        Err(why) => {
            eprintln!("xtask: {why}");
            ExitCode::FAILURE
        }
    }
}

fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).parent().map_or_else(|| PathBuf::from("."), Path::to_path_buf)
}

/// Runs a command in a folder of the repository and passes its output on.
fn run(folder: &str, program: &str, arguments: &[&str]) -> Done {
    run_with(folder, program, arguments, &[])
}

fn run_with(folder: &str, program: &str, arguments: &[&str], settings: &[(&str, &str)]) -> Done {
    println!("» {program} {}", arguments.join(" "));
    let mut command = Command::new(program);
    command.args(arguments).envs(settings.iter().copied()).current_dir(root().join(folder));
    // Build scripts that look at these of this program would run again whenever cargo is called by hand.
    for (name, _) in
        env::vars().filter(|(name, _)| name.starts_with("CARGO_PKG_") || name.starts_with("CARGO_MANIFEST_"))
    {
        command.env_remove(name);
    }
    let status = command.status().map_err(|e| format!("{program} could not be started: {e}"))?;
    if status.success() { Ok(()) } else { Err(format!("`{program} {}` failed", arguments.join(" "))) }
}

fn cargo() -> String {
    env::var("CARGO").unwrap_or_else(|_| "cargo".into())
}

/// Whether a program answers to `--version`.
fn answers(program: &str) -> bool {
    Command::new(program)
        .arg("--version")
        .stdout(Stdio::null())
        .stderr(Stdio::null())
        .status()
        .is_ok_and(|s| s.success())
}

const BROWSERS: [&str; 2] = ["/usr/bin/chromium-headless-shell", "/usr/bin/chromium"];

fn browser() -> Option<String> {
    env::var("PHAINON_BROWSER")
        .ok()
        .filter(|b| !b.is_empty())
        .or_else(|| BROWSERS.iter().find(|b| Path::new(b).exists()).map(|b| (*b).to_owned()))
}

/// Installs Debian packages where this process may, else says how.
fn install(packages: &[&str]) -> Done {
    let by_hand = format!("apt-get update && apt-get install -y --no-install-recommends {}", packages.join(" "));
    let is_root = Command::new("id").arg("-u").output().is_ok_and(|o| o.stdout.starts_with(b"0\n"));
    if !is_root || !answers("apt-get") {
        return Err(format!("{} missing. Install it with:\n  sudo sh -c '{by_hand}'", packages.join(", ")));
    }
    let quiet = [("DEBIAN_FRONTEND", "noninteractive")];
    run_with(".", "apt-get", &["update", "-qq"], &quiet)?;
    let mut arguments = vec!["install", "-y", "-qq", "--no-install-recommends"];
    arguments.extend(packages);
    run_with(".", "apt-get", &arguments, &quiet)
}

/// Node.js, the front end's packages, and the built front end.
fn front_end() -> Done {
    if !answers("node") || !answers("npm") {
        install(&["nodejs", "npm"])?;
    }
    npm_ci("web")?;
    run("web", "npm", &["run", "--silent", "build"])
}

/// `npm ci`, unless the packages are those of the lock file already.
fn npm_ci(folder: &str) -> Done {
    let lock = root().join(folder).join("package-lock.json");
    let mark = root().join(folder).join("node_modules/.lock-installed");
    let wanted = std::fs::read(&lock).map_err(|e| format!("{}: {e}", lock.display()))?;
    if std::fs::read(&mark).is_ok_and(|have| have == wanted) {
        return Ok(());
    }
    run(folder, "npm", &["ci", "--no-audit", "--no-fund", "--loglevel=error"])?;
    std::fs::write(&mark, wanted).map_err(|e| format!("{}: {e}", mark.display()))
}

/// The program, with the features that the tests build it with.
fn build() -> Done {
    run(".", &cargo(), &["build", "--package", "phainon-server"])
}

fn demo(rest: &[String]) -> Done {
    // Without a browser the demo still shows everything recorded; only Record needs one.
    if browser().is_none()
        && let Err(why) = install(&["chromium-headless-shell"])
    {
        eprintln!("xtask: {why}\nThe demo starts without it; recording will need it.");
    }
    if !root().join("web/node_modules").exists() || !root().join("target/debug/phainon").exists() {
        println!(
            "The first start installs what is missing, builds the front end, and then compiles the program with all \
             that it stands on: about ten minutes on two cores. Later starts take seconds."
        );
    }
    front_end()?;
    build()?;
    let mut arguments = vec!["demo"];
    arguments.extend(rest.iter().map(String::as_str));
    run(".", "target/debug/phainon", &arguments)
}

fn test() -> Done {
    let mut steps = Steps::default();
    let done = all_tests(&mut steps);
    steps.tell();
    done
}

fn all_tests(steps: &mut Steps) -> Done {
    if browser().is_none() {
        steps.timed("browser", || install(&["chromium-headless-shell"]))?;
    }
    steps.timed("front end", || {
        front_end()?;
        npm_ci("e2e")?;
        run("web", "npm", &["run", "--silent", "format"])?;
        run("web", "npm", &["run", "--silent", "lint"])?;
        run("e2e", "npm", &["run", "--silent", "types"])
    })?;
    run(".", &cargo(), &["fmt", "--all", "--check"])?;
    steps.timed("lints and tests built", || {
        run_with(".", &cargo(), &["test", "--workspace", "--all-targets", "--no-run"], &LINTED)
    })?;
    // One test at a time in the crates that start browsers would be slow for the rest; they take a lock instead.
    // What failed is said in sentences; where in the runtime it was said helps nobody.
    let settings = [&LINTED[..], &[("RUST_BACKTRACE", "0")]].concat();
    steps.timed("tests", || run_with(".", &cargo(), &["test", "--workspace", "--no-fail-fast"], &settings))
}

/// Has our own crates compiled by the linter, which compiles as well as it lints: by itself it reads all that they stand
/// on once more, which took 319 s of a build from nothing. What it makes is not optimised as much as it could be, which
/// the tests are not anyhow.
const LINTED: [(&str, &str); 2] = [("RUSTC_WORKSPACE_WRAPPER", "clippy-driver"), ("CLIPPY_ARGS", "-Dwarnings")];

/// What a chore did, and how long each step took.
#[derive(Default)]
struct Steps(Vec<(&'static str, Duration)>);

impl Steps {
    fn timed(&mut self, name: &'static str, step: impl FnOnce() -> Done) -> Done {
        let began = Instant::now();
        let done = step();
        self.0.push((name, began.elapsed()));
        done
    }

    fn tell(&self) {
        let each: Vec<String> = self.0.iter().map(|(name, took)| format!("{name} {} s", took.as_secs())).collect();
        println!("» {}", each.join(", "));
    }
}

fn docs() -> Done {
    let write = [("PHAINON_WRITE_DOCS", "1")];
    run_with(
        ".",
        &cargo(),
        &["test", "--quiet", "--package", "phainon-core", "--lib", "the_manual_is_current"],
        &write,
    )?;
    run_with(".", &cargo(), &["test", "--quiet", "--package", "phainon-server", "--test", "types"], &write)
}

/// What the demo shows: page, address, steps of its scripted user. Booking and crossing come over HTTP/2.
const DEMO_PAGES: [(&str, &str, &[&str]); 4] = [
    ("Home", "http://www.skerryline.test/", &[]),
    ("Timetable", "http://www.skerryline.test/timetable/", &[]),
    ("Crossing", "https://www.skerryline.test/crossing/anvil-gull/", &[]),
    (
        "Booking",
        "https://www.skerryline.test/book/",
        &["click #more", "wait 400", "click #more", "wait 400", "click #fewer"],
    ),
];

/// A page before and after its repairs, for the demo's plan: file and address. Bodies are left out for room: none of
/// the three fixes needs them.
const DEMO_STORY: [(&str, &str); 2] = [
    ("home-village-line", "http://www.skerryline.test/"),
    ("home-village-line-repaired", "http://www.skerryline.test/?fix=chat-delayed,page-cache,advert-reencoded"),
];

/// Records all of the demo, or the pages that are named; `story` is what its plan tells.
fn demo_data(only: &[String]) -> Done {
    build()?;
    let wanted = |name: &str| only.is_empty() || only.iter().any(|o| o.eq_ignore_ascii_case(name));
    for (name, address, steps) in DEMO_PAGES.into_iter().filter(|page| wanted(page.0)) {
        for conditions in ["phone-on-the-move", "home-laptop"] {
            let out = format!("demo/{}-{conditions}.phainon.zip", name.to_lowercase());
            let mut arguments = vec!["record", address, "--page", name, "--loads", "3", "--return-visits"];
            arguments.extend(["--conditions", conditions, "--out", &out]);
            arguments.extend(steps.iter().flat_map(|step| ["--step", step]));
            quiet_machine();
            run(".", "target/debug/phainon", &arguments)?;
        }
    }
    for (file, address) in DEMO_STORY.into_iter().filter(|_| wanted("story")) {
        let out = format!("demo/{file}.phainon.zip");
        let arguments = ["record", address, "--page", "Home", "--loads", "5", "--no-bodies"];
        quiet_machine();
        run(".", "target/debug/phainon", &[&arguments[..], &["--conditions", "village-line", "--out", &out]].concat())?;
    }
    Ok(())
}

/// Waits until the load average shows nothing of what ran before: a recording says how busy its
/// machine was. After some minutes it goes on anyhow.
fn quiet_machine() {
    let load = || std::fs::read_to_string("/proc/loadavg").ok()?.split(' ').next()?.parse::<f64>().ok();
    for _ in 0..50 {
        if load().is_none_or(|load| load < 0.6) {
            break;
        }
        std::thread::sleep(Duration::from_secs(5));
    }
}

fn screenshots() -> Done {
    npm_ci("e2e")?;
    front_end()?;
    build()?;
    run("e2e", "node", &["screenshots.mjs"])
}

/// Bombs, kills, hostile pages, a full disk and a flood of questions; the tests run a short form of it.
fn siege() -> Done {
    let arguments = ["test", "-p", "phainon-server", "--test", "siege", "--", "--nocapture", "--test-threads", "1"];
    run_with(".", &cargo(), &arguments, &[("PHAINON_SIEGE", "long")])
}

fn accuracy(rest: &[String]) -> Done {
    let mode = rest.first().map_or("replay", String::as_str);
    let folder = root().join("target").join("accuracy");
    let mut arguments =
        vec!["bench", "--profile", "dev", "--package", "phainon-server", "--bench", "accuracy", "--", mode];
    let place = folder.display().to_string();
    if !matches!(mode, "edits" | "noise") {
        arguments.push(&place);
    }
    arguments.extend(rest.iter().skip(1).map(String::as_str));
    run(".", &cargo(), &arguments)
}

fn bench() -> Done {
    run(".", &cargo(), &["bench", "--package", "phainon-core"])?;
    run(".", &cargo(), &["bench", "--package", "phainon-formats"])?;
    run(".", &cargo(), &["bench", "--profile", "dev", "--package", "phainon-store"])?;
    npm_ci("e2e")?;
    front_end()?;
    build()?;
    run("e2e", "node", &["bench.mjs"])?;
    run("e2e", "node", &["plan-bench.mjs"])?;
    // Nothing here is computed: the work profile saves a build.
    run(".", &cargo(), &["bench", "--profile", "dev", "--package", "phainon-recorder"])
}
