//! HAR 1.2, read leniently and written strictly.

mod dates;
mod entry;
mod read;
mod stream;
mod write;

pub use read::read;
pub use write::{text, write};
