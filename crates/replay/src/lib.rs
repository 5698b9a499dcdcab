//! A recorded load, served again from its kept responses.
//!
//! [`Book::of`] takes a load and its bodies and holds one [`Answer`] for each of its requests: status,
//! headers, body packed as it came, the server's own wait and its rhythm. [`edits::apply`] changes a book
//! as a fix would change the site. [`Replay::start`] serves a book for every host of the load, over the
//! HTTP that each spoke; whoever drives the browser puts the link before it and leads all names there, so
//! that nothing else is ever reached.

mod answer;
mod book;
mod broken;
mod changes;
pub mod edits;
mod filler;
mod matching;
mod order;
mod pack;
mod sameness;
mod serve;

pub use answer::Answer;
pub use book::{Book, CannotReplay, Shortfall, host_of};
pub use broken::{Broken, Seen, broken};
pub use changes::{Becomes, Change, archive, changes, unified};
pub use matching::Answered;
pub use pack::Encoding;
pub use phainon_core::Pause;
pub use sameness::sameness;
pub use serve::{Replay, Told};
