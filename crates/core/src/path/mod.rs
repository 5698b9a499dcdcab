//! The path to a paint: an unbroken chain of causes from navigation start to it.
//!
//! [`path_to_largest`] walks backwards from the largest paint and asks at each point what released
//! it. Every step yields legs that end where the step before began, so the legs have neither gap
//! nor overlap and their lengths add up to the paint's time exactly.

mod fact;
mod leg;
mod set_off;
mod walk;

pub use fact::{AskedFor, Behind, Code, HandedOver, LegFact};
pub use leg::{Cause, Leg};
pub use walk::{path_to_first_paint, path_to_largest};
