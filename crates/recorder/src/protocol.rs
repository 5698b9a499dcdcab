//! The remote debugging protocol: one connection, many sessions, every call with a time limit.
//!
//! Messages are plain JSON, and events are taken as they come: a browser newer than this program
//! must not lose us an event.

use crate::RecordError;
use crate::transport::Transport;
use serde::Deserialize;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::time::Duration;
use tokio::sync::{mpsc, oneshot};

/// How long a call that needs nothing of the page may take.
pub const CALL: Duration = Duration::from_secs(15);

/// An event as it came.
#[derive(Debug, Clone)]
pub struct Event {
    /// `Domain.name`.
    pub method: String,
    /// Which session it is of.
    pub session: Option<String>,
    /// What it says.
    pub params: Value,
}

/// Any message from the browser: an event has a method, an answer the id of its call.
#[derive(Deserialize)]
struct Incoming {
    id: Option<u64>,
    method: Option<String>,
    #[serde(rename = "sessionId")]
    session: Option<String>,
    #[serde(default)]
    params: Value,
    #[serde(default)]
    result: Value,
    error: Option<Refusal>,
}

#[derive(Deserialize)]
struct Refusal {
    message: String,
}

type Answer = Result<Value, RecordError>;

struct Call {
    method: String,
    session: Option<String>,
    params: Value,
    answer: Option<oneshot::Sender<Answer>>,
}

/// A connection to a browser; clones share it.
#[derive(Clone)]
pub struct Client {
    calls: mpsc::UnboundedSender<Call>,
}

impl Client {
    /// Speaks over a transport, and gives the stream of all events beside the client. The stream
    /// ends with the connection.
    pub fn over(transport: Transport) -> (Self, mpsc::UnboundedReceiver<Event>) {
        let (calls, inbox) = mpsc::unbounded_channel();
        let (outbox, events) = mpsc::unbounded_channel();
        tokio::spawn(exchange(transport, inbox, outbox));
        (Self { calls }, events)
    }

    /// Calls a method and waits for its answer, at most `limit`.
    pub async fn call(&self, session: Option<&str>, method: &str, params: Value, limit: Duration) -> Answer {
        let (answer, answered) = oneshot::channel();
        self.send(session, method, params, Some(answer)).map_err(|()| RecordError::BrowserGone(String::new()))?;
        match tokio::time::timeout(limit, answered).await {
            Ok(Ok(result)) => result,
            Ok(Err(_)) => Err(RecordError::BrowserGone(String::new())),
            Err(_) => Err(RecordError::NoAnswer(method.to_owned(), limit.as_secs())),
        }
    }

    /// Calls a method without waiting: for acknowledgements.
    pub fn tell(&self, session: Option<&str>, method: &str, params: Value) {
        let _ = self.send(session, method, params, None);
    }

    fn send(
        &self,
        session: Option<&str>,
        method: &str,
        params: Value,
        answer: Option<oneshot::Sender<Answer>>,
    ) -> Result<(), ()> {
        let call = Call { method: method.to_owned(), session: session.map(str::to_owned), params, answer };
        self.calls.send(call).map_err(|_| ())
    }
}

/// Carries calls to the browser and answers and events back, until either side is gone.
async fn exchange(
    mut transport: Transport,
    mut inbox: mpsc::UnboundedReceiver<Call>,
    outbox: mpsc::UnboundedSender<Event>,
) {
    let mut waiting: HashMap<u64, (String, oneshot::Sender<Answer>)> = HashMap::new();
    let mut last = 0;
    loop {
        tokio::select! {
            call = inbox.recv() => {
                let Some(call) = call else { return };
                last += 1;
                let mut message = json!({"id": last, "method": call.method, "params": call.params});
                if let Some(session) = call.session {
                    message["sessionId"] = session.into();
                }
                if let Some(answer) = call.answer {
                    waiting.insert(last, (call.method, answer));
                }
                if transport.to.send(message.to_string()).is_err() {
                    return;
                }
            }
            message = transport.from.recv() => {
                let Some(bytes) = message else { return };
                // A message that is neither answer nor event is none of ours.
                let Ok(message) = serde_json::from_slice::<Incoming>(&bytes) else { continue };
                match (message.id, message.method) {
                    (Some(id), _) => {
                        let Some((method, answer)) = waiting.remove(&id) else { continue };
                        let _ = answer.send(match message.error {
                            Some(error) => Err(RecordError::Refused(method, error.message)),
                            None => Ok(message.result),
                        });
                    }
                    (None, Some(method)) => {
                        let _ = outbox.send(Event { method, session: message.session, params: message.params });
                    }
                    (None, None) => {}
                }
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn answers_find_their_calls_and_events_pass() {
        let (to, mut sent) = mpsc::unbounded_channel::<String>();
        let (browser, from) = mpsc::unbounded_channel();
        let (client, mut events) = Client::over(Transport { to, from });
        tokio::spawn(async move {
            let mut asked = Vec::new();
            for _ in 0..3 {
                let call: Value = serde_json::from_str(&sent.recv().await.expect("a call")).expect("JSON");
                asked.push(call);
            }
            browser.send(b"not JSON".to_vec()).expect("open");
            browser.send(br#"{"method":"Page.loaded","sessionId":"s","params":{"at":1}}"#.to_vec()).expect("open");
            // Answered in another order than asked.
            for call in asked.iter().rev() {
                let answer = match call["method"].as_str() {
                    Some("wrong") => json!({"id": call["id"], "error": {"code": -1, "message": "no such method"}}),
                    _ => json!({"id": call["id"], "result": {"session": call["sessionId"]}}),
                };
                browser.send(answer.to_string().into_bytes()).expect("open");
            }
            tokio::time::sleep(Duration::from_secs(3600)).await;
        });
        let limit = Duration::from_secs(5);
        client.tell(None, "told", Value::Null);
        let (fine, wrong) = tokio::join!(
            client.call(Some("s"), "fine", json!({}), limit),
            client.call(None, "wrong", json!({}), limit)
        );
        assert_eq!(fine.expect("an answer")["session"], "s");
        assert!(
            matches!(wrong, Err(RecordError::Refused(method, why)) if method == "wrong" && why == "no such method")
        );
        let event = events.recv().await.expect("an event");
        assert_eq!((event.method.as_str(), event.session.as_deref()), ("Page.loaded", Some("s")));
    }

    #[tokio::test(start_paused = true)]
    async fn a_call_without_an_answer_ends_and_a_broken_connection_ends_all() {
        let (to, _sent) = mpsc::unbounded_channel::<String>();
        let (browser, from) = mpsc::unbounded_channel();
        let (client, mut events) = Client::over(Transport { to, from });
        let silent = client.call(None, "slow", json!({}), Duration::from_secs(2)).await;
        assert!(matches!(silent, Err(RecordError::NoAnswer(_, 2))));
        drop(browser);
        assert!(events.recv().await.is_none());
        let gone = client.call(None, "more", json!({}), Duration::from_secs(2)).await;
        assert!(matches!(gone, Err(RecordError::BrowserGone(_))));
    }
}
