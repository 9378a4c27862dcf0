//! Closing what is left open at the seam: spread over the lap, or blended over an overlap.

use super::measure::match_all;
use super::pairing::{MOST_PAIRED, pair};
use crate::motion::{
    Break, Cancel, ClipTime, Columns, Contact, Extent, Frames, MOST_BREAKS, Motion, MotionError, Outside, Sample,
    as_inner, carried, prepared, spins,
};
use crate::pose::{Axis, nearer, scaled_axis, turn_between};
use glam::DVec3;
use std::sync::Arc;

/// How what is left is closed.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Closing {
    /// What is missing at the end of the lap is added to it bit by bit, from nothing at its start: a cubic whose
    /// slopes also take up the difference in velocity.
    Spread,
    /// In so many first frames of the lap, things come over from where the ones before them went on to.
    Blend(f64),
}

/// What one thing lacks at the end of a lap.
#[derive(Debug, Clone, Copy, Default)]
struct Lack {
    /// Metres.
    position: DVec3,
    /// Metres per frame.
    velocity: DVec3,
    /// Axis × angle in world axes, radians.
    turn: DVec3,
    /// Radians per frame.
    spin: DVec3,
    scale: DVec3,
    clip: ClipTime,
}

/// A motion that repeats after a lap of `frames`, whatever it was: things go on where those that look the same
/// began.
#[derive(Clone)]
pub struct Closed {
    inner: Arc<dyn Motion>,
    frames: f64,
    closing: Closing,
    lacks: Arc<Vec<Lack>>,
    /// Each thing's round of things that it turns into, and its place in it.
    rounds: Arc<Vec<Vec<usize>>>,
    seats: Arc<Vec<(usize, usize)>>,
    /// How many were given what was left, which need not be the best for all.
    guessed: usize,
}

const COLUMNS: Columns = Columns::POSE;
/// Frames around the lap that the inner motion is prepared for.
const MARGIN: f64 = 3.0;

/// Values of a cubic over a lap that is 0 with no slope at 0, and `end` with the slope `slope` per frame at F.
fn eased(x: f64, frames: f64, end: DVec3, slope: DVec3) -> DVec3 {
    (end * (3.0 - 2.0 * x) + slope * (frames * (x - 1.0))) * (x * x)
}

/// Its slope per frame.
fn eased_slope(x: f64, frames: f64, end: DVec3, slope: DVec3) -> DVec3 {
    (end * (6.0 - 6.0 * x) + slope * (frames * (3.0 * x - 2.0))) * (x / frames)
}

/// From 0 to 1 with two derivatives that are 0 at both ends, and its slope.
fn smooth(x: f64) -> (f64, f64) {
    let x = x.clamp(0.0, 1.0);
    (x * x * x * (10.0 + x * (6.0 * x - 15.0)), 30.0 * x * x * (1.0 - x) * (1.0 - x))
}

impl Closed {
    /// `trading` lets things that look the same trade places; else each closes by itself. The inner motion
    /// is sampled at the lap's ends, and for a blend beyond its end.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks.
    pub fn new(
        inner: &Arc<dyn Motion>,
        frames: f64,
        closing: Closing,
        trading: bool,
        cancel: &Cancel,
    ) -> Result<Self, MotionError> {
        let beyond = if let Closing::Blend(overlap) = closing { overlap.min(frames) } else { 0.0 };
        let inner = prepared(inner, Frames { from: -MARGIN, to: frames + beyond + MARGIN }, cancel)?;
        let clips = inner.varies().and(Columns::CLIP);
        let columns = COLUMNS | Columns::VELOCITY | Columns::SPIN | clips;
        let (mut start, mut end) = (Sample::default(), Sample::default());
        inner.sample(0.0, columns, &mut start);
        inner.sample(frames, columns, &mut end);
        let (mut partners, mut guessed) =
            if trading { match_all(&*inner, &start, &end) } else { ((0..inner.len()).collect(), 0) };
        if guessed > 0 && inner.len() <= MOST_PAIRED {
            // Over all of the overlap, where there is one: they are on the way together then.
            let moments: Vec<[Sample; 2]> = [0.0, 0.5, 1.0]
                .iter()
                .map(|part| part * beyond)
                .map(|after| {
                    [after, frames + after].map(|frame| {
                        let mut sample = Sample::default();
                        inner.sample(frame, Columns::POSITION, &mut sample);
                        sample
                    })
                })
                .collect();
            pair(&*inner, &moments, &mut partners, cancel)?;
            guessed = 0;
        }
        let lack = |(object, &partner): (usize, &usize)| Lack {
            position: start.positions[partner] - end.positions[object],
            velocity: start.velocities[partner] - end.velocities[object],
            turn: turn_between(end.orientations[object], start.orientations[partner]),
            spin: start.spins[partner] - end.spins[object],
            scale: start.scales[partner] - end.scales[object],
            clip: start.clips.get(partner).map_or_else(ClipTime::default, |start| start.since(end.clips[object])),
        };
        let lacks = partners.iter().enumerate().map(lack).collect();
        let (rounds, seats) = rounds(&partners);
        let closing = if let Closing::Blend(_) = closing { Closing::Blend(beyond) } else { closing };
        Ok(Self {
            inner,
            frames,
            closing,
            lacks: Arc::new(lacks),
            rounds: Arc::new(rounds),
            seats: Arc::new(seats),
            guessed,
        })
    }

    /// The largest of what is lacking: metres, and radians.
    pub fn largest(&self) -> (f64, f64) {
        self.lacks
            .iter()
            .fold((0.0, 0.0), |(place, turn), lack| (lack.position.length().max(place), lack.turn.length().max(turn)))
    }

    /// How many things were given partners that others had left, in crowds too large to look for better ones.
    pub fn guessed(&self) -> usize {
        self.guessed
    }

    /// The thing that `object` is after so many laps.
    fn later(&self, object: usize, laps: f64) -> usize {
        let (round, seat) = self.seats[object];
        let things = &self.rounds[round];
        things[(seat as i64 + laps as i64).rem_euclid(things.len() as i64) as usize]
    }

    /// Which thing it is at a frame, and the frame within the lap.
    fn inside(&self, object: usize, frame: f64) -> (usize, f64) {
        let laps = (frame / self.frames).floor();
        let within = frame - laps * self.frames;
        if within >= self.frames { (self.later(object, laps + 1.0), 0.0) } else { (self.later(object, laps), within) }
    }

    fn asked(columns: Columns) -> Columns {
        let travel = if columns.contain(Columns::TRAVEL) { Columns::VELOCITY } else { Columns::NONE };
        columns.without(Columns::SPIN | Columns::PLACE) | travel
    }

    fn spread(&self, at: &[(usize, f64)], out: &mut Sample) {
        for (row, &(object, frame)) in at.iter().enumerate() {
            let (lack, x) = (&self.lacks[object], frame / self.frames);
            if let Some(position) = out.positions.get_mut(row) {
                *position += eased(x, self.frames, lack.position, lack.velocity);
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity += eased_slope(x, self.frames, lack.position, lack.velocity);
            }
            if let Some(turn) = out.orientations.get_mut(row) {
                *turn = (scaled_axis(eased(x, self.frames, lack.turn, lack.spin)) * *turn).normalize();
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale += eased(x, self.frames, lack.scale, DVec3::ZERO);
            }
            if let Some(clip) = out.clips.get_mut(row) {
                *clip = clip.later(lack.clip, x);
            }
        }
    }

    /// Rows within the overlap come from the thing that goes on to be this one.
    fn blend(&self, at: &[(usize, f64)], overlap: f64, columns: Columns, out: &mut Sample) {
        let rows: Vec<usize> = (0..at.len()).filter(|&row| at[row].1 < overlap).collect();
        if rows.is_empty() {
            return;
        }
        let before: Vec<(usize, f64)> =
            rows.iter().map(|&row| (self.later(at[row].0, -1.0), at[row].1 + self.frames)).collect();
        let mut old = Sample::default();
        self.inner.sample_at(&before, Self::asked(columns) | Columns::POSITION, &mut old);
        let mut new = Sample::default();
        if Self::asked(columns).contain(Columns::VELOCITY) {
            let here: Vec<(usize, f64)> = rows.iter().map(|&row| at[row]).collect();
            self.inner.sample_at(&here, Columns::POSITION, &mut new);
        }
        for (i, &row) in rows.iter().enumerate() {
            let (share, slope) = smooth(at[row].1 / overlap);
            if let Some(velocity) = out.velocities.get_mut(row) {
                let apart = new.positions[i] - old.positions[i];
                *velocity = old.velocities[i].lerp(*velocity, share) + apart * (slope / overlap);
            }
            if let Some(position) = out.positions.get_mut(row) {
                *position = old.positions[i].lerp(*position, share);
            }
            if let Some(turn) = out.orientations.get_mut(row) {
                let from = old.orientations[i];
                *turn = (scaled_axis(turn_between(from, nearer(*turn, from)) * share) * from).normalize();
            }
            if let Some(scale) = out.scales.get_mut(row) {
                *scale = old.scales[i].lerp(*scale, share);
            }
            if let Some(clip) = out.clips.get_mut(row) {
                *clip = old.clips[i].later(clip.since(old.clips[i]), share);
            }
        }
    }
}

/// Every thing's round, and its round and place in it.
fn rounds(partners: &[usize]) -> (Vec<Vec<usize>>, Vec<(usize, usize)>) {
    let mut rounds: Vec<Vec<usize>> = Vec::new();
    let mut seats = vec![(usize::MAX, 0); partners.len()];
    for first in 0..partners.len() {
        if seats[first].0 != usize::MAX {
            continue;
        }
        let (mut round, mut object) = (Vec::new(), first);
        while seats[object].0 == usize::MAX {
            seats[object] = (rounds.len(), round.len());
            round.push(object);
            object = partners[object];
        }
        rounds.push(round);
    }
    (rounds, seats)
}

/// After how many laps every thing is back where it began, when each goes on as its partner; `None` beyond `most`.
pub fn orbit(partners: &[usize], most: u64) -> Option<u64> {
    rounds(partners).0.iter().try_fold(1_u64, |laps, round| {
        let long = round.len() as u64;
        let all = laps / crate::fraction::greatest_common_divisor(laps, long) * long;
        (all <= most).then_some(all)
    })
}

impl Motion for Closed {
    as_inner!(len, facing, looks);

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: self.frames, outside: Outside::Periodic }
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let inside: Vec<(usize, f64)> = at.iter().map(|&(object, frame)| self.inside(object, frame)).collect();
        self.inner.sample_at(&inside, Self::asked(columns), out);
        match self.closing {
            Closing::Spread => self.spread(&inside, out),
            Closing::Blend(overlap) => self.blend(&inside, overlap, columns, out),
        }
        if columns.contain(Columns::TRAVEL) {
            for (travel, velocity) in out.travels.iter_mut().zip(&out.velocities) {
                *travel = velocity.try_normalize().unwrap_or(*travel);
            }
        }
        if columns.contain(Columns::SPIN) {
            let mut turned = Sample::default();
            out.spins = spins(at, |moved| {
                self.sample_at(moved, Columns::ORIENTATION, &mut turned);
                std::mem::take(&mut turned.orientations)
            });
        }
        out.keep(columns);
    }

    fn varies(&self) -> Columns {
        self.inner.varies() | Columns::POSITION
    }

    fn partner(&self, object: usize, frames: f64) -> Option<usize> {
        (frames == self.frames).then(|| self.later(object, 1.0))
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = Vec::new();
        let mut lap = (range.from / self.frames).floor();
        while lap * self.frames <= range.to {
            let start = lap * self.frames;
            let own = Frames { from: (range.from - start).max(0.0), to: (range.to - start).min(self.frames) };
            let found = self.inner.breaks(self.later(object, lap), own)?;
            breaks.extend(found.into_iter().map(|b| Break { frame: b.frame + start, ..b }));
            lap += 1.0;
        }
        breaks.dedup_by(|a, b| (a.frame - b.frame).abs() < 1e-9);
        Ok(breaks)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let mut of_a_lap = self.inner.contacts(Frames { from: 0.0, to: self.frames });
        // At its very end a lap is the beginning of the next one.
        of_a_lap.retain(|contact| contact.frame < self.frames);
        let mut contacts = Vec::new();
        let mut lap = (range.from / self.frames).floor();
        while lap * self.frames <= range.to && !of_a_lap.is_empty() && contacts.len() < MOST_BREAKS {
            let start = lap * self.frames;
            // Things may trade places at the end of each lap.
            let mut whose = vec![0; self.len()];
            (0..self.len()).for_each(|object| whose[self.later(object, lap)] = object);
            let within = of_a_lap.iter().filter(|contact| range.holds(contact.frame + start));
            contacts.extend(within.map(|c| Contact { object: whose[c.object], frame: c.frame + start, ..c.clone() }));
            lap += 1.0;
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        carried(self, contacts)
    }
}
