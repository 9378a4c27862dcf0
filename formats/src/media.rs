//! What a file is, by what is in it and never by what it is said to be.

use crate::picture;

/// The media type of a file: a picture, a model, a drawing, plain text, or only bytes. None of them is run by a browser.
///
/// ```
/// assert_eq!(zickzack_formats::media::of(b"<html><script>alert(1)</script></html>"), "text/plain");
/// assert_eq!(zickzack_formats::media::of(b"<svg xmlns='http://www.w3.org/2000/svg'/>"), "image/svg+xml");
/// ```
pub fn of(bytes: &[u8]) -> &'static str {
    if let Ok((media, _, _)) = picture::read(bytes) {
        return media;
    }
    if bytes.starts_with(b"glTF") {
        return "model/gltf-binary";
    }
    match std::str::from_utf8(bytes) {
        Ok(text) if text.contains('\0') => "application/octet-stream",
        Ok(text) if outermost(text).is_some_and(|name| name == "svg" || name.ends_with(":svg")) => "image/svg+xml",
        Ok(_) => "text/plain",
        Err(_) => "application/octet-stream",
    }
}

/// The name of the first element of XML.
fn outermost(text: &str) -> Option<&str> {
    let mut rest = text.trim_start_matches('\u{feff}').trim_start();
    for (begin, end) in [("<?", "?>"), ("<!--", "-->"), ("<!DOCTYPE", ">"), ("<!--", "-->")] {
        while rest.starts_with(begin) {
            rest = rest[rest.find(end)? + end.len()..].trim_start();
        }
    }
    let name = rest.strip_prefix('<')?;
    name.split(|c: char| c.is_whitespace() || c == '>' || c == '/').next()
}

/// A media type that was kept, as far as it is one that files have here: another is only bytes.
pub fn known(media: &str) -> &'static str {
    const ALL: [&str; 6] =
        ["image/png", "image/jpeg", "image/webp", "model/gltf-binary", "image/svg+xml", "text/plain"];
    ALL.into_iter().find(|known| *known == media).unwrap_or("application/octet-stream")
}
