//! Main-thread work: which events are pieces of it, and how they nest.

use super::Reader;
use super::event::Event;
use phainon_core::profile::CodePlace;
use phainon_core::{Forced, Millis, PageChange, Work, WorkKind, WorkName};
use serde_json::Value;

impl Reader<'_> {
    /// What a main-thread event is, or `None` for kinds that only wrap others.
    pub(super) fn work(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) -> Option<Work> {
        let (kind, name) = match &*event.name {
            "RunTask" | "ThreadControllerImpl::RunTask" | "Task" => (WorkKind::Other, WorkName::Task),
            "EvaluateScript" | "v8.evaluateModule" => (WorkKind::ScriptRun, WorkName::Evaluate),
            "v8.compile" | "v8.compileModule" | "V8.CompileCode" | "v8.produceCache" => {
                (WorkKind::ScriptCompile, WorkName::Compile)
            }
            "FunctionCall" => (WorkKind::ScriptRun, WorkName::Call),
            "TimerFire" => (WorkKind::ScriptRun, WorkName::Timer),
            "EventDispatch" | "HandlePostMessage" => (WorkKind::ScriptRun, WorkName::Event),
            "RunMicrotasks" => (WorkKind::ScriptRun, WorkName::Microtasks),
            "FireAnimationFrame" | "FireIdleCallback" => (WorkKind::ScriptRun, WorkName::AnimationFrame),
            "ParseHTML" if self.is_elsewhere(event) => (WorkKind::HtmlParse, WorkName::ParseFrame),
            "ParseHTML" => (WorkKind::HtmlParse, WorkName::ParseHtml),
            "ParseAuthorStyleSheet" => (WorkKind::Style, WorkName::ParseSheet),
            "UpdateLayoutTree" | "RecalculateStyles" => (WorkKind::Style, WorkName::Style),
            "Layout" => (WorkKind::Layout, WorkName::Layout),
            "PrePaint" => (WorkKind::Paint, WorkName::PrePaint),
            "Paint" | "Layerize" | "UpdateLayer" | "UpdateLayerTree" | "Commit" | "PaintImage" | "Decode Image"
            | "CompositeLayers" => (WorkKind::Paint, WorkName::Paint),
            "MajorGC" | "MinorGC" | "V8.GCScavenger" | "BlinkGC.AtomicPhase" | "V8.GC_MC_INCREMENTAL" => {
                (WorkKind::GarbageCollection, WorkName::Collect)
            }
            "HitTest" => (WorkKind::Input, WorkName::Other),
            _ => return None,
        };
        let mut work = Work::new(kind, name);
        match name {
            WorkName::Task
            | WorkName::PrePaint
            | WorkName::Paint
            | WorkName::Microtasks
            | WorkName::Collect
            | WorkName::AnimationFrame => {}
            // Who forced it stands in the stack; a frame's own style and layout has none.
            WorkName::Style | WorkName::Layout => self.forced(event, kind, at),
            // It names the document that it reads; that is not a script to blame.
            WorkName::ParseHtml | WorkName::ParseFrame => {}
            WorkName::Timer => work.timer = event.whole(&["data", "timerId"]),
            WorkName::Event => {
                let message = &*event.name == "HandlePostMessage";
                let kind = if message { Some("message".into()) } else { event.text(&["data", "type"]) };
                work.event = kind.map(|t| self.intern(&t));
                if let Some(
                    "click" | "keydown" | "keyup" | "pointerdown" | "pointerup" | "mousedown" | "mouseup"
                    | "touchstart" | "touchend" | "input",
                ) = work.event.as_deref()
                {
                    work.kind = WorkKind::Input;
                }
            }
            WorkName::ParseSheet => {
                work.url = event.text(&["data", "styleSheetUrl"]).map(|u| self.intern(&u));
            }
            WorkName::Evaluate | WorkName::Call | WorkName::Compile | WorkName::Other => {
                let url = event.text(&["data", "url"]).or_else(|| event.text(&["fileName"]));
                work.url = url.map(|u| self.intern(&u));
                work.function = event.text(&["data", "functionName"]).map(|f| self.intern(&f));
                work.line = event.whole(&["data", "lineNumber"]).and_then(|l| u32::try_from(l).ok()).filter(|l| *l > 0);
            }
        }
        Some(work)
    }

    /// Whether parsing is that of another frame's document; a picture in vectors is a frame of its own.
    fn is_elsewhere(&self, event: &Event<'_>) -> bool {
        let own = self.navigation.frame.as_str();
        event.text(&["beginData", "frame"]).is_some_and(|frame| !own.is_empty() && frame != own)
    }

    /// Style or layout in whose arguments a script's stack stands was forced by that script.
    fn forced(&mut self, event: &Event<'_>, kind: WorkKind, at: &dyn Fn(f64) -> Millis) {
        if event.ts < self.navigation.ts || !event.raw_args().contains("\"stackTrace\"") {
            return;
        }
        let args = event.args();
        let stack = [&args["beginData"]["stackTrace"], &args["data"]["stackTrace"]].into_iter().find(|s| s.is_array());
        if let Some(by) = stack.and_then(|s| self.place_of(&s[0])) {
            let start = at(event.ts);
            let duration = at(event.ts + event.dur.max(0.0)) - start;
            self.facts.forced.push(Forced { at: start, duration, kind, by });
        }
    }

    /// A change of the page in whose arguments a script's stack stands was that script's.
    pub(super) fn change(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        if event.ts < self.navigation.ts || !event.raw_args().contains("\"stackTrace\"") {
            return;
        }
        let args = event.args();
        let data = &args["data"];
        if data["frame"].as_str().is_some_and(|f| f != self.navigation.frame) {
            return;
        }
        let frames = data["stackTrace"].as_array().into_iter().flatten();
        if let Some(by) = frames.rev().find_map(|frame| self.place_of(frame)) {
            self.facts.changes.push(PageChange { at: at(event.ts), by });
        }
    }

    /// The place in code that a stack's frame names; lines count from 1 there.
    pub(super) fn place_of(&mut self, frame: &Value) -> Option<CodePlace> {
        let url = frame["url"].as_str().filter(|u| !u.is_empty())?;
        Some(CodePlace {
            function: self.intern(frame["functionName"].as_str().unwrap_or("")),
            url: Some(self.intern(url)),
            line: frame["lineNumber"].as_u64().and_then(|l| u32::try_from(l).ok()).filter(|l| *l > 0),
        })
    }

    /// Orders pieces by start, nests them and cuts a part to its whole.
    pub(super) fn nest(&mut self, at: &dyn Fn(f64) -> Millis) {
        let mut pieces = std::mem::take(&mut self.pieces);
        pieces.sort_by(|a, b| a.start.total_cmp(&b.start).then(b.end.total_cmp(&a.end)));
        let mut open: Vec<f64> = Vec::new();
        // In the room that the pieces have: there may be millions.
        let nested = pieces.into_iter().filter_map(|mut piece| {
            piece.start = piece.start.max(self.navigation.ts);
            while open.last().is_some_and(|end| *end <= piece.start) {
                open.pop();
            }
            if let Some(end) = open.last() {
                piece.end = piece.end.min(*end);
            }
            // An empty piece has no time to give, and would nest in what begins with it.
            if piece.end <= piece.start || open.len() >= 1_000 {
                return None;
            }
            let start = at(piece.start);
            piece.work.start = start;
            piece.work.duration = at(piece.end) - start;
            piece.work.depth = u16::try_from(open.len()).unwrap_or(u16::MAX);
            open.push(piece.end);
            Some(piece.work)
        });
        self.facts.work = nested.collect();
    }
}
