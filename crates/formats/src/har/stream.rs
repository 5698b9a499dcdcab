//! A HAR as a stream: entry by entry, so that what lies in memory is what is kept and the entry in hand.

use super::entry::{ENTRY, Entry, Page};
use crate::memory::MemoryBudget;
use crate::utf8::Utf8;
use crate::values::Tree;
use crate::{BodyMap, FormatError, unpack};
use serde::de::{self, DeserializeSeed, Deserializer, IgnoredAny, MapAccess, SeqAccess, Visitor};
use serde_json::Value;
use std::cell::{Cell, RefCell};
use std::fmt;
use std::io::{self, BufReader, Read};
use std::marker::PhantomData;

/// A HAR may hold this many entries at most.
const MAX_ENTRIES: usize = 100_000;

/// What a HAR's `log` holds, as far as it is used.
#[derive(Default)]
pub(super) struct Log {
    pub entries: Option<Vec<Entry>>,
    pub pages: Vec<Page>,
    pub browser: Option<String>,
    pub bodies: BodyMap,
    /// How many places were not UTF-8.
    pub not_utf8: usize,
}

/// Reads it, as far as it is used.
pub(super) fn read_log(text: impl Read, name: &str, budget: &MemoryBudget) -> Result<Log, FormatError> {
    let places = Cell::new(0);
    let refused = RefCell::new(None);
    let metered = Metered { from: Utf8::new(text, &places), budget };
    let mut json = serde_json::Deserializer::from_reader(BufReader::with_capacity(1 << 16, metered));
    let reader = Reader { name, budget, refused: &refused };
    let whole = Place::<Whole>::new(&reader, "the beginning", "an object");
    let log = whole.deserialize(&mut json).and_then(|log| json.end().map(|()| log));
    match log {
        Ok(Some(log)) if log.entries.is_none() => Err(reader.misplaced("log.entries", "nothing", "a list")),
        Ok(Some(log)) => Ok(Log { not_utf8: places.get(), ..log }),
        Ok(None) => Err(FormatError::NotKnown {
            name: name.to_owned(),
            why: "its JSON has neither a `log` (HAR) nor `traceEvents` (trace)".into(),
        }),
        Err(_) if budget.is_spent() => Err(budget.refusal(name)),
        Err(error) if error.is_io() => Err(unpack::refusal(&error.into(), name)),
        Err(error) => Err(refused.take().unwrap_or_else(|| FormatError::json(name, &error))),
    }
}

/// What is read, counted against the budget as it comes.
struct Metered<'r, R> {
    from: R,
    budget: &'r MemoryBudget,
}

impl<R: Read> Read for Metered<'_, R> {
    fn read(&mut self, buffer: &mut [u8]) -> io::Result<usize> {
        let read = self.from.read(buffer)?;
        if self.budget.read(read as u64) { Ok(read) } else { Err(io::ErrorKind::OutOfMemory.into()) }
    }
}

/// Makes of one member what is kept of it.
struct Reader<'r> {
    name: &'r str,
    budget: &'r MemoryBudget,
    /// Why reading ended, where the parser's own word would not say it.
    refused: &'r RefCell<Option<FormatError>>,
}

impl<'r> Reader<'r> {
    fn misplaced(&self, place: &str, found: &str, wanted: &str) -> FormatError {
        FormatError::Shape {
            name: self.name.to_owned(),
            place: place.to_owned(),
            found: found.to_owned(),
            wanted: wanted.to_owned(),
        }
    }

    fn refuse<E: de::Error>(&self, error: FormatError) -> E {
        let words = error.to_string();
        self.refused.replace(Some(error));
        E::custom(words)
    }

    fn charge<E: de::Error>(&self, bytes: usize) -> Result<(), E> {
        self.budget.charge(bytes, self.name).map_err(|error| self.refuse(error))
    }

    fn tree(&self) -> Tree<'r> {
        Tree(self.budget)
    }
}

/// A place in the HAR at which something certain belongs.
struct Place<'a, 'r, K> {
    reader: &'a Reader<'r>,
    at: &'static str,
    wanted: &'static str,
    kind: PhantomData<K>,
}

/// What belongs there: an object or a list.
trait Kind<'de>: Sized {
    type Made;

    fn object<A: MapAccess<'de>>(place: &Place<'_, '_, Self>, _: A) -> Result<Self::Made, A::Error> {
        Err(place.wrong("an object"))
    }

    fn list<A: SeqAccess<'de>>(place: &Place<'_, '_, Self>, _: A) -> Result<Self::Made, A::Error> {
        Err(place.wrong("a list"))
    }
}

impl<'a, 'r, K> Place<'a, 'r, K> {
    fn new(reader: &'a Reader<'r>, at: &'static str, wanted: &'static str) -> Self {
        Self { reader, at, wanted, kind: PhantomData }
    }

    fn wrong<E: de::Error>(&self, found: &str) -> E {
        self.reader.refuse(self.reader.misplaced(self.at, found, self.wanted))
    }
}

impl<'de, K: Kind<'de>> DeserializeSeed<'de> for Place<'_, '_, K> {
    type Value = K::Made;

    fn deserialize<D: Deserializer<'de>>(self, from: D) -> Result<K::Made, D::Error> {
        from.deserialize_any(self)
    }
}

impl<'de, K: Kind<'de>> Visitor<'de> for Place<'_, '_, K> {
    type Value = K::Made;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(self.wanted)
    }

    fn visit_unit<E: de::Error>(self) -> Result<K::Made, E> {
        Err(self.wrong("nothing"))
    }

    fn visit_bool<E: de::Error>(self, _: bool) -> Result<K::Made, E> {
        Err(self.wrong("true or false"))
    }

    fn visit_i64<E: de::Error>(self, _: i64) -> Result<K::Made, E> {
        Err(self.wrong("a number"))
    }

    fn visit_u64<E: de::Error>(self, _: u64) -> Result<K::Made, E> {
        Err(self.wrong("a number"))
    }

    fn visit_f64<E: de::Error>(self, _: f64) -> Result<K::Made, E> {
        Err(self.wrong("a number"))
    }

    fn visit_str<E: de::Error>(self, _: &str) -> Result<K::Made, E> {
        Err(self.wrong("a text"))
    }

    fn visit_seq<A: SeqAccess<'de>>(self, list: A) -> Result<K::Made, A::Error> {
        K::list(&self, list)
    }

    fn visit_map<A: MapAccess<'de>>(self, members: A) -> Result<K::Made, A::Error> {
        K::object(&self, members)
    }
}

/// Passes over a member's value: nothing of it is held.
fn pass_over<'de, A: MapAccess<'de>>(reader: &Reader<'_>, members: &mut A) -> Result<(), A::Error> {
    reader.budget.pass_over(true);
    members.next_value::<IgnoredAny>()?;
    reader.budget.pass_over(false);
    Ok(())
}

/// The HAR as a whole.
struct Whole;

impl<'de> Kind<'de> for Whole {
    type Made = Option<Log>;

    fn object<A: MapAccess<'de>>(place: &Place<'_, '_, Self>, mut members: A) -> Result<Option<Log>, A::Error> {
        let mut log = None;
        while let Some(name) = members.next_key::<String>()? {
            if name == "log" {
                let place = Place::<InLog>::new(place.reader, "log", "an object");
                log = Some(members.next_value_seed(place)?);
            } else {
                pass_over(place.reader, &mut members)?;
            }
        }
        Ok(log)
    }
}

/// Its `log`.
struct InLog;

impl<'de> Kind<'de> for InLog {
    type Made = Log;

    fn object<A: MapAccess<'de>>(place: &Place<'_, '_, Self>, mut members: A) -> Result<Log, A::Error> {
        let reader = place.reader;
        let mut log = Log::default();
        while let Some(name) = members.next_key::<String>()? {
            match name.as_str() {
                "entries" => {
                    let place = Place::<Entries>::new(reader, "log.entries", "a list");
                    let (entries, bodies) = members.next_value_seed(place)?;
                    log.entries.get_or_insert_default().extend(entries);
                    log.bodies.extend(bodies);
                }
                "pages" => {
                    let pages = members.next_value_seed(reader.tree())?;
                    log.pages = pages.as_array().map(|pages| pages.iter().map(Page::of).collect()).unwrap_or_default();
                }
                "browser" => {
                    let told = members.next_value_seed(reader.tree())?;
                    let version = told["version"].as_str().unwrap_or("");
                    log.browser = told["name"].as_str().map(|name| format!("{name} {version}").trim().to_owned());
                }
                _ => pass_over(reader, &mut members)?,
            }
        }
        Ok(log)
    }
}

/// Its `log.entries`.
struct Entries;

impl<'de> Kind<'de> for Entries {
    type Made = (Vec<Entry>, BodyMap);

    fn list<A: SeqAccess<'de>>(place: &Place<'_, '_, Self>, mut list: A) -> Result<Self::Made, A::Error> {
        let reader = place.reader;
        let budget = reader.budget;
        let (mut entries, mut bodies) = (Vec::new(), BodyMap::new());
        loop {
            let before = budget.used();
            let Some(entry) = list.next_element_seed(reader.tree())? else { break };
            if entries.len() == MAX_ENTRIES {
                let limit = format!("{MAX_ENTRIES} entries");
                return Err(reader.refuse(FormatError::TooLarge { name: reader.name.to_owned(), limit }));
            }
            let text = entry.pointer("/response/content/text").and_then(Value::as_str).map_or(0, str::len);
            reader.charge(ENTRY + text)?;
            let had = bodies.len();
            let read = Entry::of(&entry, &mut bodies);
            let held = read.held() + if bodies.len() > had { text } else { 0 };
            drop(entry);
            budget.back_to(before);
            reader.charge(held)?;
            entries.push(read);
        }
        Ok((entries, bodies))
    }
}
