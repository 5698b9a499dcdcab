//! What holds back more spans than can be taken at once.

use phainon_store::PackedBatch;
use std::sync::{Mutex, PoisonError};
use tokio::sync::{Semaphore, mpsc, oneshot};

/// So many requests are taken apart at once; more wait.
const AT_ONCE: usize = 2;
/// So many requests may wait to be taken apart, and as many to be written.
const MOST_WAITING: usize = 256;

/// What is to be written, and who waits for it.
pub type ToWrite = (Vec<PackedBatch>, oneshot::Sender<Result<(), String>>);

/// The line in which requests with spans stand: to be taken apart, then to be written.
pub struct SpanQueue {
    /// Held while a request is taken apart.
    pub at_once: Semaphore,
    /// Held from a request's beginning to its answer.
    pub waiting: Semaphore,
    /// To whoever writes.
    pub write: mpsc::Sender<ToWrite>,
    written: Mutex<Option<mpsc::Receiver<ToWrite>>>,
}

impl SpanQueue {
    /// What is to be written, for the one who writes; `None` for any further.
    pub fn to_write(&self) -> Option<mpsc::Receiver<ToWrite>> {
        self.written.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

impl Default for SpanQueue {
    fn default() -> Self {
        let (write, written) = mpsc::channel(MOST_WAITING);
        Self {
            at_once: Semaphore::new(AT_ONCE),
            waiting: Semaphore::new(MOST_WAITING),
            write,
            written: Mutex::new(Some(written)),
        }
    }
}
