//! Figures that a file tells, as far as they can be true.

use serde_json::Value;

/// More than any time, size or count of a page load, in whatever unit a file has it: 10¹⁷ µs are three
/// thousand years. What is computed from smaller ones stays finite.
const MOST: f64 = 1e17;

/// A figure that can be true.
pub(crate) fn possible(value: f64) -> Option<f64> {
    (value.abs() <= MOST).then_some(value)
}

/// The figure that a value is, where it is one that can be true.
pub(crate) fn figure(value: &Value) -> Option<f64> {
    value.as_f64().and_then(possible)
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn what_no_load_can_have_is_no_figure() {
        let told = [json!(1.5), json!(-3), json!(1e17), json!(1.1e17), json!(-1.7e308), json!("7"), json!(null)];
        let read: Vec<Option<f64>> = told.iter().map(figure).collect();
        assert_eq!(read, [Some(1.5), Some(-3.0), Some(1e17), None, None, None, None]);
        assert_eq!((possible(f64::NAN), possible(f64::INFINITY)), (None, None));
    }
}
