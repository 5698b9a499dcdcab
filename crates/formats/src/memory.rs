//! How much memory and time reading an import may take.

use crate::FormatError;
use phainon_core::Bytes;
use std::cell::Cell;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};

/// A budget that everything read from the files of one import is charged to: what is held, and what lies
/// in memory only while it is read. Figures are what the parts take in memory, to within a factor that the
/// tests of the program know, not what they take in the file.
#[derive(Debug)]
pub struct MemoryBudget {
    limit: u64,
    used: Cell<u64>,
    /// Bytes that were read since the last charge: an unfinished string lies in the reader's own buffers.
    pending: Cell<u64>,
    /// While what is read is passed over, nothing of it is held.
    passing: Cell<bool>,
    spent: Cell<bool>,
    /// When reading has to be over, and what was given for it.
    until: Option<(Instant, Duration)>,
    /// Set where nobody waits for what is read any more.
    left: Option<Arc<AtomicBool>>,
}

impl Default for MemoryBudget {
    fn default() -> Self {
        Self::new(Self::USUAL)
    }
}

impl MemoryBudget {
    /// What an import may take where nobody says otherwise.
    pub const USUAL: u64 = 1_000_000_000;

    /// A budget of so many bytes.
    #[must_use]
    pub fn new(limit: u64) -> Self {
        Self {
            limit,
            used: Cell::new(0),
            pending: Cell::new(0),
            passing: Cell::new(false),
            spent: Cell::new(false),
            until: None,
            left: None,
        }
    }

    /// The same, to be spent within so long from now.
    #[must_use]
    pub fn within(mut self, time: Duration) -> Self {
        self.until = Instant::now().checked_add(time).map(|until| (until, time));
        self
    }

    /// The same, until it is said that nobody waits any more.
    #[must_use]
    pub fn unless(mut self, left: Arc<AtomicBool>) -> Self {
        self.left = Some(left);
        self
    }

    fn is_left(&self) -> bool {
        self.left.as_ref().is_some_and(|left| left.load(Ordering::Relaxed))
    }

    /// How long it may take, where that time is over.
    fn late(&self) -> Option<Duration> {
        self.until.filter(|(until, _)| Instant::now() >= *until).map(|(_, time)| time)
    }

    /// What was charged and not given back.
    #[must_use]
    pub fn used(&self) -> u64 {
        self.used.get()
    }

    /// What is left of it.
    pub(crate) fn left(&self) -> u64 {
        self.limit.saturating_sub(self.used.get())
    }

    /// Whether something was refused for want of memory.
    pub(crate) fn is_spent(&self) -> bool {
        self.spent.get()
    }

    /// The refusal that follows from it.
    pub(crate) fn refusal(&self, name: &str) -> FormatError {
        let name = name.to_owned();
        match self.late() {
            _ if self.is_left() => FormatError::Left { name },
            Some(time) => FormatError::TooSlow { name, seconds: time.as_secs() },
            None => FormatError::OverBudget { name, limit: Bytes(self.limit).text() },
        }
    }

    /// Takes `bytes`; `false` where so much is not left.
    pub(crate) fn take(&self, bytes: u64) -> bool {
        self.pending.set(0);
        let used = self.used.get().saturating_add(bytes);
        if used > self.limit || self.late().is_some() || self.is_left() {
            self.spent.set(true);
            return false;
        }
        self.used.set(used);
        true
    }

    /// Takes what a part of a file needs, or says that it is too much.
    pub(crate) fn charge(&self, bytes: usize, name: &str) -> Result<(), FormatError> {
        if self.take(bytes as u64) { Ok(()) } else { Err(self.refusal(name)) }
    }

    /// Gives back what was charged since `used` was [`Self::used`].
    pub(crate) fn back_to(&self, used: u64) {
        self.used.set(used.min(self.used.get()));
    }

    /// Says that what is read from here on is passed over, or that it is not.
    pub(crate) fn pass_over(&self, passing: bool) {
        self.passing.set(passing);
        self.pending.set(0);
    }

    /// Notes what was read from the file; `false` where a value of such length could not be held. It would
    /// lie in memory twice, and once more while its buffer grows.
    pub(crate) fn read(&self, bytes: u64) -> bool {
        if self.late().is_some() || self.is_left() {
            self.spent.set(true);
            return false;
        }
        if self.passing.get() {
            return true;
        }
        let pending = self.pending.get().saturating_add(bytes);
        self.pending.set(pending);
        if pending.saturating_mul(3) > self.left().max(LEAST) {
            self.spent.set(true);
            return false;
        }
        true
    }
}

/// So much may be pending whatever is left: blocks are read whole.
const LEAST: u64 = 1 << 20;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_given_back_can_be_taken_again() {
        let budget = MemoryBudget::new(1_000);
        assert!(budget.take(600));
        let before = budget.used();
        assert!(budget.take(400) && !budget.take(1));
        assert!(budget.is_spent());
        budget.back_to(before);
        assert_eq!(budget.used(), 600);
        assert!(budget.take(400));
        assert_eq!(
            budget.charge(1, "x.har").expect_err("nothing is left").to_string(),
            "x.har would take more than 1.0 kB of memory to read; it was not read further. A larger budget can be set."
        );
    }

    #[test]
    fn what_takes_too_long_is_refused_whatever_it_holds() {
        let budget = MemoryBudget::new(1_000).within(Duration::ZERO);
        assert!(!budget.take(1) && budget.is_spent());
        let passed = MemoryBudget::new(1_000).within(Duration::ZERO);
        passed.pass_over(true);
        assert!(!passed.read(1), "passing over takes time too");
        assert_eq!(
            budget.refusal("x.har").to_string(),
            "x.har takes longer than 0 s to read; it was not read further."
        );
        assert!(MemoryBudget::new(1_000).within(Duration::from_secs(900)).take(1_000));
    }

    #[test]
    fn what_nobody_waits_for_is_not_read_on() {
        let left = Arc::new(AtomicBool::new(false));
        let budget = MemoryBudget::new(10_000_000).unless(left.clone());
        assert!(budget.take(1) && budget.read(1));
        left.store(true, Ordering::Relaxed);
        assert!(!budget.take(1) && !budget.read(1));
        assert!(matches!(budget.refusal("x.har"), FormatError::Left { .. }));
    }

    #[test]
    fn an_unfinished_value_counts_and_what_is_passed_over_does_not() {
        let budget = MemoryBudget::new(30 << 20);
        assert!(budget.read(9 << 20));
        assert!(!budget.read(2 << 20), "three times eleven are more than thirty");
        budget.pass_over(true);
        assert!(budget.read(900 << 20));
        budget.pass_over(false);
        assert!(budget.read(9 << 20), "the count begins anew");
    }
}
