//! What fixes do to the recorded answers, one file a kind.

pub mod by_hand;
mod compress;
mod css;
mod delay;
mod drop_unused;
mod fonts;
mod headers;
mod html;
mod images;
mod move_scripts;
mod preload;
mod put_in_html;
mod reduce_style;
mod remove;
mod self_host;
mod server;
mod subset_font;
mod used;

pub use css::without_files;
pub use html::base_of;
pub use remove::markup_without;

use crate::answer::Answer;
use crate::book::Book;
use phainon_core::metrics::Coverage;
use phainon_core::{Edit, Owner, Prepared, ResourceKey, ResourceKind, Scope};

/// What edits know beside the book.
pub struct Known<'a> {
    /// The load that is replayed.
    pub prepared: &'a Prepared,
    /// What the page used of its code, by address; empty where nobody looked.
    pub coverage: &'a [Coverage],
}

/// Why an edit cannot be tried, in one sentence.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{0}")]
pub struct CannotTry(pub String);

/// What an edit comes to.
pub type Tried = Result<Vec<String>, CannotTry>;

pub(crate) fn cannot<T>(why: impl Into<String>) -> Result<T, CannotTry> {
    Err(CannotTry(why.into()))
}

/// Applies an edit to a book. Gives what its user should know of how it was done; the book stays as it was
/// where the edit cannot be tried.
pub fn apply(edit: &Edit, book: &mut Book, known: &Known<'_>) -> Tried {
    let mut tried = book.clone();
    let told = applied(edit, &mut tried, known)?;
    *book = tried;
    Ok(told)
}

fn applied(edit: &Edit, book: &mut Book, known: &Known<'_>) -> Tried {
    match edit {
        Edit::Remove { file } => remove::file(book, file),
        Edit::RemoveOwner { owner } => remove::owner(book, known, owner),
        Edit::DeferScript { file } => move_scripts::defer(book, known, file),
        Edit::AsyncScript { file } => move_scripts::make_async(book, known, file),
        Edit::ScriptToEnd { file } => move_scripts::to_end(book, known, file),
        Edit::DelayScript { scope } => delay::until_input(book, known, scope),
        Edit::ReduceStyle { file } => reduce_style::inline_used(book, known, file),
        Edit::LiftImport { file } => reduce_style::lift_import(book, file),
        Edit::Preload { file } => preload::preload(book, file, false),
        Edit::RaisePriority { file } => preload::raise(book, file),
        Edit::PutInHtml { file } => put_in_html::put_in_html(book, known, file),
        Edit::Preconnect { host } => preload::preconnect(book, host),
        Edit::PreloadFont { file } => preload::preload(book, file, true),
        Edit::Lazy { file } => images::loading(book, file, "lazy"),
        Edit::Eager { file } => images::loading(book, file, "eager"),
        Edit::Compress { scope } => compress::compress(book, known, scope),
        Edit::Minify { scope } => compress::minify(book, known, scope),
        Edit::Shrink { file, to } => images::shrink(book, file, *to),
        Edit::Resize { scope } => images::resize(book, known, scope),
        Edit::SetDimensions { scope } => images::dimensions(book, known, scope),
        Edit::DropUnused { file } => drop_unused::drop_unused(book, known, file),
        Edit::FasterResponse { file, to } => server::faster(book, file, *to),
        Edit::PageCache { file } => server::page_cache(book, file),
        Edit::ServerRemove { part } => server::takes(book, known, part, 0.0),
        Edit::ServerFaster { part, share } => server::takes(book, known, part, *share),
        Edit::Nearer { host, round_trip } => server::nearer(book, known, host, *round_trip),
        Edit::SelfHost { file } => self_host::self_host(book, file),
        Edit::DropRedirect { file } => self_host::drop_redirect(book, file),
        Edit::Http2 { host } => server::http2(book, host),
        Edit::ShowText { file } => fonts::show_text(book, file),
        Edit::SubsetFont { file } => subset_font::subset(book, known, file),
        Edit::CacheLonger { scope } => headers::cache_longer(book, known, scope),
        Edit::SplitTask { file } | Edit::StopForcedLayout { file } => cannot(format!(
            "How {} would have to be written is not known to a replay; change it by hand and try that.",
            file.name()
        )),
    }
}

/// The answers that a scope means, by their places.
pub(crate) fn in_scope(book: &Book, known: &Known<'_>, scope: &Scope) -> Vec<usize> {
    let owner_is = |answer: &Answer, owner: &Owner| owner_of(answer, known) == Some(owner);
    let wanted = |answer: &Answer| match scope {
        Scope::File { file } => ResourceKey::of(&answer.url) == *file,
        Scope::Kind { owner, files } => answer.kind == *files && owner_is(answer, owner),
        Scope::Host { host, owner } => {
            crate::book::host_of(&answer.url).as_deref() == Some(host.as_str()) && owner_is(answer, owner)
        }
        Scope::Owner { owner } => owner_is(answer, owner),
    };
    (0..book.answers.len()).filter(|place| wanted(&book.answers[*place])).collect()
}

/// Whose an answer is; nobody's where an edit added it.
pub(crate) fn owner_of<'a>(answer: &Answer, known: &'a Known<'_>) -> Option<&'a Owner> {
    Some(known.prepared.owners.request(answer.request?))
}

/// The places of a file's answers, or why there is none.
pub(crate) fn places(book: &Book, file: &ResourceKey) -> Result<Vec<usize>, CannotTry> {
    let found: Vec<usize> =
        (0..book.answers.len()).filter(|p| ResourceKey::of(&book.answers[*p].url) == *file).collect();
    if found.is_empty() { cannot(format!("This load did not ask for {}.", file.name())) } else { Ok(found) }
}

/// Who asked for a file that no document names: for the sentence that says why an edit cannot be tried.
pub(crate) fn asked_by(book: &Book, known: &Known<'_>, file: &ResourceKey) -> String {
    let place = places(book, file).ok().and_then(|p| p.first().copied());
    let request = place.and_then(|p| known.prepared.load.request(book.answers[p].request?));
    match request.and_then(|r| r.initiator.url.as_deref().or(r.initiator.stack.first().map(|s| &**s))) {
        Some(url) => ResourceKey::of(url).name(),
        None => "a script".to_owned(),
    }
}

/// The element that shows or runs a kind of file, as `as` of a preload names it (HTML, preload destinations).
pub(crate) fn destination(kind: ResourceKind) -> &'static str {
    match kind {
        ResourceKind::Style => "style",
        ResourceKind::Script => "script",
        ResourceKind::Image => "image",
        ResourceKind::Font => "font",
        ResourceKind::Document => "document",
        ResourceKind::Data | ResourceKind::Media | ResourceKind::Other => "fetch",
    }
}
