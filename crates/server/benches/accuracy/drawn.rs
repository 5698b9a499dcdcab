//! A page that is drawn by chance, and what it is drawn with: its pieces in order, and files with how long the server
//! takes over them.

use rand::prelude::IndexedRandom;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// The document's host, and those of files.
pub const HOSTS: [&str; 3] = ["www.saltmarsh.test", "files.saltmarsh.test", "libs.brinewell.test"];

/// A file of a page.
#[derive(Debug, Clone)]
pub struct Made {
    pub host: &'static str,
    pub name: String,
    pub mime: &'static str,
    pub body: Vec<u8>,
    /// How long the server takes over it.
    pub wait: Duration,
    /// Where it leads, for a hop.
    pub leads: Option<String>,
}

/// A page.
#[derive(Clone)]
pub struct Drawn {
    pub seed: u64,
    pub html: String,
    /// How long the server takes over the document.
    pub wait: Duration,
    /// The rest of the document comes so much later than its head.
    pub trickles: Option<(usize, Duration)>,
    pub files: Vec<Made>,
    /// What it is made of, in a line.
    pub about: String,
    /// Hosts that speak HTTP/1.1 alone.
    pub first_only: Vec<&'static str>,
    pub conditions: &'static str,
}

/// A page while it is drawn.
pub struct Draw {
    pub chance: ChaCha8Rng,
    pub files: Vec<Made>,
    pub about: Vec<String>,
    pub head: Vec<String>,
    /// Above the largest element.
    pub above: Vec<String>,
    /// Below it.
    pub below: Vec<String>,
    picture: Vec<u8>,
    packages: PathBuf,
}

/// Shows the words at their place.
pub const SHOW: &str = "document.getElementById('place').innerHTML = WORDS";

/// Puts a largest element into a page, in some way; gives the element.
pub type Way = fn(&mut Draw) -> String;

/// Where scripts put words in.
pub const PLACE: &str = "<div id=place></div>";

/// The place, and a script that does something.
pub fn acting(draw: &mut Draw, does: &str) -> String {
    format!("{PLACE}{}", draw.actor(does))
}

/// Words that are the largest on a page.
pub fn words() -> String {
    format!("<h1>{}</h1>", "Words of the page that are many enough to be the largest thing on it. ".repeat(6))
}

impl Draw {
    /// A page without anything on it yet.
    pub fn empty(seed: u64, picture: &[u8], packages: &Path) -> Self {
        Self {
            chance: ChaCha8Rng::seed_from_u64(seed),
            files: Vec::new(),
            about: Vec::new(),
            head: vec![format!("<script>globalThis.WORDS = `{}`</script>", words())],
            above: vec!["<p>First</p>".into()],
            below: Vec::new(),
            picture: picture.to_vec(),
            packages: packages.to_owned(),
        }
    }

    /// Its HTML with the largest element, and how much of it stands above that.
    pub fn html(&self, largest: &str) -> (String, usize) {
        let head = self.head.join("\n");
        let start = format!(
            "<!doctype html><html lang=en><head><meta charset=utf-8><meta name=viewport content='width=device-width'><title>Page</title>\n{head}\n</head><body>\n{}\n",
            self.above.join("\n")
        );
        (format!("{start}{largest}\n{}\n</body></html>", self.below.join("\n")), start.len())
    }

    pub fn late(&mut self) -> Duration {
        Duration::from_millis(self.chance.random_range(300..1_000))
    }

    pub fn short(&mut self) -> Duration {
        Duration::from_millis(self.chance.random_range(5..90))
    }

    pub fn wait(&mut self) -> Duration {
        if self.chance.random_bool(0.35) { self.late() } else { self.short() }
    }

    /// Adds a file; gives its address.
    pub fn file(&mut self, ending: &str, mime: &'static str, body: Vec<u8>) -> String {
        let wait = self.wait();
        let host = *HOSTS.choose(&mut self.chance).unwrap_or(&HOSTS[0]);
        self.file_at(host, ending, mime, body, wait)
    }

    pub fn file_at(
        &mut self,
        host: &'static str,
        ending: &str,
        mime: &'static str,
        body: Vec<u8>,
        wait: Duration,
    ) -> String {
        let name = format!("f{}.{ending}", self.files.len());
        let address = format!("https://{host}/{name}");
        self.files.push(Made { host, name, mime, body, wait, leads: None });
        address
    }

    pub fn script(&mut self, does: &str) -> String {
        let padding = self.chance.random_range(200..40_000);
        let busy = if self.chance.random_bool(0.25) { self.chance.random_range(20..140) } else { 0 };
        let work = if busy > 0 {
            format!("{{ const t = performance.now(); while (performance.now() - t < {busy}); }}\n")
        } else {
            String::new()
        };
        let body = format!("{work}{does}\n/*{}*/", "-".repeat(padding));
        self.file("js", "text/javascript", body.into_bytes())
    }

    /// A file of a package, `NAME@VERSION/PATH`; empty where the package is not there.
    pub fn library(&mut self, file: &str) -> String {
        let body = crate::templates::of_registry(&self.packages, file).unwrap_or_default();
        match file.ends_with(".css") {
            true => self.file("css", "text/css", body),
            false => self.file("js", "text/javascript", body),
        }
    }

    pub fn sheet(&mut self, rules: &str) -> String {
        let body = format!("{rules}\n/*{}*/", "-".repeat(self.chance.random_range(100..30_000)));
        self.file("css", "text/css", body.into_bytes())
    }

    pub fn image(&mut self) -> String {
        let picture = self.picture.clone();
        self.file("png", "image/png", picture)
    }

    pub fn font(&mut self) -> String {
        self.file("woff2", "font/woff2", include_bytes!("../../../recorder/tests/classes/letters.woff2").to_vec())
    }

    pub fn data(&mut self) -> String {
        self.file("json", "application/json", b"{}".to_vec())
    }

    /// A script that does something, as a tag of some sort.
    pub fn actor(&mut self, does: &str) -> String {
        let how = *["", "defer", "async", "type=module"].choose(&mut self.chance).unwrap_or(&"");
        self.about.push(format!("by a script ({})", if how.is_empty() { "blocking" } else { how }));
        format!("<script {how} src={}></script>", self.script(does))
    }
}
