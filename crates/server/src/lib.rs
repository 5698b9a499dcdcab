//! The web server of Phainon, its jobs, and its command line.
//!
//! [`cli`] reads the arguments; [`serve`] opens a data directory, routes ([`api`]), runs recordings
//! as jobs ([`jobs`]) and hands out the front end, which is part of the program. The computation is
//! `phainon-core`'s; nothing here decides what a figure means.

pub mod cli;
mod reading;

pub use reading::{LoadReading, RecordingReading, read_opened};
