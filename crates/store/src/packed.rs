//! A load as its rows will hold it. Packing takes long for large traces and needs no store: it is done
//! before the store is locked.

use crate::StoreError;
use crate::pack::{Codec, packed, packed_json, word};
use crate::part::Part;
use crate::site::Rows;
use crate::spans::PackedBatch;
use phainon_core::{ANALYSIS_VERSION, Analysis, Load, Visit};
use phainon_formats::otlp::SpanBatch;
use phainon_formats::{ASSEMBLY_VERSION, BodyMap, HarRequests, RawLoad, body_hash};
use std::collections::HashMap;

/// A load to be kept.
pub struct NewLoad<'a> {
    /// Its parts.
    pub raw: &'a RawLoad,
    /// What was made of them; `None` where there was nothing to make anything of.
    pub derived: Option<Derived<'a>>,
}

/// What is made of a load's raw parts.
pub struct Derived<'a> {
    /// Put together.
    pub load: &'a Load,
    /// Computed from it.
    pub analysis: &'a Analysis,
    /// The main thread to be drawn.
    pub tracks: Option<&'a [u8]>,
}

pub(crate) type PartBytes = (Part, Codec, Vec<u8>);

/// A load, packed.
pub struct PackedLoad {
    pub(crate) visit: Visit,
    pub(crate) failed: Option<String>,
    pub(crate) raw: Vec<PartBytes>,
    /// File, hash, picture.
    pub(crate) frames: Vec<(String, String, Vec<u8>)>,
    pub(crate) derived: Option<PackedDerived>,
    /// What the server told of it, where that comes with it.
    pub(crate) spans: Vec<PackedBatch>,
    /// The trace that its requests were part of.
    pub(crate) trace: Option<String>,
    /// How many batches of its trace, which the store holds already, it was read with.
    pub(crate) adopts: Option<usize>,
}

/// What was made of a load, packed.
pub(crate) struct PackedDerived {
    pub assembly_version: u32,
    pub analysis_version: u32,
    pub settings: String,
    pub parts: Vec<PartBytes>,
    pub rows: Rows,
}

impl PackedDerived {
    fn of(derived: &Derived<'_>) -> Result<Self, StoreError> {
        let Derived { load, analysis, tracks } = derived;
        let json = |part, bytes| (part, Codec::Zstd, bytes);
        let mut parts = vec![
            json(Part::Load, packed_json(load)?),
            json(Part::Overview, packed_json(analysis)?),
            json(Part::Requests, packed_json(&analysis.requests)?),
            json(Part::Thread, packed_json(&analysis.thread)?),
            json(Part::Server, packed_json(&analysis.server)?),
        ];
        if let Some(tracks) = tracks {
            let (codec, bytes) = packed(tracks);
            parts.push((Part::Tracks, codec, bytes));
        }
        Ok(Self {
            assembly_version: ASSEMBLY_VERSION,
            analysis_version: ANALYSIS_VERSION,
            settings: analysis.settings.clone(),
            parts,
            rows: Rows::of(analysis)?,
        })
    }
}

impl PackedLoad {
    /// Packs a load's parts.
    pub fn of(new: &NewLoad<'_>) -> Result<Self, StoreError> {
        let raw = new.raw;
        let mut parts: Vec<PartBytes> = Vec::new();
        if let Some(log) = &raw.network {
            let (codec, bytes) = packed(&log.events);
            parts.push((Part::NetworkEvents, codec, bytes));
            parts.push((Part::KeptBodies, Codec::Zstd, packed_json(&log.bodies)?));
        }
        if let Some(requests) = &raw.requests {
            let har = HarRequests { requests: requests.clone(), page: raw.har_page.clone() };
            parts.push((Part::HarRequests, Codec::Zstd, packed_json(&har)?));
        }
        if let Some(trace) = &raw.trace {
            parts.push((Part::Trace, Codec::Zstd, trace.packed().to_vec()));
        }
        if let Some(page) = &raw.page {
            parts.push((Part::Page, Codec::Zstd, packed_json(page)?));
        }
        let frames = raw
            .frames
            .iter()
            .map(|(frame, picture)| (frame.file.clone(), body_hash(picture), picture.clone()))
            .collect();
        let derived = new.derived.as_ref().map(PackedDerived::of).transpose()?;
        let trace = raw.page.as_ref().and_then(|page| page.trace.clone());
        let spans = raw.spans.iter().map(|json| {
            let trace = trace.clone().unwrap_or_default();
            PackedBatch::of(&SpanBatch { trace, spans: 0, json: json.clone() })
        });
        let (spans, failed) = (spans.collect(), raw.failed.clone());
        Ok(Self { visit: raw.visit, failed, raw: parts, frames, derived, spans, trace, adopts: None })
    }

    /// Has the load take over the batches of its trace that wait for it in the store; it was read with so many.
    #[must_use]
    pub fn adopting(mut self, read_with: usize) -> Self {
        self.spans.clear();
        self.adopts = Some(read_with);
        self
    }

    /// How many bytes its rows will take, small columns aside.
    pub(crate) fn size(&self) -> usize {
        let derived = self.derived.iter().flat_map(|d| &d.parts);
        let parts: usize = self.raw.iter().chain(derived).map(|(_, _, bytes)| bytes.len()).sum();
        let spans: usize = self.spans.iter().map(|batch| batch.bytes.len()).sum();
        parts + spans + self.frames.iter().map(|(_, _, picture)| picture.len()).sum::<usize>()
    }

    pub(crate) fn visit_word(&self) -> Result<String, StoreError> {
        word(self.visit)
    }
}

/// Bodies as their rows will hold them. They may be of several recordings.
#[derive(Default)]
pub struct PackedBodies(HashMap<String, (Codec, Vec<u8>)>);

impl PackedBodies {
    /// Packs each where that makes it smaller.
    #[must_use]
    pub fn of(bodies: BodyMap) -> Self {
        Self(bodies.into_iter().map(|(hash, body)| (hash, packed(&body))).collect())
    }

    /// How many bytes they take.
    pub(crate) fn size(&self) -> usize {
        self.0.values().map(|(_, bytes)| bytes.len()).sum()
    }

    /// The names of all of them.
    #[must_use]
    pub fn names(&self) -> Vec<String> {
        self.0.keys().cloned().collect()
    }

    pub(crate) fn get(&self, hash: &str) -> Option<&(Codec, Vec<u8>)> {
        self.0.get(hash)
    }
}
