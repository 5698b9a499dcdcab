//! A self-made certificate, fresh at every start.

use base64::Engine;
use rustls::ServerConfig;
use rustls::pki_types::{PrivateKeyDer, PrivatePkcs8KeyDer};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// A certificate for some hosts, and how a browser may know it.
pub struct Certificate {
    /// Offers HTTP/2 and HTTP/1.1.
    pub both: Arc<ServerConfig>,
    /// Offers HTTP/1.1 alone.
    pub first: Arc<ServerConfig>,
    /// SHA-256 of the public key (SubjectPublicKeyInfo), in base64.
    pub key_hash: String,
}

impl Certificate {
    /// Makes one.
    pub fn make(hosts: &[String]) -> std::io::Result<Self> {
        let made = rcgen::generate_simple_self_signed(hosts).map_err(std::io::Error::other)?;
        let key_hash = base64::engine::general_purpose::STANDARD
            .encode(Sha256::digest(rcgen::PublicKeyData::subject_public_key_info(&made.signing_key)));
        let config = |protocols: &[&[u8]]| {
            let key = PrivateKeyDer::Pkcs8(PrivatePkcs8KeyDer::from(made.signing_key.serialize_der()));
            let provider = Arc::new(rustls::crypto::ring::default_provider());
            let mut server = ServerConfig::builder_with_provider(provider)
                .with_safe_default_protocol_versions()
                .map_err(std::io::Error::other)?
                .with_no_client_auth()
                .with_single_cert(vec![made.cert.der().clone()], key)
                .map_err(std::io::Error::other)?;
            server.alpn_protocols = protocols.iter().map(|p| p.to_vec()).collect();
            Ok::<_, std::io::Error>(Arc::new(server))
        };
        Ok(Self { both: config(&[b"h2", b"http/1.1"])?, first: config(&[b"http/1.1"])?, key_hash })
    }
}
