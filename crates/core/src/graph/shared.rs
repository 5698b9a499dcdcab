//! What a body's time on the line went into: its own bytes, the bytes of others, and pauses of its server.

use super::{About, Cause, Graph, LegFact, Piece};
use crate::{Millis, Request, RequestId};

/// A shorter share of another is not worth a leg of its own.
const WORTH_NAMING: Millis = Millis(20.0);
/// A shorter gap in a body may be the network's own.
const PAUSED: Millis = Millis(250.0);
/// So many others get a leg of their own, however short their share.
const NAMED: usize = 3;
/// And so many at most, if each took the line so long.
const MOST_NAMED: usize = 10;
const LONG: Millis = Millis(100.0);

impl Graph<'_> {
    /// What other bytes the line carried, and when the server paused, while a body was received between two
    /// moments, in order of time. The line takes turns in small pieces; the legs put each file's together.
    #[must_use]
    pub fn on_the_line(&self, id: RequestId, from: Millis, to: Millis) -> Vec<Piece> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        let file = || request.url.clone();
        let mut pieces = Vec::new();
        for pause in self.line.pauses(self.load, request) {
            let until = pause.until;
            let began = until - Millis(pause.pause.as_secs_f64() * 1000.0);
            if began >= from && until <= to && until - began >= PAUSED {
                let fact = LegFact::ServerPauses { file: file() };
                pieces.push(Piece { from: began, to: until, cause: Cause::Wait, about: About::Request(id), fact });
            }
        }
        if !pieces.is_empty() {
            return pieces;
        }
        self.carried(request, self.line.others(request, from, to), from, to)
    }

    /// What went before an answer on its connection, where several share one.
    #[must_use]
    pub fn ahead(&self, id: RequestId, from: Millis, to: Millis) -> Vec<Piece> {
        let Some(request) = self.load.request(id) else { return Vec::new() };
        let ahead = self.line.ahead(request, from, to);
        // What holds an answer up goes right before it.
        let took = ahead.iter().map(|(_, time)| *time).sum::<Millis>();
        self.carried(request, ahead, from.max(to - took), to)
    }

    fn carried(&self, request: &Request, others: Vec<(RequestId, Millis)>, from: Millis, to: Millis) -> Vec<Piece> {
        let file = || request.url.clone();
        let mut pieces = Vec::new();
        let mut at = from;
        let mut shares = |time: Millis, about: About, fact: LegFact| {
            let until = (at + time).min(to);
            pieces.push(Piece { from: at, to: until, cause: Cause::Shared, about, fact });
            at = until;
        };
        let (mut files, mut theirs) = (0, Millis::ZERO);
        // Headers alone are nothing that the line is shared with.
        let others = others.into_iter().filter(|(_, time)| *time > Millis::ZERO);
        for (place, (other, time)) in others.enumerate() {
            let with = self.load.request(other).map(|r| r.url.clone());
            let is_long = time >= WORTH_NAMING && place < NAMED || time >= LONG && place < MOST_NAMED;
            match with.filter(|_| is_long) {
                Some(with) => shares(time, About::Request(other), LegFact::SharesLine { file: file(), with }),
                None => (files, theirs) = (files + 1, theirs + time),
            }
        }
        // What many took a little of is none of theirs alone, nor the file's own.
        if theirs >= WORTH_NAMING {
            shares(theirs, About::Browser, LegFact::SharesLineWithOthers { file: file(), files });
        }
        pieces
    }
}
