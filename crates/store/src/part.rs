//! The parts that a load is kept in.

/// The parts of a load that have a row each.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[allow(missing_docs)]
pub enum Part {
    // Raw: as they came.
    NetworkEvents,
    KeptBodies,
    HarRequests,
    Trace,
    Page,
    // Made of the raw ones.
    Load,
    Overview,
    Requests,
    Thread,
    Server,
    Tracks,
}

impl Part {
    /// As its row names it.
    pub(crate) fn name(self) -> &'static str {
        match self {
            Self::NetworkEvents => "network",
            Self::KeptBodies => "kept-bodies",
            Self::HarRequests => "requests",
            Self::Trace => "trace",
            Self::Page => "page",
            Self::Load => "load",
            Self::Overview => "overview",
            Self::Requests => "request-rows",
            Self::Thread => "thread",
            Self::Server => "server",
            Self::Tracks => "tracks",
        }
    }

    /// Names of those that are made anew, for SQL.
    pub(crate) const DERIVED: &'static str = "('load', 'overview', 'request-rows', 'thread', 'server', 'tracks')";
}
