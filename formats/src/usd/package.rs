//! A stage with its pictures in one file.

use super::{Picture, UsdError};
use std::io::{self, Read, Seek, SeekFrom, Write};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// Bytes of which every file in a package begins at a multiple, as the format wants it.
const EVEN: u16 = 64;

/// Bytes beyond what the files hold that a package has for each at most.
const BESIDE: u64 = 1024;

/// Packs a stage and its pictures as they are (`.usdz`): nothing is compressed, so that readers need not unpack it.
///
/// # Errors
/// [`UsdError::TooLarge`] for more than the format holds, before anything is written; where `out` does not take it.
pub fn pack(mut stage: impl Read + Seek, pictures: &[Picture], out: impl Write + Seek) -> Result<(), UsdError> {
    let all = pictures.iter().map(|picture| picture.bytes.len() as u64 + BESIDE).sum::<u64>() + BESIDE;
    if stage.seek(SeekFrom::End(0))?.saturating_add(all) > u64::from(u32::MAX) {
        return Err(UsdError::TooLarge);
    }
    stage.seek(SeekFrom::Start(0))?;
    let options = SimpleFileOptions::default().compression_method(CompressionMethod::Stored).with_alignment(EVEN);
    let mut package = ZipWriter::new(out);
    package.start_file("scene.usda", options).map_err(io::Error::from)?;
    io::copy(&mut stage, &mut package)?;
    for picture in pictures {
        package.start_file(&picture.path, options).map_err(io::Error::from)?;
        package.write_all(&picture.bytes)?;
    }
    Ok(package.finish().map_err(io::Error::from)?.flush()?)
}
