//! What a browser tells late, or before it can know, put right: all of it, in the order in which it builds on each other.

use crate::Load;
use crate::blocking_as_painted::blocking_as_painted;
use crate::body_parts::parts_as_came;
use crate::taken::end_as_taken;

/// Puts a load right as it was told. To do it again changes nothing.
pub fn put_right(load: &mut Load) {
    end_as_taken(load);
    parts_as_came(load);
    blocking_as_painted(load);
}
