//! SVG outlines: every path command, transforms, basic shapes, `use` within the file.
//!
//! XML is read by roxmltree, which refuses document type declarations and so all entities; path data,
//! transforms and lengths by svgtypes. Circular arcs stay circular arcs when their transform keeps
//! circles round; other elliptical arcs become Béziers.

mod arcs;

use crate::xml::{MOST_ATTRIBUTES, MOST_NAMESPACES, TooMuch, too_much};
use arcs::{Piece, transformed};
use kurbo::{Affine, Arc, CubicBez, Point, SvgArc, Vec2};
use roxmltree::{Document, Node};
use std::f64::consts::FRAC_PI_2;
use std::str::FromStr;
use svgtypes::{Length, LengthUnit, PathParser, PathSegment, PointsParser, Transform};
use zickzack_core::curve::{Outline, Segment};

/// Why a text is not a drawing with outlines.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum SvgError {
    #[error("the file is {0} kB large, and 8000 kB is the most: simplify it")]
    TooLarge(usize),
    #[error("the file is empty")]
    Empty,
    #[error("the file declares a document type, which may refer to things outside it: save it as plain SVG")]
    Outside,
    #[error("it is not well-formed XML: {0}")]
    Xml(String),
    #[error("it is XML, but its outermost element is not svg")]
    NotSvg,
    #[error("the element at line {line} refers to \"{href}\", which is outside the file: embed it")]
    OutsideReference {
        /// Line in the file, from 1.
        line: u32,
        /// What it refers to.
        href: String,
    },
    #[error("the {element} at line {line} cannot be read: {what}")]
    Element {
        /// Name of the element.
        element: String,
        /// Line in the file, from 1.
        line: u32,
        /// What is wrong.
        what: String,
    },
    #[error("it has no paths or shapes to ride on")]
    NoShapes,
    #[error("it has more than {MOST_SEGMENTS} pieces of path: simplify it")]
    TooManySegments,
    #[error("one of its elements has more than {MOST_ATTRIBUTES} attributes: simplify it")]
    TooManyAttributes,
    #[error("it declares more than {MOST_NAMESPACES} namespaces: save it as plain SVG")]
    TooManyNamespaces,
    #[error("its elements are nested or reused too deeply")]
    TooDeep,
}

const MOST_BYTES: usize = 8_000_000;
const MOST_SEGMENTS: usize = 50_000;
const DEEPEST: usize = 64;
/// Most elements looked at, reused ones counted each time.
const MOST_ELEMENTS: usize = 200_000;
/// All outlines of a drawing in order, y up, in its own units; a path with several parts gives
/// several outlines with one id.
///
/// # Errors
/// What is no drawing, refers to outside of the file, has nothing in it, or too much.
pub fn read(text: &str) -> Result<Vec<Outline>, SvgError> {
    if text.len() > MOST_BYTES {
        return Err(SvgError::TooLarge(text.len() / 1000));
    }
    if text.trim().is_empty() {
        return Err(SvgError::Empty);
    }
    match too_much(text) {
        Some(TooMuch::Attributes) => return Err(SvgError::TooManyAttributes),
        Some(TooMuch::Namespaces) => return Err(SvgError::TooManyNamespaces),
        None => {}
    }
    let document = Document::parse(text).map_err(|error| match error {
        roxmltree::Error::DtdDetected => SvgError::Outside,
        other => SvgError::Xml(other.to_string()),
    })?;
    let root = document.root_element();
    if root.tag_name().name() != "svg" {
        return Err(SvgError::NotSvg);
    }
    let mut reader = Reader { document: &document, outlines: Vec::new(), segments: 0, elements: 0 };
    reader.element(root, Affine::FLIP_Y, "", 0)?;
    if reader.outlines.is_empty() {
        return Err(SvgError::NoShapes);
    }
    Ok(reader.outlines)
}

#[derive(Default)]
struct Part {
    pieces: Vec<Piece>,
    closed: bool,
}

struct Reader<'a, 'input> {
    document: &'a Document<'input>,
    outlines: Vec<Outline>,
    segments: usize,
    elements: usize,
}

impl<'a, 'input> Reader<'a, 'input> {
    fn element(&mut self, node: Node<'a, 'input>, outer: Affine, id: &str, depth: usize) -> Result<(), SvgError> {
        self.elements += 1;
        if depth > DEEPEST || self.elements > MOST_ELEMENTS {
            return Err(SvgError::TooDeep);
        }
        if node.attribute("display") == Some("none") {
            return Ok(());
        }
        let id = if id.is_empty() { node.attribute("id").unwrap_or("") } else { id };
        let matrix = outer * transform(node)?;
        match node.tag_name().name() {
            "svg" => self.children(node, matrix * viewport(node, depth)?, "", depth),
            "g" | "a" | "switch" => self.children(node, matrix, "", depth),
            "use" => self.reused(node, matrix, id, depth),
            "symbol" if depth > 0 && !id.is_empty() => self.children(node, matrix, "", depth),
            _ => {
                for part in parts(node)? {
                    self.keep(&part, matrix, id)?;
                }
                Ok(())
            }
        }
    }

    fn children(&mut self, node: Node<'a, 'input>, matrix: Affine, id: &str, depth: usize) -> Result<(), SvgError> {
        for child in node.children().filter(Node::is_element) {
            // A symbol is shown only where it is used.
            if child.tag_name().name() != "symbol" {
                self.element(child, matrix, id, depth + 1)?;
            }
        }
        Ok(())
    }

    fn reused(&mut self, node: Node<'a, 'input>, matrix: Affine, id: &str, depth: usize) -> Result<(), SvgError> {
        let href = node.attribute("href").or_else(|| node.attribute(("http://www.w3.org/1999/xlink", "href")));
        let Some(href) = href else { return Ok(()) };
        let Some(target) = href.strip_prefix('#') else {
            return Err(SvgError::OutsideReference { line: line(node), href: href.chars().take(80).collect() });
        };
        let found = self.document.descendants().find(|other| other.attribute("id") == Some(target));
        let Some(found) = found else { return Err(broken(node, format!("there is no element \"{target}\""))) };
        let offset = Vec2::new(length(node, "x", 0.0)?, length(node, "y", 0.0)?);
        self.element(found, matrix * Affine::translate(offset), id, depth + 1)
    }

    fn keep(&mut self, part: &Part, matrix: Affine, id: &str) -> Result<(), SvgError> {
        let segments: Vec<Segment> = part.pieces.iter().flat_map(|piece| transformed(piece, matrix)).collect();
        self.segments += segments.len();
        if self.segments > MOST_SEGMENTS {
            return Err(SvgError::TooManySegments);
        }
        if !segments.is_empty() {
            self.outlines.push(Outline { id: id.to_owned(), segments, closed: part.closed });
        }
        Ok(())
    }
}

fn line(node: Node<'_, '_>) -> u32 {
    node.document().text_pos_at(node.range().start).row
}

fn broken(node: Node<'_, '_>, what: impl Into<String>) -> SvgError {
    SvgError::Element { element: node.tag_name().name().to_owned(), line: line(node), what: what.into() }
}

fn transform(node: Node<'_, '_>) -> Result<Affine, SvgError> {
    let Some(text) = node.attribute("transform") else { return Ok(Affine::IDENTITY) };
    let t = Transform::from_str(text).map_err(|error| broken(node, format!("transform: {error}")))?;
    let matrix = Affine::new([t.a, t.b, t.c, t.d, t.e, t.f]);
    matrix.is_finite().then_some(matrix).ok_or_else(|| broken(node, "its transform is not finite"))
}

/// What maps the view box onto the viewport; the outermost one keeps the file's own units.
fn viewport(node: Node<'_, '_>, depth: usize) -> Result<Affine, SvgError> {
    if depth == 0 {
        return Ok(Affine::IDENTITY);
    }
    let offset = Affine::translate((length(node, "x", 0.0)?, length(node, "y", 0.0)?));
    let Some(text) = node.attribute("viewBox") else { return Ok(offset) };
    let view = svgtypes::ViewBox::from_str(text).map_err(|error| broken(node, format!("viewBox: {error}")))?;
    let (width, height) = (length(node, "width", view.w)?, length(node, "height", view.h)?);
    let scale = (width / view.w).min(height / view.h);
    let spare = Vec2::new(width - view.w * scale, height - view.h * scale) * 0.5;
    Ok(offset * Affine::translate(spare) * Affine::scale(scale) * Affine::translate((-view.x, -view.y)))
}

/// A length in units of the file, 96 of them an inch.
fn length(node: Node<'_, '_>, name: &str, default: f64) -> Result<f64, SvgError> {
    let Some(text) = node.attribute(name) else { return Ok(default) };
    let length = Length::from_str(text.trim()).map_err(|error| broken(node, format!("{name}: {error}")))?;
    let factor = match length.unit {
        LengthUnit::None | LengthUnit::Px => 1.0,
        LengthUnit::In => 96.0,
        LengthUnit::Cm => 96.0 / 2.54,
        LengthUnit::Mm => 96.0 / 25.4,
        LengthUnit::Pt => 96.0 / 72.0,
        LengthUnit::Pc => 16.0,
        LengthUnit::Em | LengthUnit::Ex | LengthUnit::Percent => {
            return Err(broken(node, format!("{name}=\"{text}\" depends on something else: give it without a unit")));
        }
    };
    let value = length.number * factor;
    value.is_finite().then_some(value).ok_or_else(|| broken(node, format!("{name} is not finite")))
}

fn parts(node: Node<'_, '_>) -> Result<Vec<Part>, SvgError> {
    let number = |name: &str| length(node, name, 0.0);
    Ok(match node.tag_name().name() {
        "path" => path(node, node.attribute("d").unwrap_or(""))?,
        "line" => {
            let (from, to) = (Point::new(number("x1")?, number("y1")?), Point::new(number("x2")?, number("y2")?));
            vec![Part { pieces: vec![Piece::Line(from, to)], closed: false }]
        }
        "polyline" => vec![polygon(node, false)],
        "polygon" => vec![polygon(node, true)],
        "circle" => ellipse(number("cx")?, number("cy")?, number("r")?, number("r")?),
        "ellipse" => ellipse(number("cx")?, number("cy")?, number("rx")?, number("ry")?),
        "rect" => rectangle(node)?,
        _ => Vec::new(),
    })
}

fn ellipse(x: f64, y: f64, rx: f64, ry: f64) -> Vec<Part> {
    if rx <= 0.0 || ry <= 0.0 {
        return Vec::new();
    }
    let whole = Arc {
        center: Point::new(x, y),
        radii: Vec2::new(rx, ry),
        start_angle: 0.0,
        sweep_angle: 4.0 * FRAC_PI_2,
        x_rotation: 0.0,
    };
    vec![Part { pieces: vec![Piece::Elliptic(whole)], closed: true }]
}

fn polygon(node: Node<'_, '_>, closed: bool) -> Part {
    let points: Vec<Point> = PointsParser::from(node.attribute("points").unwrap_or("")).map(Point::from).collect();
    let pieces = points.windows(2).map(|pair| Piece::Line(pair[0], pair[1])).collect();
    Part { pieces, closed }
}

fn rectangle(node: Node<'_, '_>) -> Result<Vec<Part>, SvgError> {
    let number = |name: &str| length(node, name, 0.0);
    let (x, y, w, h) = (number("x")?, number("y")?, number("width")?, number("height")?);
    if w <= 0.0 || h <= 0.0 {
        return Ok(Vec::new());
    }
    let (rx, ry) = (length(node, "rx", number("ry")?)?, length(node, "ry", number("rx")?)?);
    let (rx, ry) = (rx.clamp(0.0, w / 2.0), ry.clamp(0.0, h / 2.0));
    let mut pieces = Vec::new();
    let corner = |cx: f64, cy: f64, start: f64| {
        Piece::Elliptic(Arc {
            center: Point::new(cx, cy),
            radii: Vec2::new(rx, ry),
            start_angle: start,
            sweep_angle: FRAC_PI_2,
            x_rotation: 0.0,
        })
    };
    let line = |a: (f64, f64), b: (f64, f64)| Piece::Line(a.into(), b.into());
    pieces.push(line((x + rx, y), (x + w - rx, y)));
    pieces.push(corner(x + w - rx, y + ry, -FRAC_PI_2));
    pieces.push(line((x + w, y + ry), (x + w, y + h - ry)));
    pieces.push(corner(x + w - rx, y + h - ry, 0.0));
    pieces.push(line((x + w - rx, y + h), (x + rx, y + h)));
    pieces.push(corner(x + rx, y + h - ry, FRAC_PI_2));
    pieces.push(line((x, y + h - ry), (x, y + ry)));
    pieces.push(corner(x + rx, y + ry, 2.0 * FRAC_PI_2));
    if rx == 0.0 || ry == 0.0 {
        pieces.retain(|piece| matches!(piece, Piece::Line(..)));
    }
    Ok(vec![Part { pieces, closed: true }])
}

/// The pen of path data: where it is, where the part began, the last control point.
#[derive(Default)]
struct Pen {
    parts: Vec<Part>,
    at: Point,
    begun: Point,
    cubic: Option<Point>,
    quadratic: Option<Point>,
}

impl Pen {
    fn part(&mut self) -> &mut Part {
        if self.parts.last().is_none_or(|part| part.closed) {
            self.parts.push(Part::default());
        }
        let last = self.parts.len() - 1;
        &mut self.parts[last]
    }

    fn line(&mut self, to: Point) {
        let from = self.at;
        self.part().pieces.push(Piece::Line(from, to));
        self.at = to;
    }

    fn curve(&mut self, b: Point, c: Point, d: Point) {
        let from = self.at;
        self.part().pieces.push(Piece::Cubic(CubicBez::new(from, b, c, d)));
        self.at = d;
        self.cubic = Some(c);
    }

    fn quad(&mut self, control: Point, to: Point) {
        let raised = kurbo::QuadBez::new(self.at, control, to).raise();
        self.curve(raised.p1, raised.p2, to);
        self.cubic = None;
        self.quadratic = Some(control);
    }

    fn arc(&mut self, arc: &SvgArc) {
        match Arc::from_svg_arc(arc) {
            Some(elliptic) => self.part().pieces.push(Piece::Elliptic(elliptic)),
            None if arc.from != arc.to => return self.line(arc.to),
            None => {}
        }
        self.at = arc.to;
    }
}

fn path(node: Node<'_, '_>, data: &str) -> Result<Vec<Part>, SvgError> {
    let mut pen = Pen::default();
    for segment in PathParser::from(data) {
        let segment = segment.map_err(|error| broken(node, format!("path data: {error}")))?;
        let base = |abs: bool, pen: &Pen| if abs { Vec2::ZERO } else { pen.at.to_vec2() };
        let reflected = |control: Option<Point>, pen: &Pen| control.map_or(pen.at, |c| pen.at + (pen.at - c));
        let (cubic, quadratic) = (pen.cubic.take(), pen.quadratic.take());
        match segment {
            PathSegment::MoveTo { abs, x, y } => {
                pen.at = Point::new(x, y) + base(abs, &pen);
                pen.begun = pen.at;
                pen.parts.push(Part::default());
            }
            PathSegment::LineTo { abs, x, y } => pen.line(Point::new(x, y) + base(abs, &pen)),
            PathSegment::HorizontalLineTo { abs, x } => pen.line(Point::new(x + base(abs, &pen).x, pen.at.y)),
            PathSegment::VerticalLineTo { abs, y } => pen.line(Point::new(pen.at.x, y + base(abs, &pen).y)),
            PathSegment::CurveTo { abs, x1, y1, x2, y2, x, y } => {
                let o = base(abs, &pen);
                pen.curve(Point::new(x1, y1) + o, Point::new(x2, y2) + o, Point::new(x, y) + o);
            }
            PathSegment::SmoothCurveTo { abs, x2, y2, x, y } => {
                let o = base(abs, &pen);
                pen.curve(reflected(cubic, &pen), Point::new(x2, y2) + o, Point::new(x, y) + o);
            }
            PathSegment::Quadratic { abs, x1, y1, x, y } => {
                let o = base(abs, &pen);
                pen.quad(Point::new(x1, y1) + o, Point::new(x, y) + o);
            }
            PathSegment::SmoothQuadratic { abs, x, y } => {
                let o = base(abs, &pen);
                pen.quad(reflected(quadratic, &pen), Point::new(x, y) + o);
            }
            PathSegment::EllipticalArc { abs, rx, ry, x_axis_rotation, large_arc, sweep, x, y } => {
                let to = Point::new(x, y) + base(abs, &pen);
                let radii = Vec2::new(rx.abs(), ry.abs());
                pen.arc(&SvgArc {
                    from: pen.at,
                    to,
                    radii,
                    x_rotation: x_axis_rotation.to_radians(),
                    large_arc,
                    sweep,
                });
            }
            PathSegment::ClosePath { .. } => {
                if pen.at != pen.begun {
                    pen.line(pen.begun);
                }
                pen.at = pen.begun;
                if let Some(part) = pen.parts.last_mut() {
                    part.closed = true;
                }
            }
        }
    }
    Ok(pen.parts)
}
