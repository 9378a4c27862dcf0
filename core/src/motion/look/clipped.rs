//! Things that play clips of a model: each from its own start, at its own rate.

use super::kinds::laid_over;
use super::lap::Closing;
use crate::motion::layer::{Layer, Layered, Rows};
use crate::motion::{Cancel, ClipTime, Columns, Frames, Kind, Motion, MotionError, Sample, prepared};
use crate::random;
use crate::rig::Animated;
use crate::signal::{Accumulated, Driven, Thing};
use rayon::prelude::*;
use std::sync::Arc;

/// What carries a clip on.
#[derive(Clone)]
pub enum PlayedBy {
    /// Time: so many times as fast as it was recorded.
    Time(Accumulated),
    /// The way that a thing travels: metres a cycle, above 0.
    Distance(f64),
}

/// Which of its clips a thing plays.
#[derive(Clone)]
pub enum MixedBy {
    /// The first.
    First,
    /// From 0 for the first to 1 for the second, over time and from thing to thing.
    Share(Driven),
    /// The first up to a speed, the second from another on, metres per frame.
    Speed(f64, f64),
}

/// How clips are played.
#[derive(Clone)]
pub struct Playing {
    /// The model and its clips.
    pub animated: Arc<Animated>,
    /// Parts of a cycle by which things are ahead, over time and from thing to thing.
    pub start: Driven,
    /// Parts of a cycle by which each is ahead besides, by chance from 0 up to so many.
    pub start_spread: f64,
    /// What carries clips on.
    pub by: PlayedBy,
    /// By which part of it each is quicker or slower, 0 to below 1.
    pub rate_spread: f64,
    /// Which clips.
    pub mixed: MixedBy,
    /// Another number gives another chance.
    pub seed: u64,
    /// Frames a second.
    pub fps: f64,
}

/// Cycles from a first whole frame on, parts of 2³² of one: they come round by themselves.
struct Sums {
    first: i64,
    things: usize,
    /// Frame after frame.
    cycles: Vec<u32>,
}

impl Sums {
    fn frames(&self) -> i64 {
        (self.cycles.len() / self.things.max(1)) as i64
    }
}

/// Which clip each thing is in, and how far.
pub struct Clips {
    how: Playing,
    kinds: Vec<Kind>,
    of: Vec<u32>,
    closing: Option<Arc<Closing>>,
    /// Frames of the longest life of what begins anew.
    longest: Option<f64>,
    sums: Option<Arc<Sums>>,
}

/// Another motion whose things play clips.
pub type Clipped = Layered<Clips>;

const START: u64 = 47;
const RATE: u64 = 48;
/// Numbers that are kept of all things and frames, at most: a quarter of a gigabyte.
const MOST_KEPT: usize = 1 << 26;
/// Cycles of a lap below which a thing that is made to close may rest instead.
const RESTS: f64 = 0.05;

impl Clipped {
    /// Things of `inner` play clips. With `closing`, the frames of a lap and the thing that each one is after it, each plays
    /// at most half a cycle more or less in a lap, so that it goes on as that one began; of what begins anew clips begin
    /// with each life and close by themselves.
    ///
    /// # Errors
    /// Where it is cancelled, or takes too many looks or too much to be kept.
    pub fn new(
        inner: Arc<dyn Motion>,
        how: Playing,
        closing: Option<(f64, Vec<usize>)>,
        cancel: &Cancel,
    ) -> Result<Self, MotionError> {
        let own = [Kind { animated: Some(how.animated.clone()), ..Kind::PLAIN }];
        let (kinds, of) = laid_over(&*inner, &own, &vec![0; inner.len()]);
        let longest = inner.lives().map(|lives| lives.longest());
        let mut clips = Clips { how, kinds, of, closing: None, longest, sums: None };
        if let Some((frames, partners)) = closing.filter(|_| inner.lives().is_none()) {
            clips.close(&inner, frames, partners, cancel)?;
        }
        Ok(Self::over(inner, clips))
    }
}

impl Clips {
    /// The fewest and the most cycles of a lap, and by how many one was made to play more or less at most, where laps are
    /// made to close.
    pub fn closed(&self) -> Option<((f64, f64), f64)> {
        let closing = self.closing.as_ref()?;
        Some((closing.cycles, closing.more.iter().fold(0.0, |most, more| most.max(more.abs()))))
    }

    fn close(
        &mut self,
        inner: &Arc<dyn Motion>,
        frames: f64,
        partners: Vec<usize>,
        cancel: &Cancel,
    ) -> Result<(), MotionError> {
        let things = inner.len();
        let mut before = vec![usize::MAX; things];
        partners.iter().enumerate().for_each(|(object, &partner)| before[partner] = object);
        // Where two go on as one, each goes on as itself.
        let lost = before.contains(&usize::MAX);
        let (partners, before) = if lost { ((0..things).collect(), (0..things).collect()) } else { (partners, before) };
        let lap = Frames { from: 0.0, to: frames };
        let inner = prepared(inner, lap, cancel)?;
        self.sums = self.summed(&*inner, lap, cancel)?;
        let ends: Vec<(usize, f64)> = (0..things).map(|object| (object, frames)).collect();
        let starts: Vec<(usize, f64)> = (0..things).map(|object| (object, 0.0)).collect();
        let run = self.whole_run(&*inner, &ends, cancel)?;
        let ahead = |at: &[(usize, f64)]| -> Vec<f64> {
            at.iter().map(|&(object, frame)| self.ahead(object, frame, things)).collect()
        };
        let (at_end, at_start) = (ahead(&ends), ahead(&starts));
        let more: Vec<f64> = (0..things)
            .map(|object| {
                let over = at_end[object] + run[object] - at_start[partners[object]];
                let more = over.round() - over;
                if run[object] > RESTS && run[object] + more < RESTS { more + 1.0 } else { more }
            })
            .collect();
        let cycles = run.iter().zip(&more).map(|(run, more)| run + more);
        let cycles = cycles.fold((f64::MAX, f64::MIN), |(low, high), cycles| (low.min(cycles), high.max(cycles)));
        self.closing = Some(Arc::new(Closing { frames, partners, before, more, cycles }));
        Ok(())
    }

    /// Parts of a cycle by which one is ahead.
    fn ahead(&self, who: usize, frame: f64, count: usize) -> f64 {
        let chance = self.how.start_spread * random::unit(self.how.seed, who as u64, START);
        self.how.start.at(frame, Thing { index: who, count }) + chance
    }

    /// How much quicker one is than the others.
    fn quicker(&self, who: usize) -> f64 {
        1.0 + self.how.rate_spread * random::signed(self.how.seed, who as u64, RATE)
    }

    /// The mixture that stays the same, where it does.
    fn steady_mix(&self) -> Option<f64> {
        match &self.how.mixed {
            MixedBy::First => Some(0.0),
            MixedBy::Share(share) => share.fixed(),
            MixedBy::Speed(..) => None,
        }
    }

    /// Cycles from frame 0 on in closed form, where there is one.
    fn closed_form(&self, frame: f64) -> Option<f64> {
        let (PlayedBy::Time(rate), Some(mix)) = (&self.how.by, self.steady_mix()) else { return None };
        Some(rate.until(frame) * self.how.animated.repertoire.pace(mix) / self.how.fps)
    }

    /// True where a thing's speed says how its clips go on.
    fn by_speed(&self) -> bool {
        matches!(self.how.by, PlayedBy::Distance(_)) || matches!(self.how.mixed, MixedBy::Speed(..))
    }

    fn mix(&self, who: usize, frame: f64, count: usize, speed: f64) -> f64 {
        match &self.how.mixed {
            MixedBy::First => 0.0,
            MixedBy::Share(share) => {
                let share = share.at(frame, Thing { index: who, count });
                if share.is_nan() { 0.0 } else { share.clamp(0.0, 1.0) }
            }
            MixedBy::Speed(low, high) if high > low => ((speed - low) / (high - low)).clamp(0.0, 1.0),
            MixedBy::Speed(low, _) => f64::from(u8::from(speed > *low)),
        }
    }

    /// Cycles a frame at each of these moments.
    fn paces(&self, inner: &dyn Motion, at: &[(usize, f64)]) -> Vec<f64> {
        let mut sample = Sample::default();
        let lives = inner.lives();
        let columns = if self.by_speed() { Columns::VELOCITY } else { Columns::NONE };
        inner.sample_at(at, if lives.is_some() { columns | Columns::LIFE } else { columns }, &mut sample);
        let count = lives.map_or(inner.len(), |lives| lives.births().len());
        let pace = |(row, &(object, frame)): (usize, &(usize, f64))| {
            let speed = sample.velocities.get(row).map_or(0.0, |velocity| velocity.length());
            let who = sample.ages.get(row).map_or(object, |age| age.birth);
            let pace = match &self.how.by {
                PlayedBy::Distance(metres) => speed / metres,
                PlayedBy::Time(rate) => {
                    let mix = self.mix(who, frame, count, speed);
                    rate.at(frame) * self.how.animated.repertoire.pace(mix) / self.how.fps
                }
            };
            pace * self.quicker(who)
        };
        at.iter().enumerate().map(pace).collect()
    }

    /// Cycles of each thing over each of these stretches of at most a frame (Simpson's rule).
    fn parts(&self, inner: &dyn Motion, stretches: &[(usize, f64, f64)]) -> Vec<f64> {
        let at: Vec<(usize, f64)> = stretches
            .iter()
            .flat_map(|&(object, from, to)| [from, 0.5 * (from + to), to].map(|frame| (object, frame)))
            .collect();
        let paces = self.paces(inner, &at);
        let part = |(&(_, from, to), paces): (&(usize, f64, f64), &[f64])| {
            (to - from) / 6.0 * (paces[0] + 4.0 * paces[1] + paces[2])
        };
        stretches.iter().zip(paces.chunks(3)).map(part).collect()
    }

    /// What is kept of each whole frame of a range; nothing where there is a closed form.
    fn summed(&self, inner: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Arc<Sums>>, MotionError> {
        if self.closed_form(0.0).is_some() {
            return Ok(None);
        }
        let (first, last) = (range.from.floor() as i64, range.to.ceil() as i64);
        let (things, frames) = (inner.len(), (last - first + 1) as usize);
        if things.saturating_mul(frames) > MOST_KEPT {
            return Err(MotionError::TooMuch(format!(
                "Clips of {things} things over {frames} frames go by how fast each is, and that is too much to be kept: have them go by time, or fewer things."
            )));
        }
        let mut cycles = vec![0_u32; things * frames];
        cycles.par_chunks_mut(things.max(1)).enumerate().skip(1).try_for_each(|(index, row)| {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            let frame = (first + index as i64) as f64;
            let stretches: Vec<(usize, f64, f64)> = (0..things).map(|object| (object, frame - 1.0, frame)).collect();
            let parts = cancel.watched(|| self.parts(inner, &stretches));
            row.iter_mut().zip(parts).for_each(|(out, part)| *out = turns(part));
            Ok(())
        })?;
        for at in things..cycles.len() {
            cycles[at] = cycles[at].wrapping_add(cycles[at - things]);
        }
        Ok(Some(Arc::new(Sums { first, things, cycles })))
    }

    /// Cycles of all things from frame 0 to a frame of each, whole ones included; only where laps are made to close.
    fn whole_run(&self, inner: &dyn Motion, ends: &[(usize, f64)], cancel: &Cancel) -> Result<Vec<f64>, MotionError> {
        if let Some(runs) = ends.iter().map(|end| self.closed_form(end.1)).collect::<Option<Vec<f64>>>() {
            return Ok(runs.into_iter().zip(ends).map(|(run, end)| run * self.quicker(end.0)).collect());
        }
        let mut runs = vec![0.0; ends.len()];
        let last = ends.iter().map(|end| end.1).fold(0.0, f64::max);
        let mut frame = 0.0;
        while frame < last {
            if cancel.cancelled() {
                return Err(MotionError::Cancelled);
            }
            let stretches: Vec<_> =
                ends.iter().map(|&(object, end)| (object, frame.min(end), (frame + 1.0).min(end))).collect();
            runs.iter_mut().zip(self.parts(inner, &stretches)).for_each(|(run, part)| *run += part);
            frame += 1.0;
        }
        Ok(runs)
    }

    /// Cycles at each of these moments from some moment on that is the same for all of a thing's; whole ones do not count
    /// where they are kept. In closed form it is not said how much quicker things are than others.
    fn runs(&self, inner: &dyn Motion, at: &[(usize, f64)]) -> Vec<f64> {
        if let Some(runs) = at.iter().map(|&(_, frame)| self.closed_form(frame)).collect::<Option<Vec<f64>>>() {
            return runs;
        }
        let (mut runs, mut stretches, mut rows) = (vec![0.0; at.len()], Vec::new(), Vec::new());
        for (row, &(object, frame)) in at.iter().enumerate() {
            let whole = frame.floor() as i64;
            let kept = self.sums.as_ref().filter(|sums| whole >= sums.first && whole < sums.first + sums.frames());
            let from = match kept {
                Some(sums) => {
                    let index = (whole - sums.first) as usize * sums.things + object;
                    runs[row] = f64::from(sums.cycles[index]) / TURN;
                    whole
                }
                // Beyond what is kept all of it is gone through.
                None => self.sums.as_ref().map_or(0, |sums| sums.first),
            };
            for between in from.min(whole)..from.max(whole) {
                let (low, high) = (between as f64, between as f64 + 1.0);
                stretches.push(if whole > from { (object, low, high) } else { (object, high, low) });
                rows.push(row);
            }
            if frame > whole as f64 {
                stretches.push((object, whole as f64, frame));
                rows.push(row);
            }
        }
        for (row, part) in rows.into_iter().zip(self.parts(inner, &stretches)) {
            runs[row] += part;
        }
        runs
    }

    fn phases(&self, inner: &dyn Motion, rows: Rows<'_>, out: &Sample) -> Vec<f64> {
        if let Some(closing) = &self.closing {
            let at: Vec<(usize, f64)> = rows.iter().map(|(object, frame)| closing.inside(object, frame)).collect();
            let runs = self.runs(inner, &at);
            let phase = |(&(object, frame), run): (&(usize, f64), f64)| {
                self.ahead(object, frame, inner.len())
                    + run * self.quicker_besides(object)
                    + closing.more[object] * (frame / closing.frames)
            };
            return at.iter().zip(runs).map(phase).collect();
        }
        let begun: Vec<(usize, f64)> = rows
            .iter()
            .enumerate()
            .map(|(row, (object, frame))| (object, out.ages.get(row).map_or(0.0, |age| frame - age.frames)))
            .collect();
        let now: Vec<(usize, f64)> = rows.iter().collect();
        let (before, after) = (self.runs(inner, &begun), self.runs(inner, &now));
        let count = inner.lives().map_or(inner.len(), |lives| lives.births().len());
        let phase = |row: usize| {
            let who = out.ages.get(row).map_or(now[row].0, |age| age.birth);
            self.ahead(who, now[row].1, count) + (after[row] - before[row]) * self.quicker_besides(who)
        };
        (0..now.len()).map(phase).collect()
    }

    /// How much quicker one is, where [`runs`](Self::runs) does not say it.
    fn quicker_besides(&self, who: usize) -> f64 {
        if self.closed_form(0.0).is_some() { self.quicker(who) } else { 1.0 }
    }
}

/// Parts of a cycle that are told apart.
const TURN: f64 = 4_294_967_296.0;

/// The fraction of a number of cycles, 0 to below 1; 0 of what is no number.
fn fraction(cycles: f64) -> f64 {
    let part = cycles - cycles.floor();
    if part < 1.0 { part } else { 0.0 }
}

/// The fraction of a number of cycles, in parts of 2³².
fn turns(cycles: f64) -> u32 {
    ((cycles - cycles.floor()) * TURN) as u64 as u32
}

impl Layer for Clips {
    fn changes(&self) -> Columns {
        Columns::CLIP
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        if !columns.contain(Columns::CLIP) {
            return columns;
        }
        let speed = if matches!(self.how.mixed, MixedBy::Speed(..)) { Columns::VELOCITY } else { Columns::NONE };
        let life = if inner.lives().is_some() { Columns::LIFE } else { Columns::NONE };
        columns.without(Columns::CLIP) | speed | life
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        if !columns.contain(Columns::CLIP) {
            return;
        }
        let count = inner.lives().map_or(inner.len(), |lives| lives.births().len());
        let mix = |(row, phase): (usize, f64)| {
            let (object, frame) = rows.get(row);
            let who = out.ages.get(row).map_or(object, |age| age.birth);
            let speed = out.velocities.get(row).map_or(0.0, |velocity| velocity.length());
            ClipTime { mix: self.mix(who, frame, count, speed), phase: fraction(phase) }
        };
        let clips = self.phases(inner, rows, out).into_iter().enumerate().map(mix).collect();
        out.clips = clips;
    }

    fn asks(&self, range: Frames) -> Frames {
        match &self.closing {
            Some(closing) if self.by_speed() => Frames { from: range.from.min(0.0), to: range.to.max(closing.frames) },
            Some(_) => range,
            None if self.closed_form(0.0).is_some() => range,
            None => match self.longest {
                Some(longest) => Frames { from: range.from - longest, ..range },
                None => Frames { from: range.from.min(0.0), to: range.to.max(0.0) },
            },
        }
    }

    fn prepare(&self, inner: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        if self.closing.is_some() || self.closed_form(0.0).is_some() {
            return Ok(None);
        }
        let sums = self.summed(inner, self.asks(range), cancel)?;
        let (how, kinds, of) = (self.how.clone(), self.kinds.clone(), self.of.clone());
        Ok(Some(Self { how, kinds, of, closing: None, longest: self.longest, sums }))
    }

    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        let own = [Kind { animated: Some(self.how.animated.clone()), ..Kind::PLAIN }];
        let (kinds, of) = laid_over(inner, &own, &vec![0; inner.len()]);
        let longest = inner.lives().map(|lives| lives.longest());
        Some(Arc::new(Self { how: self.how.clone(), kinds, of, closing: None, longest, sums: None }))
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.of[object] as usize
    }
}
