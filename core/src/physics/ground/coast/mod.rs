//! A bead on a wire: gravity sets the pace along a path.
//!
//! Along the path the equation is s″ = g·t − μ|N| sign(s′) with the force of the wire N = κs′² − g⊥ (per unit of
//! mass). It is regular at turning points, so it is integrated in time, by Dormand and Prince's pair of orders 5 and 4
//! (1980) with a relative error of 1e-13 a step; between steps a quintic through place, speed and acceleration is
//! used. Without friction the speed is kept to the energy after every step.

mod run;

use crate::curve::Path;
use crate::motion::{Break, BreakKind, Columns, Extent, Frames, Motion, MotionError, Outside, Place, Sample};
use crate::roots::halved;
use glam::DVec3;
use run::{LONGEST, Run, Wire, between, follow};
use std::sync::Arc;

/// What happens where an open path ends.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CoastEnd {
    /// It stops there and stays.
    Stops,
    /// It comes back as fast as it came.
    Rebounds,
}

/// How a bead is let go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct CoastSetup {
    /// Metres from the path's start.
    pub start: f64,
    /// Speed along the path, metres per second.
    pub push: f64,
    /// Metres per second squared.
    pub gravity: DVec3,
    /// Friction against the force of the wire; 0 for none.
    pub friction: f64,
    /// At the end of an open path.
    pub end: CoastEnd,
    /// Frames per second.
    pub fps: f64,
}

/// What becomes of a bead.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum CoastFate {
    /// It lies where it was let go.
    Rests,
    /// It goes round in so many seconds, again and again.
    Round { period: f64 },
    /// It goes to and fro in so many seconds, again and again; the rise that is next is so many metres higher than
    /// it comes, where there is one.
    Swings { period: f64, short: Option<f64> },
    /// It comes to rest after so many seconds.
    Stops { after: f64 },
    /// It is still under way after all the time that was looked at.
    Goes,
}

/// A thing that coasts along the first strand of a path that does not move.
#[derive(Clone)]
pub struct Coast {
    path: Path,
    setup: CoastSetup,
    nodes: Arc<Vec<Node>>,
    fate: CoastFate,
    /// Seconds at which it turns about or stops at once.
    turns: Arc<Vec<f64>>,
    undecided: bool,
}

/// The bead at a moment: metres from the start with whole laps, metres per second, metres per second squared.
#[derive(Debug, Clone, Copy)]
struct Node {
    t: f64,
    s: f64,
    v: f64,
    a: f64,
}

/// Laps whose corners are told at most.
const MOST_LAPS: f64 = 1e5;

/// Seconds within which what happens is there from the start.
const AT_ONCE: f64 = 1e-12;

impl Coast {
    /// Works out where the bead goes: one period where it repeats itself, or until it rests, or with friction for so
    /// many seconds at most.
    pub fn new(path: Path, setup: CoastSetup, seconds: f64) -> Self {
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let mut run = Run::new(Wire { strand, setup: &setup });
        let fate = follow(&mut run, seconds.clamp(1.0, LONGEST));
        let (mut nodes, turns, undecided) = (run.nodes, run.turns, run.undecided);
        // What is pushed against the end that it lies at goes the way that the end leaves it, from the first moment on.
        let at_once = nodes.iter().take_while(|node| node.t <= AT_ONCE).count();
        if at_once > 1 {
            nodes.drain(..at_once - 1);
            nodes[0].t = 0.0;
        }
        Self { path, setup, nodes: Arc::new(nodes), fate, turns: Arc::new(turns), undecided }
    }

    /// What becomes of it.
    pub const fn fate(&self) -> CoastFate {
        self.fate
    }

    /// True where it had just enough for a hump, which cannot be decided.
    pub const fn undecided(&self) -> bool {
        self.undecided
    }

    /// Seconds after which it does the same again.
    pub const fn period(&self) -> Option<f64> {
        match self.fate {
            CoastFate::Round { period } | CoastFate::Swings { period, .. } => Some(period),
            CoastFate::Rests | CoastFate::Stops { .. } | CoastFate::Goes => None,
        }
    }

    /// Least and largest speed, metres per second.
    pub fn speeds(&self) -> (f64, f64) {
        self.nodes.iter().fold((f64::MAX, 0.0), |(low, high), node| (low.min(node.v.abs()), high.max(node.v.abs())))
    }

    /// Metres from the start with whole laps, and metres per second, after so many seconds.
    fn after(&self, seconds: f64) -> (f64, f64) {
        let last = self.nodes[self.nodes.len() - 1];
        let (t, laps) = match self.fate {
            CoastFate::Round { period } | CoastFate::Swings { period, .. } => {
                let number = (seconds / period).floor();
                (seconds - number * period, number)
            }
            CoastFate::Rests | CoastFate::Stops { .. } | CoastFate::Goes => (seconds, 0.0),
        };
        if t <= 0.0 && laps == 0.0 {
            let first = self.nodes[0];
            // Before it is let go it lies there.
            return (first.s, if t < 0.0 { 0.0 } else { first.v });
        }
        let gained = match self.fate {
            CoastFate::Round { .. } => laps * (last.s - self.nodes[0].s),
            _ => 0.0,
        };
        let next = self.nodes.partition_point(|node| node.t <= t);
        let (s, v) = match (self.nodes.get(next.saturating_sub(1)), self.nodes.get(next)) {
            (Some(a), Some(b)) => between(a, b, t),
            _ if self.period().is_some() => (last.s, last.v),
            _ => (last.s, 0.0),
        };
        (s + gained, v)
    }

    /// The way it travels: as it moves, or where it stands as it moved last.
    fn way(&self, seconds: f64, v: f64) -> f64 {
        if v != 0.0 {
            return v.signum();
        }
        let (_, before) = self.after(seconds - 1e-3);
        let (_, after) = self.after(seconds + 1e-3);
        [before, after].into_iter().find(|v| *v != 0.0).map_or_else(
            || self.nodes.iter().rev().find(|node| node.v != 0.0).map_or(1.0, |node| node.v.signum()),
            f64::signum,
        )
    }
}

impl Motion for Coast {
    fn len(&self) -> usize {
        1
    }

    fn extent(&self) -> Extent {
        let to = self.nodes[self.nodes.len() - 1].t * self.setup.fps;
        let outside = if self.period().is_some() { Outside::Periodic } else { Outside::Holds };
        Extent { from: 0.0, to, outside }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        let curve = self.path.at(0.0);
        let strand = &curve.strands()[0];
        for (row, &(_, frame)) in at.iter().enumerate() {
            let seconds = frame / self.setup.fps;
            let (s, v) = self.after(seconds);
            let here = strand.at(if strand.closed() { s } else { s.clamp(0.0, strand.length()) });
            if let Some(position) = out.positions.get_mut(row) {
                *position = here.point;
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity = here.tangent * (v / self.setup.fps);
            }
            if columns.touch(Columns::TRAVEL | Columns::PLACE) {
                let way = self.way(seconds, v);
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = here.tangent * way;
                }
                if let Some(place) = out.places.get_mut(row) {
                    let s_on = if strand.closed() { strand.normalise(s) } else { s.clamp(0.0, strand.length()) };
                    let (laps, rate) = (s / strand.length(), v / strand.length() / self.setup.fps);
                    *place = Place { strand: 0, s: s_on, laps, direction: way, rate, beyond: None };
                }
            }
        }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION
    }

    fn breaks(&self, _object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let fps = self.setup.fps;
        let curve = self.path.at(0.0);
        let strand = &curve.strands()[0];
        let mut seconds: Vec<f64> = if self.setup.end == CoastEnd::Rebounds || self.period().is_none() {
            self.turns.to_vec()
        } else {
            Vec::new()
        };
        for corner in strand.corners() {
            for pair in self.nodes.windows(2) {
                let laps = |s: f64| {
                    if strand.closed() {
                        ((s - corner) / strand.length()).floor()
                    } else {
                        f64::from(u8::from(s >= *corner))
                    }
                };
                if laps(pair[0].s) == laps(pair[1].s) {
                    continue;
                }
                let before = |t: f64| laps(between(&pair[0], &pair[1], t).0) == laps(pair[0].s);
                seconds.push(halved((pair[0].t, pair[1].t), 60, before).1);
            }
        }
        let mut breaks = Vec::new();
        let period = self.period().unwrap_or(f64::INFINITY);
        let (first, last) = ((range.from / fps / period).floor(), (range.to / fps / period).floor());
        let laps = if period.is_finite() { (last - first).min(MOST_LAPS) as usize + 1 } else { 1 };
        for lap in 0..laps {
            let from = if period.is_finite() { (first + lap as f64) * period } else { 0.0 };
            breaks.extend(seconds.iter().map(|t| (t + from) * fps).filter(|frame| range.holds(*frame)));
        }
        breaks.sort_by(f64::total_cmp);
        breaks.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
        Ok(breaks.into_iter().map(|frame| Break { frame, kind: BreakKind::Corner }).collect())
    }

    fn path(&self) -> Option<&Path> {
        Some(&self.path)
    }
}
