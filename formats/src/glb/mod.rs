//! Keys as binary glTF 2.0: a node per thing and one animation.

mod bent;
mod chained;
mod embedded;
mod eye;
mod form;
mod limbs;
mod morphs;
mod numbers;
mod read;
mod tracks;

pub use form::{Dye, Form};
pub use read::{NodePlayed, Player};

use form::{Hanging, Put};
use gltf_json as json;
use json::validation::USize64;
use json::{Index, Root};
use std::io::{self, BufWriter, Read, Seek, SeekFrom, Write};
use tracks::{unit, while_there};
use zickzack_core::keys::{ObjectKeys, merge};

/// Why there is no file.
#[derive(Debug, thiserror::Error)]
pub enum GlbError {
    #[error("the file would be larger than 4 GB: hand off fewer things or frames")]
    TooLarge,
    #[error("the file cannot be written: {0}")]
    Json(#[from] serde_json::Error),
    #[error("the model \"{name}\" cannot be put in: {why}")]
    Model { name: String, why: String },
    #[error("the file cannot be written: {0}")]
    Io(#[from] io::Error),
}

/// A GLB file that is written thing by thing. Time 0 is where keys start; cubic keys are written as cubic
/// splines, straight ones as linear; where a value jumps there are two keys, a single-precision step
/// apart. While a thing is not there its scale is 0, by which glTF 2.0 makes nodes invisible. A thing's node holds its mesh;
/// below a thing with a model of one's own stands a node for that, turned and scaled as it lies in the thing. Joints hang on
/// their thing's node; what they carry stands beside it, since its own place counts for nothing.
pub struct Writer<S: Write> {
    root: Root,
    channels: Vec<json::animation::Channel>,
    samplers: Vec<json::animation::Sampler>,
    /// Nodes that stand below no other.
    roots: Vec<Index<json::Node>>,
    /// Meshes that are there already.
    put: Vec<Put>,
    /// What the scene says beside, by name.
    notes: serde_json::Map<String, serde_json::Value>,
    fps: f64,
    /// Times of the keys that were written last, since joints have theirs at the same.
    times: Option<(Vec<f32>, Index<json::Accessor>)>,
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
            put: Vec::new(),
            notes: serde_json::Map::new(),
            fps,
            times: None,
            numbers: BufWriter::with_capacity(1 << 16, aside),
            bytes: 0,
        }
    }

    /// Adds a thing by its name, with keys that start at a frame, and what it looks like; without that only its place is there.
    ///
    /// # Errors
    /// [`GlbError::TooLarge`] for more than the format holds; where the numbers cannot be put down.
    pub fn thing(&mut self, name: &str, keys: &ObjectKeys, start: f64, form: Option<&Form>) -> Result<(), GlbError> {
        let position = merge(&keys.position);
        let scale = while_there(&keys.scale, &keys.presence);
        let rest = (position.keys[0].value, keys.orientation.keys[0].value, scale.keys[0].value);
        let limbs = (keys.limbs.as_ref(), start);
        let hanging = form.map_or(Ok(Hanging::default()), |form| self.hang(name, form, limbs))?;
        let node = self.node(name, rest, (hanging.mesh, hanging.below));
        self.roots.push(node);
        self.roots.extend(hanging.beside);
        if !hanging.frames.is_empty() {
            self.one_after_another(node, &hanging.frames, start)?;
        }
        self.channel(node, json::animation::Property::Translation, &position, start)?;
        self.channel(node, json::animation::Property::Rotation, &unit(&keys.orientation), start)?;
        self.channel(node, json::animation::Property::Scale, &scale, start)
    }

    /// Something more that the file's scene says, among its `extras`.
    pub fn note(&mut self, name: &str, value: impl Into<serde_json::Value>) {
        self.notes.insert(name.to_owned(), value.into());
    }

    /// Writes the file with all things that were added.
    ///
    /// # Errors
    /// [`GlbError::TooLarge`] for more than the format holds; where `out` does not take it, or what was put aside is not
    /// there any more.
    pub fn finish(mut self, scene: &str, out: &mut (impl Write + ?Sized)) -> Result<(), GlbError> {
        self.root_of(scene)?;
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

impl<S: Write> Writer<S> {
    fn node(
        &mut self,
        name: &str,
        (t, r, s): ([f64; 3], [f64; 4], [f64; 3]),
        (mesh, below): (Option<Index<json::Mesh>>, Vec<Index<json::Node>>),
    ) -> Index<json::Node> {
        let length = r.iter().map(|x| x * x).sum::<f64>().sqrt();
        self.root.push(json::Node {
            name: Some(name.to_owned()),
            translation: Some(t.map(|x| x as f32)),
            rotation: Some(json::scene::UnitQuaternion(r.map(|x| (x / length) as f32))),
            scale: Some(s.map(|x| x as f32)),
            mesh,
            children: (!below.is_empty()).then_some(below),
            ..json::Node::default()
        })
    }

    /// What the header says beside the things themselves.
    fn root_of(&mut self, scene: &str) -> Result<(), GlbError> {
        let nodes = std::mem::take(&mut self.roots);
        let notes = std::mem::take(&mut self.notes);
        let extras = if notes.is_empty() { None } else { Some(serde_json::value::to_raw_value(&notes)?) };
        let scene = self.root.push(json::Scene { name: Some(scene.to_owned()), nodes, extensions: None, extras });
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
        Ok(())
    }
}
