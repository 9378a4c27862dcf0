//! A number of a node: fixed, a formula of the time and of the thing, or a signal.

mod accumulated;

pub use accumulated::Accumulated;

use super::Signal;
use crate::formula::{Formula, Inputs, Variable, Workspace};
use crate::random;
use std::sync::Arc;

/// What a frame means in a scene.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Clock {
    /// Frames per second.
    pub fps: f64,
    /// Loop length in frames.
    pub frames: f64,
}

/// Whole frames of a loop at which a formula is tried.
const TRIED: usize = 240;
/// Frames between whole ones at which it is tried, for each of those.
const TRIED_BETWEEN: usize = 16;

impl Clock {
    /// Whole frames of the loop from 0 on, at most 240 of them.
    pub fn whole(self) -> Vec<f64> {
        let count = (self.frames as usize).clamp(1, TRIED);
        (0..count).map(|i| (self.frames * i as f64 / count as f64).round()).collect()
    }

    /// Frames between whole ones, sixteen for each of those.
    pub fn between(self) -> Vec<f64> {
        let count = (self.frames as usize).clamp(1, TRIED) * TRIED_BETWEEN;
        // Off the halves and quarters, where more often than elsewhere all is well.
        (0..count).map(|i| self.frames * (i as f64 + 0.37) / count as f64).collect()
    }
}

/// A frame as it is told: to the thousandth.
pub fn near(frame: f64) -> f64 {
    (frame * 1000.0).round() / 1000.0
}

/// Which thing of how many.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Thing {
    /// From 0.
    pub index: usize,
    /// At least 1 where there is any.
    pub count: usize,
}

/// A number of a node.
#[derive(Debug, Clone)]
pub enum Driven {
    /// The same at all times for all things.
    Fixed(f64),
    /// What a formula gives.
    Formula(Arc<Driver>),
    /// What a signal gives, the same for all things.
    Signal(Arc<Drive>),
}

/// A signal with the range that it is kept in.
#[derive(Debug)]
pub struct Drive {
    pub(super) signal: Arc<dyn Signal>,
    pub(super) clock: Clock,
    least: f64,
    most: f64,
}

impl PartialEq for Driven {
    /// Signals are equal when they are one and the same.
    fn eq(&self, other: &Self) -> bool {
        match (self, other) {
            (Self::Fixed(a), Self::Fixed(b)) => a == b,
            (Self::Formula(a), Self::Formula(b)) => a == b,
            (Self::Signal(a), Self::Signal(b)) => Arc::ptr_eq(a, b),
            _ => false,
        }
    }
}

impl Drive {
    fn at(&self, frame: f64) -> f64 {
        let value = self.signal.at(frame);
        if value.is_nan() { 0.0_f64.clamp(self.least, self.most) } else { value.clamp(self.least, self.most) }
    }

    /// True when the signal gives a number within the range at a frame.
    pub fn within(&self, frame: f64) -> bool {
        (self.least..=self.most).contains(&self.signal.at(frame))
    }

    /// True when it never leaves its range, as far as eight looks a frame over a loop before and two after tell.
    pub(super) fn stays_within(&self) -> bool {
        if self.least == f64::MIN && self.most == f64::MAX {
            return true;
        }
        const LOOKS: f64 = 8.0;
        let count = (3.0 * self.clock.frames * LOOKS) as i64;
        let first = -(self.clock.frames * LOOKS) as i64;
        (0..=count).all(|i| self.within((first + i) as f64 / LOOKS))
    }
}

/// A formula with what it needs to be evaluated.
#[derive(Debug, Clone, PartialEq)]
pub struct Driver {
    formula: Formula,
    pub(super) clock: Clock,
    least: f64,
    most: f64,
}

/// The seed and the channel of the number that every thing has for itself.
const DICE: (u64, u64) = (0, 77);

/// The variables at a moment for a thing.
pub fn moment(clock: Clock, frame: f64, thing: Thing) -> Inputs<'static> {
    let loops = frame / clock.frames;
    Inputs::default()
        .with(Variable::Frame, frame)
        .with(Variable::Time, frame / clock.fps)
        .with(Variable::Loop, loops - loops.floor())
        .with(Variable::Index, thing.index as f64)
        .with(Variable::Count, thing.count as f64)
        .with(Variable::Dice, random::unit(DICE.0, thing.index as u64, DICE.1))
}

impl Driven {
    /// A formula whose values are kept from `least` to `most`.
    pub fn formula(formula: Formula, clock: Clock, least: f64, most: f64) -> Self {
        Self::Formula(Arc::new(Driver { formula, clock, least, most }))
    }

    /// A signal whose values are kept from `least` to `most`.
    pub fn signal(signal: Arc<dyn Signal>, clock: Clock, least: f64, most: f64) -> Self {
        Self::Signal(Arc::new(Drive { signal, clock, least, most }))
    }

    /// As a signal that is the same for all things.
    pub fn as_signal(&self) -> Arc<dyn Signal> {
        let exact = matches!(self, Self::Signal(drive) if drive.stays_within());
        Arc::new(AsSignal { value: self.clone(), exact })
    }

    /// So many times as much; the same for all things.
    #[must_use]
    pub fn times(&self, factor: f64, clock: Clock) -> Self {
        match self {
            Self::Fixed(value) => Self::Fixed(value * factor),
            Self::Formula(_) | Self::Signal(_) => {
                let all = self.as_signal();
                Self::signal(Arc::new(super::Rescale::new(all, (0.0, 1.0), (0.0, factor))), clock, f64::MIN, f64::MAX)
            }
        }
    }

    /// The value at a frame for a thing. Where there is no number it counts as 0, kept within its range.
    pub fn at(&self, frame: f64, thing: Thing) -> f64 {
        match self {
            Self::Fixed(value) => *value,
            Self::Formula(driver) => driver.at(frame, thing),
            Self::Signal(drive) => drive.at(frame),
        }
    }

    /// Its rate of change at a frame for a thing, per frame.
    pub fn slope(&self, frame: f64, thing: Thing) -> f64 {
        match self {
            Self::Fixed(_) => 0.0,
            Self::Formula(_) if !self.over_time() => 0.0,
            Self::Formula(driver) => super::slope_of(|frame| driver.at(frame, thing), frame, |change| change),
            Self::Signal(drive) => {
                super::slope_within(drive.signal.slope(frame), drive.signal.at(frame), drive.least, drive.most)
            }
        }
    }

    /// As [`slope`](Self::slope) of a number of laps, of which whole ones make no difference: what wraps by itself, as
    /// `fract(x)` does, changes as evenly as x.
    pub fn lap_slope(&self, frame: f64, thing: Thing) -> f64 {
        let Self::Formula(driver) = self else { return self.slope(frame, thing) };
        if !self.over_time() {
            return 0.0;
        }
        super::slope_of(|frame| driver.at(frame, thing), frame, |change| change - change.round())
    }

    /// Frames from `from` to `to` at which a signal bends or jumps; those of formulas are not known.
    pub fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        match self {
            Self::Signal(drive) => drive.signal.bends(from, to),
            Self::Fixed(_) | Self::Formula(_) => Vec::new(),
        }
    }

    /// The value, when it is the same at all times for all things.
    pub fn fixed(&self) -> Option<f64> {
        match self {
            Self::Fixed(value) => Some(*value),
            Self::Formula(driver) if driver.formula.uses().is_empty() => Some(driver.at(0.0, Thing::default())),
            Self::Formula(_) | Self::Signal(_) => None,
        }
    }

    fn uses(&self, which: fn(Variable) -> bool) -> bool {
        match self {
            Self::Fixed(_) | Self::Signal(_) => false,
            Self::Formula(driver) => driver.formula.uses().iter().any(|variable| which(*variable)),
        }
    }

    /// True when it changes from frame to frame.
    pub fn over_time(&self) -> bool {
        matches!(self, Self::Signal(_)) || self.uses(Variable::of_time)
    }

    /// True when it differs from thing to thing.
    pub fn per_thing(&self) -> bool {
        self.uses(Variable::of_things)
    }
}

impl Driver {
    fn at(&self, frame: f64, thing: Thing) -> f64 {
        let value = self.formula.value(&moment(self.clock, frame, thing));
        if value.is_nan() { 0.0_f64.clamp(self.least, self.most) } else { value.clamp(self.least, self.most) }
    }

    /// Values at many frames at once, as the formula gives them.
    fn fill_raw(&self, frames: &[f64], out: &mut [f64], workspace: &mut Workspace) {
        let seconds: Vec<f64> = frames.iter().map(|frame| frame / self.clock.fps).collect();
        let loops: Vec<f64> =
            frames.iter().map(|frame| frame / self.clock.frames).map(|part| part - part.floor()).collect();
        let inputs = moment(self.clock, 0.0, Thing { index: 0, count: 1 })
            .with_each(Variable::Frame, frames)
            .with_each(Variable::Time, &seconds)
            .with_each(Variable::Loop, &loops);
        self.formula.evaluate(&inputs, workspace, out);
    }
}

/// A number of a node as a signal.
#[derive(Debug)]
struct AsSignal {
    value: Driven,
    /// True for a signal that stays within its range.
    exact: bool,
}

impl Signal for AsSignal {
    fn at(&self, frame: f64) -> f64 {
        self.value.at(frame, Thing { index: 0, count: 1 })
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        match &self.value {
            Driven::Signal(drive) if self.exact => drive.signal.integral(a, b),
            _ => None,
        }
    }

    fn slope(&self, frame: f64) -> f64 {
        self.value.slope(frame, Thing { index: 0, count: 1 })
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.value.bends(from, to)
    }
}

/// A formula of the time as a signal.
#[derive(Debug)]
pub struct FormulaSignal(Arc<Driver>);

impl FormulaSignal {
    /// Of a formula that asks for nothing but the time.
    pub fn new(formula: Formula, clock: Clock) -> Self {
        Self(Arc::new(Driver { formula, clock, least: f64::MIN, most: f64::MAX }))
    }

    /// False where it gives none, as at a division by 0, and counts as 0.
    pub fn gives_a_number(&self, frame: f64) -> bool {
        self.0.formula.value(&moment(self.0.clock, frame, Thing { index: 0, count: 1 })).is_finite()
    }
}

impl Signal for FormulaSignal {
    fn at(&self, frame: f64) -> f64 {
        self.0.at(frame, Thing { index: 0, count: 1 })
    }
}

impl Driven {
    /// The first of these frames at which a formula gives no number, for any of so many things.
    pub fn fails_at(&self, frames: &[f64], things: usize) -> Option<(f64, usize)> {
        if let Self::Signal(drive) = self {
            return frames.iter().find(|frame| drive.signal.at(**frame).is_nan()).map(|frame| (*frame, 0));
        }
        let Self::Formula(driver) = self else { return None };
        let things = if self.per_thing() { things } else { 1 };
        let mut workspace = Workspace::default();
        let mut values = vec![0.0; frames.len()];
        if things == 1 {
            driver.fill_raw(frames, &mut values, &mut workspace);
            return values.iter().position(|value| value.is_nan()).map(|i| (frames[i], 0));
        }
        (0..things).find_map(|index| {
            let thing = Thing { index, count: things };
            let fails = |frame: &&f64| driver.formula.value(&moment(driver.clock, **frame, thing)).is_nan();
            frames.iter().find(fails).map(|frame| (*frame, index))
        })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const CLOCK: Clock = Clock { fps: 24.0, frames: 48.0 };

    fn driven(text: &str) -> Driven {
        Driven::formula(Formula::parse(text).unwrap(), CLOCK, -1e9, 1e9)
    }

    #[test]
    fn what_gives_no_number_is_found_with_its_frame() {
        assert_eq!(driven("sqrt(10.0 - frame)").fails_at(&[0.0, 10.0, 11.0, 12.0], 1), Some((11.0, 0)));
        assert_eq!(driven("sqrt(2.0 - index)").fails_at(&[0.0], 9), Some((0.0, 3)));
        assert_eq!(driven("sin(frame)").fails_at(&[0.0, 1e6], 1), None);
    }
}
