//! Keys as binary glTF 2.0: a node per thing and one animation.

use gltf_json as json;
use json::validation::{Checked::Valid, USize64};
use json::{Index, Root};
use zickzack_core::keys::{Channel, Interpolation, Key, Keys, merge};
use zickzack_core::nodes::ModelPlace;

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum GlbError {
    #[error("the file would be larger than 4 GB: hand off fewer things or frames")]
    TooLarge,
    #[error("the file cannot be written: {0}")]
    Json(#[from] serde_json::Error),
}

/// The keys of one output.
pub struct Part<'a> {
    /// Name of the output.
    pub name: &'a str,
    /// Its keys.
    pub keys: &'a Keys,
    /// How a model of one's own lies in its things.
    pub model: Option<ModelPlace>,
}

/// The bytes of a GLB file. Time 0 is the start of each part's range; cubic keys are written as cubic
/// splines, straight ones as linear; where a value jumps there are two keys, a single-precision step
/// apart. While a thing is not there its scale is 0, by which glTF 2.0 makes nodes invisible. Below a thing with a model
/// stands a node for that, turned and scaled as it lies in the thing.
///
/// # Errors
/// [`GlbError::TooLarge`] for more than the format holds; what writing the header says.
pub fn write(parts: &[Part<'_>], scene: &str, fps: f64) -> Result<Vec<u8>, GlbError> {
    let mut file = File::new(fps);
    for part in parts {
        for (object, keys) in part.keys.objects.iter().enumerate() {
            let position = merge(&keys.position);
            let scale = while_there(&keys.scale, &keys.presence);
            let rest = (position.keys[0].value, keys.orientation.keys[0].value, scale.keys[0].value);
            let name = format!("{} {}", part.name, object + 1);
            let model = part.model.map(|place| {
                let rest = (place.at.to_array(), place.turn.to_array(), [place.scale; 3]);
                file.node(&format!("{name} model"), rest, None)
            });
            let node = file.node(&name, rest, model);
            file.roots.push(node);
            let start = part.keys.range.from;
            file.channel(node, json::animation::Property::Translation, &position, start);
            file.channel(node, json::animation::Property::Rotation, &unit(&keys.orientation), start);
            file.channel(node, json::animation::Property::Scale, &scale, start);
        }
    }
    file.finish(scene)
}

/// The scale, 0 while the thing is not there.
fn while_there(scale: &Channel<3>, presence: &[(f64, bool)]) -> Channel<3> {
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
fn unit(channel: &Channel<4>) -> Channel<4> {
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

struct File {
    root: Root,
    bytes: Vec<u8>,
    channels: Vec<json::animation::Channel>,
    samplers: Vec<json::animation::Sampler>,
    /// Nodes that stand below no other.
    roots: Vec<Index<json::Node>>,
    fps: f64,
}

impl File {
    fn new(fps: f64) -> Self {
        Self {
            root: Root::default(),
            bytes: Vec::new(),
            channels: Vec::new(),
            samplers: Vec::new(),
            roots: Vec::new(),
            fps,
        }
    }

    fn node(
        &mut self,
        name: &str,
        (t, r, s): ([f64; 3], [f64; 4], [f64; 3]),
        below: Option<Index<json::Node>>,
    ) -> Index<json::Node> {
        let length = r.iter().map(|x| x * x).sum::<f64>().sqrt();
        self.root.push(json::Node {
            name: Some(name.to_owned()),
            translation: Some(t.map(|x| x as f32)),
            rotation: Some(json::scene::UnitQuaternion(r.map(|x| (x / length) as f32))),
            scale: Some(s.map(|x| x as f32)),
            children: below.map(|node| vec![node]),
            ..json::Node::default()
        })
    }

    fn channel<const N: usize>(
        &mut self,
        node: Index<json::Node>,
        path: json::animation::Property,
        channel: &Channel<N>,
        start: f64,
    ) {
        if channel.is_still() {
            return;
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
        let input = self.accessor(&times, 1, json::accessor::Type::Scalar, true);
        let output = self.accessor(&values, N, kind, false);
        let interpolation =
            if cubic { json::animation::Interpolation::CubicSpline } else { json::animation::Interpolation::Linear };
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

    fn accessor(
        &mut self,
        numbers: &[f32],
        width: usize,
        kind: json::accessor::Type,
        bounded: bool,
    ) -> Index<json::Accessor> {
        let offset = self.bytes.len();
        self.bytes.extend(numbers.iter().flat_map(|x| x.to_le_bytes()));
        let view = self.root.push(json::buffer::View {
            buffer: Index::new(0),
            byte_length: USize64::from(self.bytes.len() - offset),
            byte_offset: Some(USize64::from(offset)),
            byte_stride: None,
            target: None,
            name: None,
            extensions: None,
            extras: Default::default(),
        });
        let bound = |pick: fn(f32, f32) -> f32| {
            bounded.then(|| serde_json::json!([numbers.iter().copied().reduce(pick).unwrap_or_default()]))
        };
        self.root.push(json::Accessor {
            buffer_view: Some(view),
            byte_offset: None,
            count: USize64::from(numbers.len() / width),
            component_type: Valid(json::accessor::GenericComponentType(json::accessor::ComponentType::F32)),
            type_: Valid(kind),
            min: bound(f32::min),
            max: bound(f32::max),
            name: None,
            normalized: false,
            sparse: None,
            extensions: None,
            extras: Default::default(),
        })
    }

    fn finish(mut self, scene: &str) -> Result<Vec<u8>, GlbError> {
        let nodes = std::mem::take(&mut self.roots);
        let scene = self.root.push(json::Scene {
            name: Some(scene.to_owned()),
            nodes,
            extensions: None,
            extras: Default::default(),
        });
        self.root.scene = Some(scene);
        self.root.asset.generator = Some("Zickzack".to_owned());
        if !self.channels.is_empty() {
            self.root.push(json::Animation {
                channels: self.channels,
                samplers: self.samplers,
                name: Some("motion".to_owned()),
                extensions: None,
                extras: Default::default(),
            });
        }
        if !self.bytes.is_empty() {
            self.root.push(json::Buffer {
                byte_length: USize64::from(self.bytes.len()),
                uri: None,
                name: None,
                extensions: None,
                extras: Default::default(),
            });
        }
        container(serde_json::to_vec(&self.root)?, self.bytes)
    }
}

/// The GLB container: a header, a JSON chunk padded with spaces, a binary chunk padded with zeros.
fn container(mut text: Vec<u8>, mut bytes: Vec<u8>) -> Result<Vec<u8>, GlbError> {
    text.resize(text.len().next_multiple_of(4), b' ');
    bytes.resize(bytes.len().next_multiple_of(4), 0);
    let binary = if bytes.is_empty() { 0 } else { 8 + bytes.len() };
    let total = u32::try_from(12 + 8 + text.len() + binary).map_err(|_| GlbError::TooLarge)?;
    let mut file = Vec::with_capacity(total as usize);
    file.extend(b"glTF");
    file.extend(2u32.to_le_bytes());
    file.extend(total.to_le_bytes());
    let mut chunk = |kind: &[u8; 4], data: &[u8]| {
        file.extend((data.len() as u32).to_le_bytes());
        file.extend(kind);
        file.extend(data);
    };
    chunk(b"JSON", &text);
    if !bytes.is_empty() {
        chunk(b"BIN\0", &bytes);
    }
    Ok(file)
}
