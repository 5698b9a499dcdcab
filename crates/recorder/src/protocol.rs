//! The remote debugging protocol: one connection, many sessions, every call with a time limit.
//!
//! Messages are exchanged by chromiumoxide's connection. Events are taken as plain JSON rather
//! than as its generated types: a browser newer than those types must not lose us an event.

use crate::RecordError;
use chromiumoxide::Connection;
use chromiumoxide::cdp::browser_protocol::target::SessionId;
use chromiumoxide::types::{CallId, EventMessage, Message, Method, MethodId};
use futures::StreamExt;
use serde::Deserialize;
use serde_json::Value;
use std::collections::HashMap;
use std::time::Duration;
use tokio::sync::{mpsc, oneshot};

/// An event as it came.
#[derive(Debug, Clone, Deserialize)]
pub struct Event {
    /// `Domain.name`.
    pub method: String,
    /// Which session it is of.
    #[serde(default, rename = "sessionId")]
    pub session: Option<String>,
    /// What it says.
    #[serde(default)]
    pub params: Value,
}

impl Method for Event {
    fn identifier(&self) -> MethodId {
        self.method.clone().into()
    }
}

impl EventMessage for Event {
    fn session_id(&self) -> Option<&str> {
        self.session.as_deref()
    }
}

type Answer = Result<Value, RecordError>;

struct Call {
    method: String,
    session: Option<String>,
    params: Value,
    answer: oneshot::Sender<Answer>,
}

/// A connection to a browser; clones share it.
#[derive(Clone)]
pub struct Client {
    calls: mpsc::UnboundedSender<Call>,
}

impl Client {
    /// Connects, and gives the stream of all events beside the client. The stream ends with the connection.
    pub async fn connect(address: &str) -> Result<(Self, mpsc::UnboundedReceiver<Event>), RecordError> {
        let connection = Connection::<Event>::connect(address)
            .await
            .map_err(|e| RecordError::BrowserStart(address.to_owned(), e.to_string()))?;
        let (calls, inbox) = mpsc::unbounded_channel();
        let (outbox, events) = mpsc::unbounded_channel();
        tokio::spawn(exchange(connection, inbox, outbox));
        Ok((Self { calls }, events))
    }

    /// Calls a method and waits for its answer, at most `limit`.
    pub async fn call(&self, session: Option<&str>, method: &str, params: Value, limit: Duration) -> Answer {
        let (answer, answered) = oneshot::channel();
        let call = Call { method: method.to_owned(), session: session.map(str::to_owned), params, answer };
        self.calls.send(call).map_err(|_| RecordError::BrowserGone(String::new()))?;
        match tokio::time::timeout(limit, answered).await {
            Ok(Ok(result)) => result,
            Ok(Err(_)) => Err(RecordError::BrowserGone(String::new())),
            Err(_) => Err(RecordError::NoAnswer(method.to_owned(), limit.as_secs())),
        }
    }

    /// Calls a method without waiting: for acknowledgements.
    pub fn tell(&self, session: Option<&str>, method: &str, params: Value) {
        let (answer, _) = oneshot::channel();
        let _ =
            self.calls.send(Call { method: method.to_owned(), session: session.map(str::to_owned), params, answer });
    }
}

/// Carries calls to the browser and answers and events back, until either side is gone.
async fn exchange(
    mut connection: Connection<Event>,
    mut inbox: mpsc::UnboundedReceiver<Call>,
    outbox: mpsc::UnboundedSender<Event>,
) {
    let mut waiting: HashMap<CallId, (String, oneshot::Sender<Answer>)> = HashMap::new();
    loop {
        tokio::select! {
            call = inbox.recv() => {
                let Some(call) = call else { return };
                let session = call.session.map(SessionId::from);
                match connection.submit_command(call.method.clone().into(), session, call.params) {
                    Ok(id) => { waiting.insert(id, (call.method, call.answer)); }
                    Err(e) => { let _ = call.answer.send(Err(RecordError::Refused(call.method, e.to_string()))); }
                }
            }
            message = connection.next() => match message {
                Some(Ok(Message::Event(event))) => { let _ = outbox.send(event); }
                Some(Ok(Message::Response(response))) => {
                    let Some((method, answer)) = waiting.remove(&response.id) else { continue };
                    let _ = answer.send(match response.error {
                        Some(error) => Err(RecordError::Refused(method, error.message)),
                        None => Ok(response.result.unwrap_or(Value::Null)),
                    });
                }
                // A message that is neither is none of ours; a broken connection ends everything.
                Some(Err(chromiumoxide::error::CdpError::InvalidMessage(..))) => {}
                Some(Err(_)) | None => return,
            }
        }
    }
}
