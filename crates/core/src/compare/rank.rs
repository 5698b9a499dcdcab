//! The rank test of Mann and Whitney (1947): whether one of two groups tends to lie above the other.

use std::collections::BTreeMap;

/// Two-sided chance that groups as large as these have rank sums at least as far apart, if they come from
/// the same distribution. Exact, ties included: every way of dividing the ranks is counted. `None` where a
/// group is empty, or where both together have more than 60 values.
#[must_use]
#[allow(clippy::cast_precision_loss)]
pub fn mann_whitney(a: &[f64], b: &[f64]) -> Option<f64> {
    let all = a.len() + b.len();
    if a.is_empty() || b.is_empty() || all > 60 {
        return None;
    }
    let mut values: Vec<(f64, bool)> = a.iter().map(|v| (*v, true)).chain(b.iter().map(|v| (*v, false))).collect();
    values.sort_by(|x, y| x.0.total_cmp(&y.0));
    // Ranks, doubled so that the middle of a tie is a whole number.
    let mut ranks = vec![0usize; all];
    let mut from = 0;
    while from < all {
        let to = values[from..].iter().take_while(|v| v.0 == values[from].0).count() + from;
        ranks[from..to].fill(from + 1 + to);
        from = to;
    }
    let observed: usize = ranks.iter().zip(&values).filter(|(_, v)| v.1).map(|(r, _)| r).sum();
    // How many ways there are of choosing so many of the ranks, by their sum.
    let mut ways: Vec<BTreeMap<usize, f64>> = vec![BTreeMap::new(); a.len() + 1];
    ways[0].insert(0, 1.0);
    for rank in &ranks {
        for chosen in (0..a.len()).rev() {
            let more: Vec<(usize, f64)> = ways[chosen].iter().map(|(sum, count)| (sum + rank, *count)).collect();
            for (sum, count) in more {
                *ways[chosen + 1].entry(sum).or_default() += count;
            }
        }
    }
    let total: f64 = ways[a.len()].values().sum();
    let expected = a.len() * (all + 1);
    let apart = observed.abs_diff(expected);
    let as_far: f64 = ways[a.len()].iter().filter(|(sum, _)| sum.abs_diff(expected) >= apart).map(|(_, n)| n).sum();
    Some(as_far / total)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn it_agrees_with_what_is_counted_by_hand() {
        // Of the C(6,3) = 20 ways of dividing six ranks, two are as far apart as all below all.
        assert_eq!(mann_whitney(&[1.0, 2.0, 3.0], &[4.0, 5.0, 6.0]), Some(0.1));
        // Of C(8,4) = 70, two.
        let four = mann_whitney(&[1.0, 2.0, 3.0, 4.0], &[5.0, 6.0, 7.0, 8.0]).expect("enough");
        assert!((four - 2.0 / 70.0).abs() < 1e-12);
        // Ranks 1, 4 against 2, 3: both sum to 5, as near as it gets.
        assert_eq!(mann_whitney(&[1.0, 4.0], &[2.0, 3.0]), Some(1.0));
        // One tie: ranks 1, 2.5 against 2.5, 4. Sums 3.5 of 5 expected; of six ways, 1+2.5 (twice) and 2.5+4 (twice).
        assert_eq!(mann_whitney(&[1.0, 2.0], &[2.0, 3.0]), Some(4.0 / 6.0));
        assert_eq!(mann_whitney(&[5.0; 4], &[5.0; 4]), Some(1.0));
        assert_eq!(mann_whitney(&[], &[1.0]), None);
    }
}
