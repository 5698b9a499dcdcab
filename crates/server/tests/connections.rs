//! Callers that never finish what they began do not keep others out.

#![allow(clippy::unwrap_used)]

use phainon_server::serve::{Patience, bind, serve};
use phainon_server::state::State;
use phainon_store::Store;
use std::net::SocketAddr;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::TcpStream;

async fn started(patience: Patience) -> SocketAddr {
    let listener = bind("127.0.0.1:0".parse().unwrap()).await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(serve(listener, Arc::new(State::new(Store::temporary().unwrap())), patience));
    address
}

/// Everything that comes back until the server closes the connection, which it has to do.
async fn rest(stream: &mut TcpStream) -> String {
    let mut text = Vec::new();
    let reading = tokio::time::timeout(Duration::from_secs(60), stream.read_to_end(&mut text));
    let _ = reading.await.expect("the server closes it");
    String::from_utf8_lossy(&text).into_owned()
}

async fn sent(address: SocketAddr, text: &str) -> TcpStream {
    let mut stream = TcpStream::connect(address).await.unwrap();
    stream.write_all(text.as_bytes()).await.unwrap();
    stream
}

const ASK: &str = "GET /api/recordings HTTP/1.1\r\nHost: 127.0.0.1\r\nConnection: close\r\n\r\n";

#[tokio::test(flavor = "multi_thread")]
async fn half_sent_requests_are_closed_and_take_nobodys_place() {
    let patience = Patience { head: Duration::from_millis(400), body: Duration::from_millis(400), connections: 40 };
    let address = started(patience).await;
    // As many as there are places, none of which ever says what it wants.
    let mut silent = Vec::new();
    for n in 0..40 {
        let text = ["", "GET /api", "GET /api/recordings HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Half: "][n % 3];
        silent.push(sent(address, text).await);
    }
    let answer = rest(&mut sent(address, ASK).await).await;
    assert!(answer.starts_with("HTTP/1.1 200"), "who comes after them is answered: {answer}");
    for stream in &mut silent {
        let answer = rest(stream).await;
        assert!(answer.is_empty() || answer.starts_with("HTTP/1.1 408"), "and they are closed: {answer}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn a_body_that_stops_is_given_up_and_nothing_is_kept_of_it() {
    let patience = Patience { head: Duration::from_secs(20), body: Duration::from_millis(300), connections: 10 };
    let address = started(patience).await;
    let head = "POST /api/import HTTP/1.1\r\nHost: 127.0.0.1\r\nContent-Type: multipart/form-data; boundary=part\r\nContent-Length: 100000\r\n\r\n--part\r\ncontent-disposition: form-data; name=\"file\"; filename=\"a.har\"\r\n\r\n{\"log\":";
    let answer = rest(&mut sent(address, head).await).await;
    assert!(answer.starts_with("HTTP/1.1 400") && answer.contains("did not come whole"), "{answer}");
    let list = rest(&mut sent(address, ASK).await).await;
    assert!(list.contains("\"all\":0"), "{list}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_connection_serves_several_requests() {
    let address = started(Patience::default()).await;
    let mut stream = sent(address, &ASK.replace("Connection: close\r\n", "")).await;
    let mut first = [0; 12];
    stream.read_exact(&mut first).await.unwrap();
    assert_eq!(&first, b"HTTP/1.1 200");
    stream.write_all(ASK.as_bytes()).await.unwrap();
    let both = rest(&mut stream).await;
    assert_eq!(both.matches("HTTP/1.1 200").count(), 1, "the second answer comes on the same line: {both}");
}
