//! Two recordings at once would measure each other: on one machine they take turns, whichever program
//! makes them.

use std::fs::{File, TryLockError};
use std::os::unix::fs::OpenOptionsExt;
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How often a waiting recording looks whether it may begin.
const LOOK: Duration = Duration::from_millis(200);

/// Where this user's recordings meet.
pub(crate) fn meeting_place() -> PathBuf {
    std::env::temp_dir().join(format!("phainon-recording-{}.lock", rustix::process::geteuid().as_raw()))
}

/// Waits for the machine; it is let go of when what this gives is dropped, or the program ends. `waiting`
/// is called where somebody else has it. Where there is no place to meet, nobody is waited for.
pub(crate) async fn take(place: &Path, waiting: impl FnOnce()) -> Option<File> {
    let opened = File::options().create(true).truncate(false).write(true).mode(0o600).open(place);
    let file = match opened {
        Ok(file) => file,
        Err(why) => {
            tracing::warn!("recordings cannot take turns, since {} cannot be used: {why}", place.display());
            return None;
        }
    };
    let mut waiting = Some(waiting);
    loop {
        match file.try_lock() {
            Ok(()) => return Some(file),
            Err(TryLockError::Error(_)) => return None,
            Err(TryLockError::WouldBlock) => {
                if let Some(waiting) = waiting.take() {
                    waiting();
                }
                tokio::time::sleep(LOOK).await;
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use tokio::sync::oneshot;

    #[tokio::test]
    async fn the_second_waits_says_so_and_comes_after_the_first() {
        let folder = tempfile::tempdir().expect("a folder");
        let place = folder.path().join("lock");
        let first = take(&place, || panic!("nobody is there")).await.expect("free");
        let (say, told) = oneshot::channel();
        let there = place.clone();
        let second = tokio::spawn(async move { take(&there, || say.send(()).expect("heard")).await.is_some() });
        told.await.expect("it waits");
        assert!(!second.is_finished());
        drop(first);
        assert!(second.await.expect("it ends"));
        assert!(take(Path::new("/nowhere/lock"), || ()).await.is_none());
    }
}
