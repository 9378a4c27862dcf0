//! What a binary glTF file plays, read back from it node by node.

use super::GlbError;
use gltf_json as json;
use json::Root;
use json::animation::{Interpolation, Property};
use json::validation::Checked::Valid;
use std::collections::HashMap;
use std::io::{self, Read, Seek, SeekFrom};

/// A file whose header is read; its numbers are read where they are asked for.
pub struct Player<R> {
    root: Root,
    file: R,
    /// Where its numbers begin.
    numbers: u64,
    /// By node: its channels, by animation and number.
    moved: HashMap<usize, Vec<(usize, usize)>>,
    /// Nodes of the scene by their names, in their order.
    named: HashMap<String, Vec<usize>>,
}

/// Keys of something of a node.
#[derive(Debug, Clone, PartialEq)]
struct Played {
    /// Seconds, rising.
    times: Vec<f64>,
    /// Numbers at each, three times as many of cubics.
    values: Vec<f64>,
    width: usize,
    interpolation: Interpolation,
}

/// How a node lies in what it hangs on, over time.
#[derive(Debug, Clone, PartialEq)]
pub struct NodePlayed {
    rest: ([f64; 3], [f64; 4], [f64; 3]),
    tracks: [Option<Played>; 3],
}

fn damaged(what: &str) -> GlbError {
    io::Error::new(io::ErrorKind::InvalidData, what.to_owned()).into()
}

impl<R: Read + Seek> Player<R> {
    /// Reads the header of a file with one part of numbers, such as are written here.
    ///
    /// # Errors
    /// Where it is none, or cannot be read.
    pub fn open(mut file: R) -> Result<Self, GlbError> {
        let mut head = [0u8; 20];
        file.seek(SeekFrom::Start(0))?;
        file.read_exact(&mut head)?;
        if &head[..4] != b"glTF" || &head[16..] != b"JSON" {
            return Err(damaged("it is no binary glTF file"));
        }
        let length = u64::from(u32::from_le_bytes([head[12], head[13], head[14], head[15]]));
        let mut text = Vec::new();
        (&mut file).take(length).read_to_end(&mut text)?;
        let root: Root = serde_json::from_slice(&text)?;
        let mut moved: HashMap<usize, Vec<(usize, usize)>> = HashMap::new();
        for (a, animation) in root.animations.iter().enumerate() {
            for (c, channel) in animation.channels.iter().enumerate() {
                moved.entry(channel.target.node.value()).or_default().push((a, c));
            }
        }
        let scene = root.scene.and_then(|scene| root.scenes.get(scene.value()));
        let top = scene.iter().flat_map(|scene| &scene.nodes).map(|node| node.value());
        let mut named: HashMap<String, Vec<usize>> = HashMap::new();
        for node in top {
            if let Some(name) = root.nodes.get(node).and_then(|node| node.name.clone()) {
                named.entry(name).or_default().push(node);
            }
        }
        Ok(Self { named, root, file, numbers: 28 + length, moved })
    }

    /// A node of the scene over time, by its name, after so many others of the same; nothing where there is none.
    ///
    /// # Errors
    /// Where its numbers cannot be read.
    pub fn node(&mut self, name: &str, others: usize) -> Result<Option<NodePlayed>, GlbError> {
        let Some(&index) = self.named.get(name).and_then(|nodes| nodes.get(others)) else { return Ok(None) };
        let node = &self.root.nodes[index];
        let wide = |given: Option<[f32; 3]>, none: f32| given.unwrap_or([none; 3]).map(f64::from);
        let turn = node.rotation.map_or([0.0, 0.0, 0.0, 1.0], |turn| turn.0.map(f64::from));
        let rest = (wide(node.translation, 0.0), turn, wide(node.scale, 1.0));
        let mut tracks = [None, None, None];
        for (a, c) in self.moved.get(&index).cloned().unwrap_or_default() {
            let channel = &self.root.animations[a].channels[c];
            let (which, width) = match channel.target.path {
                Valid(Property::Translation) => (0, 3),
                Valid(Property::Rotation) => (1, 4),
                Valid(Property::Scale) => (2, 3),
                _ => continue,
            };
            let samplers = &self.root.animations[a].samplers;
            let sampler = samplers.get(channel.sampler.value()).ok_or_else(|| damaged("a sampler is missing"))?;
            let Valid(interpolation) = sampler.interpolation else { return Err(damaged("keys go on in no known way")) };
            let (input, output) = (sampler.input.value(), sampler.output.value());
            let (times, values) = (self.list(input, 1)?, self.list(output, width)?);
            let each = if interpolation == Interpolation::CubicSpline { 3 } else { 1 };
            if times.is_empty() || values.len() != each * width * times.len() {
                return Err(damaged("keys and times do not fit"));
            }
            tracks[which] = Some(Played { times, values, width, interpolation });
        }
        Ok(Some(NodePlayed { rest, tracks }))
    }

    /// The numbers of a list in single precision.
    fn list(&mut self, index: usize, width: usize) -> Result<Vec<f64>, GlbError> {
        let list = self.root.accessors.get(index).ok_or_else(|| damaged("a list is missing"))?;
        let view = list.buffer_view.and_then(|view| self.root.buffer_views.get(view.value()));
        let view = view.ok_or_else(|| damaged("a list is nowhere"))?;
        let offset = view.byte_offset.map_or(0, |at| at.0) + list.byte_offset.map_or(0, |at| at.0);
        let count = width * list.count.0 as usize;
        self.file.seek(SeekFrom::Start(self.numbers + offset))?;
        let mut bytes = Vec::new();
        (&mut self.file).take(4 * count as u64).read_to_end(&mut bytes)?;
        if bytes.len() != 4 * count {
            return Err(damaged("a list is cut off"));
        }
        let words = bytes.chunks_exact(4);
        Ok(words.map(|word| f64::from(f32::from_le_bytes([word[0], word[1], word[2], word[3]]))).collect())
    }
}

impl NodePlayed {
    /// Its place, its turn (x, y, z, w, a unit quaternion) and its size after so many seconds.
    pub fn at(&self, seconds: f64) -> ([f64; 3], [f64; 4], [f64; 3]) {
        let [place, turn, size] = self.tracks.each_ref().map(|track| track.as_ref().map(|track| track.at(seconds)));
        let three =
            |found: Option<Vec<f64>>, rest: [f64; 3]| found.map_or(rest, |found| [found[0], found[1], found[2]]);
        let turn = turn.map_or(self.rest.1, |found| [found[0], found[1], found[2], found[3]]);
        let length = turn.iter().map(|x| x * x).sum::<f64>().sqrt();
        (three(place, self.rest.0), turn.map(|x| x / length), three(size, self.rest.2))
    }
}

impl Played {
    fn value(&self, key: usize, part: usize) -> &[f64] {
        let cubic = self.interpolation == Interpolation::CubicSpline;
        let at = if cubic { 3 * key + part } else { key };
        &self.values[at * self.width..(at + 1) * self.width]
    }

    /// As glTF 2.0 says, appendix C. Turns that go straight go evenly along the shorter arc.
    fn at(&self, seconds: f64) -> Vec<f64> {
        let after = self.times.partition_point(|time| *time <= seconds);
        if after == 0 || after == self.times.len() {
            return self.value(after.saturating_sub(1), 1).to_vec();
        }
        let (from, to) = (self.value(after - 1, 1), self.value(after, 1));
        let length = self.times[after] - self.times[after - 1];
        let x = (seconds - self.times[after - 1]) / length;
        match self.interpolation {
            Interpolation::Step => from.to_vec(),
            Interpolation::Linear if self.width == 4 => along_the_arc(from, to, x),
            Interpolation::Linear => from.iter().zip(to).map(|(a, b)| a + (b - a) * x).collect(),
            Interpolation::CubicSpline => {
                let (out, into) = (self.value(after - 1, 2), self.value(after, 0));
                let (x2, x3) = (x * x, x * x * x);
                let one = |i: usize| {
                    (2.0 * x3 - 3.0 * x2 + 1.0) * from[i]
                        + length * (x3 - 2.0 * x2 + x) * out[i]
                        + (3.0 * x2 - 2.0 * x3) * to[i]
                        + length * (x3 - x2) * into[i]
                };
                (0..self.width).map(one).collect()
            }
        }
    }
}

fn along_the_arc(from: &[f64], to: &[f64], x: f64) -> Vec<f64> {
    let cosine: f64 = from.iter().zip(to).map(|(a, b)| a * b).sum();
    let (cosine, sign) = (cosine.abs().min(1.0), if cosine < 0.0 { -1.0 } else { 1.0 });
    let angle = libm::acos(cosine);
    let (a, b) = if angle < 1e-6 {
        (1.0 - x, x)
    } else {
        let sine = libm::sin(angle);
        (libm::sin((1.0 - x) * angle) / sine, libm::sin(x * angle) / sine)
    };
    from.iter().zip(to).map(|(from, to)| a * from + b * sign * to).collect()
}
