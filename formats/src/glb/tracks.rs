//! Keys as channels of an animation.

use super::{GlbError, Writer};
use gltf_json as json;
use json::Index;
use json::validation::Checked::Valid;
use std::io::Write;
use zickzack_core::keys::{Channel, Interpolation, Key};

/// The scale, 0 while the thing is not there.
pub(super) fn while_there(scale: &Channel<3>, presence: &[(f64, bool)]) -> Channel<3> {
    const NONE: [f64; 3] = [0.0; 3];
    if presence.iter().all(|(_, there)| *there) {
        return scale.clone();
    }
    let mut keys = Vec::new();
    for (i, &(from, there)) in presence.iter().enumerate() {
        let to = presence.get(i + 1).map_or(f64::INFINITY, |next| next.0);
        if !there {
            let gone = |frame| Key { frame, value: NONE, slope_in: NONE, slope_out: NONE };
            keys.push(gone(from));
            keys.extend(to.is_finite().then(|| gone(to)));
            continue;
        }
        // A cubic that is cut in two stays the same cubic.
        let cut = |frame: f64, before: bool| {
            let (value, slope) = scale.at(if before { frame.next_down() } else { frame });
            Key { frame, value, slope_in: slope, slope_out: slope }
        };
        keys.push(cut(from, false));
        keys.extend(scale.keys.iter().filter(|key| key.frame > from && key.frame < to));
        keys.extend(to.is_finite().then(|| cut(to, true)));
    }
    if keys.iter().all(|key| key.value == NONE) {
        keys.truncate(1);
    }
    Channel { interpolation: scale.interpolation, keys }
}

/// With every value a unit quaternion, its slopes in proportion.
pub(super) fn unit(channel: &Channel<4>) -> Channel<4> {
    let keys = channel.keys.iter().map(|key| {
        let length = key.value.iter().map(|x| x * x).sum::<f64>().sqrt();
        let scaled = |values: [f64; 4]| values.map(|x| x / length);
        Key {
            frame: key.frame,
            value: scaled(key.value),
            slope_in: scaled(key.slope_in),
            slope_out: scaled(key.slope_out),
        }
    });
    Channel { interpolation: channel.interpolation, keys: keys.collect() }
}

/// Frames from a whole frame within which a jump is at it.
const ON_IT: f64 = 1e-9;

impl<S: Write> Writer<S> {
    pub(super) fn channel<const N: usize>(
        &mut self,
        node: Index<json::Node>,
        path: json::animation::Property,
        channel: &Channel<N>,
        start: f64,
    ) -> Result<(), GlbError> {
        if channel.is_still() {
            return Ok(());
        }
        let times = self.times(channel, start);
        let cubic = channel.interpolation == Interpolation::Cubic;
        let mut values: Vec<f32> = Vec::new();
        for key in &channel.keys {
            let per_second = |slope: [f64; N]| slope.map(|x| (x * self.fps) as f32);
            if cubic {
                values.extend(per_second(key.slope_in));
            }
            values.extend(key.value.map(|x| x as f32));
            if cubic {
                values.extend(per_second(key.slope_out));
            }
        }
        let kind = if N == 4 { json::accessor::Type::Vec4 } else { json::accessor::Type::Vec3 };
        let known = self.times.as_ref().filter(|(known, _)| *known == times).map(|(_, list)| *list);
        let input = match known {
            Some(list) => list,
            None => self.floats(&times, (1, json::accessor::Type::Scalar), true, None)?,
        };
        self.times = Some((times, input));
        let output = self.floats(&values, (N, kind), false, None)?;
        let interpolation =
            if cubic { json::animation::Interpolation::CubicSpline } else { json::animation::Interpolation::Linear };
        self.animate((node, path), (input, output), interpolation);
        Ok(())
    }

    /// Has something of a node go through numbers at times.
    pub(super) fn animate(
        &mut self,
        (node, path): (Index<json::Node>, json::animation::Property),
        (input, output): (Index<json::Accessor>, Index<json::Accessor>),
        interpolation: json::animation::Interpolation,
    ) {
        let sampler = Index::new(self.samplers.len() as u32);
        self.samplers.push(json::animation::Sampler {
            input,
            output,
            interpolation: Valid(interpolation),
            extensions: None,
            extras: Default::default(),
        });
        self.channels.push(json::animation::Channel {
            sampler,
            target: json::animation::Target { node, path: Valid(path), extensions: None, extras: Default::default() },
            extensions: None,
            extras: Default::default(),
        });
    }

    /// Seconds, strictly growing in single precision. Of two keys at a jump on a whole frame the later lies at it or before
    /// it, so that who reads at the time of that frame, in whatever precision, is after the jump; those of a jump that comes
    /// after a whole frame lie after it.
    fn times<const N: usize>(&self, channel: &Channel<N>, start: f64) -> Vec<f32> {
        let exact = |i: usize| (channel.keys[i].frame - start) / self.fps;
        let mut times: Vec<f32> = (0..channel.keys.len()).map(|i| exact(i) as f32).collect();
        for i in (1..times.len()).rev() {
            let jumps = channel.keys[i - 1].frame == channel.keys[i].frame;
            let whole = (channel.keys[i].frame - start).round();
            if jumps && (channel.keys[i].frame - start - whole).abs() <= ON_IT {
                while f64::from(times[i]) > whole / self.fps {
                    times[i] = times[i].next_down();
                }
            } else if jumps && channel.keys[i].frame - start > whole {
                while f64::from(times[i]) <= whole / self.fps {
                    times[i] = times[i].next_up();
                }
            }
            if times[i - 1] >= times[i] {
                times[i - 1] = times[i].next_down();
            }
        }
        // Only at the very start could a step back fall below zero.
        for i in 0..times.len() {
            let least = if i == 0 { 0.0 } else { times[i - 1].next_up() };
            times[i] = times[i].max(least);
        }
        times
    }
}
