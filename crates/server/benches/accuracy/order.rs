//! Whether gains stand in the order that was forecast.

use crate::blame::LEAST;

/// Kendall's τ-b of gains: of pairs that differ, how many stand in the same order.
pub fn kendall(gains: &[(f64, f64)]) -> Option<f64> {
    let (mut same, mut other) = (0i32, 0i32);
    for (i, a) in gains.iter().enumerate() {
        for b in &gains[i + 1..] {
            // What differs by less than the noise has no order.
            if (a.1 - b.1).abs() < LEAST {
                continue;
            }
            if (a.0 - b.0) * (a.1 - b.1) > 0.0 {
                same += 1;
            } else {
                other += 1;
            }
        }
    }
    (same + other > 0).then(|| f64::from(same - other) / f64::from(same + other))
}
