//! Bytes through the shaper, timed, beside what the link's model says they should take.

#![allow(clippy::unwrap_used, dead_code, missing_docs, unreachable_pub)]

use phainon_link::{Direction, transfers};
use phainon_recorder::shaper::{Link, Shaper};
use std::net::SocketAddr;
use std::time::Instant;
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

pub const HOST: &str = "www.skerryline.test";

/// Answers each connection with what it sent, and so many bytes more.
pub async fn echo(more: usize) -> SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            tokio::spawn(async move {
                let mut word = [0u8; 4];
                stream.read_exact(&mut word).await.unwrap();
                stream.write_all(&word).await.unwrap();
                let bytes: Vec<u8> = (0..more).map(|n| u8::try_from(n % 251).unwrap()).collect();
                // The reader may have gone.
                let _ = stream.write_all(&bytes).await;
            });
        }
    });
    address
}

/// Asks the proxy for a host; gives the stream and the reply's code.
pub async fn through(shaper: &Shaper, host: &str, port: u16) -> (TcpStream, u8) {
    let mut stream = TcpStream::connect(("127.0.0.1", shaper.port)).await.unwrap();
    stream.set_nodelay(true).unwrap();
    stream.write_all(&[5, 1, 0]).await.unwrap();
    let mut chosen = [0u8; 2];
    stream.read_exact(&mut chosen).await.unwrap();
    assert_eq!(chosen, [5, 0]);
    let mut ask = vec![5, 1, 0, 3, u8::try_from(host.len()).unwrap()];
    ask.extend(host.as_bytes());
    ask.extend(port.to_be_bytes());
    stream.write_all(&ask).await.unwrap();
    let mut reply = [0u8; 10];
    stream.read_exact(&mut reply).await.unwrap();
    (stream, reply[1])
}

/// What a stop-watch and the model say, in milliseconds.
#[derive(Debug, Clone, Copy)]
pub struct Measured {
    /// All bodies, from asking to the last byte, by the model.
    pub model_ms: f64,
    pub took_ms: f64,
    /// Opening a connection.
    pub connect_ms: f64,
    /// Four bytes there and back over an open connection.
    pub trip_ms: f64,
}

/// So many connections ask for so many bytes each at the same time.
pub async fn measure(link: &Link, connections: usize, bytes: usize) -> Measured {
    let ms = |since: Instant| since.elapsed().as_secs_f64() * 1000.0;
    let mut link = link.clone();
    link.hosts = [(HOST.to_owned(), echo(0).await)].into();
    let shaper = Shaper::start(link.clone()).await.unwrap();
    let began = Instant::now();
    let (mut stream, _) = through(&shaper, HOST, 80).await;
    let connect_ms = ms(began);
    let asked = Instant::now();
    stream.write_all(b"ahoy").await.unwrap();
    stream.read_exact(&mut [0u8; 4]).await.unwrap();
    let trip_ms = ms(asked);
    drop((stream, shaper));

    link.hosts = [(HOST.to_owned(), echo(bytes - 4).await)].into();
    let shaper = Shaper::start(link.clone()).await.unwrap();
    let mut open = Vec::new();
    for stream in futures::future::join_all((0..connections).map(|_| through(&shaper, HOST, 80))).await {
        open.push(stream.0);
    }
    let asked = Instant::now();
    let all = open.into_iter().map(|mut stream| async move {
        stream.write_all(b"ahoy").await.unwrap();
        let mut whole = Vec::new();
        stream.read_to_end(&mut whole).await.unwrap();
        assert_eq!(whole.len(), bytes);
    });
    futures::future::join_all(all).await;
    let took_ms = ms(asked);
    let line = Direction { rate: link.down, round_trip: link.round_trip };
    let last = transfers(line, &vec![bytes; connections]).into_iter().max().unwrap();
    // Asking takes the other half of the round trip, and the line up.
    let up = if link.up > 0.0 { 4.0 * connections as f64 / link.up } else { 0.0 };
    let model_ms = (last + link.round_trip / 2).as_secs_f64() * 1000.0 + up * 1000.0;
    Measured { model_ms, took_ms, connect_ms, trip_ms }
}
