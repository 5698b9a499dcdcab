//! How messages reach a browser: through a pair of pipes to one that we started, through a
//! WebSocket to one elsewhere.
//!
//! A browser that listens on a port can be driven by every user of the machine, who could have it
//! read files as its owner. Pipes have two ends and no address, and a browser whose pipe breaks
//! ends itself, whatever ended us.

use crate::RecordError;
use futures::{SinkExt, StreamExt};
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::unix::pipe;
use tokio::sync::mpsc;
use tokio_tungstenite::tungstenite::Message;

/// Messages to the browser, and from it; the second ends with the connection.
pub struct Transport {
    pub to: mpsc::UnboundedSender<String>,
    pub from: mpsc::UnboundedReceiver<Vec<u8>>,
}

/// Messages over pipes end with a zero byte.
pub fn over_pipes(mut writer: pipe::Sender, reader: pipe::Receiver) -> Transport {
    let (to, mut outbox) = mpsc::unbounded_channel::<String>();
    let (inbox, from) = mpsc::unbounded_channel();
    tokio::spawn(async move {
        while let Some(message) = outbox.recv().await {
            if writer.write_all(message.as_bytes()).await.is_err() || writer.write_all(&[0]).await.is_err() {
                return;
            }
        }
    });
    tokio::spawn(async move {
        let mut reader = BufReader::with_capacity(1 << 16, reader);
        loop {
            let mut message = Vec::new();
            match reader.read_until(0, &mut message).await {
                Ok(n) if n > 0 && message.pop() == Some(0) => {
                    if inbox.send(message).is_err() {
                        return;
                    }
                }
                _ => return,
            }
        }
    });
    Transport { to, from }
}

/// To a browser that runs elsewhere.
pub async fn over_web_socket(address: &str) -> Result<Transport, RecordError> {
    let failed = |e: &dyn std::fmt::Display| RecordError::BrowserStart(address.to_owned(), e.to_string());
    // A trace comes in parts of a megabyte, a body whole.
    let config = tokio_tungstenite::tungstenite::protocol::WebSocketConfig::default()
        .max_message_size(Some(256 << 20))
        .max_frame_size(Some(256 << 20));
    let connect = tokio_tungstenite::connect_async_with_config(address, Some(config), true);
    let (socket, _) = tokio::time::timeout(std::time::Duration::from_secs(20), connect)
        .await
        .map_err(|_| failed(&"it did not answer within 20 s"))?
        .map_err(|e| failed(&e))?;
    let (mut sink, mut stream) = socket.split();
    let (to, mut outbox) = mpsc::unbounded_channel::<String>();
    let (inbox, from) = mpsc::unbounded_channel();
    tokio::spawn(async move {
        while let Some(message) = outbox.recv().await {
            if sink.send(Message::text(message)).await.is_err() {
                return;
            }
        }
        let _ = sink.close().await;
    });
    tokio::spawn(async move {
        while let Some(Ok(message)) = stream.next().await {
            let bytes = match message {
                Message::Text(text) => text.as_bytes().to_vec(),
                Message::Binary(bytes) => bytes.to_vec(),
                Message::Close(_) => return,
                _ => continue,
            };
            if inbox.send(bytes).is_err() {
                return;
            }
        }
    });
    Ok(Transport { to, from })
}
