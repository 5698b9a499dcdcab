//! The stand-in: a made-up ferry company's web site that has grown slow, served for real.
//!
//! [`StandIn::start`] paints its pictures, fills its database and listens on loopback; its hosts
//! ([`HOSTS`]) are told apart by the `Host` header, so whoever drives a browser maps them to
//! [`StandIn::address`]. What is wrong with the site is wrong in truth: the document is made by
//! real work, files are as heavy as they say, scripts run as long as they run. Each fault has a
//! [`Switch`] that repairs it, chosen by `?fix=…` or a cookie of that name.

mod pages;
mod paint;
mod plugins;
mod scripts;
mod serve;
mod site;
mod spans;
mod styles;
mod switches;

pub use switches::{PLUGINS, Switch, Switches};

use phainon_local::{LocalHosts, Offer};
use std::net::SocketAddr;
use std::sync::Arc;

/// Every host of the scenario.
pub const HOSTS: [&str; 7] = [
    "www.skerryline.test",
    "static.skerryline.test",
    "tags.driftmetric.test",
    "chat.parleydock.test",
    "fonts.typequay.test",
    "ads.islandmedia.test",
    "video.reelharbour.test",
];

/// The home page's address.
pub const HOME: &str = "http://www.skerryline.test/";

/// The home page over HTTP/2.
pub const SECURE_HOME: &str = "https://www.skerryline.test/";

/// A page of the site, for whoever chooses what to record.
#[derive(Debug, Clone, Copy)]
#[allow(missing_docs)]
pub struct PageAbout {
    pub name: &'static str,
    pub path: &'static str,
    /// What a visitor does there, one step a line.
    pub steps: &'static str,
}

/// Every page of the site.
pub fn all_pages() -> impl Iterator<Item = PageAbout> {
    pages::ALL.iter().map(|p| PageAbout { name: p.name, path: p.path, steps: p.steps })
}

/// A running stand-in; dropping it ends it.
pub struct StandIn {
    served: LocalHosts,
    site: Arc<site::Site>,
}

impl StandIn {
    /// Paints, fills and listens on a free port of 127.0.0.1.
    pub async fn start() -> std::io::Result<Self> {
        let site = tokio::task::spawn_blocking(site::Site::build)
            .await
            .map_err(std::io::Error::other)?
            .map_err(std::io::Error::other)?;
        let names: Vec<String> = HOSTS.iter().map(|host| (*host).to_owned()).collect();
        let site = Arc::new(site);
        let served = LocalHosts::start(&names, serve::router(site.clone()), |_| Offer::Both).await?;
        Ok(Self { served, site })
    }

    /// Has its server send spans of its work to an address such as `http://127.0.0.1:7460/v1/traces`, for callers who
    /// ask for it. The first address stays.
    pub fn send_spans_to(&self, address: String) {
        self.site.exporter.get_or_init(|| spans::Exporter::to(address));
    }

    /// Where it listens.
    #[must_use]
    pub fn address(&self) -> SocketAddr {
        self.served.address()
    }

    /// By what a browser may know its self-made certificate: SHA-256 of the public key, in base64.
    #[must_use]
    pub fn key_hash(&self) -> &str {
        self.served.key_hash()
    }

    /// Each host with the address that serves it.
    #[must_use]
    pub fn hosts(&self) -> Vec<(String, SocketAddr)> {
        HOSTS.iter().map(|host| ((*host).to_owned(), self.address())).collect()
    }

    /// Whether a host is one of the scenario's.
    #[must_use]
    pub fn serves(host: &str) -> bool {
        HOSTS.contains(&host)
    }
}
