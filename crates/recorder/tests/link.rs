//! The link shaper, with real sockets: names, refusals, and the bytes themselves.

#![allow(clippy::unwrap_used)]

use phainon_recorder::shaper::{Link, Shaper, Trouble};
use std::net::SocketAddr;
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::{TcpListener, TcpStream};

/// Answers each connection with what it sent, and so many bytes more.
async fn echo(more: usize) -> SocketAddr {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(async move {
        while let Ok((mut stream, _)) = listener.accept().await {
            tokio::spawn(async move {
                let mut word = [0u8; 4];
                stream.read_exact(&mut word).await.unwrap();
                stream.write_all(&word).await.unwrap();
                let bytes: Vec<u8> = (0..more).map(|n| u8::try_from(n % 251).unwrap()).collect();
                stream.write_all(&bytes).await.unwrap();
            });
        }
    });
    address
}

/// Asks the proxy for a host; gives the stream and the reply's code.
async fn through(shaper: &Shaper, host: &str, port: u16) -> (TcpStream, u8) {
    let mut stream = TcpStream::connect(("127.0.0.1", shaper.port)).await.unwrap();
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

fn link(host: &str, address: SocketAddr) -> Link {
    Link { hosts: [(host.to_owned(), address)].into(), ..Link::default() }
}

#[tokio::test]
async fn bytes_pass_whole_and_in_order_and_stand_in_names_are_mapped() {
    let address = echo(300_000).await;
    let shaper = Shaper::start(link("www.skerryline.test", address)).await.unwrap();
    // Port 80 is what a browser asks for; the map says where that is.
    let (mut stream, code) = through(&shaper, "WWW.skerryline.test", 80).await;
    assert_eq!(code, 0);
    stream.write_all(b"ahoy").await.unwrap();
    let mut all = Vec::new();
    stream.read_to_end(&mut all).await.unwrap();
    assert_eq!(&all[..4], b"ahoy");
    assert_eq!(all.len(), 300_004);
    assert!(all[4..].iter().enumerate().all(|(n, byte)| usize::from(*byte) == n % 251));
    assert_eq!(shaper.trouble("www.skerryline.test"), None);
}

#[tokio::test]
async fn nothing_is_quicker_than_the_link_allows() {
    let address = echo(100_000).await;
    let mut wanted = link("www.skerryline.test", address);
    wanted.round_trip = Duration::from_millis(80);
    wanted.down = 500_000.0;
    let shaper = Shaper::start(wanted).await.unwrap();
    let start = Instant::now();
    let (mut stream, _) = through(&shaper, "www.skerryline.test", 80).await;
    assert!(start.elapsed() >= Duration::from_millis(80), "a connection takes a round trip");
    let asked = Instant::now();
    stream.write_all(b"ahoy").await.unwrap();
    let mut word = [0u8; 4];
    stream.read_exact(&mut word).await.unwrap();
    assert!(asked.elapsed() >= Duration::from_millis(80), "so does the first byte");
    let mut rest = Vec::new();
    stream.read_to_end(&mut rest).await.unwrap();
    // 100,004 bytes at 500,000 a second, after a round trip.
    assert!(asked.elapsed() >= Duration::from_millis(280));
}

#[tokio::test]
async fn trouble_is_told_apart() {
    let shaper = Shaper::start(Link { public_only: true, ..Link::default() }).await.unwrap();
    let (_, code) = through(&shaper, "no-such-host.skerryline.test", 80).await;
    assert_eq!((code, shaper.trouble("no-such-host.skerryline.test")), (4, Some(Trouble::Unresolved)));
    let (_, code) = through(&shaper, "127.0.0.1", 80).await;
    assert_eq!((code, shaper.trouble("127.0.0.1")), (4, Some(Trouble::Private)));

    let closed = TcpListener::bind("127.0.0.1:0").await.unwrap().local_addr().unwrap();
    let shaper = Shaper::start(Link::default()).await.unwrap();
    let (_, code) = through(&shaper, "127.0.0.1", closed.port()).await;
    assert_eq!(code, 5);
    assert!(matches!(shaper.trouble("127.0.0.1"), Some(Trouble::Unreachable(_))));
}

#[tokio::test]
async fn what_is_no_socks_is_let_go() {
    let shaper = Shaper::start(Link::default()).await.unwrap();
    let mut stream = TcpStream::connect(("127.0.0.1", shaper.port)).await.unwrap();
    stream.write_all(b"GET / HTTP/1.1\r\n\r\n").await.unwrap();
    let mut all = Vec::new();
    // Closed or reset, but not left hanging.
    let _ = tokio::time::timeout(Duration::from_secs(5), stream.read_to_end(&mut all)).await.expect("it ends");
    assert!(all.is_empty());
}
