//! Being told to end.

use tokio::signal::unix::{SignalKind, signal};

/// Ends when the program is told to: by Ctrl-C, by its terminal's going, by whoever started it.
pub(crate) async fn told_to_end() {
    let wait = |kind: SignalKind| async move {
        match signal(kind) {
            Ok(mut told) => {
                told.recv().await;
            }
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! {
        () = wait(SignalKind::interrupt()) => {}
        () = wait(SignalKind::terminate()) => {}
        () = wait(SignalKind::hangup()) => {}
    }
}
