//! Names of files, functions and objects, written out once and by their number from then on.

use super::Wrong;
use super::costs::Gathered;
use std::collections::{HashMap, HashSet};
use std::sync::Arc;

/// A name in the file: with a number, with a number alone, or plain.
fn parts(value: &str) -> (Option<&str>, &str) {
    let numbered = value.strip_prefix('(').and_then(|rest| rest.split_once(')'));
    match numbered.filter(|(number, _)| !number.is_empty() && number.bytes().all(|b| b.is_ascii_digit())) {
        Some((number, name)) => (Some(number), name.trim()),
        None => (None, value),
    }
}

/// A function's name without the level of calls of itself that some profilers write behind it (`f'2`).
fn whole(name: &str) -> &str {
    let level =
        name.rsplit_once('\'').filter(|(_, level)| !level.is_empty() && level.bytes().all(|b| b.is_ascii_digit()));
    level.map_or(name, |(name, _)| name)
}

/// Names of one kind by their numbers.
#[derive(Default)]
struct Numbered(HashMap<String, Arc<str>>);

impl Numbered {
    fn name(&mut self, value: &str, gathered: &mut Gathered) -> Result<Arc<str>, Wrong> {
        let (number, name) = parts(value);
        match number {
            None => Ok(name.into()),
            Some(number) if name.is_empty() => {
                let known = self.0.get(number).cloned();
                known.ok_or_else(|| format!("({number}) is not told before it is used").into())
            }
            Some(number) => {
                let name: Arc<str> = name.into();
                gathered.held(name.len() + number.len() + 96);
                self.0.insert(number.to_owned(), name.clone());
                Ok(name)
            }
        }
    }
}

/// Where the reading stands: in which function of which file, and what is called.
#[derive(Default)]
pub struct Names {
    files: Numbered,
    objects: Numbered,
    functions: Numbered,
    /// Functions that have a number are known by it, whatever file is named beside them.
    by_number: HashMap<String, u32>,
    /// Functions that had a record of their own already.
    with_records: HashSet<u32>,
    file: Arc<str>,
    line_file: Option<u32>,
    object: Option<Arc<str>>,
    called_file: Option<Arc<str>>,
    called_object: Option<Arc<str>>,
    called: Option<u32>,
}

impl Names {
    /// The file that lines of costs belong to.
    pub fn line_file(&self) -> u32 {
        self.line_file.unwrap_or(0)
    }

    /// What the next calls are of.
    pub fn called(&self) -> Option<u32> {
        self.called
    }

    /// A call was told; the next one names its own file and object, or is in those of its caller.
    pub fn end_call(&mut self) {
        self.called_file = None;
        self.called_object = None;
    }

    /// Another part begins: names stay known, places do not.
    pub fn end_part(&mut self) {
        self.called = None;
        self.end_call();
    }

    /// `fn=`: the function whose costs follow.
    pub fn function(&mut self, value: &str, gathered: &mut Gathered) -> Result<u32, Wrong> {
        let (file, object) = (self.file.clone(), self.object.clone());
        self.line_file = Some(gathered.file(&file));
        let function = self.known(value, &file, object.as_deref(), gathered)?;
        if self.with_records.insert(function) {
            gathered.stands_in(function, &file, object.as_deref());
        }
        Ok(function)
    }

    fn known(&mut self, value: &str, file: &str, object: Option<&str>, gathered: &mut Gathered) -> Result<u32, Wrong> {
        let number = parts(value).0;
        if let Some(known) = number.and_then(|number| self.by_number.get(number)) {
            return Ok(*known);
        }
        let written = self.functions.name(value, gathered)?;
        let name = whole(&written).into();
        let Some(number) = number else { return Ok(gathered.function(&name, file, object)) };
        let function = gathered.function(&name, file, object);
        gathered.held(number.len() + 64);
        self.by_number.insert(number.to_owned(), function);
        Ok(function)
    }

    /// All other names.
    pub fn set(&mut self, key: &str, value: &str, gathered: &mut Gathered) -> Result<(), Wrong> {
        match key {
            "fl" => {
                self.file = self.files.name(value, gathered)?;
                self.line_file = Some(gathered.file(&self.file));
            }
            "fi" | "fe" => {
                let name = self.files.name(value, gathered)?;
                self.line_file = Some(gathered.file(&name));
            }
            "ob" => self.object = Some(self.objects.name(value, gathered)?),
            "cfl" | "cfi" => self.called_file = Some(self.files.name(value, gathered)?),
            "cob" => self.called_object = Some(self.objects.name(value, gathered)?),
            "cfn" => {
                let file = self.called_file.clone().unwrap_or_else(|| self.file.clone());
                let object = self.called_object.clone().or_else(|| self.object.clone());
                self.called = Some(self.known(value, &file, object.as_deref(), gathered)?);
            }
            // Of jumps, and what later versions of the format may add.
            "jfi" => drop(self.files.name(value, gathered)?),
            "jfn" => drop(self.functions.name(value, gathered)?),
            _ => {}
        }
        Ok(())
    }
}
