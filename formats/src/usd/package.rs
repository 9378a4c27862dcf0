//! A stage with its pictures in one file.

use super::{Picture, UsdError};
use std::io::{self, Read, Seek, Write};
use zip::write::SimpleFileOptions;
use zip::{CompressionMethod, ZipWriter};

/// Bytes of which every file in a package begins at a multiple, as the format wants it.
const EVEN: u16 = 64;

/// Packs a stage and its pictures as they are (`.usdz`): nothing is compressed, so that readers need not unpack it.
///
/// # Errors
/// [`UsdError::TooLarge`] for more than the format holds; where `out` does not take it.
pub fn pack(mut stage: impl Read, pictures: &[Picture], out: impl Write + Seek) -> Result<(), UsdError> {
    let options = SimpleFileOptions::default().compression_method(CompressionMethod::Stored).with_alignment(EVEN);
    let mut package = ZipWriter::new(out);
    package.start_file("scene.usda", options).map_err(io::Error::from)?;
    io::copy(&mut stage, &mut package).map_err(too_large)?;
    for picture in pictures {
        package.start_file(&picture.path, options).map_err(io::Error::from)?;
        package.write_all(&picture.bytes).map_err(too_large)?;
    }
    package.finish().map_err(io::Error::from)?.flush()?;
    Ok(())
}

/// What does not fit is said by a kind of error that nothing else has here.
fn too_large(error: io::Error) -> UsdError {
    if error.to_string().contains("Large file") { UsdError::TooLarge } else { error.into() }
}
