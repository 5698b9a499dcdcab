//! Files that a command writes: whole, or not at all.

use std::fs::{File, Permissions};
use std::io::{self, BufWriter, Write};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// A file to be written, opened before the work that it is for: whether it can be is known at once. It lies
/// beside its place until it is whole, so that what stood there stays. What is no plain file (a pipe, a
/// device) is written as it is.
pub struct Output {
    place: PathBuf,
    file: Kind,
}

enum Kind {
    Beside(NamedTempFile),
    Direct(File),
}

impl Output {
    /// For a file at this place.
    ///
    /// # Errors
    /// Where none can be written there.
    pub fn at(place: &Path) -> io::Result<Self> {
        let file = match place.metadata() {
            Ok(there) if there.is_dir() => return Err(io::ErrorKind::IsADirectory.into()),
            Ok(there) if !there.is_file() => Kind::Direct(File::options().write(true).open(place)?),
            _ => {
                let folder = place.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or(Path::new("."));
                // As any file that the user makes; the user's mask takes from it.
                let usual = Permissions::from_mode(0o666);
                Kind::Beside(tempfile::Builder::new().prefix(".phainon-").permissions(usual).tempfile_in(folder)?)
            }
        };
        Ok(Self { place: place.to_owned(), file })
    }

    /// Writes it and puts it in its place.
    ///
    /// # Errors
    /// Where it cannot be written; its place is then as it was.
    pub fn write<T>(mut self, write: impl FnOnce(&mut BufWriter<&mut File>) -> io::Result<T>) -> io::Result<T> {
        let file = match &mut self.file {
            Kind::Beside(file) => file.as_file_mut(),
            Kind::Direct(file) => file,
        };
        let mut out = BufWriter::new(file);
        let made = write(&mut out)?;
        out.flush()?;
        drop(out);
        if let Kind::Beside(file) = self.file {
            file.as_file().sync_all()?;
            file.persist(self.place).map_err(|e| e.error)?;
        }
        Ok(made)
    }
}

/// Counts what is written.
pub struct Counted<W> {
    to: W,
    /// Bytes so far.
    pub count: u64,
}

impl<W> Counted<W> {
    /// From nothing.
    pub fn new(to: W) -> Self {
        Self { to, count: 0 }
    }
}

impl<W: Write> Write for Counted<W> {
    fn write(&mut self, part: &[u8]) -> io::Result<usize> {
        let written = self.to.write(part)?;
        self.count += written as u64;
        Ok(written)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.to.flush()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_stood_there_stays_until_the_new_one_is_whole() {
        let folder = tempfile::tempdir().expect("a folder");
        let place = folder.path().join("x.zip");
        std::fs::write(&place, "before").expect("written");
        let to = |place: &Path| Output::at(place).expect("it can be written");
        let half = to(&place).write(|out| {
            out.write_all(b"half")?;
            Err::<(), _>(io::Error::other("the disk is full"))
        });
        assert!(half.is_err());
        assert_eq!(std::fs::read(&place).expect("there"), b"before");
        assert_eq!(to(&place).write(|out| out.write(b"after")).expect("written"), 5);
        assert_eq!(std::fs::read(&place).expect("there"), b"after");
        assert_eq!(std::fs::read_dir(folder.path()).expect("a folder").count(), 1, "nothing is left beside it");
        assert!(to(Path::new("/dev/full")).write(|out| out.write(b"x")).is_err());
        assert!(Output::at(folder.path()).is_err() && Output::at(&folder.path().join("no/x.zip")).is_err());
    }
}
