//! In what two recordings differ, in sentences.

use crate::compare::Unlikeness;

/// One sentence.
#[must_use]
pub fn unlikeness_sentence(unlike: &Unlikeness) -> String {
    match unlike {
        Unlikeness::Site { a, b } => format!("They are of different sites: A of {a}, B of {b}."),
        Unlikeness::Page { a, b } => format!("They are of different pages: A is {a}, B is {b}."),
        Unlikeness::Conditions { a, b } => format!("They were made under different conditions: A as {a}, B as {b}."),
        Unlikeness::ConditionsUnknown => {
            "Under which conditions one of them was made is not known; they may differ.".into()
        }
        Unlikeness::Browser { a, b } => format!("The browsers differ: {a} for A, {b} for B."),
        Unlikeness::Machine { a, b } => {
            format!("The machines are not equally quick (a fixed calculation): {a} for A, {b} for B.")
        }
        Unlikeness::Busy { a, b } => {
            let busier = if a > b { "A" } else { "B" };
            format!(
                "The machine was busy when {busier} was made ({:.1} processes a core, against {:.1}).",
                a.max(*b),
                a.min(*b)
            )
        }
        Unlikeness::Blocked { a, b } => {
            let said = |of: &[String]| if of.is_empty() { "nothing".to_owned() } else { of.join(", ") };
            format!("What was blocked differs: {} for A, {} for B.", said(a), said(b))
        }
    }
}
