//! Outlines of lettering, shaped and kerned, from the font that is shipped with the program.

use super::outline::Outline;
use super::segment::Segment;
use glam::DVec3;
use rustybuzz::ttf_parser::{GlyphId, OutlineBuilder};
use rustybuzz::{Face, UnicodeBuffer};

/// Bricolage Grotesque, semibold, under the SIL Open Font License (`fonts/OFL.txt`).
const FONT: &[u8] = include_bytes!("../../fonts/bricolage-grotesque-600.ttf");

/// Most letters of one lettering.
pub const MOST_LETTERS: usize = 200;

/// Lines below each other are so many sizes apart.
const LINE_HEIGHT: f64 = 1.6;

/// Why a text has no outlines.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LetteringError {
    #[error("there is nothing to be seen of the text: write some letters")]
    Empty,
    #[error("the font has no \"{0}\": write another sign in its place")]
    NoGlyph(char),
    #[error("the text has {0} letters, and {MOST_LETTERS} is the most: shorten it")]
    TooLong(usize),
    #[error("the font that is shipped with the program cannot be read: install the program again")]
    NoFont,
}

/// The contours of a text, each one closed outline, on a base line through the origin. A contour's id is the
/// number of the letter it belongs to, from 1. Capitals are 1 high; `spacing` is added between letters, in
/// heights of capitals.
///
/// # Errors
/// Where the text is empty, too long, or has signs that cannot be drawn.
pub fn lettering(text: &str, spacing: f64) -> Result<Vec<Outline>, LetteringError> {
    let letters = text.chars().count();
    if letters > MOST_LETTERS {
        return Err(LetteringError::TooLong(letters));
    }
    let face = Face::from_slice(FONT, 0).ok_or(LetteringError::NoFont)?;
    let capitals = face.capital_height().map_or(700.0, f64::from);
    let missing = |c: &char| !c.is_whitespace() && face.glyph_index(*c).is_none();
    if let Some(sign) = text.chars().find(missing) {
        return Err(LetteringError::NoGlyph(sign));
    }
    let mut outlines = Vec::new();
    let mut before = 0;
    for (number, line) in text.lines().enumerate() {
        let base = DVec3::NEG_Y * (LINE_HEIGHT * number as f64);
        set(&face, line, (capitals, spacing), base, before, &mut outlines);
        before += line.chars().filter(|c| !c.is_whitespace()).count();
    }
    if outlines.is_empty() { Err(LetteringError::Empty) } else { Ok(outlines) }
}

/// One line; `before` letters lie in the lines above.
fn set(
    face: &Face<'_>,
    line: &str,
    (capitals, spacing): (f64, f64),
    base: DVec3,
    before: usize,
    out: &mut Vec<Outline>,
) {
    let mut buffer = UnicodeBuffer::new();
    buffer.push_str(line);
    buffer.guess_segment_properties();
    let shaped = rustybuzz::shape(face, &[], buffer);
    let mut pen = base;
    for (info, position) in shaped.glyph_infos().iter().zip(shaped.glyph_positions()) {
        let letters = line.get(..info.cluster as usize).unwrap_or_default();
        let letter = before + letters.chars().filter(|c| !c.is_whitespace()).count() + 1;
        let offset = DVec3::new(f64::from(position.x_offset), f64::from(position.y_offset), 0.0) / capitals;
        let mut contours = Contours { scale: 1.0 / capitals, origin: pen + offset, ..Contours::default() };
        // Glyphs are 16-bit numbers in these fonts; what is not has no outline here.
        if let Ok(glyph) = u16::try_from(info.glyph_id) {
            face.outline_glyph(GlyphId(glyph), &mut contours);
        }
        let closed = |segments| Outline { id: letter.to_string(), segments, closed: true };
        out.extend(contours.done.into_iter().map(closed));
        pen.x += f64::from(position.x_advance) / capitals + spacing;
    }
}

/// Contours of a glyph as they are told by the font.
#[derive(Default)]
struct Contours {
    scale: f64,
    origin: DVec3,
    start: DVec3,
    here: DVec3,
    open: Vec<Segment>,
    done: Vec<Vec<Segment>>,
}

impl Contours {
    fn place(&self, x: f32, y: f32) -> DVec3 {
        self.origin + DVec3::new(f64::from(x), f64::from(y), 0.0) * self.scale
    }
}

impl OutlineBuilder for Contours {
    fn move_to(&mut self, x: f32, y: f32) {
        self.start = self.place(x, y);
        self.here = self.start;
    }

    fn line_to(&mut self, x: f32, y: f32) {
        let to = self.place(x, y);
        self.open.push(Segment::Line { from: self.here, to });
        self.here = to;
    }

    fn quad_to(&mut self, x1: f32, y1: f32, x: f32, y: f32) {
        let (from, control, to) = (self.here, self.place(x1, y1), self.place(x, y));
        // The same curve, one degree higher.
        let points = [from, from + (control - from) * (2.0 / 3.0), to + (control - to) * (2.0 / 3.0), to];
        self.open.push(Segment::Cubic { points });
        self.here = to;
    }

    fn curve_to(&mut self, x1: f32, y1: f32, x2: f32, y2: f32, x: f32, y: f32) {
        let to = self.place(x, y);
        self.open.push(Segment::Cubic { points: [self.here, self.place(x1, y1), self.place(x2, y2), to] });
        self.here = to;
    }

    fn close(&mut self) {
        let size: f64 = self.open.iter().map(Segment::size).sum();
        if self.here.distance(self.start) > 1e-9 * size {
            self.open.push(Segment::Line { from: self.here, to: self.start });
        }
        let contour = std::mem::take(&mut self.open);
        if size > 0.0 {
            self.done.push(contour);
        }
    }
}
