//! A machine that others use too can stand still within a load.

/// What is wrong with so many loads in a row, told of the last; nothing, as soon as nothing is wrong with one.
pub async fn wrong_each_time<W>(loads: usize, mut wrong_with: impl AsyncFnMut() -> Option<W>) -> Option<W> {
    let mut wrong = None;
    for _ in 0..loads {
        wrong = wrong_with().await;
        if wrong.is_none() {
            break;
        }
    }
    wrong
}
