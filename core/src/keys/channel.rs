//! Keys of one channel.

/// A value at a frame with its slopes on both sides.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Key<const N: usize> {
    /// Real-valued frame. Two keys may share one: the value jumps there.
    pub frame: f64,
    /// The value.
    pub value: [f64; N],
    /// Slope before the key, per frame.
    pub slope_in: [f64; N],
    /// Slope after the key, per frame.
    pub slope_out: [f64; N],
}

/// How values between keys are found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Interpolation {
    /// Straight.
    Linear,
    /// Cubic Hermite.
    Cubic,
}

/// Keys of N numbers that belong together, in order of frames.
#[derive(Debug, Clone, PartialEq)]
pub struct Channel<const N: usize> {
    /// How values between keys are found.
    pub interpolation: Interpolation,
    /// At least one.
    pub keys: Vec<Key<N>>,
}

/// The cubic Hermite value at x in [0, 1] between two values with slopes already times the length.
pub fn hermite(from: f64, out: f64, to: f64, into: f64, x: f64) -> f64 {
    let rise = to - from;
    from + x * (out + x * (3.0 * rise - 2.0 * out - into + x * (out + into - 2.0 * rise)))
}

fn hermite_slope(from: f64, out: f64, to: f64, into: f64, x: f64) -> f64 {
    let rise = to - from;
    out + x * (2.0 * (3.0 * rise - 2.0 * out - into) + x * 3.0 * (out + into - 2.0 * rise))
}

impl<const N: usize> Channel<N> {
    /// The value and slope at a frame; where the value jumps, those after it. Held outside the keys.
    pub fn at(&self, frame: f64) -> ([f64; N], [f64; N]) {
        let after = self.keys.partition_point(|key| key.frame <= frame);
        let Some(before) = after.checked_sub(1) else {
            return (self.keys[0].value, [0.0; N]);
        };
        match self.keys.get(after) {
            Some(next) => self.between(&self.keys[before], next, frame),
            None => (self.keys[before].value, [0.0; N]),
        }
    }

    fn between(&self, a: &Key<N>, b: &Key<N>, frame: f64) -> ([f64; N], [f64; N]) {
        let length = b.frame - a.frame;
        let x = (frame - a.frame) / length;
        let (mut value, mut slope) = ([0.0; N], [0.0; N]);
        for i in 0..N {
            let (out, into) = match self.interpolation {
                Interpolation::Cubic => (a.slope_out[i] * length, b.slope_in[i] * length),
                Interpolation::Linear => (b.value[i] - a.value[i], b.value[i] - a.value[i]),
            };
            value[i] = hermite(a.value[i], out, b.value[i], into, x);
            slope[i] = hermite_slope(a.value[i], out, b.value[i], into, x) / length;
        }
        (value, slope)
    }

    /// True when it never changes.
    pub fn is_still(&self) -> bool {
        self.keys.len() == 1
    }
}

/// Three channels as one of three numbers, without changing any: each gets the others' frames by
/// exact knot insertion (a cubic cut in two stays the same cubic).
pub fn merge(channels: &[Channel<1>; 3]) -> Channel<3> {
    let mut frames: Vec<(f64, bool)> = Vec::new();
    for channel in channels {
        for (index, key) in channel.keys.iter().enumerate() {
            let jumps = index > 0 && channel.keys[index - 1].frame == key.frame;
            frames.push((key.frame, jumps));
        }
    }
    frames.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
    frames.dedup();
    let keys = frames
        .iter()
        .map(|&(frame, second)| {
            let jumps = second || frames.contains(&(frame, true));
            let mut key = Key { frame, value: [0.0; 3], slope_in: [0.0; 3], slope_out: [0.0; 3] };
            for (i, channel) in channels.iter().enumerate() {
                let own = inserted(channel, frame, jumps.then_some(second));
                key.value[i] = own.value[0];
                key.slope_in[i] = own.slope_in[0];
                key.slope_out[i] = own.slope_out[0];
            }
            key
        })
        .collect();
    Channel { interpolation: channels[0].interpolation, keys }
}

/// The channel's key at a frame, made where there is none; at a jump, the first or the second.
fn inserted(channel: &Channel<1>, frame: f64, which: Option<bool>) -> Key<1> {
    let known: Vec<&Key<1>> = channel.keys.iter().filter(|key| key.frame == frame).collect();
    match (known.first(), known.last(), which) {
        (_, Some(last), Some(true)) => **last,
        (Some(first), _, _) => **first,
        _ => {
            let (value, slope) = channel.at(frame);
            Key { frame, value, slope_in: slope, slope_out: slope }
        }
    }
}
