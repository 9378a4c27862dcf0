//! Files that are written before they lie anywhere: what goes wrong on the way is a sentence, and leaves nothing behind.

use crate::api::Refusal;
use std::fs::File;
use std::io;
use std::path::Path;

/// Where what is large is kept for a while; the usual place for such files may be memory.
const ON_DISK: &str = "/var/tmp";

/// The refusal of what the disk does not take.
pub fn unwritten(error: io::Error) -> Refusal {
    tracing::error!("a file that is written: {error}");
    Refusal::full(format!("The disk does not take the file ({error}): make room in {ON_DISK} there."))
}

/// An empty file without a name, gone when it is dropped.
///
/// # Errors
/// Where the disk makes none.
pub fn aside() -> io::Result<File> {
    let on_disk = Path::new(ON_DISK);
    if on_disk.is_dir() { tempfile::tempfile_in(on_disk) } else { tempfile::tempfile() }
}
