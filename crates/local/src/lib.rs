//! Hosts served on the loopback: one port for all of them, in the clear and over TLS.
//!
//! [`LocalHosts::start`] listens on a free port of 127.0.0.1 and answers by one Axum router, which tells
//! hosts apart by the `Host` header or the HTTP/2 authority. Whoever drives a browser maps names to
//! [`LocalHosts::address`] and trusts the certificate by [`LocalHosts::key_hash`].

mod certificate;

use axum::{Extension, Router};
use certificate::Certificate;
use hyper_util::rt::{TokioExecutor, TokioIo};
use hyper_util::server::conn::auto;
use hyper_util::service::TowerToHyperService;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::Arc;
use tokio::net::{TcpListener, TcpStream};
use tokio::task::{JoinHandle, JoinSet};
use tokio_rustls::LazyConfigAcceptor;

/// The first byte of every TLS connection: a handshake record.
const TLS_HANDSHAKE: u8 = 0x16;

/// Which protocols a host offers over TLS.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Offer {
    /// HTTP/2, or HTTP/1.1 to who does not speak it.
    #[default]
    Both,
    /// HTTP/1.1 alone.
    First,
}

/// Whether a request came over TLS; an extension of every request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct OverTls(pub bool);

/// Running hosts; dropping them ends them and all their connections.
pub struct LocalHosts {
    address: SocketAddr,
    key_hash: String,
    task: JoinHandle<()>,
}

impl LocalHosts {
    /// Listens on a free port of 127.0.0.1. `offer` tells by a host's name what it speaks over TLS.
    pub async fn start(
        names: &[String],
        app: Router,
        offer: impl Fn(&str) -> Offer + Send + Sync + 'static,
    ) -> std::io::Result<Self> {
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, 0)).await?;
        let address = listener.local_addr()?;
        let certificate = Certificate::make(names)?;
        let key_hash = certificate.key_hash.clone();
        let task = tokio::spawn(listen(listener, app, Arc::new(certificate), Arc::new(offer)));
        Ok(Self { address, key_hash, task })
    }

    /// Where they listen.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.address
    }

    /// By what a browser may know the self-made certificate: SHA-256 of the public key, in base64.
    #[must_use]
    pub fn key_hash(&self) -> &str {
        &self.key_hash
    }
}

impl Drop for LocalHosts {
    fn drop(&mut self) {
        self.task.abort();
    }
}

type Offers = Arc<dyn Fn(&str) -> Offer + Send + Sync>;

/// The first byte of a connection tells whether it is in the clear. So a host has one address,
/// whichever scheme it is asked by.
async fn listen(listener: TcpListener, app: Router, certificate: Arc<Certificate>, offer: Offers) {
    let mut connections = JoinSet::new();
    loop {
        let Ok((stream, _)) = listener.accept().await else { continue };
        let (app, certificate, offer) = (app.clone(), certificate.clone(), offer.clone());
        connections.spawn(async move {
            let _ = stream.set_nodelay(true);
            let mut first = [0u8];
            if stream.peek(&mut first).await.is_ok_and(|n| n == 1) && first[0] == TLS_HANDSHAKE {
                let Ok(asked) = LazyConfigAcceptor::new(Default::default(), stream).await else { return };
                let config = match offer(asked.client_hello().server_name().unwrap_or_default()) {
                    Offer::Both => certificate.both.clone(),
                    Offer::First => certificate.first.clone(),
                };
                if let Ok(stream) = asked.into_stream(config).await {
                    speak(TokioIo::new(stream), app.layer(Extension(OverTls(true)))).await;
                }
            } else {
                speak::<TokioIo<TcpStream>>(TokioIo::new(stream), app.layer(Extension(OverTls(false)))).await;
            }
        });
        while connections.try_join_next().is_some() {}
    }
}

/// How much of an answer over HTTP/2 lies ready to be sent. What does can no longer be held back for
/// another, so it is little: four frames.
const HANDED_ON: usize = 65_536;

async fn speak<S>(stream: S, app: Router)
where
    S: hyper::rt::Read + hyper::rt::Write + Unpin + Send + 'static,
{
    let mut server = auto::Builder::new(TokioExecutor::new());
    server.http2().max_send_buf_size(HANDED_ON);
    // A browser that is gone in the middle of an answer is no error of the host.
    let _ = server.serve_connection(stream, TowerToHyperService::new(app)).await;
}
