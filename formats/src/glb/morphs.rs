//! What has other corners at each frame: targets that are shown one after another.

use super::form::{Form, Hung};
use super::{Dye, GlbError, Writer};
use glam::DVec3;
use gltf_json as json;
use json::Index;
use json::accessor::{ComponentType, GenericComponentType, IndexComponentType, Type, sparse};
use json::animation::{Interpolation, Property};
use json::buffer::Target;
use json::mesh::{Mode, MorphTarget, Primitive, Semantic};
use json::validation::{Checked::Valid, USize64};
use std::io::Write;
use zickzack_core::curve::Traced;
use zickzack_core::mesh::Mesh;

/// A mesh and the frames at which it has corners of its own: the first as it is written, then one target for each.
#[derive(Clone)]
pub(super) struct Morphed {
    pub mesh: Index<json::Mesh>,
    pub frames: Vec<f64>,
}

/// Corners as they are written, where they are instead, how they are joined and drawn, and what they are made of.
type Part = (Index<json::Accessor>, Vec<MorphTarget>, Option<Index<json::Accessor>>, Mode, Index<json::Material>);

/// Metres below which a corner stays where it is.
const STAYS: f32 = 1e-9;

impl<S: Write> Writer<S> {
    /// A mesh in a colour whose corners are elsewhere at each of some frames, rising, at least one; `at` gives them, always as
    /// many. Between frames they go straight.
    ///
    /// # Errors
    /// What `at` says; as [`mesh`](Self::mesh).
    pub fn changing<E: From<GlbError>>(
        &mut self,
        (name, triangles): (&str, &[[u32; 3]]),
        frames: Vec<f64>,
        dye: Dye,
        mut at: impl FnMut(f64) -> Result<Mesh, E>,
    ) -> Result<Form, E> {
        let first = at(frames[0])?.places;
        let material = self.material(name, dye);
        let base = self.places(&first)?;
        let indices = self.indices(triangles)?;
        let mut targets = Vec::with_capacity(frames.len() - 1);
        for frame in &frames[1..] {
            targets.push(self.target(&first, &at(*frame)?.places)?);
        }
        let parts = vec![(base, targets, Some(indices), Mode::Triangles, material)];
        Ok(Form(Hung::Morphed(Morphed { mesh: self.morphing(name, parts), frames })))
    }

    /// Lines in a colour along the strands of a path, which was traced at these frames, from one on; they stand by themselves.
    ///
    /// # Errors
    /// As [`mesh`](Self::mesh).
    pub fn lines(
        &mut self,
        name: &str,
        (traced, frames): (&Traced, &[f64]),
        start: f64,
        colour: zickzack_core::colour::Light,
    ) -> Result<(), GlbError> {
        let material = self.material(name, Dye { colour, shines: true, thin: false });
        let mut parts = Vec::with_capacity(traced.closed.len());
        for (strand, closed) in traced.closed.iter().enumerate() {
            let first = &traced.places[0][strand];
            let base = self.places(first)?;
            let later = traced.places[1..].iter().map(|strands| &strands[strand]);
            let targets = later.map(|places| self.target(first, places)).collect::<Result<Vec<_>, _>>()?;
            let mode = if *closed { Mode::LineLoop } else { Mode::LineStrip };
            parts.push((base, targets, None, mode, material));
        }
        let mesh = self.morphing(name, parts);
        let node = self.node(name, ([0.0; 3], [0.0, 0.0, 0.0, 1.0], [1.0; 3]), (Some(mesh), Vec::new()));
        self.roots.push(node);
        if traced.places.len() > 1 { self.one_after_another(node, frames, start) } else { Ok(()) }
    }

    fn places(&mut self, places: &[DVec3]) -> Result<Index<json::Accessor>, GlbError> {
        let flat: Vec<f32> = places.iter().flat_map(|at| at.as_vec3().to_array()).collect();
        self.floats(&flat, (3, Type::Vec3), true, Some(Target::ArrayBuffer))
    }

    fn morphing(&mut self, name: &str, parts: Vec<Part>) -> Index<json::Mesh> {
        let part = |(base, targets, indices, mode, material): Part| Primitive {
            attributes: [(Valid(Semantic::Positions), base)].into(),
            indices,
            material: Some(material),
            mode: Valid(mode),
            targets: (!targets.is_empty()).then_some(targets),
            extensions: None,
            extras: Default::default(),
        };
        let primitives = parts.into_iter().map(part).collect();
        let (extensions, extras) = (None, Default::default());
        self.root.push(json::Mesh { name: Some(name.to_owned()), primitives, weights: None, extensions, extras })
    }

    /// Where corners are instead: only those that are elsewhere are written.
    fn target(&mut self, from: &[DVec3], to: &[DVec3]) -> Result<MorphTarget, GlbError> {
        let moved: Vec<[f32; 3]> = from.iter().zip(to).map(|(a, b)| (*b - *a).as_vec3().to_array()).collect();
        let stays = |by: &[f32; 3]| by.iter().all(|x| x.abs() < STAYS);
        let moving: Vec<u32> = (0..moved.len() as u32).filter(|i| !stays(&moved[*i as usize])).collect();
        let bound = |pick: fn(f32, f32) -> f32| {
            let of = |axis: usize| moved.iter().map(|by| if stays(by) { 0.0 } else { by[axis] }).reduce(pick);
            (0..3).map(|axis| of(axis).unwrap_or_default()).collect::<Vec<f32>>()
        };
        let (low, high) = (bound(f32::min), bound(f32::max));
        let numbers: Vec<f32> = moving.iter().flat_map(|i| moved[*i as usize]).collect();
        let list = self.sparse((moved.len(), Type::Vec3), &moving, &numbers)?;
        let list_of = &mut self.root.accessors[list.value()];
        (list_of.min, list_of.max) = (Some(low.into()), Some(high.into()));
        Ok(MorphTarget { positions: Some(list), normals: None, tangents: None })
    }

    /// A list of numbers that are 0 but for some.
    fn sparse(
        &mut self,
        (count, kind): (usize, Type),
        which: &[u32],
        numbers: &[f32],
    ) -> Result<Index<json::Accessor>, GlbError> {
        // Readers want some number in it.
        let none = [0.0; 3];
        let width = if kind == Type::Scalar { 1 } else { 3 };
        let (which, numbers) = if which.is_empty() { (&[0][..], &none[..width]) } else { (which, numbers) };
        let indices = self.view(which.iter().map(|i| i.to_le_bytes()), which.len(), None)?;
        let values = self.view(numbers.iter().map(|x| x.to_le_bytes()), numbers.len(), None)?;
        let sparse = Some(sparse::Sparse {
            count: USize64::from(which.len()),
            indices: sparse::Indices {
                buffer_view: indices,
                byte_offset: USize64(0),
                component_type: Valid(IndexComponentType(ComponentType::U32)),
                extensions: None,
                extras: Default::default(),
            },
            values: sparse::Values {
                buffer_view: values,
                byte_offset: USize64(0),
                extensions: None,
                extras: Default::default(),
            },
            extensions: None,
            extras: Default::default(),
        });
        Ok(self.root.push(json::Accessor {
            buffer_view: None,
            byte_offset: None,
            count: USize64::from(count),
            component_type: Valid(GenericComponentType(ComponentType::F32)),
            type_: Valid(kind),
            min: None,
            max: None,
            name: None,
            normalized: false,
            sparse,
            extensions: None,
            extras: Default::default(),
        }))
    }

    /// Shows the targets of a node's mesh one after another, each wholly at its frame.
    pub(super) fn one_after_another(
        &mut self,
        node: Index<json::Node>,
        frames: &[f64],
        start: f64,
    ) -> Result<(), GlbError> {
        let (keys, targets) = (frames.len(), frames.len() - 1);
        if targets == 0 {
            return Ok(());
        }
        let times: Vec<f32> = frames.iter().map(|frame| ((frame - start) / self.fps) as f32).collect();
        let input = self.floats(&times, (1, Type::Scalar), true, None)?;
        // At the first frame none, then the one before.
        let which: Vec<u32> = (1..keys as u32).map(|key| key * targets as u32 + key - 1).collect();
        let output = self.sparse((keys * targets, Type::Scalar), &which, &vec![1.0; targets])?;
        self.animate((node, Property::MorphTargetWeights), (input, output), Interpolation::Linear);
        Ok(())
    }
}
