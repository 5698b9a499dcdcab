//! What edits do to a load's moments, one file a kind.

mod bytes;
mod discovery;
mod remove;
mod scripts;
mod server;
mod stability;
mod styles;
mod text;
mod work;

use super::change::Change;
use crate::{Bodies, Edit, RequestId, ResourceKey};

/// Why an edit's effect cannot be computed, in one sentence.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Unforeseen {
    /// The sentence.
    pub why: String,
    /// Whether it is that the load has nothing to which it could be done.
    pub is_absent: bool,
}

pub(super) type Effect = Result<(), Unforeseen>;

pub(super) fn unforeseen<T>(why: impl Into<String>) -> Result<T, Unforeseen> {
    Err(Unforeseen { why: why.into(), is_absent: false })
}

/// Applies an edit to a world.
pub(super) fn apply(edit: &Edit, change: &mut Change<'_>, bodies: &dyn Bodies) -> Effect {
    match edit {
        Edit::Remove { file } => remove::file(change, file),
        Edit::RemoveOwner { owner } => remove::owner(change, owner),
        Edit::DeferScript { file } => scripts::defer(change, file, bodies),
        Edit::AsyncScript { file } => scripts::make_async(change, file),
        Edit::ScriptToEnd { file } => scripts::to_end(change, file),
        Edit::DelayScript { scope } => scripts::delay(change, scope),
        Edit::ReduceStyle { file } => styles::reduce(change, file, bodies),
        Edit::LiftImport { file } | Edit::Preload { file } | Edit::PreloadFont { file } => {
            discovery::preload(change, file)
        }
        Edit::RaisePriority { file } => discovery::raise(change, file),
        Edit::PutInHtml { file } => discovery::put_in_html(change, file),
        Edit::Lazy { file } => discovery::lazy(change, file),
        Edit::Eager { file } => discovery::preload(change, file),
        Edit::Compress { scope } => bytes::compress(change, scope, bodies),
        Edit::Minify { .. } => unforeseen("How much smaller the code becomes is known once the edit is tried."),
        Edit::Shrink { file, to } => bytes::shrink(change, file, *to),
        Edit::Resize { scope } => bytes::resize(change, scope),
        Edit::DropUnused { .. } => unforeseen("What the page does not use is known once the edit is tried."),
        Edit::FasterResponse { file, to } => server::faster(change, file, *to),
        Edit::PageCache { file } => server::faster(change, file, None),
        Edit::ServerRemove { part } => server::takes(change, part, 0.0),
        Edit::ServerFaster { part, share } => server::takes(change, part, *share),
        Edit::Nearer { host, round_trip } => server::nearer(change, host, *round_trip),
        Edit::Preconnect { host } => server::preconnect(change, host),
        Edit::SelfHost { file } => server::self_host(change, file),
        Edit::DropRedirect { file } => server::drop_redirect(change, file),
        Edit::Http2 { host } => server::http2(change, host),
        Edit::SetDimensions { scope } => stability::set_dimensions(change, scope),
        Edit::ShowText { file } => text::show(change, file),
        Edit::SubsetFont { .. } => unforeseen("How small the font becomes is not known."),
        Edit::CacheLonger { .. } => unforeseen("It changes later visits, which are not forecast."),
        Edit::SplitTask { file } => work::split(change, file),
        Edit::StopForcedLayout { file } => work::stop_forced(change, file),
    }
}

/// The requests of a file, of which there must be one.
pub(super) fn requests(change: &Change<'_>, file: &ResourceKey) -> Result<Vec<RequestId>, Unforeseen> {
    let found = change.ground.file(file);
    if found.is_empty() {
        return Err(Unforeseen { why: format!("The load has no request for {file}."), is_absent: true });
    }
    Ok(found.to_vec())
}
