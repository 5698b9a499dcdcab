//! What the forward run computes on: moments with what each needs, tasks, and bytes on the line. Edits change
//! a copy of it.

use super::pool::{Pool, Seat};
use crate::RequestId;

/// A moment's place in [`World::moments`].
pub(super) type Place = u32;
/// Navigation start.
pub(super) const START: Place = 0;

/// How a moment's time follows from what it needs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Kind {
    /// So much later than the last of its needs.
    After,
    /// A task may begin: so much later than the last of its needs, and when the thread is free.
    Begins(u32),
    /// So far into a task.
    Inside { task: u32, offset: f64 },
    /// A request has a connection, after which it is sent: so much later than the last of its needs it wants one.
    Sent(u32),
    /// A connection of a pool is opened before any request wants it.
    Opens(u32),
    /// The server's wait after the request was sent, and what goes before it on its connection.
    Answered(u32),
    /// The body's time on the line after its headers.
    Done(u32),
    /// A share of a body.
    Part { request: u32, share: f64 },
    /// A font has come (where it ever does), or the browser has given up on it: so long after it was asked for, and
    /// not before so many ms after navigation start. The frame that asked for it shows no text in it, unless it has come
    /// before that frame is begun.
    FontSettled { asked: Place, done: Option<Place>, after: f64, not_before: f64, frame: Option<(Place, Place)> },
    /// Text that is faded in is painted anew: the place of its fade in [`World::fades`].
    Repainted(u32),
}

/// What has text painted anew that is faded in: the first to come since the fade began.
#[derive(Debug, Clone)]
pub(super) struct Fade {
    pub begun: Place,
    /// Its end does, so long after its beginning in ms.
    pub lasts: Option<f64>,
    /// Fonts that do: once they come, or are given up on.
    pub fonts: Vec<Place>,
    /// As long as one of these is on its way,
    pub floats: Vec<Place>,
    /// any of these does.
    pub any: Vec<Place>,
    /// The candidate for the largest paint that the text is, where the fade stays as it ends: else that shows it at last.
    pub candidate: Option<usize>,
}

impl Fade {
    /// Whatever it may wait for.
    pub(super) fn needs(&self) -> impl Iterator<Item = Place> {
        self.fonts.iter().chain(&self.floats).chain(&self.any).copied()
    }

    /// When the text is painted, by the times of moments; `None` where nothing that is known does it.
    pub(super) fn first(&self, at: &dyn Fn(Place) -> f64) -> Option<f64> {
        let begun = at(self.begun);
        let until = self.floats.iter().map(|place| at(*place)).filter(|at| at.is_finite()).fold(0.0, f64::max);
        let any = self.any.iter().map(|place| at(*place)).filter(|at| *at < until);
        let fonts = self.fonts.iter().map(|place| at(*place)).chain(any).filter(|at| *at > begun);
        let lasts = self.lasts.map(|lasts| begun + lasts);
        fonts.chain(lasts).reduce(f64::min).filter(|at| at.is_finite())
    }
}

/// A moment.
#[derive(Debug, Clone, Copy)]
pub(super) struct Moment {
    pub kind: Kind,
    /// When it was observed, in ms.
    pub at: f64,
    /// How much later than the last of its needs: what the model does not know, as observed.
    pub lag: f64,
    /// When it could have come as observed, in ms; infinite where an edit says how much later it comes.
    pub due: f64,
    /// It does not happen.
    pub gone: bool,
}

/// What becomes of a moment whose need does not happen.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Bond {
    /// It waits for it no longer.
    Gate,
    /// It does not happen either.
    Origin,
}

/// A moment's need of another.
#[derive(Debug, Clone, Copy)]
pub(super) struct Need {
    pub moment: Place,
    pub on: Place,
    pub bond: Bond,
    /// The run within a task that needs it, where it is not the whole task.
    pub run: Option<u32>,
    /// It does not count any more.
    pub void: bool,
}

/// A task of the main thread.
#[derive(Debug, Clone, Copy)]
pub(super) struct Task {
    pub begins: Place,
    /// In ms.
    pub duration: f64,
    /// The pause after it that the thread did not use, where others waited.
    pub gap: f64,
    /// Of tasks that are ready, the one of the lowest order goes first.
    pub order: f64,
    /// As observed.
    pub start: f64,
    /// When it could have begun without edits, by the model; infinite where that has not been run yet, or the task is an
    /// edit's.
    pub ready: f64,
    /// It is done in pieces too short to block.
    pub split: bool,
    /// Its end, where a script stands still in it for an answer.
    pub stands_until: Option<Place>,
}

/// A run of script, or a sheet's parsing, within a task.
#[derive(Debug, Clone, Copy)]
pub(super) struct Run {
    /// Its piece of work.
    pub piece: usize,
    pub task: u32,
    pub offset: f64,
    pub length: f64,
}

/// A stretch taken out of a task.
#[derive(Debug, Clone, Copy)]
pub(super) struct Cut {
    pub task: u32,
    pub offset: f64,
    pub length: f64,
}

/// A request on the line.
#[derive(Debug, Clone, Copy)]
pub(super) struct Transfer {
    pub connection: u32,
    /// Over the wire.
    pub bytes: f64,
    pub bytes_observed: f64,
    /// The server's wait and the way there and back, in ms.
    pub wait: f64,
    /// For how long its headers then stood behind other answers on their connection, as observed, in ms.
    pub queued: f64,
    /// From headers to the last byte, as observed.
    pub body: f64,
}

/// The moments of a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Phase {
    Asked,
    Connecting,
    Connected,
    Sent,
    Answered,
    Done,
}

impl Phase {
    pub(super) const ALL: [Self; 6] =
        [Self::Asked, Self::Connecting, Self::Connected, Self::Sent, Self::Answered, Self::Done];

    /// The place of a request's moment: they stand first, six a request.
    pub(super) fn of(self, request: RequestId) -> Place {
        1 + request.0 * 6 + self as u32
    }
}

/// A paint, and the task that drew it.
#[derive(Debug, Clone, Copy)]
pub(super) struct Drawn {
    pub moment: Place,
    pub task: u32,
    /// The end of its painting.
    pub painted: Place,
    /// When all was there that it shows, as observed, in ms; infinite where some of it happens in the task that draws it.
    pub from: f64,
    /// Frames that were drawn once all was there that it shows, and did not show it yet.
    pub skips: usize,
    /// What the drawing itself took, up to the end of its painting, in ms.
    pub drawing: f64,
    /// For how long the thread rested between all being there and the drawing, in ms.
    pub rested: f64,
}

/// A task that draws a frame.
#[derive(Debug, Clone, Copy)]
pub(super) struct Frame {
    pub task: u32,
    /// How far into the task its painting ends, in ms.
    pub painted: f64,
}

/// Everything that the forward run needs.
#[derive(Debug, Clone, Default)]
pub(super) struct World {
    pub frames: Vec<Frame>,
    pub drawn: Vec<Drawn>,
    pub fades: Vec<Fade>,
    pub moments: Vec<Moment>,
    pub needs: Vec<Need>,
    pub tasks: Vec<Task>,
    pub cuts: Vec<Cut>,
    pub transfers: Vec<Transfer>,
    /// Connections over HTTP/1.1.
    pub pools: Vec<Pool>,
    /// The place of each request among those of its pool; of those that wait for no connection of one, none.
    pub seats: Vec<Option<Seat>>,
    /// Requests in the order in which they were answered: of those that a server has at once, the first to go was the
    /// first to have been asked for there.
    pub answers: Vec<u32>,
    /// Bytes a ms; 0 where the line is not known.
    pub rate: f64,
    /// In ms.
    pub round_trip: f64,
}

impl World {
    pub(super) fn add(&mut self, kind: Kind, at: f64) -> Place {
        self.moments.push(Moment { kind, at, lag: 0.0, due: f64::INFINITY, gone: false });
        u32::try_from(self.moments.len() - 1).unwrap_or(START)
    }

    pub(super) fn need(&mut self, moment: Place, on: Place, bond: Bond) {
        if moment != on {
            self.needs.push(Need { moment, on, bond, run: None, void: false });
        }
    }

    /// Has a moment come so much later than the last of its needs.
    pub(super) fn set_lag(&mut self, place: Place, lag: f64) {
        let moment = self.moment_mut(place);
        (moment.lag, moment.due) = (lag, f64::INFINITY);
    }

    /// What a moment's time is beyond the last of its needs. Where an edit has it need something that was
    /// observed later than what it had needed, less is left.
    pub(super) fn lags(&self) -> Vec<f64> {
        let mut latest = vec![f64::NEG_INFINITY; self.moments.len()];
        for need in &self.needs {
            if !need.void && !self.moment(need.on).gone {
                let at = &mut latest[need.moment as usize];
                *at = at.max(self.moment(need.on).at);
            }
        }
        let lag =
            |(moment, latest): (&Moment, f64)| moment.lag.min((moment.due - latest).max(0.0)).max(moment.lag.min(0.0));
        self.moments.iter().zip(latest).map(lag).collect()
    }

    /// When all was there that each paint shows, by the times of moments; infinite where some of it happens in the
    /// task that draws it.
    pub(super) fn shown_from(&self, at: &dyn Fn(Place) -> f64) -> Vec<f64> {
        let mut from = vec![0.0f64; self.drawn.len()];
        for need in self.needs.iter().filter(|n| !n.void && !self.moment(n.on).gone) {
            for (drawn, from) in self.drawn.iter().zip(&mut from) {
                if drawn.moment != need.moment || drawn.painted == need.on {
                    continue;
                }
                let own = matches!(self.moment(need.on).kind, Kind::Inside { task, .. } if task == drawn.task);
                *from = from.max(if own { f64::INFINITY } else { at(need.on) });
            }
        }
        from
    }

    pub(super) fn moment(&self, place: Place) -> &Moment {
        &self.moments[place as usize]
    }

    pub(super) fn moment_mut(&mut self, place: Place) -> &mut Moment {
        &mut self.moments[place as usize]
    }
}
