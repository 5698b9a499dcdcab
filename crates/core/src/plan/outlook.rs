//! What edits bring to one page, remembered: a plan asks for the same sets again and again.

use crate::forecast::{Figures, Model};
use crate::{Bodies, Edit};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// So many sets are remembered; then it begins anew.
const MOST_REMEMBERED: usize = 60_000;

/// The forecasts of a load, remembered.
pub struct Outlook {
    model: Model,
    memory: Mutex<Memory>,
}

#[derive(Default)]
struct Memory {
    /// Each edit's number, by what it says; `None` for one whose effect on this load is not known.
    numbers: HashMap<String, Option<u32>>,
    known: HashMap<Vec<u32>, Figures>,
}

impl Outlook {
    /// Of a load's model.
    #[must_use]
    pub fn of(model: Model) -> Self {
        Self { model, memory: Mutex::default() }
    }

    /// The model itself.
    #[must_use]
    pub fn model(&self) -> &Model {
        &self.model
    }

    fn memory(&self) -> MutexGuard<'_, Memory> {
        self.memory.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// An edit's number; `None` where it does nothing that is known here.
    fn number(&self, edit: &Edit, bodies: &dyn Bodies) -> Option<u32> {
        let text = serde_json::to_string(edit).unwrap_or_default();
        if let Some(number) = self.memory().numbers.get(&text) {
            return *number;
        }
        let known = self.model.why_not(edit, bodies).is_none();
        let mut memory = self.memory();
        let next = u32::try_from(memory.numbers.len()).unwrap_or(u32::MAX);
        // Another thread may have given it its number meanwhile.
        *memory.numbers.entry(text).or_insert(known.then_some(next))
    }

    /// Whether the effect of an edit on this load is known.
    #[must_use]
    pub fn knows(&self, edit: &Edit, bodies: &dyn Bodies) -> bool {
        self.number(edit, bodies).is_some()
    }

    /// What the load would measure with a set of edits. Those whose effect is not known are left out; the order
    /// does not matter.
    #[must_use]
    pub fn with(&self, edits: &[&Edit], bodies: &dyn Bodies) -> Figures {
        let mut numbered: Vec<(u32, &Edit)> =
            edits.iter().filter_map(|edit| Some((self.number(edit, bodies)?, *edit))).collect();
        numbered.sort_by_key(|n| n.0);
        numbered.dedup_by_key(|n| n.0);
        let key: Vec<u32> = numbered.iter().map(|n| n.0).collect();
        if key.is_empty() {
            return self.model.figures();
        }
        if let Some(known) = self.memory().known.get(&key) {
            return *known;
        }
        // One order for all: what an edit finds to do can depend on what another did before.
        numbered.sort_by(|a, b| a.1.kind().cmp(&b.1.kind()).then_with(|| a.1.target().cmp(&b.1.target())));
        let edits: Vec<Edit> = numbered.into_iter().map(|n| n.1.clone()).collect();
        let figures = self.model.figures_with(&edits, bodies);
        let mut memory = self.memory();
        if memory.known.len() >= MOST_REMEMBERED {
            memory.known.clear();
        }
        memory.known.insert(key, figures);
        figures
    }
}

/// A page under one set of conditions, as a plan counts it.
pub struct PlanPage {
    /// Its share of the site's visits, on any scale.
    pub share: f64,
    /// Medians of its recording.
    pub recorded: Figures,
    /// Forecasts of the load that stands for the recording.
    pub outlook: Arc<Outlook>,
}

impl PlanPage {
    /// What the page would measure: its recording's medians, changed as its load would change.
    #[must_use]
    pub fn with(&self, edits: &[&Edit], bodies: &dyn Bodies) -> Figures {
        let (before, after) = (self.outlook.model.figures(), self.outlook.with(edits, bodies));
        Figures::from_values(|metric| {
            let (recorded, before, after) = (self.recorded.value(metric)?, before.value(metric)?, after.value(metric)?);
            Some((recorded + after - before).max(0.0))
        })
    }
}
