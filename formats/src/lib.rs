//! Open formats: one file per format, reading and writing.
//!
//! ```
//! let drawing = r#"<svg xmlns="http://www.w3.org/2000/svg"><circle id="ring" r="2"/></svg>"#;
//! let outlines = zickzack_formats::svg::read(drawing).unwrap();
//! assert_eq!((outlines[0].id.as_str(), outlines[0].segments.len()), ("ring", 4));
//! ```

pub mod animated;
pub mod bvh;
pub mod csv;
pub mod eye;
pub mod files;
pub mod glb;
pub mod media;
pub mod model;
mod parts;
pub mod picture;
pub mod recording;
pub mod svg;
pub mod table;
pub mod usd;
mod xml;
