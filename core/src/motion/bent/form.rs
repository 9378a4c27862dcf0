//! What is bent, as it is at rest.

use crate::pose::Axis;
use glam::DVec2;

/// How a strip ends at its tail.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum StripEnd {
    /// Straight across.
    Straight,
    /// Cut to a point.
    Pointed,
    /// Notched, so that it has two points.
    Swallowtail,
}

/// A long flat thing: its length lies along x, its width along z, +y is off its face.
#[derive(Debug, Clone, PartialEq)]
pub struct Strip {
    /// Metres, above 0.
    pub width: f64,
    /// Metres, at least 0.
    pub thickness: f64,
    /// Its tail, where x is 0.
    pub end: StripEnd,
    /// Stripes across it in turn of two colours; one colour where there is one.
    pub stripes: usize,
    /// `#rrggbb` each.
    pub colours: [String; 2],
    /// Name of a picture in the scene that is on it in place of its stripes, its left at the tail; none where it is empty.
    pub picture: String,
}

/// What is bent.
#[derive(Debug, Clone, PartialEq)]
pub enum BentForm {
    /// A strip.
    Strip(Strip),
    /// A model of one's own, as large as its length along its nose says.
    Model {
        /// Name of the file in the scene.
        file: String,
        /// The side of it that lies ahead, along x.
        nose: Axis,
        /// The side of it that is up, along y.
        top: Axis,
        /// Its least and its largest extent along y and z, metres.
        around: [DVec2; 2],
    },
}

impl BentForm {
    /// The corners of its cross-section that lie farthest out, y and z in metres.
    pub fn corners(&self) -> [DVec2; 4] {
        let [low, high] = match self {
            Self::Strip(strip) => {
                let half = DVec2::new(0.5 * strip.thickness, 0.5 * strip.width);
                [-half, half]
            }
            Self::Model { around, .. } => *around,
        };
        [low, DVec2::new(low.x, high.y), high, DVec2::new(high.x, low.y)]
    }

    /// Name of the file of its model, where it is one.
    pub fn file(&self) -> Option<&str> {
        match self {
            Self::Strip(_) => None,
            Self::Model { file, .. } => Some(file),
        }
    }

    /// How wide it is across, metres.
    pub fn width(&self) -> f64 {
        let [low, _, high, _] = self.corners();
        (high - low).max_element()
    }
}
