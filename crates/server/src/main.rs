//! The program `phainon`.

use clap::Parser;
use std::process::ExitCode;
use tracing::Level;
use tracing_subscriber::filter::Targets;
use tracing_subscriber::prelude::*;

#[tokio::main]
async fn main() -> ExitCode {
    let usual = || Targets::new().with_default(Level::WARN).with_target("phainon", Level::INFO);
    let wanted = std::env::var("RUST_LOG").ok().and_then(|text| text.parse().ok()).unwrap_or_else(usual);
    let log = tracing_subscriber::fmt::layer().with_writer(std::io::stderr).with_filter(wanted);
    tracing_subscriber::registry().with(log).init();
    phainon_server::cli::run(phainon_server::cli::Arguments::parse()).await
}
