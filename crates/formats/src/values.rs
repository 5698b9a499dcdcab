//! JSON as a tree of values that is charged to a budget while it grows: one of small numbers takes some
//! twenty times its text.

use crate::memory::MemoryBudget;
use serde::de::{DeserializeSeed, Deserializer, Error, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Number, Value};
use std::fmt;

/// What a value takes in a list, with the room that the list keeps to grow.
const NODE: usize = 2 * size_of::<Value>();
/// What an object takes. It may become a record of our own, and an empty one becomes as large a record as
/// one that says everything.
const OBJECT: usize = 400;
/// What a member of an object takes besides its name and its value.
const MEMBER: usize = 64;

/// Reads a tree.
#[derive(Clone, Copy)]
pub(crate) struct Tree<'b>(pub &'b MemoryBudget);

impl Tree<'_> {
    fn take<E: Error>(self, bytes: usize) -> Result<(), E> {
        if self.0.take(bytes as u64) { Ok(()) } else { Err(E::custom("the memory for it is spent")) }
    }

    fn leaf<E: Error>(self, value: Value) -> Result<Value, E> {
        self.take(NODE)?;
        Ok(value)
    }
}

impl<'de> DeserializeSeed<'de> for Tree<'_> {
    type Value = Value;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<Value, D::Error> {
        from.deserialize_any(self)
    }
}

impl<'de> Visitor<'de> for Tree<'_> {
    type Value = Value;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a JSON value")
    }

    fn visit_unit<E: Error>(self) -> Result<Value, E> {
        self.leaf(Value::Null)
    }

    fn visit_bool<E: Error>(self, value: bool) -> Result<Value, E> {
        self.leaf(Value::Bool(value))
    }

    fn visit_i64<E: Error>(self, value: i64) -> Result<Value, E> {
        self.leaf(value.into())
    }

    fn visit_u64<E: Error>(self, value: u64) -> Result<Value, E> {
        self.leaf(value.into())
    }

    fn visit_f64<E: Error>(self, value: f64) -> Result<Value, E> {
        self.leaf(Number::from_f64(value).map_or(Value::Null, Value::Number))
    }

    fn visit_str<E: Error>(self, value: &str) -> Result<Value, E> {
        self.take(NODE + value.len())?;
        Ok(Value::String(value.to_owned()))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, mut list: A) -> Result<Value, A::Error> {
        self.take(NODE)?;
        let mut values = Vec::new();
        while let Some(value) = list.next_element_seed(self)? {
            values.push(value);
        }
        Ok(Value::Array(values))
    }

    fn visit_map<A: MapAccess<'de>>(self, mut members: A) -> Result<Value, A::Error> {
        self.take(OBJECT)?;
        let mut object = Map::new();
        while let Some(name) = members.next_key::<String>()? {
            self.take(MEMBER + name.len())?;
            let value = members.next_value_seed(self)?;
            object.insert(name, value);
        }
        Ok(Value::Object(object))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;
    use serde_json::json;

    fn tree(text: &str, budget: &MemoryBudget) -> Result<Value, serde_json::Error> {
        Tree(budget).deserialize(&mut serde_json::Deserializer::from_str(text))
    }

    fn any_value() -> impl Strategy<Value = Value> {
        let leaf = prop_oneof![
            Just(Value::Null),
            any::<bool>().prop_map(Value::from),
            any::<i64>().prop_map(Value::from),
            any::<u64>().prop_map(Value::from),
            (-1e9..1e9).prop_map(Value::from),
            ".{0,9}".prop_map(Value::from),
        ];
        leaf.prop_recursive(4, 40, 6, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..6).prop_map(Value::from),
                prop::collection::btree_map(".{0,5}", inner, 0..6)
                    .prop_map(|members| Value::Object(members.into_iter().collect())),
            ]
        })
    }

    proptest! {
        #[test]
        fn it_is_what_the_text_says(value in any_value()) {
            let budget = MemoryBudget::default();
            let text = value.to_string();
            prop_assert_eq!(tree(&text, &budget).expect("valid"), serde_json::from_str::<Value>(&text).expect("valid"));
            prop_assert!(budget.used() >= size_of::<Value>() as u64);
        }
    }

    #[test]
    fn a_tree_stops_growing_where_its_budget_is_spent() {
        let zeros = format!("[{}0]", "0,".repeat(100_000));
        let budget = MemoryBudget::new(1_000_000);
        assert!(tree(&zeros, &budget).is_err() && budget.is_spent());
        assert!(tree(&zeros, &MemoryBudget::new(10_000_000)).is_ok());
        let budget = MemoryBudget::new(1_000_000);
        let names = json!({ "a".repeat(600_000): 1, "b".repeat(600_000): 2 }).to_string();
        assert!(tree(&names, &budget).is_err() && budget.is_spent());
    }
}
