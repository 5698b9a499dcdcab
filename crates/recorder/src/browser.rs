//! Finding, starting and ending the browser.

use crate::RecordError;
use crate::protocol::{Client, Event};
use std::path::{Path, PathBuf};
use std::process::Stdio;
use std::time::Duration;
use tempfile::TempDir;
use tokio::io::{AsyncBufReadExt, BufReader};
use tokio::process::{Child, Command};
use tokio::sync::mpsc;

/// Where browsers are looked for, best first: the shell opens no pages of its own, so its traces
/// hold nothing but the page.
const PLACES: [&str; 3] = ["/usr/bin/chromium-headless-shell", "/usr/bin/chromium", "/usr/bin/chromium-browser"];
const START_LIMIT: Duration = Duration::from_secs(20);

/// The browser to use: the one named, else `PHAINON_BROWSER`, else the first one installed. May be
/// the `ws://` address of a browser that runs elsewhere.
pub fn find(named: Option<&str>) -> Result<String, RecordError> {
    let named =
        named.map(str::to_owned).or_else(|| std::env::var("PHAINON_BROWSER").ok()).filter(|n| !n.trim().is_empty());
    if let Some(named) = named {
        if named.starts_with("ws://") || named.starts_with("wss://") || Path::new(&named).is_file() {
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
    /// The connection to it.
    pub client: Client,
    /// Everything it reports.
    pub events: mpsc::UnboundedReceiver<Event>,
}

impl Browser {
    /// Starts a browser whose traffic goes through the SOCKS proxy on `proxy_port`.
    pub async fn start(
        program: &str,
        proxy_port: u16,
        (width, height): (u32, u32),
        trusted_key: Option<&str>,
    ) -> Result<Self, RecordError> {
        if program.starts_with("ws://") || program.starts_with("wss://") {
            let (client, events) = Client::connect(program).await?;
            return Ok(Self { child: None, profile: None, client, events });
        }
        let failed = |why: String| RecordError::BrowserStart(program.to_owned(), why);
        let profile =
            tempfile::Builder::new().prefix("phainon-profile-").tempdir().map_err(|e| failed(e.to_string()))?;
        let mut command = Command::new(program);
        command
            .args([
                "--remote-debugging-port=0",
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
        if is_root() {
            command.arg("--no-sandbox");
        }
        command
            .arg("about:blank")
            .stdin(Stdio::null())
            .stdout(Stdio::null())
            .stderr(Stdio::piped())
            .process_group(0)
            .kill_on_drop(true);
        let mut child = Starting(Some(command.spawn().map_err(|e| failed(e.to_string()))?));
        let stderr =
            child.0.as_mut().and_then(|c| c.stderr.take()).ok_or_else(|| failed("it has no error output".into()))?;
        let mut lines = BufReader::new(stderr).lines();
        let mut last = String::new();
        let address = tokio::time::timeout(START_LIMIT, async {
            while let Ok(Some(line)) = lines.next_line().await {
                if let Some((_, address)) = line.split_once("listening on ws://") {
                    return Some(format!("ws://{}", address.trim()));
                }
                last = line;
            }
            None
        })
        .await
        .map_err(|_| failed(format!("it said nothing for {} s", START_LIMIT.as_secs())))?
        .ok_or_else(|| {
            failed(if last.is_empty() { "it ended at once".into() } else { format!("it ended with “{last}”") })
        })?;
        // Its error output must go on being read, or it stops when the pipe is full.
        tokio::spawn(async move { while let Ok(Some(_)) = lines.next_line().await {} });
        let (client, events) = Client::connect(&address).await?;
        Ok(Self { child: child.0.take(), profile: Some(profile), client, events })
    }

    /// Ends the browser and waits until its profile is gone.
    pub async fn stop(mut self) {
        end(self.child.take(), self.profile.take()).await;
    }
}

/// Kills the browser with everything it started. Debian's program is a shell script that starts the
/// real one: killing the child alone would leave that running. The child leads a group of its own.
fn kill_group(child: &Child) {
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

fn is_root() -> bool {
    std::fs::read_to_string("/proc/self/status")
        .ok()
        .and_then(|s| s.lines().find_map(|l| l.strip_prefix("Uid:").map(|r| r.split_whitespace().nth(1) == Some("0"))))
        .unwrap_or(false)
}
