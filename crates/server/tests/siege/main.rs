//! Attacks and faults on the running program: bombs, kills, hostile pages, a full disk, a flood of
//! questions. What runs by default is short; `cargo xtask siege` runs all of it and prints figures.

#![allow(clippy::unwrap_used)]

mod bombs;
mod disk;
mod kills;
mod load;
mod pages;
mod program;

/// Whether everything is to be tried, as often as it takes.
pub fn is_long() -> bool {
    std::env::var("PHAINON_SIEGE").is_ok_and(|how| how == "long")
}

/// One of two numbers: for every run, and for the long one.
pub fn times<T>(short: T, long: T) -> T {
    if is_long() { long } else { short }
}
