//! The path to a paint: an unbroken chain of causes from navigation start to it.
//!
//! [`path_to_largest`] follows the binding edges of the causal model ([`crate::graph`]) backwards from
//! the largest paint. Every step yields legs that end where the step before began, so the legs have
//! neither gap nor overlap and their lengths add up to the paint's time exactly.

mod leg;
mod walk;

pub use crate::graph::{AskedFor, Behind, Cause, Code, HandedOver, LegFact};
pub use leg::Leg;
pub use walk::{
    path_to_first_paint, path_to_frame, path_to_interaction, path_to_largest, path_to_mark, path_to_request,
};
