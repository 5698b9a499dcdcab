//! What was recorded, in open formats: written as it goes out, so that no file lies in memory whole.

use crate::error::Problem;
use crate::rereading;
use crate::state::{State, apart};
use axum::body::{Body, Bytes};
use axum::extract::{Path, State as Shared};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use phainon_formats::archive::ArchiveWriter;
use phainon_formats::{Manifest, ManifestLoad, har};
use std::io::{self, BufWriter, Write};
use std::sync::Arc;
use tokio::sync::mpsc;
use tokio_stream::wrappers::ReceiverStream;

/// So many bytes go out at once, and so many such parts may wait for a caller who is slow.
const PART: usize = 64 << 10;
const PARTS: usize = 8;

/// A file on its way out. Writing waits for the caller, and fails once the caller has left.
struct Outgoing(mpsc::Sender<io::Result<Bytes>>);

impl Write for Outgoing {
    fn write(&mut self, part: &[u8]) -> io::Result<usize> {
        match self.0.blocking_send(Ok(Bytes::copy_from_slice(part))) {
            Ok(()) => Ok(part.len()),
            Err(_) => Err(io::ErrorKind::BrokenPipe.into()),
        }
    }

    fn flush(&mut self) -> io::Result<()> {
        Ok(())
    }
}

/// Hands out a file while it is written. What goes wrong on the way breaks the line off, so that nobody
/// takes half a file for a whole one.
fn download(
    name: &str,
    mime: &str,
    write: impl FnOnce(&mut BufWriter<Outgoing>) -> Result<(), String> + Send + 'static,
) -> Response {
    let (sender, receiver) = mpsc::channel(PARTS);
    tokio::task::spawn_blocking(move || {
        let mut out = BufWriter::with_capacity(PART, Outgoing(sender.clone()));
        let written = write(&mut out).and_then(|()| out.flush().map_err(|e| e.to_string()));
        if let Err(why) = written
            && sender.blocking_send(Err(io::Error::other(why.clone()))).is_ok()
        {
            tracing::warn!("an export broke off: {why}");
        }
    });
    Response::builder()
        .header(header::CONTENT_TYPE, mime)
        .header(header::CONTENT_DISPOSITION, format!("attachment; filename=\"{name}\""))
        .body(Body::from_stream(ReceiverStream::new(receiver)))
        .unwrap_or_else(|_| StatusCode::INTERNAL_SERVER_ERROR.into_response())
}

/// A recording as an archive.
pub async fn archive(Shared(app): Shared<Arc<State>>, Path(id): Path<i64>) -> Result<Response, Problem> {
    let state = app.clone();
    let (head, detail) = apart(move || Ok((state.store.recording(id)?, state.store.detail(id)?))).await?;
    let manifest = Manifest {
        format: Manifest::FORMAT.into(),
        version: 1,
        url: head.url,
        page: Some(head.page),
        conditions: head.conditions,
        browser: head.browser,
        recorded_at: Some(head.recorded_at),
        machine: head.machine,
        blocked: head.blocked,
        loads: head.loads.iter().map(|l| ManifestLoad { visit: l.visit, failed: l.failed.clone() }).collect(),
    };
    Ok(download(&format!("recording-{id}.phainon.zip"), "application/zip", move |out| {
        let said = |e: &dyn std::fmt::Display| e.to_string();
        let store = &app.store;
        let mut writer = ArchiveWriter::new(out, &manifest).map_err(|e| said(&e))?;
        for load in &head.loads {
            let raw = store.stored_load(id, load.number).and_then(|l| l.raw()).map_err(|e| said(&e))?;
            let read = if load.has_data { store.load(id, load.number).ok() } else { None };
            writer.load(&raw, read.as_ref()).map_err(|e| said(&e))?;
        }
        if let Some(detail) = &detail {
            writer.detail(detail).map_err(|e| said(&e))?;
        }
        for hash in store.body_names(id).map_err(|e| said(&e))? {
            if let Some(body) = store.body(&hash).map_err(|e| said(&e))? {
                writer.body(&hash, &body).map_err(|e| said(&e))?;
            }
        }
        writer.done().map(|_| ()).map_err(|e| said(&e))
    }))
}

/// A load as a HAR.
pub async fn har(Shared(app): Shared<Arc<State>>, Path((id, number)): Path<(i64, u32)>) -> Result<Response, Problem> {
    let load = rereading::prepared(&app, id, number).await?;
    Ok(download(&format!("recording-{id}-load-{number}.har"), "application/json", move |out| {
        let body = |hash: &str| app.store.body(hash).ok().flatten();
        har::write(&load.load, Some(&body), out).map_err(|e| e.to_string())
    }))
}
