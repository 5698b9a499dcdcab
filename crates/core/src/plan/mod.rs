//! Deciding what to do first: what fixes bring one after the other, over all pages that matter, and which of
//! them are worth their effort.
//!
//! A [`PlanPage`] is a page under one set of conditions: how much it counts, what its recording says, and the
//! forecasts of the load that stands for it ([`Outlook`]). [`line`] runs through a plan fix by fix; [`search`]
//! answers two questions: the least effort that brings every page within its targets, and the best that can
//! be had with so much effort. [`breaks`] says what a fix may break and how to find out.

mod aims;
mod bits;
pub mod breaks;
mod exact;
mod greedy;
mod line;
mod outlook;
mod owner_notes;
mod run;
mod search;

pub use aims::{Aims, Standing};
pub use line::{PlanStep, line};
pub use outlook::{Outlook, PlanPage};
pub use owner_notes::{Need, OwnerNote, Shaped, points, shaped};
pub use run::{Candidate, Question, Search, Watch};
pub use search::{Answer, MOST_CANDIDATES, Way, WhyLeft, why_not};
