use super::arc_length::Measure;
use super::axes::Node;
use super::reshape::Placement;
use super::segment::Segment;
use crate::pose::bend;
use crate::work::{here, spend};
use glam::DVec3;
use rayon::prelude::*;

/// Why something is not a path.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum CurveError {
    #[error("the path has no points yet: draw at least two")]
    Empty,
    #[error("the path has only one point: add another")]
    OnePoint,
    #[error("all points of the path lie in one place, so it has no length: move one of them")]
    NoLength,
    #[error("point {0} of the path is not a finite number: set it again")]
    NotFinite(usize),
    #[error("the bends are too small for a path this long: make them wider or the path shorter")]
    TooFine,
    #[error("piece {0} of the path does not begin where the piece before it ends")]
    Gap(usize),
}

/// Consecutive segments, open or closed, addressed by arc length.
#[derive(Debug, Clone)]
pub struct Strand {
    segments: Vec<Segment>,
    /// The same pieces, ready to be evaluated often.
    pieces: Vec<Piece>,
    measures: Vec<Measure>,
    /// Arc length at the start of each segment, and the whole length at the end.
    starts: Vec<f64>,
    closed: bool,
    corners: Vec<f64>,
}

/// What is found at an arc length.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct OnStrand {
    /// Metres.
    pub point: DVec3,
    /// Unit vector towards growing arc length.
    pub tangent: DVec3,
}

/// More pieces than this are measured side by side.
const MANY: usize = 64;
/// Looks that a piece counts as that is only put elsewhere.
const OF_A_PIECE: u64 = 4;
/// Up to so many pieces are searched one by one.
const FEW: usize = 16;

/// What is computed once of a segment that is evaluated often.
#[derive(Debug, Clone, Copy)]
enum Piece {
    /// A cubic in powers of its parameter, and the length below which its derivative counts as none.
    Cubic { powers: [DVec3; 4], least: f64 },
    /// Cheap enough as it is.
    Other,
}

impl Piece {
    fn new(segment: &Segment) -> Self {
        let Segment::Cubic { points: [a, b, c, d] } = *segment else { return Self::Other };
        let powers = [a, (b - a) * 3.0, (a - b * 2.0 + c) * 3.0, d - a + (b - c) * 3.0];
        Self::Cubic { powers, least: 1e-9 * segment.size() }
    }

    #[inline(always)]
    fn point(&self, segment: &Segment, t: f64) -> DVec3 {
        match self {
            Self::Cubic { powers: [a, b, c, d], .. } => *a + (*b + (*c + *d * t) * t) * t,
            Self::Other => segment.at(t),
        }
    }

    #[inline(always)]
    fn tangent(&self, segment: &Segment, t: f64) -> DVec3 {
        if let Self::Cubic { powers: [_, b, c, d], least } = self {
            let derivative = *b + (*c * 2.0 + *d * (3.0 * t)) * t;
            let length = derivative.length();
            if length > *least {
                return derivative / length;
            }
        }
        segment.tangent(t)
    }
}

/// Part of a strand's length by which rounding may miss a joint.
const AT_JOINT: f64 = 1e-12;
/// A turn of the direction by more than this, in radians, is a corner.
const CORNER: f64 = 1e-5;

impl Strand {
    /// From segments that follow each other within 1e-6 of the whole size; segments without length
    /// are left out. A closed strand whose end misses its start gets a straight closing piece.
    ///
    /// # Errors
    /// [`CurveError::Empty`] without pieces, [`CurveError::NoLength`] where none has a length,
    /// [`CurveError::NotFinite`] for a place that is no number, [`CurveError::Gap`] where one does not begin where the
    /// one before it ends.
    pub fn new(segments: Vec<Segment>, closed: bool) -> Result<Self, CurveError> {
        if segments.is_empty() {
            return Err(CurveError::Empty);
        }
        if let Some(index) = segments.iter().position(|segment| !segment.is_finite()) {
            return Err(CurveError::NotFinite(index + 1));
        }
        let size: f64 = segments.iter().map(Segment::size).sum();
        if !(size > 0.0 && size.is_finite()) {
            return Err(CurveError::NoLength);
        }
        let mut kept: Vec<Segment> = segments.into_iter().filter(|s| s.size() > 1e-12 * size).collect();
        for (index, pair) in kept.windows(2).enumerate() {
            if pair[0].at(1.0).distance(pair[1].at(0.0)) > 1e-6 * size {
                return Err(CurveError::Gap(index + 2));
            }
        }
        let (first, last) = (kept[0].at(0.0), kept[kept.len() - 1].at(1.0));
        if closed && last.distance(first) > 1e-9 * size {
            kept.push(Segment::Line { from: last, to: first });
        }
        // In order, whoever measures them.
        let measures: Vec<Measure> = if kept.len() > MANY {
            let counted = here();
            kept.par_iter().map(|segment| counted.on(|| Measure::new(segment))).collect()
        } else {
            kept.iter().map(Measure::new).collect()
        };
        let mut starts = vec![0.0];
        for measure in &measures {
            starts.push(starts[starts.len() - 1] + measure.length());
        }
        if starts[starts.len() - 1] <= 0.0 {
            return Err(CurveError::NoLength);
        }
        let pieces = kept.iter().map(Piece::new).collect();
        let mut strand = Self { segments: kept, pieces, measures, starts, closed, corners: Vec::new() };
        strand.corners = strand.find_corners();
        Ok(strand)
    }

    /// The strand enlarged, turned and moved: what was measured of it is taken over.
    pub(super) fn placed(&self, &Placement { position, orientation, scale }: &Placement) -> Result<Self, CurveError> {
        spend(OF_A_PIECE * self.segments.len() as u64);
        let moved = |segment: &Segment| segment.transformed(scale, orientation, position);
        let segments: Vec<Segment> = self.segments.iter().map(moved).collect();
        if let Some(index) = segments.iter().position(|segment| !segment.is_finite()) {
            return Err(CurveError::NotFinite(index + 1));
        }
        let measures: Vec<Measure> = self.measures.iter().map(|measure| measure.scaled(scale)).collect();
        let mut starts = vec![0.0];
        for measure in &measures {
            starts.push(starts[starts.len() - 1] + measure.length());
        }
        let length = starts[starts.len() - 1];
        if !(length > 0.0 && length.is_finite()) {
            return Err(CurveError::NoLength);
        }
        // At its joints, to the bit.
        let corner = |s: &f64| starts[self.starts.partition_point(|start| start < s).min(starts.len() - 1)];
        let corners = self.corners.iter().map(corner).collect();
        let pieces = segments.iter().map(Piece::new).collect();
        Ok(Self { segments, pieces, measures, starts, closed: self.closed, corners })
    }

    /// Metres from the start at which its segments begin, and at the end the whole length.
    pub fn joints(&self) -> &[f64] {
        &self.starts
    }

    /// Metres, positive.
    #[inline]
    pub fn length(&self) -> f64 {
        self.starts[self.starts.len() - 1]
    }

    /// True when its end runs into its start.
    pub const fn closed(&self) -> bool {
        self.closed
    }

    /// Its pieces.
    pub fn segments(&self) -> &[Segment] {
        &self.segments
    }

    /// Arc lengths in [0, L) at which the direction jumps, in order.
    pub fn corners(&self) -> &[f64] {
        &self.corners
    }

    /// The place and direction at `s` metres: wrapped on a closed strand, clamped on an open one.
    /// At a corner the direction is that of the piece that begins there.
    pub fn at(&self, s: f64) -> OnStrand {
        let (index, t) = self.locate(self.normalise(s));
        self.on(index, t)
    }

    /// As [`at`](Self::at) for an `s` that lies in [0, L] already.
    #[inline(always)]
    pub fn at_normalised(&self, s: f64) -> OnStrand {
        let (index, t) = self.locate(s);
        self.on(index, t)
    }

    /// Two places about `2 · step` metres apart on both sides of an `s` in [0, L], with how far along they lie, both on one piece: that
    /// to which one goes where `s` is at a joint without a corner, moved into it at its ends. `step` is made smaller
    /// where the piece is short. What lies between them is right to rounding, and not only to what the way from
    /// length to parameter is.
    pub fn about(&self, s: f64, ahead: bool, step: f64) -> [(f64, OnStrand); 2] {
        let near = AT_JOINT * self.length();
        let (mut index, _) = self.locate(s);
        let [start, end] = [self.starts[index], self.starts[index + 1]];
        let smooth = |joint: f64| !self.corners.contains(&joint);
        if ahead && end - s < near && index + 1 < self.segments.len() && smooth(end) {
            index += 1;
        } else if !ahead && s - start < near && index > 0 && smooth(start) {
            index -= 1;
        }
        let [start, end] = [self.starts[index], self.starts[index + 1]];
        let step = step.min(0.25 * (end - start));
        // Not up to its ends, where all that hangs on the place may be of the piece beside it.
        let s = s.clamp(start + 1.5 * step, end - 1.5 * step);
        let t = self.parameter(index, s);
        let speed = |t: f64| self.segments[index].derivative(t).length();
        let here = speed(t);
        let by = if here > 0.0 { step / here } else { 0.0 };
        // Beside a cusp the parameter runs ever faster: Simpson's rule tells how far it is.
        let apart = (speed(t - by) + 4.0 * here + speed(t + by)) * by / 3.0;
        [(s - 0.5 * apart, self.on(index, t - by)), (s + 0.5 * apart, self.on(index, t + by))]
    }

    /// Only the place, for an `s` that lies in [0, L] already. `piece` is where it looks first, and is set
    /// to where it was found: neighbours mostly lie on one piece.
    #[inline(always)]
    pub fn point_normalised(&self, s: f64, piece: &mut usize) -> DVec3 {
        let t = self.located_from(s, piece);
        self.pieces[*piece].point(&self.segments[*piece], t)
    }

    /// As [`at_normalised`](Self::at_normalised), looking first where [`point_normalised`](Self::point_normalised) does.
    #[inline(always)]
    pub fn at_normalised_from(&self, s: f64, piece: &mut usize) -> OnStrand {
        let t = self.located_from(s, piece);
        self.on(*piece, t)
    }

    /// The parameter of an `s` that lies in [0, L] on the piece that it is on, which is looked for there first.
    #[inline(always)]
    fn located_from(&self, s: f64, piece: &mut usize) -> f64 {
        let known = self.starts.get(*piece..*piece + 2).is_some_and(|ends| s >= ends[0] && s < ends[1]);
        if !known {
            *piece = self.locate(s).0;
        }
        self.measures[*piece].parameter(&self.segments[*piece], s - self.starts[*piece])
    }

    #[inline(always)]
    fn on(&self, index: usize, t: f64) -> OnStrand {
        let (segment, piece) = (&self.segments[index], &self.pieces[index]);
        OnStrand { point: piece.point(segment, t), tangent: piece.tangent(segment, t) }
    }

    /// `s` wrapped into [0, L) on a closed strand, clamped to [0, L] on an open one.
    pub fn normalise(&self, s: f64) -> f64 {
        let length = self.length();
        if self.closed {
            let wrapped = s - (s / length).floor() * length;
            if wrapped >= length { 0.0 } else { wrapped }
        } else {
            s.clamp(0.0, length)
        }
    }

    /// Piece and parameter at an `s` in [0, L].
    #[inline(always)]
    fn locate(&self, s: f64) -> (usize, f64) {
        let last = self.segments.len() - 1;
        let index = if last < FEW {
            // All of them are looked at, without a branch that has to be guessed.
            self.starts[1..=last].iter().map(|&start| usize::from(start <= s)).sum()
        } else {
            (self.starts.partition_point(|&start| start <= s).max(1) - 1).min(last)
        };
        let t = self.measures[index].parameter(&self.segments[index], s - self.starts[index]);
        (index, t)
    }

    /// Arc lengths at which a piece begins and ends.
    pub(super) fn ends(&self, index: usize) -> (f64, f64) {
        (self.starts[index], self.starts[index + 1])
    }

    /// The parameter of a piece at `s` metres from the strand's start, which lies in the piece.
    pub(super) fn parameter(&self, index: usize, s: f64) -> f64 {
        self.measures[index].parameter(&self.segments[index], s - self.starts[index])
    }

    fn find_corners(&self) -> Vec<f64> {
        let turned = |before: &Segment, after: &Segment| bend(before.tangent(1.0), after.tangent(0.0)) > CORNER;
        let mut corners = Vec::new();
        if self.closed && turned(&self.segments[self.segments.len() - 1], &self.segments[0]) {
            corners.push(0.0);
        }
        for (index, pair) in self.segments.windows(2).enumerate() {
            if turned(&pair[0], &pair[1]) {
                corners.push(self.starts[index + 1]);
            }
        }
        corners
    }

    /// Nodes for a table of axes: both sides of every joint, and in between so many that the direction
    /// turns by at most `step` radians from one to the next (but at a cusp), at least four per curved
    /// piece.
    pub fn nodes(&self, step: f64) -> Vec<Node> {
        self.nodes_where(1, |a, b| bend(a.tangent, b.tangent) > step, |segment| segment.turning() / step)
    }

    /// As [`nodes`](Self::nodes), with at least 16 per piece and so many that neither the direction nor what
    /// `goal` gives at a node turns by more than `step` from one to the next; what it gives comes with them.
    pub fn guided_nodes(&self, step: f64, goal: impl Fn(&Node) -> Option<DVec3>) -> (Vec<Node>, Vec<Option<DVec3>>) {
        let apart = |a: &Node, b: &Node| match (goal(a), goal(b)) {
            (Some(a), Some(b)) => bend(a.normalize_or_zero(), b.normalize_or_zero()),
            _ => 0.0,
        };
        let far = |a: &Node, b: &Node| bend(a.tangent, b.tangent) > step || apart(a, b) > step;
        let nodes = self.nodes_where(16, far, |segment| segment.turning() / step);
        let goals = nodes.iter().map(&goal).collect();
        (nodes, goals)
    }

    fn nodes_where(
        &self,
        least: usize,
        far: impl Fn(&Node, &Node) -> bool,
        wanted: impl Fn(&Segment) -> f64,
    ) -> Vec<Node> {
        let mut nodes = Vec::new();
        for (index, segment) in self.segments.iter().enumerate() {
            let wanted = wanted(segment);
            let count = if wanted == 0.0 { least } else { (wanted.ceil() as usize).clamp(least.max(4), 2048) };
            let (start, length) = (self.starts[index], self.measures[index].length());
            let node = |along: f64| {
                let t = self.measures[index].parameter(segment, along);
                Node { at: start + along, point: segment.at(t), tangent: segment.tangent(t) }
            };
            let mut last = (0.0, node(0.0));
            nodes.push(last.1);
            for i in 1..=count {
                let along = if i == count { length } else { length * i as f64 / count as f64 };
                let next = (along, node(along));
                refine(&node, last, next, &far, DEEPEST, &mut nodes);
                last = next;
            }
        }
        nodes
    }
}

/// Halvings of a stretch between nodes: at a cusp there is no end to them.
const DEEPEST: usize = 12;

/// Adds the node at the end of a stretch, and before it those without which the two are `far` apart.
fn refine(
    node: &impl Fn(f64) -> Node,
    from: (f64, Node),
    to: (f64, Node),
    far: &impl Fn(&Node, &Node) -> bool,
    depth: usize,
    nodes: &mut Vec<Node>,
) {
    if depth > 0 && far(&from.1, &to.1) {
        let along = 0.5 * (from.0 + to.0);
        let middle = (along, node(along));
        refine(node, from, middle, far, depth - 1, nodes);
        refine(node, middle, to, far, depth - 1, nodes);
    } else {
        nodes.push(to.1);
    }
}
