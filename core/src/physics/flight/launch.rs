//! Things that are thrown, as a motion.

use super::throw::{LaunchSetup, Throw};
use crate::motion::MOST_BREAKS;
use crate::motion::{Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, Motion, MotionError, Outside, Sample};
use crate::work::here;
use glam::DVec3;
use rayon::prelude::*;
use std::sync::Arc;

/// Things that are thrown, each by itself.
#[derive(Debug, Clone)]
pub struct Launch {
    throws: Arc<Vec<Throw>>,
    solved_until: f64,
    /// Any of them turns.
    turns: bool,
}

/// Contacts of all things together beyond which they are taken to have stopped.
const MOST_CONTACTS: usize = 100_000;
/// Contacts that each thing may have in any case.
const LEAST_CONTACTS: usize = 250;

impl Launch {
    /// One thing, solved up to a frame; of the setup see [`Throw::solve`].
    pub fn solve(setup: LaunchSetup, until_frame: f64) -> Self {
        Self::solve_all(vec![setup], until_frame)
    }

    /// Things, at least one, solved up to a frame.
    pub fn solve_all(setups: Vec<LaunchSetup>, until_frame: f64) -> Self {
        let most = (MOST_CONTACTS / setups.len().max(1)).max(LEAST_CONTACTS);
        let (counted, solve) = (here(), |setup| Throw::solve(setup, until_frame, most));
        let throws: Vec<Throw> = setups.into_par_iter().map(|setup| counted.on(|| solve(setup))).collect();
        let turns = throws.iter().any(|throw| throw.setup.spin != DVec3::ZERO || throw.setup.rolling_radius > 0.0);
        Self { throws: Arc::new(throws), solved_until: until_frame, turns }
    }

    /// The first frame at which a thing was taken to have stopped because contacts came too fast or were too many.
    pub fn capped(&self) -> Option<f64> {
        self.throws.iter().filter_map(|throw| throw.capped).reduce(f64::min)
    }

    /// How a thing was thrown.
    pub fn setup(&self, object: usize) -> &LaunchSetup {
        &self.throws[object].setup
    }

    /// How many contacts there are up to where it is solved.
    pub fn touches(&self) -> usize {
        self.throws.iter().map(Throw::touches).sum()
    }

    /// Frames after which all are thrown anew, where they are.
    fn again(&self) -> Option<f64> {
        self.throws[0].setup.every
    }

    /// The frame at which the last is let go for the first time.
    fn latest(&self) -> f64 {
        self.throws.iter().map(|throw| throw.setup.start_frame).fold(f64::NEG_INFINITY, f64::max)
    }
}

impl Motion for Launch {
    fn len(&self) -> usize {
        self.throws.len()
    }

    fn extent(&self) -> Extent {
        let from = self.throws.iter().map(|throw| throw.setup.start_frame).fold(f64::INFINITY, f64::min);
        if let Some(every) = self.again() {
            return Extent { from, to: from + every, outside: Outside::Periodic };
        }
        Extent { from, to: self.solved_until, outside: Outside::RunsOn }
    }

    fn prepare(&self, range: Frames, _cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let longer =
            range.to > self.solved_until && self.again().is_none_or(|every| self.solved_until < self.latest() + every);
        Ok(longer.then(|| -> Arc<dyn Motion> {
            let setups = self.throws.iter().map(|throw| throw.setup.clone()).collect();
            Arc::new(Self::solve_all(setups, range.to))
        }))
    }

    fn varies(&self) -> Columns {
        let always = self.throws.iter().all(|throw| throw.setup.waits && throw.setup.life == f64::INFINITY);
        let turn = if self.turns { Columns::ORIENTATION } else { Columns::NONE };
        Columns::POSITION | turn | if always { Columns::NONE } else { Columns::ALIVE }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let throw = &self.throws[object];
            let (setup, time) = (&throw.setup, throw.since(frame).0);
            if let Some(alive) = out.alive.get_mut(row) {
                *alive = throw.is_there(frame);
            }
            if time < 0.0 || throw.pieces.is_empty() {
                if let Some(position) = out.positions.get_mut(row) {
                    *position = setup.start;
                }
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = setup.velocity.normalize_or_zero();
                }
                continue;
            }
            let piece = throw.piece(time);
            if let Some(position) = out.positions.get_mut(row) {
                *position = piece.place(time);
            }
            if let Some(value) = out.velocities.get_mut(row) {
                *value = piece.velocity(time) / setup.fps;
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = piece.travel(time);
            }
            if let (Some(orientation), true) = (out.orientations.get_mut(row), self.turns) {
                *orientation = piece.orientation(time);
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = piece.spin(time) / setup.fps;
            }
        }
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let throw = &self.throws[object];
        let setup = &throw.setup;
        let frame_of = |time: f64| setup.start_frame + time * setup.fps;
        let corners = throw.pieces.iter().filter(|piece| !piece.joined);
        // Thrown anew it is at its start again.
        let begins = |first: bool| if first && setup.every.is_some() { BreakKind::Anew } else { BreakKind::Corner };
        let own: Vec<Break> = corners
            .enumerate()
            .map(|(i, piece)| Break { frame: frame_of(piece.from), kind: begins(i == 0) })
            .chain(throw.touched_at().map(|frame| Break { frame, kind: BreakKind::Contact }))
            .filter(|b| setup.every.is_none_or(|every| b.frame < setup.start_frame + every))
            .collect();
        let throws = throw.throws(range);
        if throws.len() * own.len() > MOST_BREAKS {
            return Err(MotionError::TooMuch("It bounces too often to be followed for so long.".to_owned()));
        }
        let later = |by: &f64| own.iter().map(|b| Break { frame: b.frame + by, ..*b }).collect::<Vec<_>>();
        let mut breaks: Vec<Break> = throws.iter().flat_map(later).filter(|b| range.holds(b.frame)).collect();
        breaks.sort_by(|a, b| a.frame.total_cmp(&b.frame).then(a.kind.rank().cmp(&b.kind.rank())));
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let of = |(object, throw): (usize, &Throw)| {
            let within = |frame: f64| throw.setup.every.is_none_or(|every| frame < throw.setup.start_frame + every);
            let own = || throw.touched_at().enumerate().filter(|&(_, frame)| within(frame));
            let moved = |by: f64| own().filter(move |&(_, frame)| range.holds(frame + by)).map(move |(i, _)| (i, by));
            let all = throw.throws(range).into_iter().flat_map(moved);
            all.map(|(number, by)| throw.contact(number, object, by)).collect::<Vec<_>>()
        };
        let mut contacts: Vec<Contact> = self.throws.iter().enumerate().flat_map(of).collect();
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }
}
