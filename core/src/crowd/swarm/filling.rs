//! Things that fill a path.

use super::lane::{From, by_length};
use super::tube::{Now, Round, Seat, Tube};
use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Columns, Extent, Frames, Motion, MotionError, Outside, Sample, corners, with_breaks,
};
use crate::random;
use crate::roots::{halved, middle};
use crate::signal::{Driven, Thing};

/// Where what is new comes from while a path fills.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Fresh {
    /// All run in from where the swarm enters, and on to their places.
    RunsIn,
    /// Each is there as soon as the front comes to its place, and stays.
    Grows,
}

/// In which order the outlines of a path are filled.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outlines {
    /// All of them together, each in proportion to its length.
    Together,
    /// One after another.
    InTurn,
}

/// Things of which as many are on a path as it is filled.
///
/// Their places when it is full are spread evenly over it, at random within equal parts. The front is `filled` parts of
/// the path from where they enter; beyond 1 the path empties from there on, and is empty again at 2: what has run in runs
/// out, and what has grown goes, first come first. Beyond 2 it begins
/// anew.
pub struct Filling {
    round: Round,
    filled: Driven,
    fresh: Fresh,
    outlines: Outlines,
    /// Metres from where things come and go within which they have not their full size.
    edge: f64,
    seats: Vec<Seat>,
    /// Where in its lane each is when the path is full, as a part of it.
    places: Vec<f64>,
    /// Frames of the loop.
    frames: f64,
}

const WITHIN: u64 = 75;
const FIRST: Thing = Thing { index: 0, count: 1 };
/// Looks at a frame for when a thing comes or goes.
const LOOKS: f64 = 1.0;
/// Halvings of a frame that leave a rounding of it.
const HALVINGS: u32 = 60;

impl Filling {
    /// `things` of them. `edge` is metres, at least 0.
    pub fn new(
        (path, tube, from): (Path, Tube, From),
        things: usize,
        filled: Driven,
        (fresh, outlines): (Fresh, Outlines),
        edge: f64,
        frames: f64,
    ) -> Self {
        let seed = tube.seed;
        let round = Round::new(path, tube, from);
        let now = round.now(0.0);
        let mut seats = Vec::with_capacity(things);
        let mut places = Vec::with_capacity(things);
        for i in 0..things {
            let part = (i as f64 + random::unit(seed, i as u64, WITHIN)) / things as f64;
            let (lane, x) = by_length(&now.lanes, part);
            seats.push(round.seat_in(lane, i as u64));
            places.push(x / now.lanes[lane].length);
        }
        Self { round, filled, fresh, outlines, edge, seats, places, frames }
    }

    /// How far the front is in a lane, in lengths of it, 0 or more, and how that changes a frame.
    fn front(&self, now: &Now, lane: usize, frame: f64) -> (f64, f64) {
        let (filled, slope) = (self.filled.at(frame, FIRST), self.filled.slope(frame, FIRST));
        // Empty again it begins anew.
        let filled = filled - 2.0 * (0.5 * filled).floor();
        if self.outlines == Outlines::Together {
            return (filled.max(0.0), if filled > 0.0 { slope } else { 0.0 });
        }
        // Both lanes of a strand that is entered in the middle are filled together.
        let strand = now.lanes[lane].strand;
        let lengths = |of: &dyn Fn(usize) -> bool| {
            now.lanes.iter().filter(|lane| of(lane.strand)).map(|lane| lane.length).sum::<f64>()
        };
        let (whole, before, own) =
            (lengths(&|_| true), lengths(&|other| other < strand), lengths(&|other| other == strand));
        // The first half of the way fills, the second empties, outline by outline both times.
        let part = |from: f64| ((from * whole - before) / own).clamp(0.0, 1.0);
        let moves = |from: f64| (0.0..1.0).contains(&part(from)) && from * whole >= before;
        if filled <= 1.0 {
            (part(filled), if moves(filled) { slope * whole / own } else { 0.0 })
        } else {
            (1.0 + part(filled - 1.0), if moves(filled - 1.0) { slope * whole / own } else { 0.0 })
        }
    }

    /// Where in its lane a thing is, in lengths of it; whether it is there; and how far it is from where things come and from
    /// where they go, in lengths.
    fn stands(&self, object: usize, front: f64) -> (f64, bool, [f64; 2]) {
        let place = self.places[object];
        match self.fresh {
            Fresh::Grows => {
                let rear = front - 1.0;
                (place, place <= front && place >= rear && front > 0.0, [front - place, place - rear])
            }
            Fresh::RunsIn => {
                let x = place - 1.0 + front;
                (x, (0.0..=1.0).contains(&x) && front > 0.0, [x, 1.0 - x])
            }
        }
    }

    /// How many are there at a frame.
    pub fn there(&self, frame: f64) -> usize {
        let now = self.round.now(frame);
        let fronts: Vec<f64> = (0..now.lanes.len()).map(|lane| self.front(&now, lane, frame).0).collect();
        (0..self.seats.len()).filter(|&object| self.stands(object, fronts[now.lane_of(&self.seats[object])]).1).count()
    }

    /// True where some things come too near to the middle of a bend to go their own way there.
    pub fn squeezed(&self) -> bool {
        self.round.squeezed(&self.round.now(0.0))
    }

    fn row(
        &self,
        (now, fronts): (&Now, &[(f64, f64)]),
        (object, frame): (usize, f64),
        row: usize,
        piece: &mut usize,
        out: &mut Sample,
    ) {
        let seat = &self.seats[object];
        let (front, slope) = fronts[now.lane_of(seat)];
        let (place, there, [come, left]) = self.stands(object, front);
        let lane = now.lane(seat);
        let way = self.round.way(now, seat);
        let moves = there && self.fresh == Fresh::RunsIn;
        let speed = if moves { slope * way } else { 0.0 };
        self.round.fill(now, seat, (place.clamp(0.0, 1.0) * way, speed), (frame, piece), row, out);
        if let Some(alive) = out.alive.get_mut(row) {
            *alive = there;
        }
        if let (true, Some(scale)) = (self.edge > 0.0, out.scales.get_mut(row)) {
            // When it is full all have their size.
            let soft = |near: f64, open: f64| {
                let wide = self.edge.min(open.max(0.0) * lane.length);
                let part = if wide > 0.0 { (near * lane.length / wide).clamp(0.0, 1.0) } else { 1.0 };
                part * part * (3.0 - 2.0 * part)
            };
            *scale *= soft(come, 1.0 - front) * soft(left, front - 1.0);
        }
    }
}

impl Motion for Filling {
    fn len(&self) -> usize {
        self.seats.len()
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: self.frames, outside: Outside::RunsOn }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        let (mut row, mut piece) = (0, 0);
        for same in at.chunk_by(|a, b| a.1 == b.1) {
            let frame = same[0].1;
            let now = self.round.now(frame);
            let fronts: Vec<(f64, f64)> = (0..now.lanes.len()).map(|lane| self.front(&now, lane, frame)).collect();
            for &at in same {
                self.row((&now, &fronts), at, row, &mut piece, out);
                row += 1;
            }
        }
    }

    fn varies(&self) -> Columns {
        let size = if self.edge > 0.0 { Columns::SCALE } else { Columns::NONE };
        Round::varies() | Columns::ALIVE | size
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let bends = self.filled.bends(range.from, range.to);
        if self.fresh == Fresh::Grows || self.filled.fixed().is_some() {
            return Ok(with_breaks(corners(bends).collect(), []));
        }
        let (now, seat) = (self.round.now(range.from), &self.seats[object]);
        let way = self.round.way(&now, seat);
        let kind = if self.round.tube.radius > 0.0 { BreakKind::Jump } else { BreakKind::Corner };
        let at = |frame: f64| {
            let front = self.front(&now, now.lane_of(seat), frame).0;
            self.stands(object, front).0
        };
        // Where it passes a corner, comes in, or leaves.
        let mut levels: Vec<(f64, BreakKind)> = vec![(0.0, BreakKind::Corner), (1.0, BreakKind::Corner)];
        levels.extend(self.round.corners(&now, seat).into_iter().map(|x| (x, kind)));
        let mut breaks = Vec::new();
        let looks = ((range.to - range.from) * LOOKS).ceil().max(1.0) as usize;
        let look = |i: usize| range.from + (range.to - range.from) * i as f64 / looks as f64;
        // Along the lane, and on the thing's way along it.
        let both = |frame: f64| {
            let part = at(frame);
            [part, self.round.along(&now, seat, part.clamp(0.0, 1.0) * way)]
        };
        let which =
            |kind: BreakKind, level: f64| usize::from(!(kind == BreakKind::Corner && (level == 0.0 || level == 1.0)));
        let mut before = both(look(0));
        for i in 0..looks {
            let (from, to) = (look(i), look(i + 1));
            let after = both(to);
            for &(level, kind) in &levels {
                let which = which(kind, level);
                let below = before[which] < level;
                if below != (after[which] < level) {
                    let frame = middle(halved((from, to), HALVINGS, |frame| (both(frame)[which] < level) == below));
                    breaks.push(Break { frame, kind });
                }
            }
            before = after;
        }
        Ok(with_breaks(breaks, corners(bends)))
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.round.path)
    }

    fn partner(&self, object: usize, _: f64) -> Option<usize> {
        // Each has a place of its own, there or not.
        Some(object)
    }
}
