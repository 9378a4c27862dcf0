//! Answers that are written before they are sent, and not in memory: so neither one that is large nor one who takes it
//! slowly holds any, and what goes wrong on the way is still refused in a sentence.

use super::Refusal;
use actix_web::body::SizedStream;
use actix_web::web::{Bytes, BytesMut};
use futures_util::stream::unfold;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom};
use std::path::Path;
use tokio::io::AsyncReadExt;

/// Where what is large is kept for a while; the usual place for such files may be memory.
const ON_DISK: &str = "/var/tmp";
/// Bytes that are read at a time.
const CHUNK: usize = 1 << 16;

/// The refusal of what the disk does not take.
pub fn unwritten(error: std::io::Error) -> Refusal {
    tracing::error!("a file that is sent: {error}");
    Refusal::full(format!("The server's disk does not take the file ({error}): make room in {ON_DISK} there."))
}

/// An empty file without a name, gone when it is dropped.
///
/// # Errors
/// Where the disk makes none.
pub fn aside() -> Result<File, Refusal> {
    let on_disk = Path::new(ON_DISK);
    let file = if on_disk.is_dir() { tempfile::tempfile_in(on_disk) } else { tempfile::tempfile() };
    file.map_err(unwritten)
}

/// A whole file without a name, gone when it is dropped.
pub struct Spooled {
    file: File,
    bytes: u64,
}

impl Spooled {
    /// What `write` writes.
    ///
    /// # Errors
    /// What `write` says, and where there is no room on the disk.
    pub fn of(write: impl FnOnce(&mut BufWriter<File>) -> Result<(), Refusal>) -> Result<Self, Refusal> {
        let mut into = BufWriter::with_capacity(CHUNK, aside()?);
        write(&mut into)?;
        let mut file = into.into_inner().map_err(|error| unwritten(error.into_error()))?;
        let bytes = file.stream_position().map_err(unwritten)?;
        file.seek(SeekFrom::Start(0)).map_err(unwritten)?;
        Ok(Self { file, bytes })
    }

    /// As the body of an answer.
    pub fn body(self) -> SizedStream<impl futures_util::Stream<Item = std::io::Result<Bytes>>> {
        let file = tokio::fs::File::from_std(self.file);
        let chunks = unfold(file, |mut file| async move {
            let mut chunk = BytesMut::with_capacity(CHUNK);
            match file.read_buf(&mut chunk).await {
                Ok(0) => None,
                Ok(_) => Some((Ok(chunk.freeze()), file)),
                Err(error) => Some((Err(error), file)),
            }
        });
        SizedStream::new(self.bytes, Box::pin(chunks))
    }
}
