//! Where a thing's top points.

use crate::curve::{AxesTable, Curve, Node, Path, Strand, UpRule, guided_up};
use crate::signal::{Driven, Thing};
use crate::surface::Ground;
use glam::DVec3;

/// Where a thing's top points, as far as its travel allows.
#[derive(Clone)]
pub enum FaceUp {
    /// As little turn as can be; on a closed path what is left after a lap is spread over it, and so many
    /// whole turns more.
    Steady { turns: f64 },
    /// Along this unit vector.
    Towards(DVec3),
    /// To the place on a second path at the same part of its length; strands go together by their number.
    /// Without a path of its own a thing takes the same part of the loop of `frames` frames.
    Beside { path: Path, frames: f64 },
    /// Away from the nearest place of a surface.
    Off(Ground),
    /// To a place: x, y, z in metres.
    At([Driven; 3]),
}

/// A second path nearer than this part of its length gives no direction.
const MEETING: f64 = 1e-3;

/// Where a thing is asked for its up.
#[derive(Debug, Clone, Copy)]
pub(in crate::motion) struct Stand {
    /// Real-valued frame.
    pub frame: f64,
    /// Which strand of its path.
    pub strand: usize,
    /// Part of the strand's length from 0 to 1, where it has a path.
    pub part: Option<f64>,
    /// Metres.
    pub point: DVec3,
}

impl FaceUp {
    /// As little turn as can be.
    pub const STEADY: Self = Self::Steady { turns: 0.0 };

    /// True when what it points at changes from frame to frame.
    pub(in crate::motion) fn moves(&self) -> bool {
        match self {
            Self::Steady { .. } | Self::Towards(_) => false,
            Self::Beside { path, .. } => path.unmoving().is_none(),
            Self::Off(ground) => ground.unmoving().is_none(),
            Self::At(place) => place.iter().any(Driven::over_time),
        }
    }

    /// The rule that needs no goals, if it is one.
    const fn rule(&self) -> Option<UpRule> {
        match self {
            Self::Steady { .. } => Some(UpRule::Steady),
            Self::Towards(up) => Some(UpRule::Towards(*up)),
            Self::Beside { .. } | Self::Off(_) | Self::At(_) => None,
        }
    }

    /// A vector of any length towards which the top points; `None` where there is none, or it does not hang
    /// on the place.
    pub(in crate::motion) fn goal(&self, stand: Stand) -> Option<DVec3> {
        match self {
            Self::Steady { .. } | Self::Towards(_) => None,
            Self::Beside { path, frames } => {
                let curve = path.at(stand.frame);
                let strand = &curve.strands()[stand.strand % curve.strands().len()];
                let loops = stand.frame / frames;
                let part = stand.part.unwrap_or(loops - loops.floor()).clamp(0.0, 1.0);
                let apart = strand.at_normalised(part * strand.length()).point - stand.point;
                (apart.length() > MEETING * strand.length()).then_some(apart)
            }
            Self::Off(ground) => Some(ground.at(stand.frame).nearest(stand.point).normal),
            Self::At(place) => {
                let at = |driven: &Driven| driven.at(stand.frame, Thing::default());
                Some(DVec3::new(at(&place[0]), at(&place[1]), at(&place[2])) - stand.point)
            }
        }
    }

    /// Axes along the strands of a path that does not move; `step` is the angle in radians between nodes.
    pub(in crate::motion) fn along(&self, curve: &Curve, step: f64) -> Vec<AxesTable> {
        self.along_at(curve, 0.0, step)
    }

    /// The same along what a path is at a frame.
    pub(in crate::motion) fn along_at(&self, curve: &Curve, frame: f64, step: f64) -> Vec<AxesTable> {
        let table = |(index, strand): (usize, &Strand)| self.along_strand((index, frame), strand, step);
        curve.strands().iter().enumerate().map(table).collect()
    }

    fn along_strand(&self, (index, frame): (usize, f64), strand: &Strand, step: f64) -> AxesTable {
        if let Some(rule) = self.rule() {
            let table = AxesTable::new(strand.nodes(step), rule, strand.closed());
            return if let Self::Steady { turns } = self { table.with_turns(*turns) } else { table };
        }
        let length = strand.length();
        let stand = |node: &Node| Stand { frame, strand: index, part: Some(node.at / length), point: node.point };
        let (nodes, goals) = strand.guided_nodes(step, |node| self.goal(stand(node)));
        AxesTable::guided(nodes, &goals, strand.closed())
    }

    /// Axes along a trajectory through nodes in time, with the goal at each; upright at frame `anchor` where
    /// nothing else says how it stands.
    pub(in crate::motion) fn in_time(&self, nodes: Vec<Node>, goals: &[Option<DVec3>], anchor: f64) -> AxesTable {
        match self.rule() {
            Some(rule) => AxesTable::anchored(nodes, rule, anchor),
            None => AxesTable::guided_from(nodes, goals, anchor),
        }
    }

    /// True where up would come from a goal, and the travel runs too close along it: what is done there hangs on
    /// what comes before and after.
    pub(in crate::motion) fn bridges(&self, node: &Node, goal: Option<DVec3>) -> bool {
        match self {
            Self::Steady { .. } => false,
            Self::Towards(up) => guided_up(node, Some(*up)).is_none(),
            Self::Beside { .. } | Self::Off(_) | Self::At(_) => guided_up(node, goal).is_none(),
        }
    }
}
