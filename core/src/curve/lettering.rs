//! Outlines of lettering, shaped and kerned, from the font that is shipped with the program.

use super::outline::Outline;
use super::segment::Segment;
use super::strand::Strand;
use super::tessellate::{tessellate, thinned};
use glam::{DVec2, DVec3};
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
    let font = Font::of(text)?;
    let mut outlines = Vec::new();
    let mut before = 0;
    for (number, line) in text.lines().enumerate() {
        let base = DVec3::NEG_Y * (LINE_HEIGHT * number as f64);
        for set in font.set(line, spacing, base) {
            let closed = |segments| Outline { id: (before + set.number).to_string(), segments, closed: true };
            outlines.extend(font.contours(&set, set.pen).into_iter().map(closed));
        }
        before += line.chars().filter(|c| !c.is_whitespace()).count();
    }
    if outlines.is_empty() { Err(LetteringError::Empty) } else { Ok(outlines) }
}

/// A letter that is set in a line.
#[derive(Debug, Clone, PartialEq)]
pub struct Letter {
    /// What it is, as it is written.
    pub sign: String,
    /// Its contours, from the middle of what the font lets it take up of the base line; all letters of one sign have the same.
    pub contours: Vec<Vec<Segment>>,
    /// Where that middle is on the line, from its start; kerned.
    pub at: f64,
}

impl Letter {
    /// Its contours as closed lines that are off by `fine` heights of capitals at most; what is too small for one is left out.
    pub fn lines(&self, fine: f64) -> Vec<Vec<DVec2>> {
        let line = |segments: &Vec<Segment>| {
            let strand = Strand::new(segments.clone(), true).ok()?;
            let mut line = thinned(&tessellate(&strand, 0.5 * fine), 0.5 * fine);
            line.pop();
            Some(line.into_iter().map(DVec3::truncate).collect())
        };
        self.contours.iter().filter_map(line).collect()
    }
}

/// The letters of a text that can be seen, all on one line, and how long that is: shaped and kerned, in heights of capitals,
/// with `spacing` more between them.
///
/// # Errors
/// As [`lettering`].
pub fn letters(text: &str, spacing: f64) -> Result<(Vec<Letter>, f64), LetteringError> {
    let line: String = text.lines().collect::<Vec<_>>().join(" ");
    let font = Font::of(&line)?;
    let (mut found, mut length) = (Vec::new(), 0.0f64);
    for set in font.set(&line, spacing, DVec3::ZERO) {
        length = length.max(set.pen.x + set.advance);
        let middle = 0.5 * font.own_advance(&set);
        let at = set.pen.x + set.offset.x + middle;
        let lifted = DVec3::new(-middle - set.offset.x, 0.0, 0.0);
        let contours = font.contours(&set, lifted);
        if !contours.is_empty() {
            found.push(Letter { sign: set.sign, contours, at });
        }
    }
    if found.is_empty() { Err(LetteringError::Empty) } else { Ok((found, length)) }
}

/// The font, for texts that it has all signs of.
struct Font {
    face: Face<'static>,
    /// Units of the font that capitals are high.
    capitals: f64,
}

/// A glyph in its place.
struct Set {
    glyph: u32,
    /// The number of its letter in its line, from 1, blanks left out.
    number: usize,
    sign: String,
    pen: DVec3,
    offset: DVec3,
    advance: f64,
}

impl Font {
    fn of(text: &str) -> Result<Self, LetteringError> {
        let letters = text.chars().count();
        if letters > MOST_LETTERS {
            return Err(LetteringError::TooLong(letters));
        }
        let face = Face::from_slice(FONT, 0).ok_or(LetteringError::NoFont)?;
        let missing = |c: &char| !c.is_whitespace() && face.glyph_index(*c).is_none();
        if let Some(sign) = text.chars().find(missing) {
            return Err(LetteringError::NoGlyph(sign));
        }
        Ok(Self { capitals: face.capital_height().map_or(700.0, f64::from), face })
    }

    /// Glyphs of a line that begins at `pen`.
    fn set(&self, line: &str, spacing: f64, mut pen: DVec3) -> Vec<Set> {
        let mut buffer = UnicodeBuffer::new();
        buffer.push_str(line);
        buffer.guess_segment_properties();
        let shaped = rustybuzz::shape(&self.face, &[], buffer);
        let glyphs = shaped.glyph_infos().iter().zip(shaped.glyph_positions());
        glyphs
            .map(|(info, position)| {
                let (before, from) = line.split_at_checked(info.cluster as usize).unwrap_or_default();
                let offset =
                    DVec3::new(f64::from(position.x_offset), f64::from(position.y_offset), 0.0) / self.capitals;
                let advance = f64::from(position.x_advance) / self.capitals;
                let set = Set {
                    glyph: info.glyph_id,
                    number: before.chars().filter(|c| !c.is_whitespace()).count() + 1,
                    sign: from.chars().take(1).collect(),
                    pen,
                    offset,
                    advance,
                };
                pen.x += advance + spacing;
                set
            })
            .collect()
    }

    /// How much of the line the font lets a glyph take up, before it is kerned.
    fn own_advance(&self, set: &Set) -> f64 {
        let advance = u16::try_from(set.glyph).ok().and_then(|glyph| self.face.glyph_hor_advance(GlyphId(glyph)));
        advance.map_or(set.advance, |advance| f64::from(advance) / self.capitals)
    }

    /// The contours of a glyph whose pen is at a place.
    fn contours(&self, set: &Set, pen: DVec3) -> Vec<Vec<Segment>> {
        let mut contours = Contours { scale: 1.0 / self.capitals, origin: pen + set.offset, ..Contours::default() };
        // Glyphs are 16-bit numbers in these fonts; what is not has no outline here.
        if let Ok(glyph) = u16::try_from(set.glyph) {
            self.face.outline_glyph(GlyphId(glyph), &mut contours);
        }
        contours.done
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
