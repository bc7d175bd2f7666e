//! Writes files whole or not at all, and never over a file that the command reads.

use crate::failure::Failure;
use crate::output;
use same_file::Handle;
use std::fs;
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use tempfile::{Builder, NamedTempFile};

/// A file that will be written. It is created beside its place before anything runs, so a missing folder is reported at once, and it
/// takes that place when it is complete. A command that fails leaves the old file unchanged.
#[derive(Debug)]
pub(crate) struct Target {
    /// As it was named.
    shown: PathBuf,
    /// Where it goes: links are followed.
    place: PathBuf,
    file: BufWriter<NamedTempFile>,
}

impl Target {
    /// Creates the file. Its place must not be one of the files that are read.
    pub(crate) fn new<'p>(
        path: &Path,
        read: impl IntoIterator<Item = &'p Path>,
    ) -> Result<Self, Failure> {
        for read in read {
            if is_same(read, path) {
                return Err(Failure::other(format!(
                    "{} is read by this command and would be overwritten; name another file",
                    path.display()
                )));
            }
        }
        let cannot = |error: &io::Error| output::unwritable(path, error);
        let place = match fs::canonicalize(path) {
            Ok(place) => place,
            Err(error) if error.kind() == io::ErrorKind::NotFound => path.to_owned(),
            Err(error) => return Err(cannot(&error)),
        };
        let before = fs::metadata(&place).ok();
        if before.as_ref().is_some_and(|before| !before.is_file()) {
            return Err(Failure::other(format!(
                "{} is not a regular file; name a regular file or a new one",
                path.display()
            )));
        }
        if before
            .as_ref()
            .is_some_and(|before| before.permissions().readonly())
        {
            return Err(Failure::other(format!(
                "{} is write-protected; name another file, or allow writing to it",
                path.display()
            )));
        }
        let folder = match place.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        };
        // Asked first, because an error would name the temporary file.
        fs::metadata(folder).map_err(|error| cannot(&error))?;
        let mut builder = Builder::new();
        // Drawing libraries choose the format by the file extension.
        let ending = place.extension().unwrap_or_default().to_string_lossy();
        let suffix = format!(".part.{ending}");
        builder.prefix(".gerust-").suffix(&suffix);
        #[cfg(unix)]
        {
            use std::os::unix::fs::PermissionsExt;
            builder.permissions(fs::Permissions::from_mode(0o666));
        }
        let file = builder
            .tempfile_in(folder)
            .map_err(|error| cannot(&error))?;
        if let Some(before) = before {
            let permissions = before.permissions();
            let kept = file.as_file().set_permissions(permissions);
            kept.map_err(|error| cannot(&error))?;
        }
        Ok(Self {
            shown: path.to_owned(),
            place,
            file: BufWriter::new(file),
        })
    }

    /// The path of the temporary file, for libraries that write by path.
    pub(crate) fn draft(&self) -> &Path {
        self.file.get_ref().path()
    }

    /// Moves the file to its place once all of it is on the disk.
    pub(crate) fn finish(self) -> Result<(), Failure> {
        let Self { shown, place, file } = self;
        let put = || -> io::Result<()> {
            let file = file.into_inner().map_err(io::IntoInnerError::into_error)?;
            file.as_file().sync_all()?;
            file.persist(place).map_err(|error| error.error)?;
            Ok(())
        };
        put().map_err(|error| output::unwritable(&shown, &error))?;
        output::note_written(&shown);
        Ok(())
    }

    /// Writes the whole file and moves it to its place.
    pub(crate) fn write(self, contents: &[u8]) -> Result<(), Failure> {
        self.write_with(|file| file.write_all(contents))
    }

    /// Calls `contents` to write the file, and moves it to its place.
    pub(crate) fn write_with(
        mut self,
        contents: impl FnOnce(&mut Self) -> io::Result<()>,
    ) -> Result<(), Failure> {
        let written = contents(&mut self);
        written.map_err(|error| output::unwritable(&self.shown, &error))?;
        self.finish()
    }
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.file.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.file.flush()
    }
}

/// Whether two paths lead to the same file, through any names and links.
fn is_same(a: &Path, b: &Path) -> bool {
    match (Handle::from_path(a), Handle::from_path(b)) {
        (Ok(a), Ok(b)) => a == b,
        _ => false,
    }
}
