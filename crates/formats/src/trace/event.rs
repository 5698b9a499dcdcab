//! One trace event, read leniently: everything but the name may be missing or of another type than
//! it should be. The arguments stay text; only those of the few kinds that matter are looked into.

use crate::figures::possible;
use serde::Deserialize;
use serde::de::{Deserializer, MapAccess, SeqAccess, Visitor};
use serde_json::Value;
use sonic_rs::{JsonValueTrait, LazyValue};
use std::borrow::Cow;
use std::fmt;

/// Process and thread.
pub(super) type Thread = (i64, i64);

/// One event.
#[derive(Debug, Default)]
pub(super) struct Event<'a> {
    pub name: Cow<'a, str>,
    /// The phase: `X` complete, `B` and `E` begin and end, `b` and `e` the same of something asynchronous…
    pub ph: u8,
    /// Whether it is of the category of User Timing.
    pub user_timing: bool,
    /// Microseconds of the monotonic clock.
    pub ts: f64,
    pub dur: f64,
    pid: i64,
    tid: i64,
    /// What joins asynchronous events to each other.
    pub id: u64,
    args: &'a str,
}

impl<'a> Event<'a> {
    pub fn thread(&self) -> Thread {
        (self.pid, self.tid)
    }

    /// All arguments.
    pub fn args(&self) -> Value {
        serde_json::from_str(self.args).unwrap_or(Value::Null)
    }

    /// The arguments as they stand in the file.
    pub fn raw_args(&self) -> &'a str {
        self.args
    }

    /// One argument that is a text, without reading the others; no text is none.
    pub fn text(&self, path: &[&str]) -> Option<Cow<'a, str>> {
        let found = sonic_rs::get(self.args, path).ok()?;
        let text = found.as_str().filter(|t| !t.is_empty())?;
        // The value lives in `args`, unless it had to be unescaped.
        let raw = found.as_raw_cow();
        match raw {
            Cow::Borrowed(raw) if raw.len() == text.len() + 2 => Some(Cow::Borrowed(&raw[1..raw.len() - 1])),
            _ => Some(Cow::Owned(text.to_owned())),
        }
    }

    /// One argument that is a whole number.
    pub fn whole(&self, path: &[&str]) -> Option<i64> {
        sonic_rs::get(self.args, path).ok()?.as_i64()
    }
}

/// A name, a number, or anything else that an event's member may be by mistake.
struct Member<'a> {
    text: Option<Cow<'a, str>>,
    number: f64,
}

impl<'de> Deserialize<'de> for Member<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Lenient;
        impl<'de> Visitor<'de> for Lenient {
            type Value = Member<'de>;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a text or a number")
            }
            fn visit_f64<E>(self, v: f64) -> Result<Self::Value, E> {
                Ok(Member { text: None, number: possible(v).unwrap_or(0.0) })
            }
            #[allow(clippy::cast_precision_loss)]
            fn visit_u64<E>(self, v: u64) -> Result<Self::Value, E> {
                Ok(Member { text: None, number: possible(v as f64).unwrap_or(0.0) })
            }
            #[allow(clippy::cast_precision_loss)]
            fn visit_i64<E>(self, v: i64) -> Result<Self::Value, E> {
                Ok(Member { text: None, number: possible(v as f64).unwrap_or(0.0) })
            }
            fn visit_borrowed_str<E>(self, v: &'de str) -> Result<Self::Value, E> {
                Ok(Member { number: number_in(v), text: Some(Cow::Borrowed(v)) })
            }
            fn visit_str<E>(self, v: &str) -> Result<Self::Value, E> {
                Ok(Member { number: number_in(v), text: Some(Cow::Owned(v.to_owned())) })
            }
            fn visit_unit<E>(self) -> Result<Self::Value, E> {
                Ok(Member { text: None, number: 0.0 })
            }
            fn visit_bool<E>(self, _: bool) -> Result<Self::Value, E> {
                Ok(Member { text: None, number: 0.0 })
            }
            fn visit_seq<A: SeqAccess<'de>>(self, mut seq: A) -> Result<Self::Value, A::Error> {
                while seq.next_element::<LazyValue<'de>>()?.is_some() {}
                Ok(Member { text: None, number: 0.0 })
            }
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                while map.next_entry::<Key, LazyValue<'de>>()?.is_some() {}
                Ok(Member { text: None, number: 0.0 })
            }
        }
        deserializer.deserialize_any(Lenient)
    }
}

/// A number written as text: decimal, or `0x…` as ids are.
fn number_in(text: &str) -> f64 {
    text.trim().parse().ok().and_then(possible).unwrap_or(0.0)
}

/// An id: a number, a text such as `0x3f`, or any other text, told apart by a hash.
fn id_of(member: &Member<'_>) -> u64 {
    match &member.text {
        Some(text) => {
            let hex = text.strip_prefix("0x").and_then(|digits| u64::from_str_radix(digits, 16).ok());
            // FNV-1a: ids need telling apart within one file, no more.
            hex.unwrap_or_else(|| {
                text.bytes().fold(0xcbf2_9ce4_8422_2325, |hash: u64, byte| {
                    (hash ^ u64::from(byte)).wrapping_mul(0x0100_0000_01b3)
                })
            })
        }
        #[allow(clippy::cast_possible_truncation, clippy::cast_sign_loss)]
        None => member.number as u64,
    }
}

/// The members of an event that matter.
enum Key {
    Name,
    Phase,
    Category,
    Time,
    Duration,
    Process,
    Thread,
    Id,
    Id2,
    Args,
    Other,
}

impl<'de> Deserialize<'de> for Key {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Text;
        impl Visitor<'_> for Text {
            type Value = Key;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a member's name")
            }
            fn visit_str<E>(self, text: &str) -> Result<Key, E> {
                Ok(match text {
                    "name" => Key::Name,
                    "ph" => Key::Phase,
                    "cat" => Key::Category,
                    "ts" => Key::Time,
                    "dur" => Key::Duration,
                    "pid" => Key::Process,
                    "tid" => Key::Thread,
                    "id" => Key::Id,
                    "id2" => Key::Id2,
                    "args" => Key::Args,
                    _ => Key::Other,
                })
            }
        }
        deserializer.deserialize_identifier(Text)
    }
}

impl<'de> Deserialize<'de> for Event<'de> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Members;
        impl<'de> Visitor<'de> for Members {
            type Value = Event<'de>;
            fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
                f.write_str("a trace event: an object")
            }
            #[allow(clippy::cast_possible_truncation)]
            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut event = Event::default();
                while let Some(key) = map.next_key::<Key>()? {
                    match key {
                        Key::Name => event.name = map.next_value::<Member<'_>>()?.text.unwrap_or_default(),
                        Key::Phase => {
                            let phase = map.next_value::<Member<'_>>()?.text;
                            event.ph = phase.and_then(|p| p.bytes().next()).unwrap_or(0);
                        }
                        Key::Category => {
                            let category = map.next_value::<Member<'_>>()?.text;
                            event.user_timing = category.is_some_and(|c| c == "blink.user_timing");
                        }
                        Key::Time => event.ts = map.next_value::<Member<'_>>()?.number,
                        Key::Duration => event.dur = map.next_value::<Member<'_>>()?.number,
                        Key::Process => event.pid = map.next_value::<Member<'_>>()?.number as i64,
                        Key::Thread => event.tid = map.next_value::<Member<'_>>()?.number as i64,
                        Key::Id => event.id = id_of(&map.next_value::<Member<'_>>()?),
                        Key::Id2 => {
                            let both = map.next_value::<LazyValue<'de>>()?;
                            for key in ["local", "global"] {
                                if let Some(text) = both.get(key).as_str() {
                                    event.id = id_of(&Member { text: Some(Cow::Borrowed(text)), number: 0.0 });
                                }
                            }
                        }
                        Key::Args => {
                            let args = map.next_value::<LazyValue<'de>>()?;
                            if let Cow::Borrowed(text) = args.as_raw_cow() {
                                event.args = text;
                            }
                        }
                        Key::Other => {
                            map.next_value::<LazyValue<'de>>()?;
                        }
                    }
                }
                Ok(event)
            }
        }
        deserializer.deserialize_map(Members)
    }
}
