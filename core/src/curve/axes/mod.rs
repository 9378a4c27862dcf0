//! Moving axes: forward, up and side along a curve or along a trajectory in time.
//!
//! Least-turn axes are made by double reflection (Wang, Jüttler, Zheng, Liu, "Computation of
//! Rotation Minimizing Frames", 2008; error of fourth order in the step). What angle is left after
//! a lap of a closed curve is spread evenly over it.

mod carrying;

pub use carrying::transport;

use crate::pose::{perpendicular, signed_angle, turned};
use carrying::{across, carry, direction, towards};
use glam::DVec3;
use std::f64::consts::{PI, TAU};

/// A known place on the way: the parameter is an arc length in metres or a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Node {
    /// Parameter; two nodes may share one where the direction jumps.
    pub at: f64,
    /// Metres.
    pub point: DVec3,
    /// Unit vector.
    pub tangent: DVec3,
}

/// Where the up direction comes from.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum UpRule {
    /// Least turn from the start.
    Steady,
    /// As close to this unit vector as the direction allows.
    Towards(DVec3),
}

/// Angle between direction and up below which the stretch is bridged, radians.
pub(super) const BRIDGE: f64 = 20.0 * PI / 180.0;

/// The up direction at every parameter of a way.
#[derive(Debug, Clone)]
pub struct AxesTable {
    nodes: Vec<Node>,
    /// Up at each node.
    ups: Vec<DVec3>,
    /// The direction that up comes as close to as it can, where it is one for the whole way.
    goal: Option<DVec3>,
    /// Stretches that carry a turn of their own, in order: a lap of a closed steady way, or the
    /// bridges over directions parallel to up.
    stretches: Vec<Stretch>,
    grid: Grid,
    /// Where up was to come from, and the way ran along it everywhere.
    parallel: bool,
}

/// Ups whose directions differ by less than this may be blended: the blend misses what is carried by
/// the third power of it over twelve, radians.
const NEAR: f64 = 0.05;

/// For each of equal parts of the way the last node that does not lie behind its beginning: where the
/// search for a node starts.
#[derive(Debug, Clone, Default)]
struct Grid {
    from: f64,
    per_unit: f64,
    starts: Vec<u32>,
}

impl Grid {
    fn new(nodes: &[Node]) -> Self {
        let (from, to) = (nodes[0].at, nodes[nodes.len() - 1].at);
        let parts = nodes.len();
        if to <= from {
            return Self { from, per_unit: 0.0, starts: vec![0] };
        }
        let (width, mut node) = ((to - from) / parts as f64, 0);
        let last_before = |part: usize| {
            let begins = from + width * part as f64;
            while node + 1 < parts && nodes[node + 1].at <= begins {
                node += 1;
            }
            node as u32
        };
        let starts = (0..parts).map(last_before).collect();
        Self { from, per_unit: parts as f64 / (to - from), starts }
    }

    /// The last node at or before a parameter, or the first.
    #[inline(always)]
    fn node(&self, nodes: &[Node], at: f64) -> usize {
        let part = (((at - self.from) * self.per_unit) as usize).min(self.starts.len() - 1);
        // Rounding may have put it one part too far.
        let mut index = self.starts[part.saturating_sub(1)] as usize;
        while index + 1 < nodes.len() && nodes[index + 1].at <= at {
            index += 1;
        }
        index
    }
}

#[derive(Debug, Clone, Copy)]
struct Stretch {
    first: usize,
    last: usize,
    /// Turn about the direction over the stretch, radians.
    turn: f64,
    /// True: eased in and out; false: evenly.
    eased: bool,
    /// The part of the turn that lies in this stretch, as eased fractions; a bridge over the start of
    /// a closed way is kept as two stretches.
    part: (f64, f64),
    /// The eased fraction at which nothing is left to turn: 0, or 1 for what is carried backwards.
    settled: f64,
    /// True for a bridge in which the way ends, so that its last node belongs to it.
    open_end: bool,
}

impl Stretch {
    const fn bridge(first: usize, last: usize, turn: f64) -> Self {
        Self { first, last, turn, eased: true, part: (0.0, 1.0), settled: 0.0, open_end: false }
    }
}

impl AxesTable {
    /// Builds the table for nodes in order of their parameter, at least one. For a closed way the
    /// last node is the first again, one lap later.
    pub fn new(nodes: Vec<Node>, rule: UpRule, closed: bool) -> Self {
        match rule {
            UpRule::Steady => Self::steady(nodes, 0, closed),
            UpRule::Towards(up) => Self::upright(nodes, up, 0, closed),
        }
    }

    /// As [`new`](Self::new) for an open way, steady axes being upright where its parameter is `anchor`, or at the
    /// node nearest after it: they are the same however much of the way before and after it is given.
    pub fn anchored(nodes: Vec<Node>, rule: UpRule, anchor: f64) -> Self {
        let start = anchoring(&nodes, anchor);
        match rule {
            UpRule::Steady => Self::steady(nodes, start, false),
            UpRule::Towards(up) => Self::upright(nodes, up, start, false),
        }
    }

    /// Builds the table for nodes at each of which up comes as close to a goal as it can: a direction of any
    /// length, or none where it is bridged. Between nodes up turns evenly, so that they must be near
    /// enough to each other for what the goals do.
    pub fn guided(nodes: Vec<Node>, goals: &[Option<DVec3>], closed: bool) -> Self {
        let found = nodes.iter().zip(goals).map(|(node, goal)| guided_up(node, *goal)).collect();
        Self::bridged(nodes, found, 0, closed)
    }

    /// As [`guided`](Self::guided) for an open way; where no goal helps, upright at `anchor`.
    pub fn guided_from(nodes: Vec<Node>, goals: &[Option<DVec3>], anchor: f64) -> Self {
        let found = nodes.iter().zip(goals).map(|(node, goal)| guided_up(node, *goal)).collect();
        let start = anchoring(&nodes, anchor);
        Self::bridged(nodes, found, start, false)
    }

    fn upright(nodes: Vec<Node>, up: DVec3, start: usize, closed: bool) -> Self {
        let found = nodes.iter().map(|node| towards(up, node.tangent)).collect();
        Self { goal: Some(up), ..Self::bridged(nodes, found, start, closed) }
    }

    /// With so many more whole turns over a lap of a closed steady way.
    #[must_use]
    pub fn with_turns(mut self, turns: f64) -> Self {
        let Some(lap) = self.stretches.first_mut().filter(|lap| !lap.eased) else { return self };
        let more = Stretch { turn: turns * TAU, ..*lap };
        lap.turn += more.turn;
        self.turn_ups(&more);
        self
    }

    /// Upright at the node `start`, carried from there both ways.
    fn steady(nodes: Vec<Node>, start: usize, closed: bool) -> Self {
        let ups = carry(&nodes, start);
        let grid = Grid::new(&nodes);
        let mut table = Self { nodes, ups, goal: None, stretches: Vec::new(), grid, parallel: false };
        if closed {
            let last = table.nodes.len() - 1;
            let (first, end) = (table.nodes[0], table.nodes[last]);
            let home = transport(&end, table.ups[last], &Node { tangent: first.tangent, ..end });
            let lap = Stretch {
                first: 0,
                last,
                turn: signed_angle(home, table.ups[0], first.tangent),
                eased: false,
                part: (0.0, 1.0),
                settled: 0.0,
                open_end: true,
            };
            table.turn_ups(&lap);
            table.stretches.push(lap);
        }
        table
    }

    /// `found` holds up at each node where it is known; the stretches between are bridged. Where it is known
    /// nowhere, the way is steady from the node `anchor`.
    fn bridged(nodes: Vec<Node>, found: Vec<Option<DVec3>>, anchor: usize, closed: bool) -> Self {
        let Some(start) = found.iter().position(Option::is_some) else {
            return Self { parallel: true, ..Self::steady(nodes, anchor, closed) };
        };
        let grid = Grid::new(&nodes);
        let ups = found.iter().map(|found| found.unwrap_or(DVec3::ZERO)).collect();
        let mut table = Self { nodes, ups, goal: None, stretches: Vec::new(), grid, parallel: false };
        let mut index = start;
        while index < found.len() {
            if found[index].is_some() {
                index += 1;
                continue;
            }
            let last = (index..found.len()).find(|&i| found[i].is_some());
            table.bridge(index - 1, last, closed && start > 0);
            index = last.unwrap_or(found.len());
        }
        if start > 0 {
            table.bridge_the_start(start, closed);
        }
        table
    }

    /// From the last good node before to the first good one after; where the way ends inside, up is
    /// only carried on, and turned later where the bridge `goes_on` at the start.
    fn bridge(&mut self, first: usize, last: Option<usize>, goes_on: bool) {
        let end = last.unwrap_or(self.nodes.len() - 1);
        let goal = self.ups[end];
        for i in first..end {
            self.ups[i + 1] = transport(&self.nodes[i], self.ups[i], &self.nodes[i + 1]);
        }
        let turn = last.map_or(0.0, |_| signed_angle(self.ups[end], goal, self.nodes[end].tangent));
        let bridge = Stretch { open_end: last.is_none(), ..Stretch::bridge(first, end, turn) };
        if last.is_some() || !goes_on {
            self.turn_ups(&bridge);
        }
        self.stretches.push(bridge);
    }

    /// A way that begins parallel to up: carried backwards from the first good node. On a closed way
    /// the bridge that runs into the end goes on here, and the two share one eased turn.
    fn bridge_the_start(&mut self, start: usize, closed: bool) {
        for i in (0..start).rev() {
            self.ups[i] = transport(&self.nodes[i + 1], self.ups[i + 1], &self.nodes[i]);
        }
        let mut head = Stretch::bridge(0, start, 0.0);
        let (end, goal) = (self.nodes.len() - 1, self.ups[0]);
        if let Some(mut tail) = self.stretches.pop_if(|s| closed && s.open_end) {
            let before = self.nodes[end].at - self.nodes[tail.first].at;
            let share = before / (before + self.nodes[start].at - self.nodes[0].at);
            tail.turn = signed_angle(self.ups[end], goal, self.nodes[end].tangent);
            tail.part = (0.0, share);
            head = Stretch { turn: tail.turn, part: (share, 1.0), settled: 1.0, ..head };
            self.turn_ups(&tail);
            self.turn_ups(&head);
            self.stretches.push(tail);
        }
        self.stretches.insert(0, head);
    }

    /// Turns what was carried along a stretch.
    fn turn_ups(&mut self, stretch: &Stretch) {
        if stretch.turn == 0.0 {
            return;
        }
        let mut dial = Dial::default();
        for i in stretch.first..=stretch.last {
            let node = &self.nodes[i];
            let (sine, cosine) = dial.at(self.turn_in(stretch, node.at));
            let up = self.ups[i];
            self.ups[i] = up * cosine + node.tangent.cross(up) * sine;
        }
    }

    /// Up at a parameter where place and direction are known: a unit vector perpendicular to
    /// `tangent`. Beyond the ends the nearest node counts.
    #[inline(always)]
    pub fn up(&self, at: f64, point: DVec3, tangent: DVec3) -> DVec3 {
        // Without a bridge anywhere there is nothing to look for.
        if let (Some(goal), true) = (self.goal, self.stretches.is_empty())
            && let Some(found) = direction(across(goal, tangent))
        {
            return found;
        }
        let index = self.grid.node(&self.nodes, at);
        if let (None, Some(next)) = (self.goal, self.ups.get(index + 1)) {
            let here = self.ups[index];
            if here.dot(*next) > 1.0 - 0.5 * NEAR * NEAR {
                let (from, to) = (self.nodes[index].at, self.nodes[index + 1].at);
                let part = if to > from { ((at - from) / (to - from)).clamp(0.0, 1.0) } else { 0.0 };
                if let Some(found) = direction(across(here + (*next - here) * part, tangent)) {
                    return found;
                }
            }
        }
        let stretch = self.stretch_at(index);
        // Between two nodes that are far enough from parallel there is no bridge, even where the
        // direction comes a little closer on the way.
        if let (Some(goal), None) = (self.goal, stretch)
            && let Some(found) = direction(across(goal, tangent))
        {
            return found;
        }
        let (node, here) = (&self.nodes[index], Node { at, point, tangent });
        let carried = transport(node, self.ups[index], &here);
        let turn = match stretch {
            Some(stretch) => self.turn_in(stretch, at) - self.turn_in(stretch, node.at),
            None => self.even_turn(index, at),
        };
        turned(carried, tangent, turn)
    }

    /// The turn that leads evenly from one node's up to the next one's.
    fn even_turn(&self, index: usize, at: f64) -> f64 {
        let (node, Some(next)) = (&self.nodes[index], self.nodes.get(index + 1)) else { return 0.0 };
        if next.at <= node.at {
            return 0.0;
        }
        let turn = signed_angle(transport(node, self.ups[index], next), self.ups[index + 1], next.tangent);
        turn * ((at - node.at) / (next.at - node.at)).clamp(0.0, 1.0)
    }

    #[inline]
    fn stretch_at(&self, index: usize) -> Option<&Stretch> {
        let position = self.stretches.partition_point(|stretch| stretch.last < index);
        self.stretches[position..].iter().take(2).find(|s| s.first <= index && (index < s.last || s.open_end))
    }

    #[inline]
    fn turn_in(&self, stretch: &Stretch, at: f64) -> f64 {
        let (from, to) = (self.nodes[stretch.first].at, self.nodes[stretch.last].at);
        if to <= from {
            return 0.0;
        }
        let x = ((at - from) / (to - from)).clamp(0.0, 1.0);
        let x = stretch.part.0 + (stretch.part.1 - stretch.part.0) * x;
        let eased = if stretch.eased { x * x * (3.0 - 2.0 * x) } else { x };
        stretch.turn * (eased - stretch.settled)
    }

    /// The angle that a closed steady way is turned by over a lap, radians: what was left, in (−π, π], and the
    /// turns that were asked for. 0 for other ways.
    pub fn closing_angle(&self) -> f64 {
        self.stretches.iter().find(|stretch| !stretch.eased).map_or(0.0, |stretch| stretch.turn)
    }

    /// True where up was to come from somewhere, and the whole way runs along it: then it is steady.
    pub const fn parallel(&self) -> bool {
        self.parallel
    }

    /// How many bridges turn the axes by a half turn, as a vertical loop does.
    pub fn half_turns(&self) -> usize {
        self.stretches.iter().filter(|s| s.eased && s.settled == 0.0 && s.turn.abs() > PI - 1e-3).count()
    }

    /// Up at each node; one per node.
    pub fn ups(&self) -> &[DVec3] {
        &self.ups
    }
}

/// Sines and cosines of angles that follow each other closely: the step from the last one by its series, and
/// anew now and then, so that errors do not add up beyond 1e-14.
#[derive(Default)]
struct Dial {
    angle: f64,
    sine: f64,
    cosine: f64,
    steps: u32,
}

impl Dial {
    #[inline]
    fn at(&mut self, angle: f64) -> (f64, f64) {
        let step = angle - self.angle;
        if self.steps == 0 || step.abs() > 0.01 {
            (self.sine, self.cosine) = libm::sincos(angle);
            self.steps = 64;
        } else {
            let squared = step * step;
            // To the seventh power: 0.01⁹ / 9! is far below what a number can hold.
            let sine = step * (1.0 - squared / 6.0 * (1.0 - squared / 20.0 * (1.0 - squared / 42.0)));
            let cosine = 1.0 - squared / 2.0 * (1.0 - squared / 12.0 * (1.0 - squared / 30.0));
            (self.sine, self.cosine) =
                (self.sine * cosine + self.cosine * sine, self.cosine * cosine - self.sine * sine);
            self.steps -= 1;
        }
        self.angle = angle;
        (self.sine, self.cosine)
    }
}

/// World up projected where that is possible, so that steady axes begin upright.
pub(super) fn upright_at(node: &Node) -> DVec3 {
    towards(DVec3::Y, node.tangent).unwrap_or_else(|| perpendicular(node.tangent))
}

/// The node at `anchor`, or the nearest after it, or the last.
fn anchoring(nodes: &[Node], anchor: f64) -> usize {
    nodes.partition_point(|node| node.at < anchor).min(nodes.len() - 1)
}

/// Up as close to a goal of any length as the direction allows, unless they are too close to parallel.
pub fn guided_up(node: &Node, goal: Option<DVec3>) -> Option<DVec3> {
    towards(goal?.try_normalize()?, node.tangent)
}
