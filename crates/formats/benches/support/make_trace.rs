//! A trace of any size and of realistic shape: the same seed gives the same bytes.
//!
//! The mix is that of recorded loads: about half of the events are tasks of other threads, a sixth
//! of the bytes are the profiler's samples, and the page's own tasks nest scripts, style and layout.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::fmt::Write;

const SITE: &str = "http://www.skerryline.test";

/// Writes a trace of about this many bytes.
pub fn make_trace(bytes: usize, seed: u64) -> String {
    let mut maker = Maker {
        text: String::with_capacity(bytes + 100_000),
        rng: ChaCha8Rng::seed_from_u64(seed),
        now: 5_000_000,
        nodes: 3,
        running: 3,
    };
    maker.head();
    while maker.text.len() < bytes {
        maker.turn();
    }
    maker.tail();
    maker.text
}

struct Maker {
    text: String,
    rng: ChaCha8Rng,
    /// Microseconds.
    now: u64,
    /// Call paths named so far.
    nodes: u64,
    /// The call path that is running.
    running: u64,
}

impl Maker {
    fn event(&mut self, cat: &str, name: &str, ph: char, tid: u32, dur: Option<u64>, args: &str) {
        let now = self.now;
        let _ = write!(self.text, "{{\"args\":{args},\"cat\":\"{cat}\",");
        if let Some(dur) = dur {
            let _ = write!(self.text, "\"dur\":{dur},");
        }
        let _ = writeln!(
            self.text,
            "\"name\":\"{name}\",\"ph\":\"{ph}\",\"pid\":4711,\"tdur\":{},\"tid\":{tid},\"ts\":{now},\"tts\":{}}},",
            dur.unwrap_or(0),
            now / 3
        );
    }

    fn head(&mut self) {
        self.text.push_str("{\"metadata\":{\"source\":\"generator\"},\"traceEvents\":[\n");
        self.event("__metadata", "thread_name", 'M', 1, None, "{\"name\":\"CrRendererMain\"}");
        self.event(
            "blink.user_timing",
            "navigationStart",
            'R',
            1,
            None,
            &format!("{{\"data\":{{\"documentLoaderURL\":\"{SITE}/\",\"isLoadingMainFrame\":true,\"isOutermostMainFrame\":true,\"navigationId\":\"N1\"}},\"frame\":\"F1\"}}"),
        );
        let start = self.now;
        let _ = writeln!(
            self.text,
            "{{\"args\":{{\"data\":{{\"startTime\":{start}}}}},\"cat\":\"disabled-by-default-v8.cpu_profiler\",\"id\":\"0x1\",\"name\":\"Profile\",\"ph\":\"P\",\"pid\":4711,\"tid\":1,\"ts\":{start}}},"
        );
        self.now += 150_000;
        self.event(
            "loading",
            "firstContentfulPaint",
            'R',
            1,
            None,
            "{\"data\":{\"navigationId\":\"N1\"},\"frame\":\"F1\"}",
        );
        self.event(
            "loading",
            "largestContentfulPaint::Candidate",
            'R',
            1,
            None,
            "{\"data\":{\"candidateIndex\":1,\"isMainFrame\":true,\"isOutermostMainFrame\":true,\"navigationId\":\"N1\",\"nodeId\":7,\"nodeName\":\"H1\",\"size\":12000,\"type\":\"text\"},\"frame\":\"F1\"}",
        );
    }

    fn script(&mut self) -> String {
        format!("{SITE}/plugins/plugin-{}/code.js", self.rng.random_range(0..40))
    }

    /// About a hundred events: tasks, what runs in them, other threads, and a chunk of samples.
    fn turn(&mut self) {
        for _ in 0..18 {
            self.task();
            for thread in 2..5 {
                let dur = self.rng.random_range(3..400);
                self.event("disabled-by-default-devtools.timeline", "RunTask", 'X', thread, Some(dur), "{}");
            }
        }
        if self.rng.random_range(0..6) == 0 {
            self.request();
        }
        self.chunk();
    }

    fn task(&mut self) {
        let length: u64 = if self.rng.random_range(0..40) == 0 {
            self.rng.random_range(20_000..160_000)
        } else {
            self.rng.random_range(20..2_500)
        };
        self.event("disabled-by-default-devtools.timeline", "RunTask", 'X', 1, Some(length), "{}");
        let begin = self.now;
        if length > 200 {
            let (url, line) = (self.script(), self.rng.random_range(1..900));
            self.now = begin + 5;
            let call = format!(
                "{{\"data\":{{\"columnNumber\":25,\"frame\":\"F1\",\"functionName\":\"fn{line}\",\"isolate\":\"4187881012839506152\",\"lineNumber\":{line},\"sampleTraceId\":3356586848798937,\"scriptId\":\"4\",\"url\":\"{url}\"}}}}"
            );
            self.event("devtools.timeline", "FunctionCall", 'X', 1, Some(length - 100), &call);
            self.now = begin + 20;
            self.event("v8.execute", "RunMicrotasks", 'X', 1, Some(length / 8), "{}");
            if self.rng.random_range(0..3) == 0 {
                self.now = begin + length / 3;
                let stack = format!(
                    "{{\"beginData\":{{\"frame\":\"F1\",\"sampleTraceId\":3356586848798930,\"stackTrace\":[{{\"columnNumber\":100,\"functionName\":\"measure\",\"lineNumber\":{line},\"scriptId\":\"4\",\"url\":\"{url}\"}}]}},\"elementCount\":{line}}}"
                );
                self.event("blink,devtools.timeline", "UpdateLayoutTree", 'X', 1, Some(length / 10), &stack);
                self.now = begin + length / 2;
                self.event(
                    "devtools.timeline",
                    "Layout",
                    'X',
                    1,
                    Some(length / 10),
                    "{\"beginData\":{\"dirtyObjects\":24,\"frame\":\"F1\",\"partialLayout\":false,\"totalObjects\":2410},\"endData\":{\"layoutRoots\":[{\"depth\":1,\"nodeId\":2,\"nodeName\":\"#document\",\"quads\":[[0,0,1280,0,1280,720,0,720]]}]}}",
                );
            }
            if self.rng.random_range(0..5) == 0 {
                self.now = begin + length / 2;
                let counters =
                    "{\"data\":{\"documents\":4,\"jsEventListeners\":210,\"jsHeapSizeUsed\":8123456,\"nodes\":5120}}";
                self.event("disabled-by-default-devtools.timeline", "UpdateCounters", 'I', 1, None, counters);
            }
        }
        self.now = begin + length + self.rng.random_range(5..2_000);
    }

    fn request(&mut self) {
        let id = format!("4711.{}", self.text.len());
        let url = self.script();
        let send = format!(
            "{{\"data\":{{\"fetchPriorityHint\":\"auto\",\"frame\":\"F1\",\"initiator\":{{\"fetchType\":\"script\",\"lineNumber\":12,\"type\":\"parser\",\"url\":\"{SITE}/\"}},\"priority\":\"High\",\"renderBlocking\":\"non_blocking\",\"requestId\":\"{id}\",\"requestMethod\":\"GET\",\"resourceType\":\"Script\",\"url\":\"{url}\"}}}}"
        );
        self.event("devtools.timeline", "ResourceSendRequest", 'I', 1, None, &send);
        let answer = format!(
            "{{\"data\":{{\"encodedDataLength\":312,\"frame\":\"F1\",\"fromCache\":false,\"headers\":[{{\"name\":\"content-type\",\"value\":\"text/javascript\"}},{{\"name\":\"cache-control\",\"value\":\"max-age=600\"}}],\"mimeType\":\"text/javascript\",\"protocol\":\"h2\",\"requestId\":\"{id}\",\"statusCode\":200,\"timing\":{{\"requestTime\":{}}}}}}}",
            self.now as f64 / 1e6
        );
        self.event("devtools.timeline", "ResourceReceiveResponse", 'I', 1, None, &answer);
        let finish = format!(
            "{{\"data\":{{\"decodedBodyLength\":48211,\"didFail\":false,\"encodedDataLength\":12044,\"requestId\":\"{id}\"}}}}"
        );
        self.event("devtools.timeline", "ResourceFinish", 'I', 1, None, &finish);
    }

    fn chunk(&mut self) {
        let mut nodes = String::new();
        if self.nodes < 6_000 {
            for _ in 0..3 {
                let parent = self.rng.random_range(1..=self.nodes);
                self.nodes += 1;
                let (id, url, line) = (self.nodes, self.script(), self.rng.random_range(0..900));
                let _ = write!(
                    nodes,
                    "{}{{\"callFrame\":{{\"codeType\":\"JS\",\"columnNumber\":4,\"functionName\":\"fn{line}\",\"lineNumber\":{line},\"scriptId\":4,\"url\":\"{url}\"}},\"id\":{id},\"parent\":{parent}}}",
                    if nodes.is_empty() { "" } else { "," }
                );
            }
            if self.nodes == 6 {
                nodes.insert_str(0, "{\"callFrame\":{\"codeType\":\"other\",\"functionName\":\"(root)\",\"scriptId\":0},\"id\":1},{\"callFrame\":{\"codeType\":\"other\",\"functionName\":\"(program)\",\"scriptId\":0},\"id\":2,\"parent\":1},{\"callFrame\":{\"codeType\":\"other\",\"functionName\":\"(idle)\",\"scriptId\":0},\"id\":3,\"parent\":1},");
            }
        }
        let (mut samples, mut deltas) = (String::new(), String::new());
        for i in 0..100 {
            let comma = if i == 0 { "" } else { "," };
            // A function runs for a while: most samples find it where the one before did.
            if self.rng.random_range(0..10) == 0 {
                self.running = self.rng.random_range(1..=self.nodes);
            }
            let _ = write!(samples, "{comma}{}", self.running);
            let _ = write!(deltas, "{comma}{}", self.rng.random_range(120..1_400));
        }
        let now = self.now;
        let _ = writeln!(
            self.text,
            "{{\"args\":{{\"data\":{{\"cpuProfile\":{{\"nodes\":[{nodes}],\"samples\":[{samples}]}},\"timeDeltas\":[{deltas}]}}}},\"cat\":\"disabled-by-default-v8.cpu_profiler\",\"id\":\"0x1\",\"name\":\"ProfileChunk\",\"ph\":\"P\",\"pid\":4711,\"tid\":9,\"ts\":{now}}},"
        );
    }

    fn tail(&mut self) {
        let now = self.now;
        let _ = writeln!(
            self.text,
            "{{\"args\":{{\"frame\":\"F1\"}},\"cat\":\"blink.user_timing,rail\",\"name\":\"loadEventStart\",\"ph\":\"R\",\"pid\":4711,\"tid\":1,\"ts\":{now}}}\n]}}"
        );
    }
}
