//! The command line.

mod budget;
mod compare;
mod file;
mod forecast;
mod out;
mod plan;
mod spans;
mod texts;
mod trial;

use self::budget::{Budget, BudgetFile, PageToRecord};
use self::file::RecordingFile;
use self::out::{Counted, Output};
use self::spans::SpanReceiver;
use crate::keep::opened_from;
use crate::reading::{RecordingReading, read_loads};
use crate::serve;
use crate::signals::told_to_end;
use crate::state::State;
use clap::{Args, Parser, Subcommand};
use indicatif::{ProgressBar, ProgressStyle};
use phainon_core::forecast::Model;
use phainon_core::words::{SaidRelief, say_relief};
use phainon_core::{Conditions, PRESETS, Prepared, Visit, preset};
use phainon_formats::{MAX_UNPACKED, Opened, archive};
use phainon_recorder::{
    Access, Progress, RecordRequest, Recording, Stage, Step, check_address, parse_blocked, private_names, record_whole,
};
use phainon_standin::StandIn;
use phainon_store::{Alone, Store};
use std::fs::File;
use std::io::{IsTerminal, Read};
use std::net::{IpAddr, SocketAddr};
use std::path::{Path, PathBuf};
use std::process::ExitCode;
use std::sync::Arc;
use std::time::Duration;

/// Everything was fine.
const FINE: u8 = 0;
/// A budget was missed.
const MISSED: u8 = 1;
/// Bad input or usage.
const BAD: u8 = 2;

/// Find out why a web page loads slowly, and what to fix first.
#[derive(Parser)]
#[command(name = "phainon", version)]
pub struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serve the application on a data directory.
    Serve(ServeArguments),
    /// Serve it with the demo's recordings and the stand-in site, in a data directory of its own.
    Demo(ServeArguments),
    /// Record a page in a real browser and write a recording archive.
    Record(Box<RecordArguments>),
    /// Analyse a recording archive, a HAR or a trace (plain or gzip).
    Analyse(AnalyseArguments),
    /// Load a recorded page again from what was kept of it, with fixes applied, and compare.
    Trial(trial::TrialArguments),
    /// Compute what fixes would bring to a recorded page, without loading it again.
    Forecast(forecast::ForecastArguments),
    /// Hold two recordings of a page against each other: better, worse, or noise.
    Compare(compare::CompareArguments),
    /// Search for the fixes that bring pages within their targets with the least effort.
    Plan(plan::PlanArguments),
}

#[derive(Args)]
struct ServeArguments {
    /// Where everything is kept; by default a directory of the user's, one for `serve` and one for `demo`.
    #[arg(long)]
    data: Option<PathBuf>,
    /// The address to listen on. Any other than this machine's own needs a token.
    #[arg(long, default_value = "127.0.0.1")]
    listen: IpAddr,
    /// The port; 0 takes any free one.
    #[arg(long, default_value_t = 7460)]
    port: u16,
    /// What callers must present where the server listens beyond this machine.
    #[arg(long, env = "PHAINON_TOKEN")]
    token: Option<String>,
    /// Another host name under which the server may be called.
    #[arg(long)]
    host: Vec<String>,
    /// The browser to record with, or the ws:// address of one that runs elsewhere.
    #[arg(long)]
    browser: Option<String>,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

#[derive(Args)]
struct RecordArguments {
    /// The pages' addresses; each is recorded under each of the conditions.
    #[arg(required_unless_present = "pages")]
    url: Vec<String>,
    /// A file with pages to record and budgets to hold them against, such as phainon.toml; see `docs/budgets.md`.
    /// Exit code 1 when a budget is missed.
    #[arg(long, conflicts_with_all = ["url", "page"])]
    pages: Option<PathBuf>,
    /// Whose load it is: phone-on-the-move, phone-at-the-edge, home-laptop, village-line or unshaped;
    /// or conditions of your own, such as `360x800@3,mobile,cpu=4,rtt=120,down=4,up=1,name=Mine`
    /// (CPU times slower, round trip in ms, Mbit/s). May be given several times.
    #[arg(long, default_value = "phone-on-the-move")]
    conditions: Vec<String>,
    /// How many loads, 1 to 20, each with an empty cache.
    #[arg(long, default_value_t = 3, value_parser = clap::value_parser!(u8).range(1..=20))]
    loads: u8,
    /// What kind of page it is, such as “Home”.
    #[arg(long)]
    page: Option<String>,
    /// Where to write the archive; of several recordings, each gets a number before the ending.
    #[arg(long, short, default_value = "recording.phainon.zip")]
    out: PathBuf,
    /// The browser to use, or the ws:// address of one that runs elsewhere.
    #[arg(long)]
    browser: Option<String>,
    /// Follow each load by a return visit with the cache that it left.
    #[arg(long)]
    return_visits: bool,
    /// What a scripted user does once the page is quiet, in order: `--step "click #more"`,
    /// `--step "type #name Ann"`, `--step "wait 500"`.
    #[arg(long)]
    step: Vec<String>,
    /// Make no load for used code and inline styles after the others.
    #[arg(long)]
    no_detail: bool,
    /// Keep no response bodies; what is computed from them is then not known.
    #[arg(long)]
    no_bodies: bool,
    /// Query parameters whose values are not kept, with commas between: `--private token,session`.
    #[arg(long, default_value = "")]
    private: String,
    /// Seconds after which a load that is still busy is cut off.
    #[arg(long, default_value_t = 45, value_parser = clap::value_parser!(u64).range(5..=600))]
    longest: u64,
    /// A host or a part of addresses that is not asked for: `--block chat.parleydock.test`.
    #[arg(long)]
    block: Vec<String>,
    /// Take the spans that the page's server sends (OTLP over HTTP) on this port of this machine, and ask it for them;
    /// see `docs/connect-your-server.md`.
    #[arg(long)]
    spans: Option<u16>,
    /// A header sent to the page's own host, never stored: `--header "X-Preview: word"`.
    #[arg(long)]
    header: Vec<String>,
    /// A cookie set before each load, never stored: `--cookie session=abc`.
    #[arg(long)]
    cookie: Vec<String>,
    /// HTTP basic authentication as user:password, never stored.
    #[arg(long, env = "PHAINON_BASIC", hide_env_values = true, default_value = "")]
    basic: String,
    /// Where the steps of a log-in begin; the page itself where it is not given.
    #[arg(long)]
    log_in_at: Option<String>,
    /// A step before each load, in its profile, such as `--log-in "type #word sesame"`; never stored.
    #[arg(long)]
    log_in: Vec<String>,
}

#[derive(Args)]
struct AnalyseArguments {
    /// Recording archive, HAR or trace; or a HAR and a trace of the same load.
    #[arg(required = true, num_args = 1..=2)]
    file: Vec<PathBuf>,
    /// Print everything as JSON.
    #[arg(long)]
    json: bool,
    /// Which load, from 1; without it, the one that stands for the recording.
    #[arg(long)]
    load: Option<usize>,
    /// A budget such as lcp=2500ms, cls=0.1 or weight=1MB; exit code 1 when the median misses it.
    #[arg(long)]
    budget: Vec<String>,
    /// A file with budgets for pages and conditions, such as phainon.toml; see `docs/budgets.md`.
    #[arg(long)]
    budgets: Option<PathBuf>,
    /// How much memory reading a file may take, such as 500MB or 2GB.
    #[arg(long, default_value = "1GB", value_parser = memory_size)]
    import_memory: u64,
}

/// Runs a command and gives its exit code.
pub async fn run(arguments: Arguments) -> ExitCode {
    let outcome = match arguments.command {
        Command::Serve(given) => serve_data(given, false).await,
        Command::Demo(given) => serve_data(given, true).await,
        Command::Record(given) => record_page(*given).await,
        Command::Analyse(given) => analyse_file(&given),
        Command::Trial(given) => trial::try_edits(given).await,
        Command::Forecast(given) => forecast::forecast(&given),
        Command::Compare(given) => compare::compare_files(&given),
        Command::Plan(given) => plan::plan(&given),
    };
    match outcome {
        Ok(code) => ExitCode::from(code),
        Err(why) => {
            eprintln!("phainon: {why}");
            ExitCode::from(BAD)
        }
    }
}

async fn serve_data(given: ServeArguments, demo: bool) -> Result<u8, String> {
    if !given.listen.is_loopback() && given.token.as_deref().is_none_or(|t| t.len() < 16) {
        return Err(format!("listening on {} lets others in: give --token with at least 16 characters.", given.listen));
    }
    if given.token.as_deref().is_some_and(|token| !serve::can_be_sent(token)) {
        return Err("a token is made of letters, digits and - . _ ~, so that every browser can send it.".to_owned());
    }
    let directory = match given.data {
        Some(directory) => directory,
        None => data_home()?.join(if demo { "demo" } else { "data" }),
    };
    phainon_recorder::browser::sweep_profiles();
    let _alone = Alone::on(&directory).map_err(|e| e.to_string())?;
    let store = Store::open(&directory).map_err(|e| e.to_string())?;
    store.sweep().map_err(|e| e.to_string())?;
    store.break_off_unfinished().map_err(|e| e.to_string())?;
    store.break_off_trials().map_err(|e| e.to_string())?;
    let mut state = State::new(store);
    state.browser = given.browser;
    state.import_memory = given.import_memory;
    state.public_only = !given.listen.is_loopback();
    state.token = given.token;
    state.hosts = given.host;
    // The address that it was told to listen on is one to call it by.
    if !given.listen.is_unspecified() {
        state.hosts.push(given.listen.to_string());
    }
    if demo {
        state.stand_in = Some(StandIn::start().await.map_err(|e| format!("the stand-in did not start: {e}"))?);
    }
    let state = Arc::new(state);
    if demo {
        crate::demo::import(&state).await.map_err(|e| e.to_string())?;
    }
    // What was noted before it was part of what is found.
    for site in state.store.sites_with_notes().map_err(|e| e.to_string())? {
        state.take_purposes(&site).map_err(|e| e.to_string())?;
    }
    let stale = crate::rereading::announce(&state).await.map_err(|e| e.to_string())?;
    tokio::spawn(crate::rereading::reread(state.clone(), stale));
    crate::jobs::resume(&state).map_err(|e| e.to_string())?;
    tokio::spawn(crate::spans::keep_writing(state.clone()));
    let listener = serve::bind(SocketAddr::new(given.listen, given.port)).await?;
    let address = listener.local_addr().map_err(|e| e.to_string())?;
    if let Some(stand_in) = state.stand_in.as_ref().filter(|_| state.token.is_none()) {
        let here = if address.is_ipv4() { "127.0.0.1" } else { "[::1]" };
        stand_in.send_spans_to(format!("http://{here}:{}/v1/traces", address.port()));
    }
    let token = state.token.as_ref().map_or_else(String::new, |token| format!("?token={token}"));
    if address.ip().is_unspecified() {
        let (here, port) = (if address.is_ipv4() { "127.0.0.1" } else { "[::1]" }, address.port());
        texts::print(&format!("Phainon is at http://{here}:{port}/{token} (data in {})\n", directory.display()))?;
        texts::print(&format!(
            "From other machines: http://ADDRESS:{port}/{token}, with this machine's own address or name, which --host has to give too.\n"
        ))?;
    } else {
        texts::print(&format!("Phainon is at http://{address}/{token} (data in {})\n", directory.display()))?;
    }
    serve::serve(listener, state, serve::Patience::default()).await;
    Ok(FINE)
}

/// Where data lives by default: XDG's data home, else `~/.local/share`.
fn data_home() -> Result<PathBuf, String> {
    let base = std::env::var_os("XDG_DATA_HOME").map(PathBuf::from).filter(|p| p.is_absolute());
    base.or_else(|| Some(PathBuf::from(std::env::var_os("HOME")?).join(".local/share")))
        .map(|base| base.join("phainon"))
        .ok_or_else(|| "there is no home directory; name one with --data.".to_owned())
}

/// A size as the command line writes it, in bytes.
fn memory_size(text: &str) -> Result<u64, String> {
    let split = text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len());
    let factor = match text[split..].trim() {
        "MB" => 1_000_000,
        "GB" => 1_000_000_000,
        _ => return Err("write for example 500MB or 2GB".to_owned()),
    };
    let number: u64 = text[..split].parse().map_err(|_| "it begins with no number".to_owned())?;
    number.checked_mul(factor).filter(|size| *size > 0).ok_or_else(|| "no machine has that".to_owned())
}

/// Conditions as the command line writes them: a preset's id, or `360x800@3,mobile,cpu=4,…`.
fn conditions_of(text: &str) -> Result<Conditions, String> {
    if let Some(found) = preset(text) {
        return Ok(found);
    }
    let wrong = || {
        let known: Vec<&str> = PRESETS.iter().map(|p| p.id).collect();
        format!(
            "there are no conditions named “{text}”; there are {}, and those of your own such as `360x800@3,mobile,cpu=4,rtt=120,down=4,up=1`.",
            known.join(", ")
        )
    };
    let (screen, rest) = text.split_once(',').unwrap_or((text, ""));
    let (size, ratio) = screen.split_once('@').unwrap_or((screen, "1"));
    let (width, height) = size.split_once('x').ok_or_else(wrong)?;
    let mut own = Conditions {
        name: text.chars().take(60).collect(),
        width: width.parse().map_err(|_| wrong())?,
        height: height.parse().map_err(|_| wrong())?,
        pixel_ratio: ratio.parse().map_err(|_| wrong())?,
        mobile: false,
        cpu_slowdown: 1.0,
        round_trip_ms: 0.0,
        down_bits: 0,
        up_bits: 0,
        distance: phainon_core::Distance::SameCity,
    };
    for part in rest.split(',').filter(|p| !p.is_empty()) {
        let (name, value) = part.split_once('=').unwrap_or((part, ""));
        let number = || value.parse::<f64>().map_err(|_| wrong());
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        let bits = |mbit: f64| (mbit.max(0.0) * 1e6) as u64;
        match name {
            "mobile" => own.mobile = true,
            "cpu" => own.cpu_slowdown = number()?,
            "rtt" => own.round_trip_ms = number()?,
            "down" => own.down_bits = bits(number()?),
            "up" => own.up_bits = bits(number()?),
            "name" => own.name = value.to_owned(),
            _ => return Err(wrong()),
        }
    }
    match own.trouble() {
        Some(trouble) => Err(trouble),
        None => Ok(own),
    }
}

/// Where the nth of several archives goes.
fn numbered(out: &Path, n: usize, of: usize) -> PathBuf {
    if of == 1 {
        return out.to_owned();
    }
    let name = out.file_name().map_or_else(|| "recording".into(), |name| name.to_string_lossy().into_owned());
    let (stem, ending) = name.split_once('.').map_or((name.as_str(), "phainon.zip"), |(stem, ending)| (stem, ending));
    out.with_file_name(format!("{stem}-{n}.{ending}"))
}

async fn record_page(given: RecordArguments) -> Result<u8, String> {
    let said = |e: phainon_recorder::RecordError| e.to_string();
    phainon_recorder::browser::sweep_profiles();
    let file = given.pages.as_deref().map(BudgetFile::read).transpose()?;
    let mut pages: Vec<PageToRecord> = given
        .url
        .iter()
        .map(|url| PageToRecord { url: url.clone(), page: given.page.clone().unwrap_or_default(), conditions: None })
        .collect();
    if let Some((file, name)) = file.as_ref().zip(given.pages.as_deref()) {
        pages = file.to_record();
        if pages.is_empty() {
            return Err(format!("{} names no page with a url.", name.display()));
        }
    }
    let access = Access {
        headers: Access::parse_headers(&given.header.join("\n")).map_err(said)?,
        cookies: Access::parse_cookies(&given.cookie.join("\n")).map_err(said)?,
        basic: Access::parse_basic(&given.basic).map_err(said)?,
        log_in_at: given.log_in_at.clone(),
        log_in: Step::parse_all(&given.log_in.join("\n")).map_err(said)?,
    };
    let mut requests = Vec::new();
    let mut stand_in = None;
    for page in &pages {
        let url = check_address(&page.url).map_err(said)?;
        let conditions = page.conditions.as_ref().map_or(&given.conditions[..], std::slice::from_ref);
        let conditions = conditions.iter().map(|c| conditions_of(c)).collect::<Result<Vec<_>, _>>()?;
        // The scenario's hosts exist nowhere else: whoever records them means the stand-in.
        if stand_in.is_none() && url.host_str().is_some_and(StandIn::serves) {
            stand_in = Some(StandIn::start().await.map_err(|e| format!("the stand-in did not start: {e}"))?);
        }
        for conditions in &conditions {
            let mut request = RecordRequest::new(url.as_str(), conditions.clone(), given.loads.into());
            request.browser.clone_from(&given.browser);
            request.limits.longest = Duration::from_secs(given.longest);
            request.return_visits = given.return_visits;
            request.detail = !given.no_detail;
            request.instruments.bodies = !given.no_bodies;
            request.private = private_names(&given.private);
            request.steps = Step::parse_all(&given.step.join("\n")).map_err(said)?;
            request.blocked = parse_blocked(&given.block.join("\n")).map_err(said)?;
            request.access = access.clone();
            requests.push((request, Some(page.page.clone()).filter(|page| !page.is_empty())));
        }
    }
    // The stand-in's server tells by itself.
    let spans = match given.spans.or(stand_in.as_ref().map(|_| 0)) {
        Some(port) => Some(SpanReceiver::listen(port).await?),
        None => None,
    };
    if let (Some(stand_in), Some(spans)) = (&stand_in, &spans) {
        stand_in.send_spans_to(spans.endpoint());
    }
    let of = requests.len();
    let mut code = FINE;
    for (n, (mut request, page)) in (1usize..).zip(requests) {
        request.hosts = stand_in.as_ref().map(StandIn::hosts).unwrap_or_default();
        request.trusted_key = stand_in.as_ref().map(|s| s.key_hash().to_owned());
        request.server_spans = spans.is_some();
        let out = numbered(&given.out, n, of);
        if of > 1 {
            texts::print(&format!("{} on {}\n", request.url, request.conditions.name))?;
        }
        let reading = record_one(&request, page.clone(), &out, spans.as_ref()).await?;
        if reading.loads.iter().all(|l| l.reading.is_none()) {
            code = BAD;
        }
        let budgets = file.as_ref().zip(page).map(|(file, page)| file.of(&page, Some(&request.conditions.name)));
        for why in budgets.iter().flatten().filter_map(|budget| budget.missed(&reading)) {
            eprintln!("phainon: {}: {why}", request.url);
            code = code.max(MISSED);
        }
    }
    Ok(code)
}

async fn record_one(
    request: &RecordRequest,
    page: Option<String>,
    out: &Path,
    spans: Option<&SpanReceiver>,
) -> Result<RecordingReading, String> {
    // What cannot be written is better known before minutes of recording than after.
    let file = Output::at(out).map_err(|e| format!("{} cannot be written: {e}", out.display()))?;
    let (sender, receiver) = tokio::sync::mpsc::unbounded_channel();
    let shown = tokio::spawn(show_progress(receiver));
    let recorded_at = crate::keep::now();
    // Interrupted, the recording is dropped, and its browser with it.
    let mut recording = tokio::select! {
        recording = record_whole(request, sender) => recording.map_err(|e| e.to_string()),
        () = told_to_end() => Err("interrupted; nothing was written.".into()),
    }?;
    let _ = shown.await;
    if let Some(spans) = spans {
        spans.add_to(&mut recording).await?;
    }
    write_recording(recording, page, &request.blocked, recorded_at, file, out)
}

/// Writes a recording as an archive, and says what it holds.
fn write_recording(
    recording: Recording,
    page: Option<String>,
    blocked: &[String],
    recorded_at: String,
    file: Output,
    out: &Path,
) -> Result<RecordingReading, String> {
    let opened = opened_from(recording, page, blocked, recorded_at);
    let Opened { loads, bodies, detail, manifest, .. } = opened;
    let manifest = manifest.ok_or("the recording has no manifest")?;
    let reading = read_loads(loads, &bodies, &Arc::default(), detail.as_ref()).map_err(|e| e.to_string())?;
    let parts: Vec<_> = reading.loads.iter().map(|l| (&l.raw, l.reading.as_ref().map(|r| &*r.load))).collect();
    let size = file.write(|file| {
        let file = archive::write(Counted::new(file), &manifest, &parts, &bodies, detail.as_ref());
        file.map(|file| file.count).map_err(std::io::Error::other)
    });
    let size = size.map_err(|e| format!("{} could not be written: {e}", out.display()))?;
    let made = format!("{} ({})\n", out.display(), phainon_core::Bytes(size).text());
    texts::print(&(made + &texts::reading(&reading)))?;
    Ok(reading)
}

async fn show_progress(mut receiver: tokio::sync::mpsc::UnboundedReceiver<Progress>) {
    let bar = if std::io::stderr().is_terminal() { ProgressBar::new_spinner() } else { ProgressBar::hidden() };
    if let Ok(style) = ProgressStyle::with_template("{spinner} {msg} {elapsed}") {
        bar.set_style(style);
    }
    bar.enable_steady_tick(Duration::from_millis(120));
    while let Some(progress) = receiver.recv().await {
        let stage = match progress.stage {
            Stage::Waiting => "waiting for another recording on this machine",
            Stage::Starting => "starting the browser",
            Stage::LoggingIn => "logging in",
            Stage::Connecting => "asking for the page",
            Stage::Loading => "loading",
            Stage::Settling => "waiting until it is quiet",
            Stage::Acting => "doing the scripted steps",
            Stage::Reading => "reading what was observed",
            Stage::Detail => "looking at used code",
            Stage::Done => "done",
        };
        let visit = if progress.visit == Visit::Return { ", return visit" } else { "" };
        let (load, of, requests) = (progress.load, progress.of, progress.requests);
        bar.set_message(format!("load {load} of {of}{visit}: {stage}, {requests} requests"));
    }
    bar.finish_and_clear();
}

/// A file as it is; what comes through a pipe is put down first.
fn seekable(mut file: File) -> std::io::Result<File> {
    if file.metadata()?.is_file() {
        return Ok(file);
    }
    let mut kept = tempfile::tempfile()?;
    // No more than is ever read: what is longer is refused as too long.
    std::io::copy(&mut file.by_ref().take(MAX_UNPACKED + 1), &mut kept)?;
    Ok(kept)
}

/// Files of the command line, each with its name.
fn opened_files(paths: &[PathBuf]) -> Result<Vec<(File, String)>, String> {
    let opened = paths.iter().map(|path| {
        let name = path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into_owned());
        let file = File::open(path).map_err(|e| format!("{} could not be opened: {e}", path.display()))?;
        Ok((seekable(file).map_err(|e| format!("{name} could not be read: {e}"))?, name))
    });
    opened.collect()
}

fn analyse_file(given: &AnalyseArguments) -> Result<u8, String> {
    let mut budgets: Vec<Budget> = given.budget.iter().map(|b| Budget::parse(b)).collect::<Result<_, _>>()?;
    let of_file = given.budgets.as_deref().map(BudgetFile::read).transpose()?;
    let file = RecordingFile::read(&given.file, given.import_memory, &Arc::default())?;
    let (name, reading) = (&file.name, &file.reading);
    if let Some(all) = &of_file {
        // What the command line says of a metric stands before the file.
        let said: Vec<_> = budgets.iter().map(Budget::metric).collect();
        let conditions = file.circumstances().conditions.map(|c| c.name.as_str());
        budgets.extend(all.of(file.page(), conditions).into_iter().filter(|b| !said.contains(&b.metric())));
    }
    let chosen = match given.load {
        Some(number) => {
            let load = number
                .checked_sub(1)
                .and_then(|n| reading.loads.get(n))
                .ok_or_else(|| format!("there is no load {number}; the file holds {}.", reading.loads.len()))?;
            (number - 1, load)
        }
        None => reading.representative().ok_or_else(|| {
            let why = reading.loads.iter().find_map(|l| l.failed.clone()).unwrap_or_else(|| "it holds no data".into());
            format!("no load of {name} can be analysed: {why}")
        })?,
    };
    let Some(analysis) = chosen.1.analysis() else {
        return Err(format!("load {} failed: {}", chosen.0 + 1, chosen.1.failed.clone().unwrap_or_default()));
    };
    let load = chosen.1.reading.as_ref().map(|r| Arc::new(Prepared::new(r.load.clone(), file.settings.clone())));
    let path = analysis.lcp.as_ref().map_or(&[][..], |lcp| &lcp.path);
    let reliefs: Vec<SaidRelief> = load
        .iter()
        .flat_map(|load| {
            Model::of(load).reliefs(path).into_iter().map(|relief| say_relief(&relief, &load.load)).collect::<Vec<_>>()
        })
        .collect();
    if given.json {
        let text = serde_json::to_string_pretty(&texts::Printed {
            load: chosen.0 + 1,
            of: reading.loads.len(),
            failed: chosen.1.failed.as_deref(),
            summary: reading.summary.as_ref(),
            analysis: analysis.clone().said(),
            requests: &analysis.requests,
            thread: &analysis.thread,
            reliefs: &reliefs,
        })
        .map_err(|e| e.to_string())?;
        texts::print(&format!("{text}\n"))?;
    } else {
        texts::print(&(texts::reading(reading) + &texts::analysis(analysis, &reliefs)))?;
    }
    let mut code = FINE;
    for budget in &budgets {
        if let Some(why) = budget.missed(reading) {
            eprintln!("phainon: {why}");
            code = MISSED;
        }
    }
    Ok(code)
}
