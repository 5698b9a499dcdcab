//! What holds of every forecast, whatever the load looks like.

#![allow(clippy::unwrap_used)]

mod any_load;

use any_load::{load, url};
use phainon_core::forecast::{Figures, Model};
use phainon_core::{Bytes, Edit, Millis, NoBodies, Prepared, ResourceKey, preset};
use proptest::prelude::*;
use std::sync::Arc;

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, ..ProptestConfig::default() })]

    #[test]
    fn an_edit_changes_nothing_that_it_does_not_touch(load in load(), pick in 0usize..14, kind in 0usize..6, shaped in any::<bool>()) {
        let mut load = load;
        load.conditions = preset("phone-on-the-move").filter(|_| shaped);
        let prepared = Arc::new(Prepared::plain(load));
        let model = Model::of(&prepared);
        let file = ResourceKey::of(&url(pick % prepared.load.requests.len()));
        let edit = match kind {
            0 => Edit::Remove { file },
            1 => Edit::DeferScript { file },
            2 => Edit::AsyncScript { file },
            3 => Edit::Preload { file },
            4 => Edit::ReduceStyle { file },
            _ => Edit::Shrink { file, to: Some(Bytes(1_000)) },
        };
        let edits = [edit.clone()];
        let made = model.forecast(&edits, &NoBodies);
        // The same question, the same answer.
        prop_assert_eq!(&made, &model.forecast(&edits, &NoBodies));
        prop_assert_eq!(made.before, model.figures());
        if !made.left_out.is_empty() {
            prop_assert_eq!(made.before, made.after, "what is left out changes nothing");
            prop_assert!(made.moved.is_empty());
        }
        for metric in Figures::METRICS {
            prop_assert!(made.after.value(metric).is_none_or(|v| v.is_finite() && v >= 0.0), "{:?}", made.after);
        }
        if let (Some(lcp), Some(fcp)) = (made.after.lcp_ms, made.after.fcp_ms) {
            prop_assert!(lcp >= fcp);
        }
        for moved in &made.moved {
            // Phases keep their order, and nothing comes before it is asked for.
            let start = moved.start_ms.unwrap_or(Millis::ZERO);
            prop_assert!(moved.end_ms.is_none_or(|end| end >= start - Millis(0.5)), "{moved:?}");
            prop_assert!(moved.first_byte_ms.is_none_or(|first| first >= start - Millis(0.5)), "{moved:?}");
        }
        if matches!(edit, Edit::Remove { .. }) {
            let (before, after) = (made.before.transferred_bytes, made.after.transferred_bytes);
            prop_assert!(after.unwrap_or_default() <= before.unwrap_or_default());
        }
        // The new way leads to the new paint without gap or overlap.
        let mut at = made.path.first().map_or(Millis::ZERO, |s| s.from_ms);
        for step in &made.path {
            prop_assert!((step.from_ms - at).0.abs() < 1e-6, "{:?}", made.path);
            at = step.to_ms;
        }
    }
}
