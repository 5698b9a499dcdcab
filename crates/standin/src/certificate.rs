//! The stand-in's self-made certificate, fresh at every start.

use base64::Engine;
use rustls::ServerConfig;
use rustls::pki_types::{PrivateKeyDer, PrivatePkcs8KeyDer};
use sha2::{Digest, Sha256};
use std::sync::Arc;

/// A certificate for every host of the scenario, and how a browser may know it.
pub struct Certificate {
    /// For the listener.
    pub server: Arc<ServerConfig>,
    /// SHA-256 of the public key (SubjectPublicKeyInfo), in base64.
    pub key_hash: String,
}

impl Certificate {
    /// Makes one.
    pub fn make(hosts: &[&str]) -> std::io::Result<Self> {
        let names: Vec<String> = hosts.iter().map(|h| (*h).to_owned()).collect();
        let made = rcgen::generate_simple_self_signed(names).map_err(std::io::Error::other)?;
        let key_hash = base64::engine::general_purpose::STANDARD
            .encode(Sha256::digest(rcgen::PublicKeyData::subject_public_key_info(&made.signing_key)));
        let key = PrivateKeyDer::Pkcs8(PrivatePkcs8KeyDer::from(made.signing_key.serialize_der()));
        let provider = Arc::new(rustls::crypto::ring::default_provider());
        let mut server = ServerConfig::builder_with_provider(provider)
            .with_safe_default_protocol_versions()
            .map_err(std::io::Error::other)?
            .with_no_client_auth()
            .with_single_cert(vec![made.cert.der().clone()], key)
            .map_err(std::io::Error::other)?;
        server.alpn_protocols = vec![b"h2".to_vec(), b"http/1.1".to_vec()];
        Ok(Self { server: Arc::new(server), key_hash })
    }
}
