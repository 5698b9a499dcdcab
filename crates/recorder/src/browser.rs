//! Finding, starting and ending the browser.

use crate::RecordError;
use crate::protocol::{Client, Event};
use crate::transport::{over_pipes, over_web_socket};
use command_fds::{CommandFdExt, FdMapping};
use serde_json::json;
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tempfile::TempDir;
use tokio::io::{AsyncBufReadExt, BufReader};
use tokio::net::unix::pipe;
use tokio::process::{Child, Command};
use tokio::sync::mpsc;

/// Where browsers are looked for, best first: the shell opens no pages of its own, so its traces
/// hold nothing but the page.
const PLACES: [&str; 3] = ["/usr/bin/chromium-headless-shell", "/usr/bin/chromium", "/usr/bin/chromium-browser"];
const START_LIMIT: Duration = Duration::from_secs(20);
/// What the names of profile directories begin with.
const PROFILE: &str = "phainon-profile-";

/// The browser to use: the one named, else `PHAINON_BROWSER`, else the first one installed. May be
/// the `ws://` address of a browser that runs elsewhere.
pub fn find(named: Option<&str>) -> Result<String, RecordError> {
    let named =
        named.map(str::to_owned).or_else(|| std::env::var("PHAINON_BROWSER").ok()).filter(|n| !n.trim().is_empty());
    if let Some(named) = named {
        if is_elsewhere(&named) || Path::new(&named).is_file() {
            return Ok(named);
        }
        return Err(RecordError::BrowserStart(named, "there is no such file".into()));
    }
    PLACES.iter().find(|p| Path::new(p).is_file()).map(|p| (*p).to_owned()).ok_or(RecordError::NoBrowser)
}

/// A browser that may yet fail to start: killed with its group unless it is taken out.
struct Starting(Option<Child>);

impl Drop for Starting {
    fn drop(&mut self) {
        if let Some(child) = &self.0 {
            kill_group(child);
        }
    }
}

/// A running browser with a profile of its own. Dropping it kills the process and removes the profile.
pub struct Browser {
    child: Option<Child>,
    profile: Option<TempDir>,
    /// In a browser elsewhere: the context of ours, so that nothing of another load is in it.
    pub context: Option<String>,
    /// The connection to it.
    pub client: Client,
    /// Everything it reports.
    pub events: mpsc::UnboundedReceiver<Event>,
}

/// Whether a browser is named by the address of one that runs elsewhere.
#[must_use]
pub fn is_elsewhere(program: &str) -> bool {
    program.starts_with("ws://") || program.starts_with("wss://")
}

impl Browser {
    /// Starts a browser whose traffic goes through the SOCKS proxy on `proxy_port`.
    pub async fn start(
        program: &str,
        proxy_port: u16,
        (width, height): (u32, u32),
        trusted_key: Option<&str>,
    ) -> Result<Self, RecordError> {
        if is_elsewhere(program) {
            let (client, events) = Client::over(over_web_socket(program).await?);
            let ask = json!({"disposeOnDetach": true});
            let made = client.call(None, "Target.createBrowserContext", ask, START_LIMIT).await?;
            let context = made["browserContextId"].as_str().map(str::to_owned);
            return Ok(Self { child: None, profile: None, context, client, events });
        }
        let failed = |why: String| RecordError::BrowserStart(program.to_owned(), why);
        let broken = |e: &dyn std::fmt::Display| failed(e.to_string());
        let profile = tempfile::Builder::new().prefix(PROFILE).tempdir().map_err(|e| broken(&e))?;
        let mut command = Command::new(program);
        command
            .args([
                "--remote-debugging-pipe",
                "--no-first-run",
                "--no-default-browser-check",
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
                "--disable-quic",
                "--disable-extensions",
                "--disable-default-apps",
                "--metrics-recording-only",
                "--hide-scrollbars",
                "--mute-audio",
                "--disable-gpu",
                "--disable-dev-shm-usage",
                "--proxy-bypass-list=<-loopback>",
                // What does not go through the proxy does not go: else the link is not the one said.
                "--force-webrtc-ip-handling-policy=disable_non_proxied_udp",
                "--webrtc-ip-handling-policy=disable_non_proxied_udp",
            ])
            .arg(format!("--user-data-dir={}", profile.path().display()))
            .arg(format!("--proxy-server=socks5://127.0.0.1:{proxy_port}"))
            .arg(format!("--window-size={width},{height}"));
        if !program.contains("headless-shell") {
            command.arg("--headless");
        }
        if let Some(key) = trusted_key {
            command.arg(format!("--ignore-certificate-errors-spki-list={key}"));
        }
        if rustix::process::geteuid().is_root() {
            command.arg("--no-sandbox");
        }
        // The browser reads from its descriptor 3 and writes to 4.
        let cloexec = rustix::pipe::PipeFlags::CLOEXEC;
        let (its_input, our_output) = rustix::pipe::pipe_with(cloexec).map_err(|e| broken(&e))?;
        let (our_input, its_output) = rustix::pipe::pipe_with(cloexec).map_err(|e| broken(&e))?;
        command
            .fd_mappings(vec![
                FdMapping { parent_fd: its_input, child_fd: 3 },
                FdMapping { parent_fd: its_output, child_fd: 4 },
            ])
            .map_err(|e| broken(&e))?;
        command
            .arg("about:blank")
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .process_group(0)
            .kill_on_drop(true);
        let mut child = Starting(Some(command.spawn().map_err(|e| broken(&e))?));
        // Our copies of its ends go, so that its end is seen as one.
        drop(command);
        let stderr =
            child.0.as_mut().and_then(|c| c.stderr.take()).ok_or_else(|| failed("it has no error output".into()))?;
        // Its error output must be read, or it stops when the pipe is full; the last line may say why it ended.
        let last = Arc::new(Mutex::new(String::new()));
        let telling = last.clone();
        tokio::spawn(async move {
            let mut lines = BufReader::new(stderr).lines();
            while let Ok(Some(line)) = lines.next_line().await {
                *telling.lock().unwrap_or_else(PoisonError::into_inner) = line.chars().take(300).collect();
            }
        });
        let sender = pipe::Sender::from_owned_fd(our_output).map_err(|e| broken(&e))?;
        let receiver = pipe::Receiver::from_owned_fd(our_input).map_err(|e| broken(&e))?;
        let (client, events) = Client::over(over_pipes(sender, receiver));
        match client.call(None, "Browser.getVersion", json!({}), START_LIMIT).await {
            Ok(_) => Ok(Self { child: child.0.take(), profile: Some(profile), context: None, client, events }),
            Err(RecordError::NoAnswer(..)) => Err(failed(format!("it said nothing for {} s", START_LIMIT.as_secs()))),
            Err(_) => {
                // Its last words may still be on their way.
                tokio::time::sleep(Duration::from_millis(100)).await;
                let last = last.lock().unwrap_or_else(PoisonError::into_inner).clone();
                Err(failed(if last.is_empty() {
                    "it ended at once".into()
                } else {
                    format!("it ended with “{last}”")
                }))
            }
        }
    }

    /// Ends the browser and waits until its profile is gone.
    pub async fn stop(mut self) {
        if let Some(context) = self.context.take() {
            let params = json!({"browserContextId": context});
            let _ = self.client.call(None, "Target.disposeBrowserContext", params, Duration::from_secs(5)).await;
        }
        end(self.child.take(), self.profile.take()).await;
    }
}

/// Kills a browser with everything it started. Debian's program is a shell script that starts the
/// real one: killing the child alone would leave that running. The child must lead a group of its own.
pub fn kill_group(child: &Child) {
    if let Some(pid) = child.id().and_then(|id| i32::try_from(id).ok()).and_then(rustix::process::Pid::from_raw) {
        let _ = rustix::process::kill_process_group(pid, rustix::process::Signal::KILL);
    }
}

async fn end(child: Option<Child>, profile: Option<TempDir>) {
    if let Some(mut child) = child {
        kill_group(&child);
        let _ = child.wait().await;
    }
    if let Some(profile) = profile {
        // Helper processes may still write for a moment after the browser has died.
        let path: PathBuf = profile.keep();
        for pause_ms in [0, 50, 200, 1000] {
            tokio::time::sleep(Duration::from_millis(pause_ms)).await;
            if tokio::fs::remove_dir_all(&path).await.is_ok() || !path.exists() {
                return;
            }
        }
        tracing::warn!("the browser profile {} could not be removed", path.display());
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let (child, profile) = (self.child.take(), self.profile.take());
        // At once, since the runtime may be ending too.
        if let Some(child) = &child {
            kill_group(child);
        }
        if (child.is_some() || profile.is_some())
            && let Ok(runtime) = tokio::runtime::Handle::try_current()
        {
            runtime.spawn(end(child, profile));
        }
    }
}

/// Removes the profiles that recordings left behind when their program was killed: those of ours
/// that no running process names. Gives how many there were.
pub fn sweep_profiles() -> usize {
    let Ok(found) = std::fs::read_dir(std::env::temp_dir()) else { return 0 };
    let mine = rustix::process::geteuid().as_raw();
    let profiles = found.filter_map(Result::ok).filter(|f| {
        use std::os::unix::fs::MetadataExt;
        f.file_name().to_string_lossy().starts_with(PROFILE)
            && f.metadata().is_ok_and(|m| m.is_dir() && m.uid() == mine && is_old(&m))
    });
    let running = command_lines();
    profiles
        .map(|f| f.path())
        .filter(|path| !running.iter().any(|line| line.contains(&*path.to_string_lossy())))
        .filter(|path| std::fs::remove_dir_all(path).is_ok())
        .count()
}

/// A profile is made a moment before its browser starts.
fn is_old(profile: &std::fs::Metadata) -> bool {
    profile.modified().ok().and_then(|at| at.elapsed().ok()).is_some_and(|age| age > Duration::from_secs(60))
}

fn command_lines() -> Vec<String> {
    let Ok(found) = std::fs::read_dir("/proc") else { return Vec::new() };
    let lines = found.filter_map(|f| std::fs::read(f.ok()?.path().join("cmdline")).ok());
    lines.map(|line| String::from_utf8_lossy(&line).into_owned()).collect()
}
