//! Recording while the processors are there: on a machine that others share they are taken away for seconds, or work at
//! half their pace, and what a page does then takes twice as long.

use phainon_recorder::{RecordRequest, Recording, record_whole};
use phainon_replay::Book;
use phainon_server::trial::{Base, Made, load_again};
use rustix::time::{ClockId, clock_gettime};
use std::future::Future;
use std::hint::black_box;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::thread;
use std::time::Duration;
use tokio::sync::mpsc;

/// By so much things may have taken longer than they do on this machine when it is undisturbed.
const SLOWER: f64 = 1.2;
/// A load is made so many times at most; the one that was disturbed least counts.
const TRIES: usize = 4;
/// A calm moment is looked for so many times, half a second each at least.
const CALM: usize = 12;
/// The beats of a look.
const CALM_BEATS: usize = 1000;
/// The pace is felt so often.
const BEAT: Duration = Duration::from_millis(25);
/// How often the work of a beat is done: some 0.4 ms.
const WORK: u64 = 300_000;

/// The time that a beat of a quick one in ten took at most in the quickest look of this process, in ns. Not the least of
/// all: clocks of such a machine have told of beats that took no time at all.
static LEAST: AtomicU64 = AtomicU64::new(u64::MAX);

/// Records a page; again, where that was disturbed.
pub async fn recorded(request: &RecordRequest) -> Result<Recording, String> {
    stillest(async || {
        let (sender, _held) = mpsc::unbounded_channel();
        record_whole(request, sender).await.map_err(|e| e.to_string())
    })
    .await
}

/// Loads a book; again, where that was disturbed.
pub async fn loaded_again(base: &Base, book: &Book, loads: usize) -> Result<Made, String> {
    stillest(async || {
        let (sender, _held) = mpsc::unbounded_channel();
        load_again(book.clone(), &base.course(loads, false, None), sender).await
    })
    .await
}

async fn stillest<T, F: Future<Output = Result<T, String>>>(make: impl Fn() -> F) -> Result<T, String> {
    let mut best: Option<(f64, T)> = None;
    for tried in 0..TRIES {
        if tried > 0 {
            calm().await;
        }
        let felt = Felt::begin();
        let made = make().await;
        let slower = felt.end();
        if std::env::var_os("PHAINON_DETAIL").is_some() {
            println!("      {slower:.2} times as long as undisturbed");
        }
        let made = made?;
        if best.as_ref().is_none_or(|(least, _)| slower < *least) {
            best = Some((slower, made));
        }
        if slower <= SLOWER {
            break;
        }
    }
    best.map(|(_, made)| made).ok_or_else(|| "no load was made".into())
}

/// Waits until nothing disturbs, or for as long as is waited at most: that shows only while there is something to do.
async fn calm() {
    for _ in 0..CALM {
        let felt = Felt::begin();
        let processors = thread::available_parallelism().map_or(1, usize::from);
        let busy =
            (0..processors).map(|_| tokio::task::spawn_blocking(|| (0..CALM_BEATS).map(|_| beat()).sum::<u64>()));
        for work in busy.collect::<Vec<_>>() {
            // What it comes to is nothing that matters.
            let _ = work.await;
        }
        if felt.end() <= SLOWER {
            break;
        }
    }
}

/// How long things take meanwhile.
struct Felt {
    over: Arc<AtomicBool>,
    beats: thread::JoinHandle<Vec<u64>>,
    before: Option<Ticks>,
}

impl Felt {
    fn begin() -> Self {
        let over = Arc::new(AtomicBool::new(false));
        let told = Arc::clone(&over);
        let beats = thread::spawn(move || {
            let mut took = Vec::new();
            while !told.load(Ordering::Relaxed) {
                took.push(beat());
                thread::sleep(BEAT);
            }
            took
        });
        Self { over, beats, before: Ticks::now() }
    }

    /// How many times as long as undisturbed things took.
    fn end(self) -> f64 {
        self.over.store(true, Ordering::Relaxed);
        let mut took = self.beats.join().unwrap_or_default();
        took.sort_unstable();
        let stolen = self.before.zip(Ticks::now()).map_or(0.0, |(before, after)| after.stolen_since(before));
        let least = took.get(took.len() / 10).copied().unwrap_or(u64::MAX).max(1);
        let least = LEAST.fetch_min(least, Ordering::Relaxed).min(least);
        let mean = took.iter().sum::<u64>() as f64 / took.len().max(1) as f64;
        mean / least as f64 / (1.0 - stolen).max(0.01)
    }
}

/// A little work that needs nothing but a processor; the time that it had of one, in ns.
fn beat() -> u64 {
    let now = || {
        let at = clock_gettime(ClockId::ThreadCPUTime);
        at.tv_sec as u64 * 1_000_000_000 + at.tv_nsec as u64
    };
    let before = now();
    let mut state = black_box(0x9e37_79b9_7f4a_7c15_u64);
    for _ in 0..WORK {
        state ^= state << 13;
        state ^= state >> 7;
        state ^= state << 17;
    }
    black_box(state);
    now() - before
}

/// What the processors did since the machine began, in ticks.
#[derive(Clone, Copy)]
struct Ticks {
    busy: u64,
    stolen: u64,
}

impl Ticks {
    /// As the kernel counts them; none where it does not.
    fn now() -> Option<Self> {
        let told = std::fs::read_to_string("/proc/stat").ok()?;
        let counts: Vec<u64> = told.lines().next()?.split_whitespace().skip(1).map_while(|n| n.parse().ok()).collect();
        // user, nice, system, idle, iowait, irq, softirq, steal
        let &[user, nice, system, _, _, irq, softirq, stolen, ..] = counts.as_slice() else { return None };
        Some(Self { busy: user + nice + system + irq + softirq, stolen })
    }

    /// How much of the time in which there was something to do the processors were taken away.
    fn stolen_since(self, before: Self) -> f64 {
        let stolen = (self.stolen - before.stolen) as f64;
        stolen / ((self.busy - before.busy) as f64 + stolen).max(1.0)
    }
}
