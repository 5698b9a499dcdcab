//! Web sockets as the renderer's trace events tell them.

use super::Reader;
use super::event::Event;
use crate::without_credentials;
use phainon_core::{BodyPart, Bytes, Initiator, InitiatorKind, Millis, Request, ResourceKind};
use serde_json::Value;
use std::sync::Arc;

impl Reader<'_> {
    /// A socket is a request from its making on; its handshake goes once it is connected.
    pub(super) fn socket(&mut self, event: &Event<'_>, at: &dyn Fn(f64) -> Millis) {
        let args = event.args();
        let data = &args["data"];
        let Some(number) = data["identifier"].as_u64() else { return };
        let id = format!("socket {number} of {}", event.thread().0);
        if &*event.name == "WebSocketCreate" {
            let Some(url) = data["url"].as_str() else { return };
            let mut request = Request::new(0, &without_credentials(url), ResourceKind::Data);
            request.start = at(event.ts);
            request.main_frame = data["frame"].as_str().is_none_or(|f| f == self.navigation.frame);
            request.initiator = initiator(&data["stackTrace"]);
            if self.network.entry(id.clone()).or_default().request.replace(request).is_none() {
                self.order.push(id);
            }
            return;
        }
        let Some(request) = self.network.get_mut(&id).and_then(|seen| seen.request.as_mut()) else { return };
        let at = at(event.ts).max(request.start);
        match &*event.name {
            "WebSocketSendHandshakeRequest" => {
                (request.connect_start, request.connect_end, request.sent) = (Some(request.start), Some(at), Some(at));
            }
            "WebSocketReceiveHandshakeResponse" => request.first_byte = Some(at),
            "WebSocketReceive" => {
                request.parts.push(BodyPart { at, bytes: Bytes(data["dataLength"].as_u64().unwrap_or(0)) });
            }
            "WebSocketSend" => request.said.push(at),
            _ => {}
        }
    }
}

/// Who made it: the trace's stacks count lines and columns from 1.
fn initiator(stack: &Value) -> Initiator {
    let named = |frame: &&Value| frame["url"].as_str().is_some_and(|url| !url.is_empty());
    let frames: Vec<&Value> = stack.as_array().into_iter().flatten().filter(named).take(64).collect();
    let stack: Vec<Arc<str>> =
        frames.iter().filter_map(|frame| Some((*without_credentials(frame["url"].as_str()?)).into())).collect();
    let place = |key: &str| frames.first()?[key].as_u64().and_then(|n| u32::try_from(n).ok());
    let kind = if stack.is_empty() { InitiatorKind::Unknown } else { InitiatorKind::Script };
    Initiator { kind, url: stack.first().cloned(), line: place("lineNumber"), column: place("columnNumber"), stack }
}
