//! The program `phainon`.

use clap::Parser;
use std::process::ExitCode;
use tracing::Level;
use tracing_subscriber::filter::Targets;
use tracing_subscriber::prelude::*;

fn main() -> ExitCode {
    let usual = || Targets::new().with_default(Level::WARN).with_target("phainon", Level::INFO);
    let wanted = std::env::var("RUST_LOG").ok().and_then(|text| text.parse().ok()).unwrap_or_else(usual);
    let log = tracing_subscriber::fmt::layer().with_writer(std::io::stderr).with_filter(wanted);
    tracing_subscriber::registry().with(log).init();
    let arguments = phainon_server::cli::Arguments::parse();
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(runtime) => runtime,
        Err(why) => {
            eprintln!("phainon: no threads to work with: {why}");
            return ExitCode::from(2);
        }
    };
    let code = runtime.block_on(phainon_server::cli::run(arguments));
    // What is still being read or computed is for nobody any more; what was acknowledged is on the disk.
    runtime.shutdown_background();
    code
}
