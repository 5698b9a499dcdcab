//! `cargo run --release --package phainon-formats --example make_trace -- MEGABYTES FILE`

#[path = "../benches/support/make_trace.rs"]
mod make_trace;

fn main() -> Result<(), Box<dyn std::error::Error>> {
    let mut arguments = std::env::args().skip(1);
    let megabytes: usize = arguments.next().ok_or("how many megabytes?")?.parse()?;
    let file = arguments.next().ok_or("into which file?")?;
    std::fs::write(file, make_trace::make_trace(megabytes * 1_000_000, 1))?;
    Ok(())
}
