//! The same motion at other times.

use crate::curve::Path;
use crate::motion::{
    Break, BreakKind, Cancel, Columns, Contact, Extent, Frames, MOST_BREAKS, Motion, MotionError, Outside, Sample,
    as_inner, prepared, with_breaks,
};
use crate::pose::Axis;
use crate::roots::halved;
use crate::signal::{Driven, Thing};
use std::sync::Arc;

/// Which frame of the other motion is shown when.
#[derive(Debug, Clone, PartialEq)]
pub enum Timing {
    /// So many frames later.
    Delay(f64),
    /// So many times as fast, about frame 0; negative runs backwards.
    Speed(f64),
    /// From its end at `frames` back to its beginning.
    Reverse { frames: f64 },
    /// To its end at `frames` by the middle of the loop, and back.
    ThereAndBack { frames: f64 },
    /// Stands still from a frame on for so many frames, then goes on from there.
    Hold { from: f64, during: f64 },
    /// Only every so many frames something new is shown.
    Every(f64),
    /// The frame that a number over time says.
    Shown(Driven),
}

/// The first thing, by which a number over time is asked.
const FIRST: Thing = Thing { index: 0, count: 1 };
/// Part of the way there within which it is at the turn.
const AT_TURN: f64 = 1e-9;
/// Looks at a frame for where a number over time passes a value.
const LOOKS: f64 = 4.0;

impl Timing {
    /// The frame that is shown, and how fast it changes.
    pub fn at(&self, frame: f64) -> (f64, f64) {
        match *self {
            Self::Shown(ref shown) => (shown.at(frame, FIRST), shown.slope(frame, FIRST)),
            Self::Delay(delay) => (frame - delay, 1.0),
            Self::Speed(speed) => (frame * speed, speed),
            Self::Reverse { frames } => (frames - frame, -1.0),
            Self::ThereAndBack { frames } => {
                let part = frame / frames - (frame / frames).floor();
                if part < 0.5 { (2.0 * part * frames, 2.0) } else { (2.0 * (1.0 - part) * frames, -2.0) }
            }
            Self::Hold { from, during } => {
                if frame < from {
                    (frame, 1.0)
                } else if frame < from + during {
                    (from, 0.0)
                } else {
                    (frame - during, 1.0)
                }
            }
            Self::Every(step) => ((frame / step).floor() * step, 0.0),
        }
    }

    /// Frames at which it bends or jumps, in order.
    fn breaks(&self, range: Frames) -> Vec<Break> {
        let every = |first: f64, step: f64, kind| {
            let (low, high) = (((range.from - first) / step).ceil(), ((range.to - first) / step).floor());
            let count = if high >= low { ((high - low) as usize + 1).min(MOST_BREAKS) } else { 0 };
            (0..count).map(|i| Break { frame: first + (low + i as f64) * step, kind }).collect::<Vec<_>>()
        };
        match *self {
            Self::Shown(ref shown) => {
                let bends = shown.bends(range.from, range.to).into_iter();
                bends.map(|frame| Break { frame, kind: BreakKind::Corner }).collect()
            }
            Self::Delay(_) | Self::Speed(_) | Self::Reverse { .. } => Vec::new(),
            Self::ThereAndBack { frames } => every(0.0, 0.5 * frames, BreakKind::Corner),
            Self::Hold { from, during } => [from, from + during]
                .into_iter()
                .filter(|frame| range.holds(*frame))
                .map(|frame| Break { frame, kind: BreakKind::Corner })
                .collect(),
            Self::Every(step) => every(0.0, step, BreakKind::Jump),
        }
    }

    /// The frames that are shown within a range.
    fn shown(&self, range: Frames) -> Frames {
        let mut ends = vec![self.at(range.from).0, self.at(range.to).0];
        ends.extend(self.breaks(range).into_iter().map(|b| self.at(b.frame).0));
        if let Self::Shown(shown) = self {
            ends.extend(looks(range).map(|frame| shown.at(frame, FIRST)));
        }
        let low = ends.iter().copied().fold(f64::MAX, f64::min);
        let high = ends.iter().copied().fold(f64::MIN, f64::max);
        Frames { from: low, to: high }
    }
}

/// Frames within a range at which a number over time is looked at.
fn looks(range: Frames) -> impl Iterator<Item = f64> {
    let count = (((range.to - range.from) * LOOKS).ceil() as usize).clamp(1, MOST_BREAKS);
    (0..=count).map(move |i| range.from + (range.to - range.from) * i as f64 / count as f64)
}

/// A motion of which other frames are shown.
#[derive(Clone)]
pub struct Retimed {
    inner: Arc<dyn Motion>,
    timing: Timing,
}

impl Retimed {
    /// Numbers of frames and steps must be above 0.
    pub fn new(inner: Arc<dyn Motion>, timing: Timing) -> Self {
        Self { inner, timing }
    }

    /// Where it turns back nothing is shown of what comes after: how fast things are there is how fast they come.
    fn at_the_turn(&self, shown: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let (Timing::ThereAndBack { frames }, true) = (&self.timing, columns.touch(Columns::RATES)) else { return };
        let before = frames * (1.0 - AT_TURN);
        let rows: Vec<usize> = (0..shown.len()).filter(|&row| shown[row].1 > before).collect();
        if rows.is_empty() {
            return;
        }
        let at: Vec<(usize, f64)> = rows.iter().map(|&row| (shown[row].0, before)).collect();
        let mut coming = Sample::default();
        self.inner.sample_at(&at, columns.and(Columns::RATES), &mut coming);
        for (from, row) in rows.into_iter().enumerate() {
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity = coming.velocities[from];
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = coming.spins[from];
            }
            if let Some(travel) = out.travels.get_mut(row) {
                *travel = coming.travels[from];
            }
            if let Some(place) = out.places.get_mut(row) {
                (place.rate, place.direction) = (coming.places[from].rate, coming.places[from].direction);
            }
        }
    }

    /// Frames within a range at which a frame of the other motion is shown, on each of the stretches between bends.
    fn when(&self, shown: f64, range: Frames) -> Vec<f64> {
        match self.timing {
            Timing::Shown(ref driven) => {
                let off = |frame: f64| driven.at(frame, FIRST) - shown;
                let all: Vec<f64> = looks(range).collect();
                let passes = all.windows(2).filter(|pair| off(pair[0]) * off(pair[1]) <= 0.0 && off(pair[0]) != 0.0);
                passes
                    .map(|pair| {
                        let first = off(pair[0]);
                        halved((pair[0], pair[1]), 60, |frame| first * off(frame) > 0.0).1
                    })
                    .collect()
            }
            Timing::Delay(delay) => vec![shown + delay],
            Timing::Speed(0.0) | Timing::Every(_) => Vec::new(),
            Timing::Speed(speed) => vec![shown / speed],
            Timing::Reverse { frames } => vec![frames - shown],
            Timing::Hold { from, during } => vec![if shown <= from { shown } else { shown + during }],
            Timing::ThereAndBack { frames } => {
                let half = 0.5 * shown;
                let (first, last) = ((range.from / frames).floor() as i64, (range.to / frames).ceil() as i64);
                let laps = first..=last.min(first + MOST_BREAKS as i64);
                laps.flat_map(|lap| [lap as f64 * frames + half, (lap + 1) as f64 * frames - half]).collect()
            }
        }
    }
}

impl Retimed {
    /// A contact as it is at a frame: as much faster as time goes there; where that runs back, what came goes.
    fn in_time(&self, contact: &Contact, frame: f64) -> Contact {
        let (_, rate) = self.timing.at(frame);
        let (speed_in, speed_out) =
            if rate < 0.0 { (contact.speed_out, contact.speed_in) } else { (contact.speed_in, contact.speed_out) };
        let rate = rate.abs();
        let (impulse, speed_in, speed_out) = (contact.impulse * rate, speed_in * rate, speed_out * rate);
        Contact { frame, impulse, speed_in, speed_out, ..contact.clone() }
    }
}

impl Motion for Retimed {
    as_inner!(len, path, facing, looks);

    fn extent(&self) -> Extent {
        let inner = self.inner.extent();
        match self.timing {
            Timing::Delay(delay) => Extent { from: inner.from + delay, to: inner.to + delay, ..inner },
            Timing::ThereAndBack { frames } => Extent { from: 0.0, to: frames, outside: Outside::Periodic },
            _ => inner,
        }
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let inner = prepared(&self.inner, self.timing.shown(range).widened(1.0), cancel)?;
        Ok(Some(Arc::new(Self { inner, ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let times: Vec<(f64, f64)> = at.iter().map(|&(_, frame)| self.timing.at(frame)).collect();
        let shown: Vec<(usize, f64)> =
            at.iter().zip(&times).map(|(&(object, _), &(frame, _))| (object, frame)).collect();
        self.inner.sample_at(&shown, columns, out);
        self.at_the_turn(&shown, columns, out);
        for (row, &(_, rate)) in times.iter().enumerate() {
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity *= rate;
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin *= rate;
            }
            if let Some(place) = out.places.get_mut(row) {
                place.rate *= rate;
            }
            if rate < 0.0 {
                // What goes back travels the other way.
                if let Some(travel) = out.travels.get_mut(row) {
                    *travel = -*travel;
                }
                if let Some(place) = out.places.get_mut(row) {
                    place.direction = -place.direction;
                }
            }
        }
    }

    fn varies(&self) -> Columns {
        self.inner.varies()
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let mut breaks = self.timing.breaks(range);
        for found in self.inner.breaks(object, self.timing.shown(range))? {
            let frames = self.when(found.frame, range).into_iter().filter(|frame| range.holds(*frame));
            breaks.extend(frames.map(|frame| Break { frame, ..found }));
        }
        Ok(with_breaks(breaks, []))
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let mut contacts = Vec::new();
        for contact in self.inner.contacts(self.timing.shown(range)) {
            let frames = self.when(contact.frame, range).into_iter().filter(|frame| range.holds(*frame));
            contacts.extend(frames.map(|frame| self.in_time(&contact, frame)));
        }
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }
}
