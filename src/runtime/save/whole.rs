//! Files that are replaced as a whole.

use std::fs::File;
use std::io;
use std::path::Path;
use tempfile::{Builder, NamedTempFile};

/// Writes a file as a whole or not at all: a reader sees the old file or the new one, also after a crash. `write` fills a temporary file in
/// the same folder, which then takes the place of the old one and its permissions.
///
/// # Errors
///
/// If `write` returns an error, or if the file cannot be written; the old file then stays.
///
/// # Example
///
/// ```
/// use std::io::{self, Write};
///
/// let folder = tempfile::tempdir()?;
/// let path = folder.path().join("quay.save");
/// gerust::runtime::replace_file(&path, |file| file.write_all(b"high tide"))?;
/// let failed = gerust::runtime::replace_file(&path, |file| {
///     file.write_all(b"low")?;
///     Err::<(), _>(io::Error::other("the cable broke"))
/// });
/// assert!(failed.is_err());
/// assert_eq!(std::fs::read(&path)?, b"high tide");
/// # Ok::<(), io::Error>(())
/// ```
pub fn replace_file<R>(
    path: impl AsRef<Path>,
    write: impl FnOnce(&mut File) -> io::Result<R>,
) -> io::Result<R> {
    let path = path.as_ref();
    let folder = match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    };
    let mut file = temporary_in(folder)?;
    if let Ok(old) = std::fs::metadata(path) {
        file.as_file().set_permissions(old.permissions())?;
    }
    let result = write(file.as_file_mut())?;
    file.as_file().sync_all()?;
    file.persist(path).map_err(|error| error.error)?;
    // The new name itself; where folders cannot be opened, the system takes care of it.
    if let Ok(folder) = File::open(folder) {
        let _ = folder.sync_all();
    }
    Ok(result)
}

/// With the permissions of any new file; temporary files are otherwise for their owner alone.
fn temporary_in(folder: &Path) -> io::Result<NamedTempFile> {
    let mut builder = Builder::new();
    #[cfg(unix)]
    {
        use std::os::unix::fs::PermissionsExt;
        builder.permissions(std::fs::Permissions::from_mode(0o666));
    }
    builder.tempfile_in(folder)
}
