//! The link: a SOCKS5 proxy between browser and network that delays and narrows what passes, by the
//! model of [`phainon_link`]. Names are resolved here, so that stand-in hosts can be mapped.

use crate::clock;
use phainon_core::Conditions;
use phainon_link::{Bottleneck, CHUNK, Window};
use std::collections::BTreeMap;
use std::io;
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};
use tokio::net::tcp::{OwnedReadHalf, OwnedWriteHalf};
use tokio::net::{TcpListener, TcpStream, lookup_host};
use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use tokio::time::timeout;

/// Bytes read at once where the line has no rate.
const UNSHAPED: usize = 64 << 10;
const CONNECT_LIMIT: Duration = Duration::from_secs(20);

/// Where names lead that are not in the DNS: host to the local address that serves it.
pub type HostMap = BTreeMap<String, SocketAddr>;

/// What a shaper does.
#[derive(Debug, Clone, Default)]
pub struct Link {
    /// Round trip, distance included.
    pub round_trip: Duration,
    /// Bytes a second towards the browser; 0 is unlimited.
    pub down: f64,
    /// Bytes a second from the browser; 0 is unlimited.
    pub up: f64,
    /// Stand-in hosts.
    pub hosts: HostMap,
    /// Refuse addresses that are not public (the stand-in's excepted).
    pub public_only: bool,
    /// Hosts that are not connected to, with what lies below them.
    pub blocked: Vec<String>,
    /// Hosts that take no connection, each by itself.
    pub refused: Vec<String>,
    /// Where every other host leads, whatever its name: nothing is looked up, nothing else is reached.
    pub all_to: Option<SocketAddr>,
    /// Hosts with another round trip than the link's.
    pub round_trips: BTreeMap<String, Duration>,
}

impl Link {
    /// The link of some conditions.
    #[must_use]
    #[allow(clippy::cast_precision_loss)]
    pub fn of(conditions: &Conditions, hosts: HostMap, public_only: bool) -> Self {
        Self {
            round_trip: Duration::from_secs_f64(conditions.total_round_trip_ms().max(0.0) / 1000.0),
            down: conditions.down_bits as f64 / 8.0,
            up: conditions.up_bits as f64 / 8.0,
            hosts,
            public_only,
            blocked: Vec::new(),
            refused: Vec::new(),
            all_to: None,
            round_trips: BTreeMap::new(),
        }
    }
}

/// What went wrong, by host, so that a failed load can say why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Trouble {
    /// The name does not resolve.
    Unresolved,
    /// It resolves to an address that is not public.
    Private,
    /// The address did not take the connection.
    Unreachable(String),
    /// This recording is made without it.
    Blocked,
}

struct Shared {
    link: Link,
    /// What the model's times count from.
    zero: Instant,
    down: Mutex<Bottleneck>,
    up: Mutex<Bottleneck>,
    trouble: Mutex<BTreeMap<String, Trouble>>,
}

/// A running proxy; dropping it ends it and all its connections.
pub struct Shaper {
    /// Where it listens, on 127.0.0.1.
    pub port: u16,
    shared: Arc<Shared>,
    task: JoinHandle<()>,
}

impl Shaper {
    /// Starts a proxy for this link on a free port.
    pub async fn start(link: Link) -> io::Result<Self> {
        let listener = TcpListener::bind(("127.0.0.1", 0)).await?;
        let port = listener.local_addr()?.port();
        let shared = Arc::new(Shared {
            down: Mutex::new(Bottleneck::new(link.down)),
            up: Mutex::new(Bottleneck::new(link.up)),
            zero: Instant::now(),
            link,
            trouble: Mutex::new(BTreeMap::new()),
        });
        let serving = shared.clone();
        let task = tokio::spawn(async move {
            let mut connections = tokio::task::JoinSet::new();
            loop {
                let Ok((stream, _)) = listener.accept().await else { return };
                let shared = serving.clone();
                connections.spawn(async move {
                    if let Err(error) = serve(stream, shared).await {
                        tracing::debug!("a proxied connection ended: {error}");
                    }
                });
                while connections.try_join_next().is_some() {}
            }
        });
        Ok(Self { port, shared, task })
    }

    /// What went wrong with a host, if anything did.
    #[must_use]
    pub fn trouble(&self, host: &str) -> Option<Trouble> {
        self.shared.trouble.lock().unwrap_or_else(PoisonError::into_inner).get(host).cloned()
    }
}

impl Drop for Shaper {
    fn drop(&mut self) {
        self.task.abort();
    }
}

async fn serve(mut client: TcpStream, shared: Arc<Shared>) -> io::Result<()> {
    client.set_nodelay(true)?;
    let Some((host, port)) = greet(&mut client).await? else { return Ok(()) };
    let asked = Instant::now();
    let note = |trouble: Trouble| {
        shared.trouble.lock().unwrap_or_else(PoisonError::into_inner).insert(host.clone(), trouble);
    };
    let reply = |code: u8| [5, code, 0, 1, 0, 0, 0, 0, 0, 0];
    let upstream = match connect(&host, port, &shared.link).await {
        Ok(stream) => stream,
        Err(trouble) => {
            let code = match trouble {
                Trouble::Unreachable(_) => 5,
                Trouble::Blocked => 2,
                Trouble::Unresolved | Trouble::Private => 4,
            };
            note(trouble);
            client.write_all(&reply(code)).await?;
            return Ok(());
        }
    };
    // The reply is the end of the TCP handshake: one round trip after it was asked for.
    let trip = shared.link.round_trips.get(&host).copied().unwrap_or(shared.link.round_trip);
    clock::sleep_until(asked + trip).await;
    client.write_all(&reply(0)).await?;
    upstream.set_nodelay(true)?;
    let (client_in, client_out) = client.into_split();
    let (upstream_in, upstream_out) = upstream.into_split();
    let up = carry(client_in, upstream_out, &shared, &shared.up, trip / 2, None);
    let down = carry(upstream_in, client_out, &shared, &shared.down, trip / 2, Some(Window::new(trip)));
    // Either direction may end first; the other goes on until its own end.
    let (_, _) = tokio::join!(up, down);
    Ok(())
}

/// SOCKS5 without authentication (RFC 1928); gives the host and port asked for.
async fn greet(client: &mut TcpStream) -> io::Result<Option<(String, u16)>> {
    let mut head = [0u8; 2];
    client.read_exact(&mut head).await?;
    if head[0] != 5 {
        return Ok(None);
    }
    let mut methods = vec![0u8; head[1] as usize];
    client.read_exact(&mut methods).await?;
    client.write_all(&[5, 0]).await?;
    let mut ask = [0u8; 4];
    client.read_exact(&mut ask).await?;
    let host = match ask[3] {
        1 => {
            let mut address = [0u8; 4];
            client.read_exact(&mut address).await?;
            IpAddr::from(address).to_string()
        }
        3 => {
            let length = client.read_u8().await? as usize;
            let mut name = vec![0u8; length];
            client.read_exact(&mut name).await?;
            String::from_utf8_lossy(&name).to_ascii_lowercase()
        }
        4 => {
            let mut address = [0u8; 16];
            client.read_exact(&mut address).await?;
            IpAddr::from(address).to_string()
        }
        _ => return Ok(None),
    };
    let port = client.read_u16().await?;
    if ask[1] != 1 {
        client.write_all(&[5, 7, 0, 1, 0, 0, 0, 0, 0, 0]).await?;
        return Ok(None);
    }
    Ok(Some((host, port)))
}

async fn connect(host: &str, port: u16, link: &Link) -> Result<TcpStream, Trouble> {
    let unreachable = |e: &dyn std::fmt::Display| Trouble::Unreachable(e.to_string());
    if link.blocked.iter().any(|b| host == b || host.strip_suffix(b.as_str()).is_some_and(|rest| rest.ends_with('.'))) {
        return Err(Trouble::Blocked);
    }
    if link.refused.iter().any(|refused| refused == host) {
        return Err(Trouble::Unreachable("refused, as it was recorded".to_owned()));
    }
    if let Some(local) = link.hosts.get(host).or(link.all_to.as_ref()) {
        return TcpStream::connect(local).await.map_err(|e| unreachable(&e));
    }
    let addresses: Vec<SocketAddr> = match host.parse::<IpAddr>() {
        Ok(address) => vec![SocketAddr::new(address, port)],
        Err(_) => match timeout(CONNECT_LIMIT, lookup_host((host, port))).await {
            Ok(Ok(found)) => found.collect(),
            _ => return Err(Trouble::Unresolved),
        },
    };
    if addresses.is_empty() {
        return Err(Trouble::Unresolved);
    }
    if link.public_only && addresses.iter().any(|a| !is_public(a.ip())) {
        return Err(Trouble::Private);
    }
    match timeout(CONNECT_LIMIT, TcpStream::connect(&addresses[..])).await {
        Ok(Ok(stream)) => Ok(stream),
        Ok(Err(e)) => Err(unreachable(&e)),
        Err(_) => Err(Trouble::Unreachable(format!("no answer in {} s", CONNECT_LIMIT.as_secs()))),
    }
}

/// Whether an address is on the public network: IANA's special-purpose registries (RFC 6890) have the ranges
/// that are not. An IPv6 address that leads to one of IPv4 is judged by that.
fn is_public(address: IpAddr) -> bool {
    match address {
        IpAddr::V4(v4) => is_public_v4(v4),
        IpAddr::V6(v6) => match (v6.segments(), v6.octets()) {
            // Mapped and compatible (RFC 4291), NAT64 (RFC 6052), and translated (RFC 2765).
            ([0, 0, 0, 0, 0, 0xffff, ..] | [0x64, 0xff9b, 0, 0, 0, 0, ..] | [0, 0, 0, 0, 0xffff, 0, ..], end) => {
                is_public_v4(last_four(end))
            }
            // 6to4 (RFC 3056) has it in front.
            ([0x2002, ..], [_, _, a, b, c, d, ..]) => is_public_v4(Ipv4Addr::new(a, b, c, d)),
            // Teredo (RFC 4380) has it inverted at the end.
            ([0x2001, 0, ..], end) => is_public_v4(last_four(end.map(|byte| !byte))),
            // Of everything else only what is given out as global unicast, less what that sets apart: local
            // NAT64, benchmarks, documentation, ORCHID.
            ([first, second, ..], _) => {
                first & 0xe000 == 0x2000
                    && !matches!((first, second), (0x2001, 2 | 0x0db8 | 0x0010..=0x002f) | (0x3fff, 0..=0x0fff))
            }
        },
    }
}

fn last_four(octets: [u8; 16]) -> Ipv4Addr {
    let [.., a, b, c, d] = octets;
    Ipv4Addr::new(a, b, c, d)
}

fn is_public_v4(v4: Ipv4Addr) -> bool {
    let [a, b, c, _] = v4.octets();
    !(v4.is_private()
        || v4.is_loopback()
        || v4.is_link_local()
        || v4.is_documentation()
        || v4.is_multicast()
        || a == 0
        || a >= 240
        || (a == 100 && (64..128).contains(&b))
        || (a == 192 && b == 0 && c == 0)
        || (a == 198 && (18..20).contains(&b)))
}

/// Carries one direction: window, bottleneck, half a round trip.
async fn carry(
    from: OwnedReadHalf,
    mut to: OwnedWriteHalf,
    shared: &Shared,
    line: &Mutex<Bottleneck>,
    half: Duration,
    mut window: Option<Window>,
) -> io::Result<()> {
    let (outbox, mut inbox) = mpsc::channel::<(Instant, Vec<u8>)>(4096);
    let reading = async move {
        // Where nothing is narrow there are no turns to take.
        let narrow = line.lock().unwrap_or_else(PoisonError::into_inner).is_narrow();
        let mut buffer = vec![0u8; if narrow { CHUNK } else { UNSHAPED }];
        // When the next bytes may enter the line, in the model's time: none may before there was a connection, though a
        // browser that is quick has sent some by the time we look.
        let mut ready = shared.zero.elapsed();
        loop {
            let read = match from.try_read(&mut buffer) {
                // They stood waiting: that we woke a little late is not the line's fault.
                Ok(read) => read,
                Err(e) if e.kind() == io::ErrorKind::WouldBlock => {
                    from.readable().await?;
                    ready = ready.max(shared.zero.elapsed());
                    match from.try_read(&mut buffer) {
                        Err(e) if e.kind() == io::ErrorKind::WouldBlock => continue,
                        other => other?,
                    }
                }
                Err(e) => return Err(e),
            };
            if read == 0 {
                return Ok::<(), io::Error>(());
            }
            if let Some(window) = &mut window {
                while let Some(until) = window.full_until(read, ready) {
                    clock::sleep_until(shared.zero + until).await;
                    ready = until;
                }
            }
            let passed = line.lock().unwrap_or_else(PoisonError::into_inner).pass(read, ready);
            if let Some(window) = &mut window {
                window.sent(read, passed);
            }
            ready = passed;
            if outbox.send((shared.zero + passed + half, buffer[..read].to_vec())).await.is_err() {
                return Ok(());
            }
            // Do not run ahead of the bottleneck, so that connections share it in turns.
            clock::sleep_until(shared.zero + passed).await;
        }
    };
    let writing = async move {
        while let Some((at, bytes)) = inbox.recv().await {
            clock::sleep_until(at).await;
            to.write_all(&bytes).await?;
        }
        to.shutdown().await
    };
    let (read, written) = tokio::join!(reading, writing);
    read.and(written)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn private_addresses_are_told_from_public_ones() {
        let private = [
            "127.0.0.1",
            "10.1.2.3",
            "172.16.0.1",
            "192.168.0.1",
            "169.254.169.254",
            "100.64.0.1",
            "0.0.0.0",
            "192.0.0.8",
            "192.0.2.1",
            "198.18.0.1",
            "198.51.100.1",
            "203.0.113.1",
            "224.0.0.251",
            "240.0.0.1",
            "255.255.255.255",
            "::",
            "::1",
            "fd00::1",
            "fe80::1",
            "fec0::1",
            "ff02::1",
            "2001:db8::1",
            "3fff::1",
            // Each of these leads to 10.0.0.1, or to the network of whoever translates.
            "::ffff:10.0.0.1",
            "::ffff:0:10.0.0.1",
            "::10.0.0.1",
            "64:ff9b::10.0.0.1",
            "64:ff9b:1::a00:1",
            "2002:a00:1::1",
            "2001:0:5ef5:79fb::f5ff:fffe",
            "2001:2::1",
            "2001:10::1",
        ];
        for address in private {
            assert!(!is_public(address.parse().expect("an address")), "{address}");
        }
        let public = [
            "8.8.8.8",
            "100.128.0.1",
            "172.32.0.1",
            "192.0.1.1",
            "198.20.0.1",
            "2a00:1450::1",
            "2606:4700::1111",
            "::ffff:8.8.8.8",
            "64:ff9b::8.8.8.8",
            "2002:808:808::1",
            "2001:4860::1",
        ];
        for address in public {
            assert!(is_public(address.parse().expect("an address")), "{address}");
        }
    }
}
