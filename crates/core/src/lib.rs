//! What Phainon computes from an observed page load.
//!
//! Four types matter. A [`Load`] is everything observed in one page load, whatever it was read
//! from: a recording, a HAR, a trace. [`Prepared`] is a load with its look-ups, its owners and the
//! site's settings: every computation takes it. [`analyse`] turns it into an [`Analysis`]: metrics,
//! the largest element, the path to it, main-thread time, owners and findings. A [`Bodies`] hands the
//! checks the response bodies that they compute on. Everything here is a pure function: no I/O, no
//! clock, no interface; facts become sentences in [`words`] alone.
//!
//! ```
//! use phainon_core::{analyse, Load, Prepared, Request, ResourceKind, Millis, Bytes, NoBodies};
//!
//! let mut load = Load::empty("http://www.skerryline.test/");
//! let mut document = Request::new(0, "http://www.skerryline.test/", ResourceKind::Document);
//! document.first_byte = Some(Millis(120.0));
//! document.end = Some(Millis(150.0));
//! document.transferred = Some(Bytes(9_000));
//! load.requests.push(document);
//!
//! let analysis = analyse(&Prepared::plain(load), &NoBodies);
//! assert_eq!(analysis.metrics.ttfb_ms, Some(Millis(120.0)));
//! assert_eq!(analysis.metrics.lcp_ms, None); // not observed, so not known
//! ```

mod analysis;
mod blocking;
mod blocking_as_painted;
mod body;
mod body_parts;
mod cache_control;
pub mod call_profile;
mod callbacks;
pub mod checks;
pub mod compare;
mod conditions;
mod document;
mod edit;
mod edit_text;
mod fonts;
pub mod forecast;
pub mod global_names;
pub mod graph;
mod handlers;
mod http;
mod inline_code;
mod inserted;
mod interaction;
mod just_before;
mod lanes;
mod line;
mod load;
mod main_thread;
pub mod metrics;
mod note;
mod owners;
mod page;
mod paint;
pub mod path;
pub mod plan;
mod prepare;
pub mod profile;
mod purpose;
mod put_right;
mod recording;
mod request;
mod resource_key;
mod return_visit;
mod runs;
mod server_timing;
pub mod server_work;
mod settings;
mod shifts;
mod span;
mod taken;
mod target;
mod tracks;
mod units;
mod uses;
pub mod words;
mod work;
mod work_columns;

pub use analysis::{
    ANALYSIS_VERSION, Analysis, LargestPaint, LcpKind, OwnerAccount, PageMade, RequestRow, SaidAnalysis, ThreadDetail,
    analyse,
};
pub use blocking::{BlockingKind, RenderBlocker, render_blockers};
pub use blocking_as_painted::blocking_as_painted;
pub use body::{Bodies, NoBodies};
pub use body_parts::parts_as_came;
pub use conditions::{Conditions, Distance, PRESETS, Preset, preset};
pub use document::{
    DocumentMark, DocumentRow, DocumentView, FIRST_ROUND, LargestPlace, Mark, SaidDocument, Share, Standing,
    document_view, standings,
};
pub use edit::{Edit, EditKind, Effort, Risk, Scope};
pub use fonts::{FontDisplay, FontFace, TextFont, TextStyle, fonts_of};
pub use handlers::{ForcedRow, HandlerRow, forced, handlers};
pub use http::Http;
pub use inserted::name_inserters;
pub use interaction::{EventTiming, Interaction, interactions};
pub use just_before::ran_just_before;
pub use lanes::{Lanes, lanes};
pub use line::{Line, Pause};
pub use load::{Load, Observed, Source, Visit};
pub use main_thread::{LongTask, MainThread, ScriptTime, TaskColumns};
pub use note::{Lack, Missing, Note, Subject, notes_of_any_version};
pub use owners::{Owner, OwnerId, OwnerKind, OwnerRule, Owners, RuleOn, registrable_domain};
pub use page::{PageFacts, PageImage};
pub use paint::{AnimatedAround, LayoutShift, LcpCandidate, Moved, PaintKind, Rect, ScreenFrame};
pub use prepare::{Index, Prepared};
pub use purpose::suggested_purposes;
pub use put_right::put_right;
pub use recording::{Counted, MetricRow, RecordingSummary, representative, summarise};
pub use request::{
    BodyPart, BodyRef, CacheSource, Header, Initiator, InitiatorKind, RenderBlocking, Request, RequestId, ResourceKind,
    ServerTiming, sent_mark,
};
pub use resource_key::ResourceKey;
pub use return_visit::{Outcome, Reason, ReturnRow, ReturnVisit, return_visit};
pub use runs::name_runs;
pub use server_timing::{server_time_of, server_timing};
pub use settings::Settings;
pub use shifts::{ShiftBy, ShiftRow};
pub use span::{Span, SpanKind};
pub use taken::end_as_taken;
pub use target::Target;
pub use tracks::{TrackLabel, Tracks, TracksHead, tracks};
pub use units::{Bytes, Millis};
pub use work::{
    Animation, Forced, PageChange, Scheduled, TimerInstall, UserTiming, Work, WorkKind, WorkName, self_times,
};
