use super::{Repeat, RepeatWay, Signal};
use std::sync::Arc;

/// How the handles of a key stand.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Handles {
    /// On one line through the key.
    Joined,
    /// Each for itself.
    Split,
    /// Level.
    Flat,
    /// Towards the keys beside it.
    Straight,
    /// The value holds until the next key.
    Held,
}

/// A value at a frame.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Key {
    /// Real-valued frame.
    pub frame: f64,
    /// The value there.
    pub value: f64,
    /// How its handles stand.
    pub handles: Handles,
    /// The handle before it, as (frames, value) from the key, frames at most 0; or as it comes.
    pub before: Option<(f64, f64)>,
    /// The handle after it, frames at least 0; or as it comes.
    pub after: Option<(f64, f64)>,
}

impl Key {
    /// With handles that come by themselves.
    pub const fn new(frame: f64, value: f64) -> Self {
        Self { frame, value, handles: Handles::Joined, before: None, after: None }
    }
}

/// What keys do before the first and after the last.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Beyond {
    /// They come again with every loop of so many frames, from where the loop before it ended.
    Loop(f64),
    /// The value holds.
    Holds,
    /// It goes on straight.
    RunsOn,
    /// From first to last again and again.
    Repeats,
    /// The same, each time from where the one before it ended.
    Climbs,
    /// From first to last and back.
    TurnsBack,
}

/// Cubics between keys: two Béziers, one of frames and one of values, over the same parameter.
#[derive(Debug, Clone, PartialEq)]
pub struct Keys {
    /// In order of frames; at least one.
    pieces: Vec<Piece>,
    first: f64,
    last: f64,
    /// Slope before the first key and after the last, 0 where the value holds.
    slopes: (f64, f64),
}

#[derive(Debug, Clone, PartialEq)]
struct Piece {
    /// Frames of the four control points; that of the first is where it begins.
    frames: [f64; 4],
    values: [f64; 4],
    /// The control points of the frames are evenly apart: the parameter is the part of the way.
    even: bool,
    /// The integral over all of it.
    whole: f64,
}

/// Of a third of the way to the next key, unless it says otherwise.
const USUAL: f64 = 1.0 / 3.0;

impl Keys {
    /// `keys` in any order; of several at one frame the last in the list is the value there, and the first the one
    /// that is reached: it jumps. At least one.
    pub fn new(keys: &[Key], beyond_runs_on: bool) -> Self {
        let mut keys = keys.to_vec();
        keys.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        let pieces: Vec<Piece> = (0..keys.len().saturating_sub(1))
            .filter(|&i| keys[i + 1].frame > keys[i].frame)
            .map(|i| Piece::between(&keys, i))
            .collect();
        let (first, last) = keys.first().zip(keys.last()).map_or((0.0, 0.0), |(a, b)| (a.value, b.value));
        let slopes = match (pieces.first(), pieces.last()) {
            (Some(a), Some(b)) if beyond_runs_on => (a.slope(0.0), b.slope(1.0)),
            _ => (0.0, 0.0),
        };
        let pieces = if pieces.is_empty() {
            vec![Piece::held(keys.first().map_or(0.0, |key| key.frame), 0.0, last)]
        } else {
            pieces
        };
        Self { pieces, first, last, slopes }
    }

    /// Frames of the first and the last key.
    pub fn ends(&self) -> (f64, f64) {
        (self.pieces[0].frames[0], self.pieces[self.pieces.len() - 1].frames[3])
    }

    /// From the first key to a frame.
    fn until(&self, frame: f64) -> f64 {
        let (from, to) = self.ends();
        if frame <= from {
            let along = frame - from;
            return along * (self.first + 0.5 * self.slopes.0 * along);
        }
        let mut sum = 0.0;
        for piece in &self.pieces {
            if frame < piece.frames[3] {
                return sum + piece.until(piece.part(frame));
            }
            sum += piece.whole;
        }
        let along = frame - to;
        sum + along * (self.last + 0.5 * self.slopes.1 * along)
    }

    fn piece(&self, frame: f64) -> Option<&Piece> {
        let next = self.pieces.partition_point(|piece| piece.frames[3] <= frame);
        self.pieces.get(next).filter(|piece| frame >= piece.frames[0])
    }
}

impl Piece {
    const fn held(from: f64, length: f64, value: f64) -> Self {
        let to = from + length;
        let frames = [from, from + length * USUAL, to - length * USUAL, to];
        Self { frames, values: [value; 4], even: true, whole: value * length }
    }

    fn between(keys: &[Key], i: usize) -> Self {
        let (a, b) = (&keys[i], &keys[i + 1]);
        let gap = b.frame - a.frame;
        if a.handles == Handles::Held {
            return Self::held(a.frame, gap, a.value);
        }
        let (after, before) = (handle(keys, i, true), handle(keys, i + 1, false));
        let frames = [a.frame, a.frame + after.0, b.frame + before.0, b.frame];
        let values = [a.value, a.value + after.1, b.value + before.1, b.value];
        let even = (after.0 - gap * USUAL).abs() <= 1e-12 * gap && (before.0 + gap * USUAL).abs() <= 1e-12 * gap;
        let mut piece = Self { frames, values, even, whole: 0.0 };
        piece.whole = piece.until(1.0);
        piece
    }

    /// The parameter at a frame within it.
    fn part(&self, frame: f64) -> f64 {
        let gap = self.frames[3] - self.frames[0];
        let wanted = frame - self.frames[0];
        if wanted <= 0.0 || wanted >= gap {
            return if wanted <= 0.0 && gap > 0.0 { 0.0 } else { 1.0 };
        }
        if self.even {
            return (wanted / gap).clamp(0.0, 1.0);
        }
        // The frames grow from end to end, so Newton's steps are kept between what is too early and too late.
        let c = power(&self.frames);
        let (mut low, mut high, mut t) = (0.0_f64, 1.0_f64, (wanted / gap).clamp(0.0, 1.0));
        for _ in 0..80 {
            let off = t * (c[1] + t * (c[2] + t * c[3])) - wanted;
            if off > 0.0 {
                high = t
            } else {
                low = t
            }
            let slope = c[1] + t * (2.0 * c[2] + t * 3.0 * c[3]);
            let next = t - off / slope;
            let next = if next > low && next < high { next } else { 0.5 * (low + high) };
            if (next - t).abs() <= 1e-16 * next.abs().max(1e-3) || next == t {
                return next;
            }
            t = next;
        }
        t
    }

    fn value(&self, t: f64) -> f64 {
        let c = power(&self.values);
        c[0] + t * (c[1] + t * (c[2] + t * c[3]))
    }

    /// Value by frame.
    fn slope(&self, t: f64) -> f64 {
        let rise = |c: [f64; 4]| c[1] + t * (2.0 * c[2] + t * 3.0 * c[3]);
        let (frames, values) = (rise(power(&self.frames)), rise(power(&self.values)));
        if frames > 0.0 {
            return values / frames;
        }
        // A handle without length: the slope is that of the next point that is elsewhere.
        let near = if t < 0.5 { [(0, 2), (0, 3)] } else { [(1, 3), (0, 3)] };
        let found = near.iter().find(|(a, b)| self.frames[*b] > self.frames[*a]);
        found.map_or(0.0, |(a, b)| (self.values[*b] - self.values[*a]) / (self.frames[*b] - self.frames[*a]))
    }

    /// ∫ value d(frame) from the beginning, a polynomial of degree 6 in the parameter.
    fn until(&self, t: f64) -> f64 {
        let (x, y) = (power(&self.frames), power(&self.values));
        let pace = [x[1], 2.0 * x[2], 3.0 * x[3]];
        let mut product = [0.0; 6];
        for (i, a) in y.iter().enumerate() {
            for (j, b) in pace.iter().enumerate() {
                product[i + j] += a * b;
            }
        }
        let sum = |sum: f64, (power, c): (usize, &f64)| sum * t + c / (power as f64 + 1.0);
        product.iter().enumerate().rev().fold(0.0, sum) * t
    }
}

/// A Bézier's coefficients of 1, t, t², t³; the first is left as it is, so that frames count from it.
fn power(p: &[f64; 4]) -> [f64; 4] {
    let (a, b, c) = (p[1] - p[0], p[2] - p[0], p[3] - p[0]);
    [p[0], 3.0 * a, 3.0 * b - 6.0 * a, c - 3.0 * b + 3.0 * a]
}

/// The handle of a key on the side of the next key or of the one before it, as (frames, value) from it.
fn handle(keys: &[Key], i: usize, after: bool) -> (f64, f64) {
    let key = &keys[i];
    let other = if after { &keys[i + 1] } else { &keys[i - 1] };
    let (gap, rise) = (other.frame - key.frame, other.value - key.value);
    let given = if after { key.after } else { key.before };
    // Not back in time, and not beyond the other key.
    let frames = given
        .map_or(gap * USUAL, |(frames, _)| if gap > 0.0 { frames.clamp(0.0, gap) } else { frames.clamp(gap, 0.0) });
    let level = |slope: f64| (frames, frames * slope);
    match (key.handles, given) {
        (Handles::Flat, _) => level(0.0),
        (Handles::Split | Handles::Held, Some((own, value))) => {
            // A handle that is made shorter keeps its direction.
            if own == 0.0 || own.signum() != gap.signum() {
                (0.0, if own == 0.0 { value } else { 0.0 })
            } else {
                (frames, value * frames / own)
            }
        }
        (Handles::Joined, _) => level(joined_slope(keys, i)),
        (Handles::Straight | Handles::Split | Handles::Held, _) => level(rise / gap),
    }
}

/// The slope of joined handles: that of the longer one that was given, or one that never overshoots.
fn joined_slope(keys: &[Key], i: usize) -> f64 {
    let key = &keys[i];
    let given = [key.after, key.before].into_iter().flatten().filter(|(frames, _)| *frames != 0.0);
    let given = given.reduce(|a, b| if b.0.abs() > a.0.abs() { b } else { a });
    if let Some((frames, value)) = given {
        return value / frames;
    }
    let towards = |j: usize| (keys[j].value - key.value) / (keys[j].frame - key.frame);
    let before = i.checked_sub(1).filter(|&j| keys[j].frame < key.frame).map(towards);
    let after = (i + 1 < keys.len() && keys[i + 1].frame > key.frame).then(|| towards(i + 1));
    match (before, after) {
        (Some(a), Some(b)) if a * b > 0.0 => {
            // Fritsch and Butland 1984: the harmonic mean, weighted by the stretches, keeps what rises rising.
            let (before, after) = (key.frame - keys[i - 1].frame, keys[i + 1].frame - key.frame);
            let (wa, wb) = (2.0 * after + before, after + 2.0 * before);
            (wa + wb) / (wa / a + wb / b)
        }
        (Some(_), Some(_)) => 0.0,
        // Two keys make an even pace.
        (Some(slope), None) | (None, Some(slope)) => slope,
        (None, None) => 0.0,
    }
}

impl Signal for Keys {
    fn at(&self, frame: f64) -> f64 {
        let (from, to) = self.ends();
        match self.piece(frame) {
            Some(piece) => piece.value(piece.part(frame)),
            None if frame < from => self.first + self.slopes.0 * (frame - from),
            None => self.last + self.slopes.1 * (frame - to),
        }
    }

    fn integral(&self, a: f64, b: f64) -> Option<f64> {
        Some(self.until(b) - self.until(a))
    }

    fn slope(&self, frame: f64) -> f64 {
        match self.piece(frame) {
            Some(piece) => piece.slope(piece.part(frame)),
            None if frame < self.ends().0 => self.slopes.0,
            None => self.slopes.1,
        }
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        let (_, end) = self.ends();
        let frames = self.pieces.iter().map(|piece| piece.frames[0]).chain([end]);
        super::ordered(frames.filter(|frame| *frame >= from && *frame <= to).collect())
    }
}

/// Keys with what they do beyond their ends. Without any it is 0 at all times.
pub fn keyed(keys: &[Key], beyond: Beyond) -> Arc<dyn Signal> {
    let inner = Keys::new(keys, beyond == Beyond::RunsOn);
    let (from, to) = inner.ends();
    let repeated = |from: f64, length: f64, way: RepeatWay, inner: Keys| -> Arc<dyn Signal> {
        Arc::new(Repeat { inner: Arc::new(inner), from, length, before: f64::INFINITY, after: f64::INFINITY, way })
    };
    match beyond {
        Beyond::Holds | Beyond::RunsOn => Arc::new(inner),
        Beyond::Loop(frames) => repeated(0.0, frames, RepeatWay::Climbing, inner),
        // One frame alone has nothing to repeat.
        _ if to <= from => Arc::new(inner),
        Beyond::Repeats => repeated(from, to - from, RepeatWay::Again, inner),
        Beyond::Climbs => repeated(from, to - from, RepeatWay::Climbing, inner),
        Beyond::TurnsBack => repeated(from, to - from, RepeatWay::ThereAndBack, inner),
    }
}
