//! What a lathe turns: a line in the half plane of (distance from the axis, height), of pieces with closed forms.
//!
//! Nearest places are looked for piece by piece, nearest boxes first: in closed form on straight pieces and arcs, on
//! cubics by roots of the derivative of the squared distance, each in a bracket of its own.

use crate::quadrature::gauss;
use glam::DVec2;

/// A piece of a profile over its parameter t in [0, 1], in the half plane of (distance from the axis, height), metres.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Piece {
    /// Straight from one place to another.
    Line { from: DVec2, to: DVec2 },
    /// Part of a circle of `radius` above 0, from the angle `start` by the signed angle `sweep`, radians.
    Arc { centre: DVec2, radius: f64, start: f64, sweep: f64 },
    /// A cubic Bézier.
    Cubic([DVec2; 4]),
}

/// Most that an arc turns within one piece, radians.
const MOST_TURN: f64 = 1.0;
/// Most that the sides of a cubic turn within one piece, radians.
const MOST_BEND: f64 = 0.25;
/// Halvings of a cubic at most: at a cusp no piece bends little.
const MOST_HALVINGS: u32 = 12;
/// The least sine of the turn at a corner where two parts meet: what turns less is taken as bent.
const SHARP: f64 = 0.1;
/// Part of its reach by which a part goes on behind the next.
const BEHIND: f64 = 1e-6;
/// Steps of a bracketed root.
const MOST_STEPS: usize = 80;

impl Piece {
    /// The place at t.
    pub fn at(&self, t: f64) -> DVec2 {
        match *self {
            Self::Line { from, to } => from + (to - from) * t,
            Self::Arc { centre, radius, start, sweep } => centre + turned(start + sweep * t) * radius,
            Self::Cubic([a, b, c, d]) => {
                let u = 1.0 - t;
                a * (u * u * u) + b * (3.0 * u * u * t) + c * (3.0 * u * t * t) + d * (t * t * t)
            }
        }
    }

    /// The first derivative by t.
    fn derivative(&self, t: f64) -> DVec2 {
        match *self {
            Self::Line { from, to } => to - from,
            Self::Arc { radius, start, sweep, .. } => turned(start + sweep * t).perp() * (radius * sweep),
            Self::Cubic([a, b, c, d]) => {
                let u = 1.0 - t;
                (b - a) * (3.0 * u * u) + (c - b) * (6.0 * u * t) + (d - c) * (3.0 * t * t)
            }
        }
    }

    fn second_derivative(&self, t: f64) -> DVec2 {
        match *self {
            Self::Line { .. } => DVec2::ZERO,
            Self::Arc { radius, start, sweep, .. } => turned(start + sweep * t) * (-radius * sweep * sweep),
            Self::Cubic([a, b, c, d]) => (a - b * 2.0 + c) * (6.0 * (1.0 - t)) + (b - c * 2.0 + d) * (6.0 * t),
        }
    }

    /// Where it goes at t, a unit vector; where the derivative vanishes, from within the piece.
    pub(super) fn direction(&self, t: f64) -> DVec2 {
        let inward = if t < 0.5 { t + 1e-4 } else { t - 1e-4 };
        let size = self.at(0.0).distance(self.at(1.0));
        let derivative = self.derivative(t);
        if derivative.length() > 1e-9 * size {
            derivative.normalize()
        } else {
            self.derivative(inward).normalize_or(DVec2::Y)
        }
    }

    fn mirrored(&self) -> Self {
        let flip = |p: DVec2| DVec2::new(-p.x, p.y);
        match *self {
            Self::Line { from, to } => Self::Line { from: flip(from), to: flip(to) },
            Self::Arc { centre, radius, start, sweep } => {
                Self::Arc { centre: flip(centre), radius, start: std::f64::consts::PI - start, sweep: -sweep }
            }
            Self::Cubic(points) => Self::Cubic(points.map(flip)),
        }
    }

    /// The part of it between two parameters.
    fn part(&self, from: f64, to: f64) -> Self {
        match *self {
            Self::Line { .. } => Self::Line { from: self.at(from), to: self.at(to) },
            Self::Arc { centre, radius, start, sweep } => {
                Self::Arc { centre, radius, start: start + sweep * from, sweep: sweep * (to - from) }
            }
            Self::Cubic(_) => {
                let third = (to - from) / 3.0;
                let (a, d) = (self.at(from), self.at(to));
                Self::Cubic([a, a + self.derivative(from) * third, d - self.derivative(to) * third, d])
            }
        }
    }

    /// Parameters at which it crosses the axis, in order.
    fn crossings(&self) -> Vec<f64> {
        const LOOKS: usize = 64;
        let x = |i: usize| self.at(i as f64 / LOOKS as f64).x;
        let crosses = |i: &usize| (x(*i) < 0.0) != (x(i + 1) < 0.0);
        let between = |i: usize| bracketed(|t| self.at(t).x, i as f64 / LOOKS as f64, (i + 1) as f64 / LOOKS as f64);
        (0..LOOKS).filter(crosses).map(between).collect()
    }

    /// Pieces that bend little, in order.
    fn split(self, halvings: u32, into: &mut Vec<Self>) {
        let bends = match self {
            Self::Line { .. } => false,
            Self::Arc { sweep, .. } => sweep.abs() > MOST_TURN,
            Self::Cubic([a, b, c, d]) => {
                let sides: Vec<DVec2> = [b - a, c - b, d - c].into_iter().filter(|side| *side != DVec2::ZERO).collect();
                sides.windows(2).map(|pair| pair[0].angle_to(pair[1]).abs()).sum::<f64>() > MOST_BEND
            }
        };
        if bends && halvings > 0 {
            self.part(0.0, 0.5).split(halvings - 1, into);
            self.part(0.5, 1.0).split(halvings - 1, into);
        } else {
            into.push(self);
        }
    }

    /// Smallest and largest coordinates of what holds it.
    fn bounds(&self) -> (DVec2, DVec2) {
        match *self {
            Self::Line { from, to } => (from.min(to), from.max(to)),
            Self::Arc { centre, radius, start, sweep } => {
                let (mut low, mut high) = (self.at(0.0).min(self.at(1.0)), self.at(0.0).max(self.at(1.0)));
                let (first, last) = (start.min(start + sweep), start.max(start + sweep));
                let quarter = std::f64::consts::FRAC_PI_2;
                let mut turn = (first / quarter).ceil() * quarter;
                while turn <= last {
                    let there = centre + turned(turn) * radius;
                    (low, high) = (low.min(there), high.max(there));
                    turn += quarter;
                }
                (low, high)
            }
            Self::Cubic(points) => {
                (points.into_iter().fold(points[0], DVec2::min), points.into_iter().fold(points[0], DVec2::max))
            }
        }
    }

    /// The parameter of its nearest place.
    fn nearest(&self, p: DVec2) -> f64 {
        match *self {
            Self::Line { from, to } => ((p - from).dot(to - from) / (to - from).length_squared()).clamp(0.0, 1.0),
            Self::Arc { centre, start, sweep, .. } => {
                let off = p - centre;
                let middle = start + 0.5 * sweep;
                // The angle from the middle of the arc, which is the nearest where it lies on it.
                let beside = libm::atan2(turned(middle).perp_dot(off), turned(middle).dot(off));
                (0.5 + beside / sweep).clamp(0.0, 1.0)
            }
            Self::Cubic(_) => {
                const LOOKS: usize = 8;
                let slope = |t: f64| (self.at(t) - p).dot(self.derivative(t));
                let far = |t: f64| self.at(t).distance_squared(p);
                let mut best = if far(1.0) < far(0.0) { 1.0 } else { 0.0 };
                for i in 0..LOOKS {
                    let (low, high) = (i as f64 / LOOKS as f64, (i + 1) as f64 / LOOKS as f64);
                    if slope(low) < 0.0 && slope(high) >= 0.0 {
                        let t = bracketed(slope, low, high);
                        if far(t) < far(best) {
                            best = t;
                        }
                    }
                }
                best
            }
        }
    }
}

fn turned(angle: f64) -> DVec2 {
    let (sine, cosine) = libm::sincos(angle);
    DVec2::new(cosine, sine)
}

/// The root between two places with values of different sign, by false position with halving (Illinois).
fn bracketed(f: impl Fn(f64) -> f64, mut low: f64, mut high: f64) -> f64 {
    let (mut at_low, mut at_high) = (f(low), f(high));
    for _ in 0..MOST_STEPS {
        if at_low == 0.0 {
            return low;
        }
        if at_high == 0.0 || high - low <= 2e-16 {
            return high;
        }
        let secant = (low * at_high - high * at_low) / (at_high - at_low);
        let middle = if secant > low && secant < high { secant } else { 0.5 * (low + high) };
        let value = f(middle);
        if (value < 0.0) == (at_high < 0.0) {
            (high, at_high) = (middle, value);
            at_low *= 0.5;
        } else {
            (low, at_low) = (middle, value);
            at_high *= 0.5;
        }
    }
    0.5 * (low + high)
}

/// A piece with what is asked of it often.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Span {
    piece: Piece,
    low: DVec2,
    high: DVec2,
    /// Length of all before it, metres.
    from: f64,
    length: f64,
}

impl Span {
    /// Squared distance to what holds it.
    fn box_distance(&self, p: DVec2) -> f64 {
        p.clamp(self.low, self.high).distance_squared(p)
    }
}

/// A place on a profile.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnProfile {
    /// (distance from the axis, height), metres.
    pub point: DVec2,
    /// Unit vector; at a corner the mean of both sides, so that a place beside it is on the side that it says.
    pub normal: DVec2,
    /// Its two sides differ there, or it ends.
    pub corner: bool,
    /// How much the normal turns along it, radians per metre; above 0 where it bends away from its normal. At a corner
    /// nothing is to be had from it.
    pub bend: f64,
}

/// A line in the half plane beside the axis, one piece after another.
#[derive(Debug, Clone, PartialEq)]
pub struct Profile {
    spans: Vec<Span>,
    /// It ends where it begins.
    closed: bool,
    /// 1 where its normals lie to the right of its way, −1 where to the left.
    right: f64,
    reach: f64,
}

impl Profile {
    /// From points of a polyline whose distance from the axis is taken without its sign; `None` for fewer than two
    /// places.
    pub fn new(points: impl IntoIterator<Item = DVec2>) -> Option<Self> {
        let points: Vec<DVec2> = points.into_iter().collect();
        Self::of(points.windows(2).map(|pair| Piece::Line { from: pair[0], to: pair[1] }))
    }

    /// From pieces, each beginning where the last one ends; what lies beyond the axis is mirrored at it. `None` where
    /// nothing has a length, or where all of it lies on the axis.
    pub fn of(pieces: impl IntoIterator<Item = Piece>) -> Option<Self> {
        let mut fine = Vec::new();
        for piece in pieces {
            let mut cuts = vec![0.0];
            cuts.extend(piece.crossings());
            cuts.push(1.0);
            for cut in cuts.windows(2).filter(|cut| cut[1] > cut[0]) {
                let part = if cuts.len() == 2 { piece } else { piece.part(cut[0], cut[1]) };
                let part = if part.at(0.5).x < 0.0 { part.mirrored() } else { part };
                part.split(MOST_HALVINGS, &mut fine);
            }
        }
        let mut from = 0.0;
        let mut spans = Vec::with_capacity(fine.len());
        for piece in fine {
            let length = gauss(|t| piece.derivative(t).length(), 0.0, 1.0);
            if length > 0.0 && length.is_finite() {
                let (low, high) = piece.bounds();
                spans.push(Span { piece, low, high, from, length });
                from += length;
            }
        }
        let (first, last) = (spans.first()?, spans.last()?);
        let size = spans.iter().map(|span| span.high.abs().max_element()).fold(0.0, f64::max);
        if spans.iter().all(|span| span.high.x <= 1e-12 * size) {
            return None;
        }
        let closed = spans.len() > 1 && first.piece.at(0.0).distance(last.piece.at(1.0)) <= 1e-9 * size;
        // Away from the axis on the whole, by the area beside it (Green); of what is level, up.
        let area = |of: &dyn Fn(DVec2, DVec2) -> f64| -> f64 {
            spans.iter().map(|s| gauss(|t| of(s.piece.at(t), s.piece.derivative(t)), 0.0, 1.0)).sum()
        };
        let beside = area(&|at, by| at.x * by.y);
        let way = if beside.abs() > 1e-9 * size * size { beside } else { -area(&|at, by| at.x * by.x) };
        let reach = spans.iter().map(|span| span.low.abs().max(span.high.abs()).length()).fold(0.0, f64::max);
        Some(Self { reach, right: if way < 0.0 { -1.0 } else { 1.0 }, closed, spans })
    }

    /// The length of all of it, metres.
    pub fn length(&self) -> f64 {
        self.spans.last().map_or(0.0, |span| span.from + span.length)
    }

    /// How far it goes from the middle of its axis, metres.
    pub const fn reach(&self) -> f64 {
        self.reach
    }

    /// The place at a part of its length, 0 to 1.
    pub fn at(&self, part: f64) -> OnProfile {
        let s = part.clamp(0.0, 1.0) * self.length();
        let index = self.spans.partition_point(|span| span.from + span.length < s).min(self.spans.len() - 1);
        let span = &self.spans[index];
        let covered = |t: f64| gauss(|u| span.piece.derivative(u).length(), 0.0, t) - (s - span.from);
        let t = match span.piece {
            Piece::Cubic(_) => bracketed(covered, 0.0, 1.0),
            _ => ((s - span.from) / span.length).clamp(0.0, 1.0),
        };
        self.on(index, t)
    }

    /// The place from two numbers, 0 to 1: evenly over the area of what is turned, where the numbers are.
    pub fn spread(&self, a: f64, b: f64) -> OnProfile {
        let area = |span: &Span, t: f64| gauss(|u| span.piece.at(u).x * span.piece.derivative(u).length(), 0.0, t);
        let mut left = a.clamp(0.0, 1.0) * self.spans.iter().map(|span| area(span, 1.0)).sum::<f64>();
        let mut chosen = self.spans.len() - 1;
        for (index, span) in self.spans.iter().enumerate() {
            let own = area(span, 1.0);
            if left <= own && own > 0.0 {
                chosen = index;
                break;
            }
            left -= own;
        }
        let span = &self.spans[chosen];
        let whole = area(span, 1.0);
        self.on(chosen, bracketed(|t| area(span, t) - b.clamp(0.0, 1.0) * whole, 0.0, 1.0))
    }

    /// Places along it close enough for drawing.
    pub fn drawn(&self) -> Vec<DVec2> {
        const PARTS: usize = 4;
        let parts = |span: &Span| if matches!(span.piece, Piece::Line { .. }) { 1 } else { PARTS };
        let of = |span: &Span| {
            let (piece, parts) = (span.piece, parts(span));
            (0..parts).map(move |i| piece.at(i as f64 / parts as f64))
        };
        let end = self.spans.last().map(|span| span.piece.at(1.0));
        self.spans.iter().flat_map(of).chain(end).collect()
    }

    /// Its pieces, in order.
    pub(super) fn pieces(&self) -> impl Iterator<Item = &Piece> {
        self.spans.iter().map(|span| &span.piece)
    }

    /// The nearest place on it.
    pub fn nearest(&self, p: DVec2) -> OnProfile {
        let mut best = (f64::INFINITY, 0, 0.0);
        let mut look = |index: usize, span: &Span| {
            if span.box_distance(p) < best.0 {
                let t = span.piece.nearest(p);
                let far = span.piece.at(t).distance_squared(p);
                if far < best.0 {
                    best = (far, index, t);
                }
            }
        };
        // Begun where its box is nearest, so that most others need no look.
        let near = |a: &usize, b: &usize| self.spans[*a].box_distance(p).total_cmp(&self.spans[*b].box_distance(p));
        if let Some(first) = (0..self.spans.len()).min_by(near) {
            look(first, &self.spans[first]);
        }
        for (index, span) in self.spans.iter().enumerate() {
            look(index, span);
        }
        self.on(best.1, best.2)
    }

    /// What lies between its inner corners, seen from the side to which its normals point (1) or the other (−1): parts
    /// whose distances one can tell apart where they meet. Each goes on a little straight behind the next, so that at a
    /// corner both are flat. `None` where it has no such corner.
    pub fn parts(&self, side: f64) -> Option<Vec<Self>> {
        let count = self.spans.len();
        let inner = |i: usize| {
            let (before, after) =
                (self.spans[i].piece.direction(1.0), self.spans[(i + 1) % count].piece.direction(0.0));
            before.perp_dot(after) * self.right * side < -SHARP
        };
        let joints = if self.closed { count } else { count - 1 };
        let corners: Vec<usize> = (0..joints).filter(|i| inner(*i)).collect();
        let (first, last) = (*corners.first()?, *corners.last()?);
        let beyond = BEHIND * self.reach;
        let before = |i: usize| {
            let piece = &self.spans[i].piece;
            Piece::Line { from: piece.at(0.0) - piece.direction(0.0) * beyond, to: piece.at(0.0) }
        };
        let behind = |i: usize| {
            let piece = &self.spans[i].piece;
            Piece::Line { from: piece.at(1.0), to: piece.at(1.0) + piece.direction(1.0) * beyond }
        };
        let pieces = |from: usize, to: usize| (from..=to).map(|i| self.spans[i % count].piece);
        let between = |from: usize, to: usize| {
            let ends = std::iter::once(before(from % count)).chain(pieces(from, to)).chain([behind(to % count)]);
            ends.collect::<Vec<Piece>>()
        };
        let mut parts: Vec<Vec<Piece>> = corners.windows(2).map(|pair| between(pair[0] + 1, pair[1])).collect();
        if self.closed {
            parts.push(between(last + 1, first + count));
        } else {
            parts.push(pieces(0, first).chain([behind(first)]).collect());
            parts.push(std::iter::once(before(last + 1)).chain(pieces(last + 1, count - 1)).collect());
        }
        parts.into_iter().map(|pieces| Some(Self { right: self.right, ..Self::of(pieces)? })).collect()
    }

    fn side(&self, index: usize, t: f64) -> DVec2 {
        -self.spans[index].piece.direction(t).perp() * self.right
    }

    fn on(&self, index: usize, t: f64) -> OnProfile {
        let point = self.spans[index].piece.at(t);
        let own = self.side(index, t);
        let last = self.spans.len() - 1;
        let (joint, next) = match t {
            0.0 => (true, if index > 0 { Some((index - 1, 1.0)) } else { self.closed.then_some((last, 1.0)) }),
            1.0 => (true, if index < last { Some((index + 1, 0.0)) } else { self.closed.then_some((0, 0.0)) }),
            _ => (false, None),
        };
        let other = match next {
            Some((index, t)) => self.side(index, t),
            // On the axis the other side goes on.
            None if joint && point.x.abs() <= 1e-12 * self.reach() => DVec2::new(-own.x, own.y),
            None => own,
        };
        // The border of what is open is seen from all round.
        let border = joint && next.is_none() && point.x.abs() > 1e-12 * self.reach();
        let (first, second) = (self.spans[index].piece.derivative(t), self.spans[index].piece.second_derivative(t));
        let speed = first.length();
        let bend = if speed > 0.0 { first.perp_dot(second) / (speed * speed * speed) * self.right } else { 0.0 };
        let normal = (own + other).try_normalize().unwrap_or(own);
        OnProfile { point, normal, corner: border || own.distance(other) > 1e-9, bend }
    }
}
