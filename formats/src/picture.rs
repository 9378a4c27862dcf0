//! Pictures to match against: PNG, JPEG and WebP, looked at before they are kept.

use imagesize::ImageType;

/// Largest file, bytes.
pub const LARGEST: usize = 16 << 20;
/// Largest side, pixels.
pub const LARGEST_SIDE: usize = 8192;

/// Why a picture cannot be used.
#[derive(Debug, PartialEq, Eq, thiserror::Error)]
pub enum PictureError {
    #[error("it is larger than {} MB: make it smaller", LARGEST >> 20)]
    TooLarge,
    #[error("it is not a PNG, JPEG or WebP picture")]
    NotAPicture,
    #[error("it is {0} × {1} pixels, and {LARGEST_SIDE} is the most for a side: make it smaller")]
    TooWide(usize, usize),
}

/// Media type, width and height in pixels.
///
/// # Errors
/// What is no picture that can be shown, or is too large.
pub fn read(bytes: &[u8]) -> Result<(&'static str, usize, usize), PictureError> {
    if bytes.len() > LARGEST {
        return Err(PictureError::TooLarge);
    }
    let media = match imagesize::image_type(bytes) {
        Ok(ImageType::Png) => "image/png",
        Ok(ImageType::Jpeg) => "image/jpeg",
        Ok(ImageType::Webp) => "image/webp",
        _ => return Err(PictureError::NotAPicture),
    };
    let size = imagesize::blob_size(bytes).map_err(|_| PictureError::NotAPicture)?;
    if size.width == 0 || size.height == 0 {
        return Err(PictureError::NotAPicture);
    }
    if size.width.max(size.height) > LARGEST_SIDE {
        return Err(PictureError::TooWide(size.width, size.height));
    }
    Ok((media, size.width, size.height))
}
