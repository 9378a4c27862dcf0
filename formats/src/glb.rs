//! Keys as binary glTF 2.0: a node per thing and one animation.

use gltf_json as json;
use json::validation::{Checked::Valid, USize64};
use json::{Index, Root};
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use zickzack_core::keys::{Channel, Interpolation, Key, ObjectKeys, merge};
use zickzack_core::nodes::ModelPlace;

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum GlbError {
    #[error("the file would be larger than 4 GB: hand off fewer things or frames")]
    TooLarge,
    #[error("the file cannot be written: {0}")]
    Json(#[from] serde_json::Error),
    #[error("the file cannot be written: {0}")]
    Io(#[from] io::Error),
}

/// A GLB file that is written thing by thing. Time 0 is where keys start; cubic keys are written as cubic
/// splines, straight ones as linear; where a value jumps there are two keys, a single-precision step
/// apart. While a thing is not there its scale is 0, by which glTF 2.0 makes nodes invisible. Below a thing with a model
/// stands a node for that, turned and scaled as it lies in the thing.
pub struct Writer<S: Write> {
    root: Root,
    channels: Vec<json::animation::Channel>,
    samplers: Vec<json::animation::Sampler>,
    /// Nodes that stand below no other.
    roots: Vec<Index<json::Node>>,
    fps: f64,
    /// The numbers, which come behind the header that says where they are.
    numbers: BufWriter<S>,
    /// Bytes of them.
    bytes: u64,
}

impl<S: Read + Write + Seek> Writer<S> {
    /// Nothing yet. Numbers are put down in `aside`, from where it stands on, until all is known that comes before them.
    pub fn new(fps: f64, aside: S) -> Self {
        Self {
            root: Root::default(),
            channels: Vec::new(),
            samplers: Vec::new(),
            roots: Vec::new(),
            fps,
            numbers: BufWriter::with_capacity(1 << 16, aside),
            bytes: 0,
        }
    }

    /// Adds a thing by its name, with keys that start at a frame, and how a model of its own lies in it.
    ///
    /// # Errors
    /// [`GlbError::TooLarge`] for more than the format holds; where the numbers cannot be put down.
    pub fn thing(
        &mut self,
        name: &str,
        keys: &ObjectKeys,
        start: f64,
        model: Option<ModelPlace>,
    ) -> Result<(), GlbError> {
        let position = merge(&keys.position);
        let scale = while_there(&keys.scale, &keys.presence);
        let rest = (position.keys[0].value, keys.orientation.keys[0].value, scale.keys[0].value);
        let model = model.map(|place| {
            let rest = (place.at.to_array(), place.turn.to_array(), [place.scale; 3]);
            self.node(&format!("{name} model"), rest, None)
        });
        let node = self.node(name, rest, model);
        self.roots.push(node);
        self.channel(node, json::animation::Property::Translation, &position, start)?;
        self.channel(node, json::animation::Property::Rotation, &unit(&keys.orientation), start)?;
        self.channel(node, json::animation::Property::Scale, &scale, start)
    }

    /// Writes the file with all things that were added.
    ///
    /// # Errors
    /// [`GlbError::TooLarge`] for more than the format holds; where `out` does not take it, or what was put aside is not
    /// there any more.
    pub fn finish(mut self, scene: &str, out: &mut (impl Write + ?Sized)) -> Result<(), GlbError> {
        self.root_of(scene);
        let mut text = serde_json::to_vec(&self.root)?;
        text.resize(text.len().next_multiple_of(4), b' ');
        let padding = self.bytes.next_multiple_of(4) - self.bytes;
        let binary = if self.bytes == 0 { 0 } else { 8 + self.bytes + padding };
        let total = u32::try_from(12 + 8 + text.len() as u64 + binary).map_err(|_| GlbError::TooLarge)?;
        let heading = |length: u64, kind: &[u8; 4]| [&(length as u32).to_le_bytes()[..], kind].concat();
        out.write_all(b"glTF")?;
        out.write_all(&2u32.to_le_bytes())?;
        out.write_all(&total.to_le_bytes())?;
        out.write_all(&heading(text.len() as u64, b"JSON"))?;
        out.write_all(&text)?;
        if self.bytes > 0 {
            out.write_all(&heading(self.bytes + padding, b"BIN\0"))?;
            let mut numbers = self.numbers.into_inner().map_err(io::IntoInnerError::into_error)?;
            numbers.seek(SeekFrom::Current(-(self.bytes as i64)))?;
            let copied = io::copy(&mut numbers.take(self.bytes), out)?;
            if copied != self.bytes {
                return Err(io::Error::from(io::ErrorKind::UnexpectedEof).into());
            }
            out.write_all(&[0; 4][..padding as usize])?;
        }
        Ok(())
    }
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

impl<S: Write> Writer<S> {
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
        let input = self.accessor(&times, 1, json::accessor::Type::Scalar, true)?;
        let output = self.accessor(&values, N, kind, false)?;
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
        Ok(())
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
    ) -> Result<Index<json::Accessor>, GlbError> {
        let (offset, length) = (self.bytes, size_of_val(numbers) as u64);
        self.bytes += length;
        if self.bytes > u64::from(u32::MAX) {
            return Err(GlbError::TooLarge);
        }
        numbers.iter().try_for_each(|x| self.numbers.write_all(&x.to_le_bytes()))?;
        let view = self.root.push(json::buffer::View {
            buffer: Index::new(0),
            byte_length: USize64(length),
            byte_offset: Some(USize64(offset)),
            byte_stride: None,
            target: None,
            name: None,
            extensions: None,
            extras: Default::default(),
        });
        let bound = |pick: fn(f32, f32) -> f32| {
            bounded.then(|| serde_json::json!([numbers.iter().copied().reduce(pick).unwrap_or_default()]))
        };
        Ok(self.root.push(json::Accessor {
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
        }))
    }

    /// What the header says beside the things themselves.
    fn root_of(&mut self, scene: &str) {
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
                channels: std::mem::take(&mut self.channels),
                samplers: std::mem::take(&mut self.samplers),
                name: Some("motion".to_owned()),
                extensions: None,
                extras: Default::default(),
            });
        }
        if self.bytes > 0 {
            self.root.push(json::Buffer {
                byte_length: USize64(self.bytes),
                uri: None,
                name: None,
                extensions: None,
                extras: Default::default(),
            });
        }
    }
}
