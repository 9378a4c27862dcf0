//! Where things are round a path.

use super::lane::{From, Lane, by_length, lanes};
use crate::curve::{AxesTable, Curve, Node, Path, Strand, UpRule};
use crate::motion::{Columns, Place, Sample};
use crate::random;
use crate::remembered::Remembered;
use crate::signal::{Progression, velocity_of};
use glam::DVec3;
use std::f64::consts::TAU;
use std::sync::Arc;

/// Which part of a tube things are in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Room {
    /// Anywhere within, evenly over its cross-section.
    Within,
    /// On its skin.
    Skin,
}

/// A tube round a path, in the path's own axes, in which each thing has a place of its own.
#[derive(Debug, Clone)]
pub struct Tube {
    /// Metres, at least 0.
    pub radius: f64,
    /// Factor on the radius by part of the strand, at least 0.
    pub along: Progression,
    /// Where in it things are.
    pub room: Room,
    /// Turns about the path for each metre along it.
    pub swirl: f64,
    /// True where things go evenly on their own way, false where they pass places of the path evenly: then those outside
    /// a bend are quicker.
    pub own_way: bool,
    /// True in flat scenes: beside the path, in the picture.
    pub flat: bool,
    /// Another seed, other places.
    pub seed: u64,
}

const LANE: u64 = 71;
const OUT: u64 = 72;
const ROUND: u64 = 73;
/// Radians between nodes of a path's axes.
const AXES_STEP: f64 = 0.02;
/// Half the part of a strand over which the way of a thing beside it is measured.
const LENGTH_STEP: f64 = 1e-6;
/// The least part of a metre that a thing on its own way may come along it for a metre of the path; nearer to the middle
/// of a bend, or beyond it, it goes as the path does.
const TIGHT: f64 = 0.05;

/// Where in a tube a thing is, as long as it lives.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seat {
    /// Which lane.
    pub lane: usize,
    /// Part of the radius, 0 to 1; in flat scenes −1 to 1.
    out: f64,
    /// Angle about the path where the lane begins, radians.
    round: f64,
    /// Parts of the radius upwards and to the right, as long as nothing swirls.
    across: [f64; 2],
}

/// A path with its lanes and axes at a frame.
#[derive(Clone)]
pub(super) struct Now {
    pub(super) curve: Arc<Curve>,
    pub(super) lanes: Arc<Vec<Lane>>,
    axes: Arc<Vec<AxesTable>>,
    /// By lane; none where things pass the path's places evenly.
    ways: Arc<Vec<Ways>>,
}

impl Now {
    /// The number of a thing's lane; a path that changes may have fewer than it had.
    pub(super) fn lane_of(&self, seat: &Seat) -> usize {
        seat.lane % self.lanes.len()
    }

    /// A thing's lane.
    pub(super) fn lane(&self, seat: &Seat) -> &Lane {
        &self.lanes[self.lane_of(seat)]
    }
}

/// How much shorter the way of things beside a path is than the path, by places along a lane: a thing at part ρ of the
/// radius that enters at angle θ has come x − ρ·(cos θ·a(x) + sin θ·b(x)) metres.
///
/// With axes of least turn what is beside the path moves only ahead as one goes along, by 1 − κ·offset, and to the side
/// by swirl alone: so two integrals hold for all things.
#[derive(Debug, Clone, Default)]
struct Ways {
    /// Along the lane, a, b; metres.
    sums: Vec<[f64; 3]>,
    /// The greatest bend times the radius.
    tightest: f64,
}

impl Ways {
    fn new(tube: &Tube, lane: &Lane, strand: &Strand, axes: &AxesTable) -> Self {
        let mut nodes: Vec<Node> = strand.nodes(AXES_STEP);
        let x_of = |node: &Node| (node.at - lane.from) * lane.direction;
        nodes.retain(|node| x_of(node) > -1e-12 * lane.length && x_of(node) < lane.length * (1.0 + 1e-12));
        if lane.direction < 0.0 {
            nodes.reverse();
        }
        let mut sums = vec![[0.0, 0.0, 0.0]];
        let mut tightest: f64 = 0.0;
        for pair in nodes.windows(2) {
            let [_, a, b] = sums[sums.len() - 1];
            let (from, to) = (x_of(&pair[0]), x_of(&pair[1]));
            if to <= from {
                // At a corner everything beside it goes on elsewhere at once.
                continue;
            }
            let (middle, x) = (0.5 * (pair[0].at + pair[1].at), 0.5 * (from + to));
            let here = strand.at_normalised(middle.clamp(0.0, strand.length()));
            let up = axes.up(middle, here.point, here.tangent);
            let right = here.tangent.cross(up);
            let turned = (pair[1].tangent - pair[0].tangent) * lane.direction;
            // An arc turns by more than its ends are apart.
            let straight = 0.5 * turned.length().min(2.0);
            let turned = if straight > 0.0 { turned * (libm::asin(straight) / straight) } else { turned };
            let radius = tube.radius * tube.along.at(middle / strand.length());
            let (sine, cosine) = libm::sincos(TAU * tube.swirl * x);
            let (u, r) = (turned.dot(up), turned.dot(right));
            tightest = tightest.max(turned.length() / (to - from) * radius);
            let sides = if tube.flat { [r, 0.0] } else { [u * cosine + r * sine, r * cosine - u * sine] };
            sums.push([to, a + radius * sides[0], b + radius * sides[1]]);
        }
        Self { sums, tightest }
    }

    /// How far a thing has come on its own way at the nodes.
    fn come(&self, node: usize, seat: &Seat, (sine, cosine): (f64, f64)) -> f64 {
        let [x, a, b] = self.sums[node];
        x - seat.out * (cosine * a + sine * b)
    }

    /// Whether a thing can go its own way: nowhere near the middle of a bend.
    fn holds(&self, seat: &Seat) -> bool {
        self.sums.len() > 1 && self.tightest * seat.out.abs() < 1.0 - TIGHT
    }

    /// Metres along the lane where a thing has come so far on its own way.
    fn along(&self, come: f64, seat: &Seat, flat: bool) -> f64 {
        let sides = seat.sides(flat);
        let (mut low, mut high) = (0, self.sums.len() - 1);
        while high - low > 1 {
            let middle = (low + high) / 2;
            if self.come(middle, seat, sides) <= come { low = middle } else { high = middle }
        }
        let (from, to) = (self.come(low, seat, sides), self.come(high, seat, sides));
        let part = if to > from { (come - from) / (to - from) } else { 0.0 };
        self.sums[low][0] + (self.sums[high][0] - self.sums[low][0]) * part
    }
}

impl Seat {
    /// Sine and cosine of the angle at which it enters.
    fn sides(&self, flat: bool) -> (f64, f64) {
        if flat { (0.0, 1.0) } else { libm::sincos(self.round) }
    }
}

/// A tube round a path, with what is made of it once.
pub(super) struct Round {
    pub(super) path: Path,
    pub(super) tube: Tube,
    from: From,
    made: Remembered<Now>,
}

impl Round {
    pub(super) fn new(path: Path, tube: Tube, from: From) -> Self {
        Self { path, tube, from, made: Remembered::default() }
    }

    pub(super) fn now(&self, frame: f64) -> Now {
        // What does not move is the same at all frames.
        let frame = if self.path.unmoving().is_some() { 0.0 } else { frame };
        self.made.at(frame, || {
            let (curve, tube) = (self.path.at(frame), &self.tube);
            let rule = if tube.flat { UpRule::Towards(DVec3::Z) } else { UpRule::Steady };
            let axes: Vec<AxesTable> =
                curve.strands().iter().map(|s| AxesTable::new(s.nodes(AXES_STEP), rule, s.closed())).collect();
            let lanes = lanes(&curve, self.from);
            let own_way = tube.own_way && tube.radius > 0.0;
            let way = |lane: &Lane| Ways::new(tube, lane, &curve.strands()[lane.strand], &axes[lane.strand]);
            let ways = if own_way { lanes.iter().map(way).collect() } else { Vec::new() };
            Now { lanes: Arc::new(lanes), axes: Arc::new(axes), ways: Arc::new(ways), curve }
        })
    }

    /// Where in the tube a thing is: the same one for any number of things. Lanes are chosen in proportion to their length.
    pub(super) fn seat(&self, now: &Now, who: u64) -> Seat {
        let lane =
            if now.lanes.len() == 1 { 0 } else { by_length(&now.lanes, random::unit(self.tube.seed, who, LANE)).0 };
        self.seat_in(lane, who)
    }

    /// The same in a lane.
    pub(super) fn seat_in(&self, lane: usize, who: u64) -> Seat {
        let Tube { room, flat, seed, .. } = self.tube;
        let unit = random::unit(seed, who, OUT);
        let round = TAU * random::unit(seed, who, ROUND);
        let out = match (room, flat) {
            (Room::Within, true) => 2.0 * unit - 1.0,
            (Room::Skin, true) => {
                if unit < 0.5 {
                    -1.0
                } else {
                    1.0
                }
            }
            // As many on each part of a disc's area.
            (Room::Within, false) => unit.sqrt(),
            (Room::Skin, false) => 1.0,
        };
        let (sine, cosine) = if flat { (1.0, 0.0) } else { libm::sincos(round) };
        Seat { lane, out, round, across: [cosine * out, sine * out] }
    }

    /// Metres along a lane where a thing has come so far on its way.
    pub(super) fn along(&self, now: &Now, seat: &Seat, come: f64) -> f64 {
        match now.ways.get(now.lane_of(seat)) {
            Some(ways) if ways.holds(seat) => ways.along(come, seat, self.tube.flat),
            _ => come,
        }
    }

    /// Metres of a thing's way along the whole of its lane.
    pub(super) fn way(&self, now: &Now, seat: &Seat) -> f64 {
        match now.ways.get(now.lane_of(seat)) {
            Some(ways) if ways.holds(seat) => ways.come(ways.sums.len() - 1, seat, seat.sides(self.tube.flat)),
            _ => now.lane(seat).length,
        }
    }

    /// Parts of things that cannot go their own way, since they come too near to the middle of a bend.
    pub(super) fn squeezed(&self, now: &Now) -> bool {
        now.ways.iter().any(|ways| ways.tightest >= 1.0 - TIGHT)
    }

    /// What stands on the strand at `s`, moved to a thing's place in the tube.
    #[inline]
    fn off_path(&self, now: &Now, lane: &Lane, seat: &Seat, s: f64, (point, tangent): (DVec3, DVec3)) -> DVec3 {
        let tube = &self.tube;
        let strand = &now.curve.strands()[lane.strand];
        let up = now.axes[lane.strand].up(s, point, tangent);
        let radius = tube.radius * tube.along.fixed().unwrap_or_else(|| tube.along.at(s / strand.length()));
        let right = tangent.cross(up);
        let [upwards, to_right] = if tube.swirl == 0.0 || tube.flat {
            seat.across
        } else {
            let (sine, cosine) = libm::sincos(seat.round + TAU * tube.swirl * (s - lane.from) * lane.direction);
            [cosine * seat.out, sine * seat.out]
        };
        point + (up * upwards + right * to_right) * radius
    }

    /// Where a thing is that has come `x` metres along its lane, 0 to its length. The strand looks first in its `piece`.
    #[inline]
    pub(super) fn place(&self, now: &Now, seat: &Seat, x: f64, piece: &mut usize) -> DVec3 {
        let lane = now.lane(seat);
        let strand = &now.curve.strands()[lane.strand];
        let s = lane.at(x).clamp(0.0, strand.length());
        if self.tube.radius == 0.0 {
            return strand.point_normalised(s, piece);
        }
        let here = strand.at_normalised_from(s, piece);
        self.off_path(now, lane, seat, s, (here.point, here.tangent))
    }

    /// How the place changes for a metre along the lane, on the side to which a thing goes.
    fn slope(&self, now: &Now, seat: &Seat, x: f64, ahead: bool) -> DVec3 {
        let lane = now.lane(seat);
        let strand = &now.curve.strands()[lane.strand];
        let s = lane.at(x).clamp(0.0, strand.length());
        if self.tube.radius == 0.0 {
            return strand.at_normalised(s).tangent * lane.direction;
        }
        let [(from, before), (to, after)] =
            strand.about(s, ahead == (lane.direction > 0.0), LENGTH_STEP * strand.length());
        let at = |s, here: crate::curve::OnStrand| self.off_path(now, lane, seat, s, (here.point, here.tangent));
        if to > from { (at(to, after) - at(from, before)) / (to - from) * lane.direction } else { before.tangent }
    }

    /// Fills the columns of a row: a thing that has come so far on its way, and comes `speed` metres farther a frame.
    pub(super) fn fill(
        &self,
        now: &Now,
        seat: &Seat,
        (come, speed): (f64, f64),
        (frame, piece): (f64, &mut usize),
        row: usize,
        out: &mut Sample,
    ) {
        let lane = now.lane(seat);
        let strand = &now.curve.strands()[lane.strand];
        let x = self.along(now, seat, come).clamp(0.0, lane.length);
        let s = lane.at(x).clamp(0.0, strand.length());
        if let Some(position) = out.positions.get_mut(row) {
            *position = self.place(now, seat, x, piece);
        }
        if out.travels.is_empty() && out.velocities.is_empty() && out.places.is_empty() {
            return;
        }
        let way = if speed < 0.0 { -1.0 } else { 1.0 };
        if let Some(travel) = out.travels.get_mut(row) {
            *travel = strand.at_normalised(s).tangent * (lane.direction * way);
        }
        if out.velocities.is_empty() && out.places.is_empty() {
            return;
        }
        let own = now.ways.get(now.lane_of(seat)).is_some_and(|ways| ways.holds(seat));
        let along = if own && speed != 0.0 {
            // On its own way it is as quick as it is, whatever that is along the path.
            let step = LENGTH_STEP * lane.length;
            let (low, high) = ((come - step).max(0.0), (come + step).min(self.way(now, seat)));
            speed * (self.along(now, seat, high) - self.along(now, seat, low)) / (high - low)
        } else {
            speed
        };
        if let Some(velocity) = out.velocities.get_mut(row) {
            *velocity = if along == 0.0 { DVec3::ZERO } else { self.slope(now, seat, x, along > 0.0) * along };
            if self.path.unmoving().is_none() {
                let at = |frame: f64| {
                    let now = self.now(frame);
                    self.place(&now, seat, x.min(now.lane(seat).length), &mut 0)
                };
                *velocity += velocity_of(at, frame);
            }
        }
        if let Some(place) = out.places.get_mut(row) {
            let length = strand.length();
            let (direction, rate) = (lane.direction * way, lane.direction * along / length);
            *place = Place { strand: lane.strand, s, laps: s / length, direction, rate, beyond: None };
        }
    }

    /// Metres along a seat's lane where its strand has a corner, or where what goes round begins anew.
    pub(super) fn corners(&self, now: &Now, seat: &Seat) -> Vec<f64> {
        let lane = now.lane(seat);
        let corners = now.curve.strands()[lane.strand].corners().iter();
        corners.map(|corner| (corner - lane.from) * lane.direction).filter(|x| *x >= 0.0 && *x <= lane.length).collect()
    }

    /// Columns that this gives.
    pub(super) const fn varies() -> Columns {
        Columns::POSITION
    }
}
