//! The program, started as its users start it, and looked at from outside.

use serde_json::Value;
use std::io::{BufRead, BufReader, Read};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::sync::Mutex;
use std::sync::atomic::{AtomicU32, Ordering};
use std::time::{Duration, Instant};

/// One at a time: each looks at processes, memory or the time that answers take.
pub static ALONE: Mutex<()> = Mutex::new(());

/// A program that was started, and everything that it started itself.
pub struct Program {
    pub child: Child,
    pub address: String,
    mark: String,
}

impl Program {
    /// Starts it with these arguments and waits until it says where it is.
    pub fn serve(data: &Path, more: &[&str]) -> Self {
        let mut arguments = vec!["serve", "--port", "0", "--data", data.to_str().unwrap()];
        arguments.extend(more);
        let mut program = Self::run(&arguments);
        let mut line = String::new();
        BufReader::new(program.child.stdout.take().unwrap()).read_line(&mut line).unwrap();
        let address = line.split_whitespace().find(|word| word.starts_with("http://"));
        program.address =
            address.unwrap_or_else(|| panic!("it did not start: {line}")).trim_end_matches('/').to_owned();
        program
    }

    /// Starts any command of it.
    pub fn run(arguments: &[&str]) -> Self {
        static COUNT: AtomicU32 = AtomicU32::new(0);
        let mark = format!("PHAINON_MARK={}-{}", std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
        let (name, value) = mark.split_once('=').unwrap();
        let mut command = Command::new(env!("CARGO_BIN_EXE_phainon"));
        command.args(arguments).env(name, value).stdout(Stdio::piped()).stderr(Stdio::null());
        Self { child: command.spawn().unwrap(), address: String::new(), mark }
    }

    /// Its browsers and whatever else it started that still runs.
    pub fn started(&self) -> usize {
        let own = self.child.id().to_string();
        let all = std::fs::read_dir("/proc").unwrap().filter_map(Result::ok);
        all.filter(|process| process.file_name().to_string_lossy() != own.as_str())
            .filter_map(|process| std::fs::read(process.path().join("environ")).ok())
            .filter(|environment| environment.split(|b| *b == 0).any(|pair| pair == self.mark.as_bytes()))
            .count()
    }

    /// The most memory that it ever had, in bytes.
    pub fn peak_memory(&self) -> u64 {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id())).unwrap();
        let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap();
        line.trim().trim_end_matches(" kB").parse::<u64>().unwrap() * 1024
    }

    /// Sends it a signal, by name.
    pub fn signal(&self, name: &str) {
        let sent = Command::new("kill").arg(format!("-{name}")).arg(self.child.id().to_string()).status().unwrap();
        assert!(sent.success());
    }

    /// Kills it as a power cut would.
    pub fn kill(mut self) {
        self.child.kill().unwrap();
        self.child.wait().unwrap();
    }

    pub fn get(&self, path: &str) -> Value {
        let (status, text) = self.ask("GET", path, "", &[]);
        assert_eq!(status, 200, "{path}: {text}");
        serde_json::from_str(&text).unwrap()
    }

    pub fn post(&self, path: &str, body: &Value) -> (u16, Value) {
        let (status, text) = self.ask("POST", path, "application/json", body.to_string().as_bytes());
        (status, serde_json::from_str(&text).unwrap_or(Value::Null))
    }

    /// Sends a file as a browser's form does.
    pub fn import(&self, name: &str, file: &[u8]) -> (u16, Value) {
        let head = format!("--part\r\ncontent-disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n");
        let body = [head.as_bytes(), file, b"\r\n--part--\r\n"].concat();
        let (status, text) = self.ask("POST", "/api/import", "multipart/form-data; boundary=part", &body);
        (status, serde_json::from_str(&text).unwrap_or(Value::Null))
    }

    /// What a job that was asked for alone came to: its last state.
    pub fn outcome(&self, jobs: &Value) -> Value {
        let answer = ureq::get(format!("{}/api/batches/{}/events", self.address, jobs[0]["batch"])).call().unwrap();
        for line in BufReader::new(answer.into_body().into_reader()).lines().map_while(Result::ok) {
            let Some(text) = line.strip_prefix("data:") else { continue };
            let job = serde_json::from_str::<Value>(text).unwrap()[0].take();
            if matches!(job["state"].as_str(), Some("done" | "failed" | "cancelled")) {
                return job;
            }
        }
        panic!("the line broke before the job was over");
    }

    fn ask(&self, method: &str, path: &str, kind: &str, body: &[u8]) -> (u16, String) {
        let request = ureq::http::Request::builder()
            .method(method)
            .uri(format!("{}{path}", self.address))
            .header("content-type", if kind.is_empty() { "text/plain" } else { kind })
            .body(body.to_vec())
            .unwrap();
        let agent: ureq::Agent = ureq::Agent::config_builder().http_status_as_error(false).build().into();
        let mut answer = agent.run(request).unwrap();
        (answer.status().as_u16(), answer.body_mut().read_to_string().unwrap())
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// Looks again and again until something is so; `what` names it where it never is.
pub fn until(what: &str, is_so: impl Fn() -> bool) {
    let began = Instant::now();
    while !is_so() {
        assert!(began.elapsed() < Duration::from_secs(90), "{what}: not within 90 s");
        std::thread::sleep(Duration::from_millis(30));
    }
}

/// A site of the pages that `page` gives by path, each whole or (`None`) never finished; gives its address.
pub fn site(page: fn(&str) -> Option<String>) -> String {
    let listener = TcpListener::bind("127.0.0.1:0").unwrap();
    let address = format!("http://{}", listener.local_addr().unwrap());
    std::thread::spawn(move || {
        for stream in listener.incoming().flatten() {
            std::thread::spawn(move || {
                let mut reader = BufReader::new(stream.try_clone().unwrap());
                let mut line = String::new();
                let mut head = String::new();
                reader.read_line(&mut line).ok()?;
                while reader.read_line(&mut head).ok()? > 2 {
                    head.clear();
                }
                let mut out = &stream;
                let answer = page(line.split(' ').nth(1)?);
                let text = answer.as_deref().unwrap_or("<!doctype html><h1>Never finished</h1>");
                let length = answer.as_ref().map_or(1 << 40, String::len);
                let head = format!(
                    "HTTP/1.1 200 OK\r\nContent-Type: text/html\r\nConnection: close\r\nContent-Length: {length}\r\n\r\n"
                );
                std::io::Write::write_all(&mut out, head.as_bytes()).ok()?;
                std::io::Write::write_all(&mut out, text.as_bytes()).ok()?;
                if answer.is_none() {
                    // Until the caller leaves.
                    let _ = reader.read(&mut [0]);
                }
                Some(())
            });
        }
    });
    address
}

/// What asks for one load of an address.
pub fn one_load(url: &str) -> Value {
    serde_json::json!({"pages": [{"url": url, "page": null}], "conditions": [{"preset": "unshaped", "distance": "same_city"}],
        "loads": 1, "longest_s": 8})
}
