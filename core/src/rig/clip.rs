//! A clip: what joints do over some seconds, by keys.

use super::{Local, Rig};
use crate::pose::nearer;
use glam::{DQuat, DVec3};
use std::ops::{Add, Mul};

/// What is done between keys, as glTF 2.0 defines it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Steps {
    /// Each key holds until the next.
    Hold,
    /// Straight from key to key; turns evenly along the shorter arc.
    Straight,
    /// A cubic with the slopes of the keys: each key has its slope before, its value, its slope after, slopes by second.
    Cubic,
}

/// Values at times.
#[derive(Debug, Clone, PartialEq)]
pub struct Keyed<T> {
    /// Seconds, rising.
    times: Vec<f64>,
    values: Vec<T>,
    steps: Steps,
}

impl<T: Copy> Keyed<T> {
    /// As many values as times, three times as many of a cubic.
    ///
    /// # Errors
    /// A sentence, where there are none, or they do not fit, or times do not rise.
    pub fn new(times: Vec<f64>, values: Vec<T>, steps: Steps) -> Result<Self, String> {
        let each = if steps == Steps::Cubic { 3 } else { 1 };
        if times.is_empty() || values.len() != each * times.len() {
            return Err("a clip of it has other numbers of times and of values".to_owned());
        }
        let rise = times.windows(2).all(|pair| pair[0] < pair[1]);
        if !rise || !times.iter().all(|time| time.is_finite() && *time >= 0.0) {
            return Err("times of a clip of it do not rise".to_owned());
        }
        Ok(Self { times, values, steps })
    }

    /// Its last key, seconds.
    fn end(&self) -> f64 {
        self.times[self.times.len() - 1]
    }

    fn value(&self, key: usize) -> T {
        self.values[if self.steps == Steps::Cubic { 3 * key + 1 } else { key }]
    }

    /// The key at or before a time, and how far it is to the next, 0 to 1; before the first and after the last that one.
    fn between(&self, seconds: f64) -> (usize, f64) {
        let after = self.times.partition_point(|&time| time <= seconds);
        if after == 0 || after == self.times.len() {
            return (after.saturating_sub(1), 0.0);
        }
        let (from, to) = (self.times[after - 1], self.times[after]);
        (after - 1, (seconds - from) / (to - from))
    }
}

impl<T: Copy + Mul<f64, Output = T> + Add<Output = T>> Keyed<T> {
    /// By the rule for straight steps, and before it is made a turn again.
    fn at(&self, seconds: f64, straight: impl Fn(T, T, f64) -> T) -> T {
        let (key, part) = self.between(seconds);
        if part == 0.0 || self.steps == Steps::Hold {
            return self.value(key);
        }
        if self.steps == Steps::Straight {
            return straight(self.value(key), self.value(key + 1), part);
        }
        let span = self.times[key + 1] - self.times[key];
        let (p0, p1) = (self.value(key), self.value(key + 1));
        let (m0, m1) = (self.values[3 * key + 2] * span, self.values[3 * key + 3] * span);
        let (t, t2) = (part, part * part);
        let t3 = t2 * t;
        p0 * (2.0 * t3 - 3.0 * t2 + 1.0) + m0 * (t3 - 2.0 * t2 + t) + p1 * (3.0 * t2 - 2.0 * t3) + m1 * (t3 - t2)
    }
}

/// What a track moves, and how.
#[derive(Debug, Clone, PartialEq)]
pub enum Values {
    /// Metres.
    Translation(Keyed<DVec3>),
    /// Unit quaternions; slopes of cubic ones are any.
    Rotation(Keyed<DQuat>),
    /// Factors.
    Scale(Keyed<DVec3>),
}

/// What a clip does with one joint.
#[derive(Debug, Clone, PartialEq)]
pub struct Track {
    /// Which joint.
    pub joint: usize,
    /// What it does.
    pub values: Values,
}

/// What joints do over some seconds.
#[derive(Debug, Clone, PartialEq)]
pub struct Clip {
    /// As the file names it.
    pub name: String,
    tracks: Vec<Track>,
    seconds: f64,
}

impl Clip {
    /// As long as its longest track.
    pub fn new(name: &str, tracks: Vec<Track>) -> Self {
        let end = |track: &Track| match &track.values {
            Values::Translation(keyed) | Values::Scale(keyed) => keyed.end(),
            Values::Rotation(keyed) => keyed.end(),
        };
        let seconds = tracks.iter().map(end).fold(0.0, f64::max);
        Self { name: name.to_owned(), tracks, seconds }
    }

    /// How long it is.
    pub const fn seconds(&self) -> f64 {
        self.seconds
    }

    /// The highest number of a joint that it moves.
    pub fn last_joint(&self) -> Option<usize> {
        self.tracks.iter().map(|track| track.joint).max()
    }

    /// How joints lie in what they hang on after so many seconds; what it does not move stays at rest.
    pub fn locals(&self, rig: &Rig, seconds: f64) -> Vec<Local> {
        let mut locals = rig.rest();
        for Track { joint, values } in &self.tracks {
            let local = &mut locals[*joint];
            match values {
                Values::Translation(keyed) => local.translation = keyed.at(seconds, DVec3::lerp),
                Values::Scale(keyed) => local.scale = keyed.at(seconds, DVec3::lerp),
                Values::Rotation(keyed) => {
                    let turn = keyed.at(seconds, turned_towards);
                    local.rotation = if turn.length_squared() > 1e-24 { turn.normalize() } else { DQuat::IDENTITY };
                }
            }
        }
        locals
    }

    /// True where some of it holds from key to key.
    pub fn held(&self) -> bool {
        self.tracks.iter().any(|track| match &track.values {
            Values::Translation(keyed) | Values::Scale(keyed) => keyed.steps == Steps::Hold,
            Values::Rotation(keyed) => keyed.steps == Steps::Hold,
        })
    }

    /// Times of all keys, rising, each once.
    pub fn times(&self) -> Vec<f64> {
        let all = self.tracks.iter().flat_map(|track| match &track.values {
            Values::Translation(keyed) | Values::Scale(keyed) => &keyed.times,
            Values::Rotation(keyed) => &keyed.times,
        });
        let mut times: Vec<f64> = all.copied().collect();
        times.sort_by(f64::total_cmp);
        times.dedup();
        times
    }
}

/// Evenly along the shorter arc (Shoemake 1985).
pub fn turned_towards(from: DQuat, to: DQuat, part: f64) -> DQuat {
    let to = nearer(to, from);
    let cosine = from.dot(to).min(1.0);
    // Of turns that lie near each other the arc is as good as straight.
    if cosine > 1.0 - 1e-10 {
        return from.lerp(to, part);
    }
    let angle = libm::acos(cosine);
    let (before, after) = (libm::sin((1.0 - part) * angle), libm::sin(part * angle));
    (from * before + to * after).normalize()
}
