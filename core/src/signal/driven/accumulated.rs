//! What a number over time adds up to.

use super::{Driven, Thing};
use crate::quadrature::{adaptive, gauss};
use std::sync::Arc;

/// What accumulates of a number that changes over time, from frame 0 on: in closed form where there is one.
///
/// Without one whole frames are summed up once, for one loop before and two after: between jumps and bends, which are
/// known or found first, by an adaptive rule of 16 points to 1e-13 of the value; a kink that is not known may cost
/// 1e-5 of what its slopes differ by. Beyond them frames are summed up as they are asked for.
#[derive(Debug, Clone)]
pub struct Accumulated {
    value: Driven,
    /// True where the signal has a closed form.
    exact: bool,
    /// The integral from frame 0 to each of the frames from −F to 2F.
    sums: Arc<Vec<f64>>,
    first: i64,
}

impl Accumulated {
    /// Of a number that is the same for all things.
    pub fn new(value: Driven) -> Self {
        let (frames, exact) = match &value {
            Driven::Fixed(_) => (0.0, true),
            Driven::Formula(driver) => (driver.clock.frames, false),
            Driven::Signal(drive) => {
                let frames = drive.clock.frames;
                (frames, drive.signal.integral(-frames, 2.0 * frames).is_some() && drive.stays_within())
            }
        };
        if exact {
            return Self { value, exact, sums: Arc::new(Vec::new()), first: 0 };
        }
        let whole = frames.ceil() as i64;
        let mut sums: Vec<f64> = Vec::with_capacity(3 * whole as usize + 1);
        sums.push(0.0);
        for frame in -whole..2 * whole {
            sums.push(sums[sums.len() - 1] + part(&value, frame as f64, frame as f64 + 1.0));
        }
        let zero = sums[whole as usize];
        sums.iter_mut().for_each(|sum| *sum -= zero);
        Self { value, exact, sums: Arc::new(sums), first: -whole }
    }

    /// Its value where that stays the same.
    pub fn steady(&self) -> Option<f64> {
        if let Driven::Fixed(value) = self.value { Some(value) } else { None }
    }

    /// Its value at a frame.
    pub fn at(&self, frame: f64) -> f64 {
        self.value.at(frame, Thing { index: 0, count: 1 })
    }

    /// Frames from `from` to `to` at which it is known to bend or jump.
    pub fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.value.bends(from, to)
    }

    /// The integral from frame 0 over frames.
    pub fn until(&self, frame: f64) -> f64 {
        match &self.value {
            Driven::Fixed(value) => return value * frame,
            Driven::Signal(drive) if self.exact => {
                return drive.signal.integral(0.0, frame).unwrap_or_default();
            }
            Driven::Formula(_) | Driven::Signal(_) => {}
        }
        let last = self.first + self.sums.len() as i64 - 1;
        let known = (frame.floor() as i64).clamp(self.first, last);
        let mut sum = self.sums[(known - self.first) as usize];
        let (mut at, step) = (known as f64, if frame < known as f64 { -1.0 } else { 1.0 });
        while (frame - at).abs() > 1.0 {
            sum += part(&self.value, at, at + step);
            at += step;
        }
        sum + part(&self.value, at, frame)
    }
}

/// The integral over at most a frame; negative from right to left.
fn part(value: &Driven, from: f64, to: f64) -> f64 {
    if to == from {
        return 0.0;
    }
    if to < from {
        return -part(value, to, from);
    }
    let at = |x: f64| value.at(x, Thing { index: 0, count: 1 });
    let mut ends = vec![from, to];
    ends.extend(value.bends(from, to));
    ends.sort_by(f64::total_cmp);
    ends.dedup();
    ends.windows(2)
        .map(|pair| {
            // Just within, so that what jumps at an end counts as it is between.
            let inside = (pair[1] - pair[0]) * 1e-12;
            let mut ends = vec![pair[0]];
            ends.extend(jumps(&at, pair[0] + inside, pair[1] - inside));
            ends.push(pair[1]);
            ends.windows(2).map(|pair| smooth_part(&at, pair[0], pair[1])).sum::<f64>()
        })
        .sum()
}

fn smooth_part(at: &impl Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    let unit = |x: f64| at(from + (to - from) * x);
    let whole = gauss(unit, 0.0, 1.0);
    let halves = gauss(unit, 0.0, 0.5) + gauss(unit, 0.5, 1.0);
    let scale = unit(0.5).abs().max(whole.abs()).max(f64::MIN_POSITIVE);
    let sum = if (whole - halves).abs() <= 1e-13 * scale {
        halves
    } else {
        adaptive(&unit, scale, 1e-13, 4).iter().map(|leaf| leaf.integral).sum()
    };
    sum * (to - from)
}

/// Where a value jumps, in order from `from` to `to`: found where it changes much more between two looks than
/// beside them, and narrowed down to the last bit.
fn jumps(at: &impl Fn(f64) -> f64, from: f64, to: f64) -> Vec<f64> {
    const LOOKS: usize = 33;
    let place = |i: usize| from + (to - from) * i as f64 / (LOOKS - 1) as f64;
    let values: Vec<f64> = (0..LOOKS).map(|i| at(place(i))).collect();
    let change = |i: usize| (values[i + 1] - values[i]).abs();
    let mut found = Vec::new();
    for i in 0..LOOKS - 1 {
        let beside = [i.checked_sub(1), (i + 2 < LOOKS).then_some(i + 1)].into_iter().flatten().map(change);
        let most = beside.fold(0.0, f64::max);
        if change(i) <= 3.0 * most || change(i) == 0.0 {
            continue;
        }
        let (mut low, mut high) = ((place(i), values[i]), (place(i + 1), values[i + 1]));
        for _ in 0..60 {
            let middle = 0.5 * (low.0 + high.0);
            let there = (middle, at(middle));
            if (there.1 - low.1).abs() > (high.1 - there.1).abs() { high = there } else { low = there }
        }
        if (high.1 - low.1).abs() > 0.01 * change(i) {
            found.push(high.0);
        }
    }
    found
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::formula::Formula;
    use crate::signal::Clock;
    use proptest::prelude::*;

    fn driven(text: &str) -> Driven {
        Driven::formula(Formula::parse(text).unwrap(), Clock { fps: 24.0, frames: 48.0 }, -1e9, 1e9)
    }

    proptest! {
        #[test]
        fn integrals_are_those_of_the_closed_form(a in -3.0..3.0f64, b in -2.0..2.0f64, frame in -200.0..400.0f64) {
            let rate = Accumulated::new(driven(&format!("{a} + {b} * sin(tau * frame / 48.0)")));
            let turn = std::f64::consts::TAU / 48.0;
            let exact = a * frame + b * (1.0 - libm::cos(turn * frame)) / turn;
            prop_assert!((rate.until(frame) - exact).abs() < 1e-10 * (1.0 + exact.abs()));
        }

        #[test]
        fn a_kink_or_a_step_is_integrated_too(at in 1.0..40.0f64, frame in 0.0..48.0f64) {
            let step = Accumulated::new(driven(&format!("frame < {at:?} ? 1.0 : 3.0")));
            prop_assert!((step.until(frame) - (frame + 2.0 * (frame - at).max(0.0))).abs() < 1e-9);
            let kink = Accumulated::new(driven(&format!("abs(frame - {at:?})")));
            let exact = |x: f64| 0.5 * (x - at) * (x - at).abs() + 0.5 * at * at;
            prop_assert!((kink.until(frame) - exact(frame)).abs() < 1e-5);
        }
    }
}
