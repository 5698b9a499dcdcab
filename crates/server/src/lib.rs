//! The web server of Phainon, its jobs, and its command line.
//!
//! [`cli`] reads the arguments; [`serve`] opens a data directory, routes ([`api`]), runs recordings
//! as jobs ([`jobs`]) and hands out the front end, which is part of the program. The computation is
//! `phainon-core`'s; nothing here decides what a figure means.

pub mod api;
pub mod cli;
pub mod comparisons;
pub mod cost_of_spans;
pub mod demo;
pub mod depth;
mod error;
mod export;
pub mod forecasts;
pub mod import;
pub mod job_list;
pub mod jobs;
mod keep;
pub mod owners;
pub mod plan_pages;
pub mod plans;
mod profiles;
pub mod proofs;
mod reading;
pub mod rereading;
pub mod serve;
pub mod server_work;
mod signals;
mod span_queue;
pub mod spans;
pub mod state;
pub mod storage;
pub mod trial;
mod trial_rounds;
pub mod trials;

pub use error::Problem;

pub use reading::{LoadReading, Reading, RecordingReading, read_load, read_loads};
