//! The program `phainon`.

use clap::Parser;
use std::process::ExitCode;

#[tokio::main]
async fn main() -> ExitCode {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "phainon=info,warn".into()),
        )
        .with_writer(std::io::stderr)
        .init();
    phainon_server::cli::run(phainon_server::cli::Arguments::parse()).await
}
