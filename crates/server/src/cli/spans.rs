//! Spans that the server of a page sends while the command line records it.

use crate::spans;
use crate::state::State;
use phainon_recorder::Recording;
use phainon_store::Store;
use std::net::{Ipv4Addr, SocketAddr};
use std::sync::Arc;
use tokio::net::TcpListener;

/// Takes spans in on this machine alone, for as long as it lives.
pub struct SpanReceiver {
    state: Arc<State>,
    address: SocketAddr,
}

impl SpanReceiver {
    /// Listens on a port of 127.0.0.1; 0 takes any free one.
    pub async fn listen(port: u16) -> Result<Self, String> {
        let state = Arc::new(State::new(Store::temporary().map_err(|e| e.to_string())?));
        let listener = TcpListener::bind((Ipv4Addr::LOCALHOST, port)).await;
        let listener = listener.map_err(|e| format!("port {port} cannot be listened on for spans: {e}"))?;
        let address = listener.local_addr().map_err(|e| e.to_string())?;
        tokio::spawn(spans::keep_writing(state.clone()));
        let router = spans::router().with_state(state.clone());
        tokio::spawn(async move { axum::serve(listener, router).await });
        Ok(Self { state, address })
    }

    /// Where servers send them.
    pub fn endpoint(&self) -> String {
        format!("http://{}/v1/traces", self.address)
    }

    /// Gives each load what came of its trace.
    pub async fn add_to(&self, recording: &mut Recording) -> Result<(), String> {
        for load in &mut recording.loads {
            let Some(trace) = load.page.as_ref().and_then(|page| page.trace.clone()) else { continue };
            load.spans = spans::of_trace(&self.state, &trace).await.map_err(|e| e.to_string())?;
        }
        Ok(())
    }
}
