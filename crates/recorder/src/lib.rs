//! Drives a real browser behind a shaped link and records page loads.
//!
//! [`record`] takes a [`RecordRequest`] and makes its loads one after the other. For each it starts a
//! browser with a profile of its own ([`browser`]) behind a [`shaper::Shaper`], speaks to it over a
//! pair of pipes (`transport`, `protocol`), opens a tab that behaves as the conditions say (`tab`),
//! watches until it is quiet (`watch`, `traffic`), and reads out what was observed (`read_out`).
//! Nothing private leaves the crate (`private`). Every step has a time limit, and the browser dies
//! with the future: dropping it is how a recording is cancelled.

mod access;
pub mod browser;
mod clock;
mod detail;
mod job;
mod load;
mod log_in;
mod machine;
mod page;
mod private;
mod protocol;
mod read_out;
mod reasons;
mod record;
pub mod shaper;
mod steps;
mod tab;
mod text;
mod trace_context;
mod traffic;
mod transport;
mod turn;
mod watch;

pub use access::{Access, parse_blocked};
pub use job::{Instruments, LoadLimits};
pub use record::{
    Keep, Part, Progress, RecordRequest, RecordedLoad, Recording, RecordingAbout, Sealed, Stage, check_address,
    private_names, record, record_whole,
};
pub use steps::Step;

/// Why a load or a whole recording failed, in a sentence for the user.
#[derive(Debug, Clone, thiserror::Error)]
#[allow(missing_docs)]
pub enum RecordError {
    #[error(
        "No browser was found. Install Debian's headless browser with `apt-get install chromium-headless-shell`, or name another one with PHAINON_BROWSER."
    )]
    NoBrowser,
    #[error("The browser {0} did not start: {1}")]
    BrowserStart(String, String),
    #[error("The browser stopped during the load{0}.")]
    BrowserGone(String),
    #[error("The page crashed in the browser.")]
    PageCrashed,
    #[error("{0} does not resolve to an address.")]
    Unresolved(String),
    #[error("{0} could not be reached: {1}.")]
    Unreachable(String, String),
    #[error("{0} was asked for, but no response had come after {1} s.")]
    Silent(String, u64),
    #[error("There is no page at this address: {0}.")]
    NoPage(String),
    #[error("The browser did not answer `{0}` within {1} s; the page keeps its main thread busy.")]
    NoAnswer(String, u64),
    #[error("The browser refused `{0}`: {1}")]
    Refused(String, String),
    #[error("The address cannot be recorded: {0}")]
    Address(String),
    #[error("{0}")]
    Other(String),
}
