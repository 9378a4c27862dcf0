use super::arc_length::Measure;
use super::axes::Node;
use super::segment::Segment;
use crate::pose::bend;
use glam::DVec3;

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
    #[error("piece {0} of the path does not begin where the piece before it ends")]
    Gap(usize),
}

/// Consecutive segments, open or closed, addressed by arc length.
#[derive(Debug, Clone)]
pub struct Strand {
    segments: Vec<Segment>,
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

/// A turn of the direction by more than this, in radians, is a corner.
const CORNER: f64 = 1e-5;

impl Strand {
    /// From segments that follow each other within 1e-6 of the whole size; segments without length
    /// are left out. A closed strand whose end misses its start gets a straight closing piece.
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
        let measures: Vec<Measure> = kept.iter().map(Measure::new).collect();
        let mut starts = vec![0.0];
        for measure in &measures {
            starts.push(starts[starts.len() - 1] + measure.length());
        }
        if starts[starts.len() - 1] <= 0.0 {
            return Err(CurveError::NoLength);
        }
        let mut strand = Self { segments: kept, measures, starts, closed, corners: Vec::new() };
        strand.corners = strand.find_corners();
        Ok(strand)
    }

    /// Metres, positive.
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
        let (index, t) = self.locate(s);
        let segment = &self.segments[index];
        OnStrand { point: segment.at(t), tangent: segment.tangent(t) }
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

    fn locate(&self, s: f64) -> (usize, f64) {
        let s = self.normalise(s);
        let index = (self.starts.partition_point(|&start| start <= s) - 1).min(self.segments.len() - 1);
        let t = self.measures[index].parameter(&self.segments[index], s - self.starts[index]);
        (index, t)
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
        let mut nodes = Vec::new();
        for (index, segment) in self.segments.iter().enumerate() {
            let turning = segment.turning();
            let count = if turning == 0.0 { 1 } else { ((turning / step).ceil() as usize).clamp(4, 2048) };
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
                refine(&node, last, next, step, DEEPEST, &mut nodes);
                last = next;
            }
        }
        nodes
    }
}

/// Halvings of a stretch between nodes: at a cusp there is no end to them.
const DEEPEST: usize = 12;

/// Adds the node at the end of a stretch, and before it what the turning asks for.
fn refine(
    node: &impl Fn(f64) -> Node,
    from: (f64, Node),
    to: (f64, Node),
    step: f64,
    depth: usize,
    nodes: &mut Vec<Node>,
) {
    if depth > 0 && bend(from.1.tangent, to.1.tangent) > step {
        let along = 0.5 * (from.0 + to.0);
        let middle = (along, node(along));
        refine(node, from, middle, step, depth - 1, nodes);
        refine(node, middle, to, step, depth - 1, nodes);
    } else {
        nodes.push(to.1);
    }
}
