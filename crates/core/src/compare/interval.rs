//! The interval of a difference of medians, by bootstrap (Efron 1979): the same figure from groups drawn
//! again from the values that there are.

use crate::recording::median;
use rand::Rng;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;

/// Groups drawn.
const DRAWN: usize = 2_000;
/// The same in every run, so that a figure does not change when it is looked at again.
const SEED: u64 = 0x5eed;

/// From where to where.
#[derive(Debug, Clone, Copy, PartialEq)]
#[allow(missing_docs)]
pub struct Interval {
    pub low: f64,
    pub high: f64,
}

/// The 95 % interval of the median of `b` less that of `a`; `None` where a group has fewer than three values.
#[must_use]
pub fn difference_of_medians(a: &[f64], b: &[f64]) -> Option<Interval> {
    if a.len() < 3 || b.len() < 3 {
        return None;
    }
    // Turned round, the same groups are drawn, so that it says the opposite exactly.
    let order = a.iter().zip(b).map(|(a, b)| a.total_cmp(b)).find(|o| o.is_ne());
    if order.unwrap_or_else(|| a.len().cmp(&b.len())).is_gt() {
        let turned = difference_of_medians(b, a)?;
        return Some(Interval { low: -turned.high, high: -turned.low });
    }
    let mut chance = ChaCha8Rng::seed_from_u64(SEED);
    let mut drawn = |values: &[f64]| {
        let group: Vec<f64> = values.iter().map(|_| values[chance.random_range(0..values.len())]).collect();
        median(&group)
    };
    let mut differences: Vec<f64> = (0..DRAWN).filter_map(|_| Some(drawn(b)? - drawn(a)?)).collect();
    differences.sort_by(f64::total_cmp);
    let tail = DRAWN / 40;
    Some(Interval { low: *differences.get(tail)?, high: *differences.get(DRAWN - 1 - tail)? })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_holds_the_difference_and_grows_with_the_spread() {
        let narrow = difference_of_medians(&[100.0, 101.0, 102.0, 103.0], &[90.0, 91.0, 92.0, 93.0]).expect("enough");
        assert!(narrow.low >= -13.0 && narrow.low < -10.0 && narrow.high > -10.0 && narrow.high <= -7.0, "{narrow:?}");
        let wide = difference_of_medians(&[100.0, 150.0, 200.0, 50.0], &[90.0, 140.0, 190.0, 40.0]).expect("enough");
        assert!(wide.high - wide.low > 10.0 * (narrow.high - narrow.low));
        assert_eq!(difference_of_medians(&[1.0, 2.0], &[1.0, 2.0, 3.0]), None);
        assert_eq!(
            difference_of_medians(&[1.0, 2.0, 4.0], &[1.0, 2.0, 3.0]),
            difference_of_medians(&[1.0, 2.0, 4.0], &[1.0, 2.0, 3.0])
        );
    }
}
