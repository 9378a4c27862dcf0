//! Joints, and how each thing's are moved.

use super::carried::Carried;
use super::forms::{Body, Colours, Drawn, Form};
use super::surface::{Material, PLAIN};
use super::values::{List, Matrix, Names, Tuple, Turn, text};
use super::{JUST, UsdError, Writer};
use crate::parts::{self, Axes, Part, beside};
use glam::{DMat4, DQuat, DVec3, Mat4};
use std::io::Write;
use zickzack_core::colour::{Light, light};
use zickzack_core::keys::{Channel, LimbKeys};
use zickzack_core::motion::Strip;
use zickzack_core::nodes::ModelPlace;
use zickzack_core::rig::Local;

/// The prim with the joints.
pub(super) const JOINTS: &str = "joints";
/// A joint that is smaller at first may be larger later.
const LEAST: f64 = 1e-6;
/// What moves them in a thing.
pub(super) const ANIMATION: &str = "animation";

/// A joint as it is written.
#[derive(Debug, Clone)]
struct Slot {
    /// Its number among those that have keys; nothing of one that lies as the joint that it hangs on.
    joint: Option<usize>,
    /// What it hangs on.
    above: Option<usize>,
    /// It and what it hangs on, by names.
    path: String,
    /// How it lies where it carries corners nowhere.
    bind: DMat4,
    /// How it lies in what it hangs on.
    rest: DMat4,
}

/// Joints, each after the one that it hangs on.
#[derive(Debug, Clone)]
pub(super) struct Skeleton {
    slots: Vec<Slot>,
    /// Times as large as its thing makes each joint at first, with all that it hangs on. Sizes of joints have half precision in this
    /// format: these stand with the corners, so that what stays as large as it is loses none.
    sizes: Vec<f64>,
}

impl Skeleton {
    /// So many joints evenly along x.
    fn chain((length, joints): (f64, usize)) -> Self {
        let slot = |i: usize| {
            let at = DMat4::from_translation(DVec3::X * (length * i as f64 / (joints - 1) as f64));
            Slot { joint: Some(i), above: None, path: format!("joint_{}", i + 1), bind: at, rest: at }
        };
        Self { slots: (0..joints).map(slot).collect(), sizes: Vec::new() }
    }

    /// All nodes of a model: where each is by its number, and where the joints of each skin are.
    fn of(file: &gltf::Gltf) -> (Self, Vec<usize>, Vec<Vec<usize>>) {
        let blob = file.blob.as_deref().unwrap_or_default();
        let (mut slots, mut names): (Vec<Slot>, Names) = (Vec::new(), Names::default());
        let mut at = vec![0; file.nodes().len()];
        let mut children = vec![false; at.len()];
        file.nodes().flat_map(|node| node.children()).for_each(|child| children[child.index()] = true);
        let mut open: Vec<(gltf::Node<'_>, Option<usize>)> =
            file.nodes().filter(|node| !children[node.index()]).map(|node| (node, None)).collect();
        open.reverse();
        while let Some((node, above)) = open.pop() {
            let own = names.name(node.name().unwrap_or("joint")).identifier;
            let rest = Mat4::from_cols_array_2d(&node.transform().matrix()).as_dmat4();
            let (path, bind) = match above {
                Some(above) => (format!("{}/{own}", slots[above].path), slots[above].bind * rest),
                None => (own, rest),
            };
            at[node.index()] = slots.len();
            open.extend(node.children().map(|child| (child, Some(slots.len()))));
            slots.push(Slot { joint: Some(node.index()), above, path, bind, rest });
        }
        // A skin may want a joint to lie elsewhere where it carries nothing: the first has its way, others a joint of their own.
        let mut told = vec![false; slots.len()];
        let skins = file.skins().map(|skin| {
            let inverses = skin.reader(|_| Some(blob)).read_inverse_bind_matrices();
            let inverses: Vec<DMat4> = inverses
                .map(|all| all.map(|matrix| Mat4::from_cols_array_2d(&matrix).as_dmat4()).collect())
                .unwrap_or_default();
            let joint = |(i, joint): (usize, gltf::Node<'_>)| {
                let slot = at[joint.index()];
                let inverse = inverses.get(i).copied().unwrap_or(DMat4::IDENTITY);
                let bind = if inverse.determinant() == 0.0 { DMat4::IDENTITY } else { inverse.inverse() };
                if !told[slot] {
                    told[slot] = true;
                    slots[slot].bind = bind;
                }
                if slots[slot].bind.abs_diff_eq(bind, 1e-9) {
                    return slot;
                }
                let path = format!("{}/{}", slots[slot].path, names.name("again").identifier);
                slots.push(Slot { joint: None, above: Some(slot), path, bind, rest: DMat4::IDENTITY });
                told.push(true);
                slots.len() - 1
            };
            skin.joints().enumerate().map(joint).collect()
        });
        let skins = skins.collect();
        (Self { slots, sizes: Vec::new() }, at, skins)
    }

    /// Notes how large the joints of a thing are at first, where none has been noted.
    fn size(&mut self, limbs: &LimbKeys) {
        if !self.sizes.is_empty() {
            return;
        }
        for slot in &self.slots {
            let keys = slot.joint.and_then(|joint| limbs.joints.get(joint));
            let own = keys.map_or(1.0, |keys| keys.scale.keys[0].value.iter().sum::<f64>() / 3.0);
            let own = if own > LEAST { own } else { 1.0 };
            self.sizes.push(own * slot.above.map_or(1.0, |above| self.sizes[above]));
        }
    }

    /// Times as large as a joint is at first, and what it hangs on.
    fn sizes_of(&self, slot: usize) -> (f64, f64) {
        let of = |slot: usize| self.sizes.get(slot).copied().unwrap_or(1.0);
        (of(slot), self.slots[slot].above.map_or(1.0, of))
    }

    /// How a joint lies where it carries corners nowhere, and in what it hangs on at rest.
    fn lies(&self, slot: usize) -> (DMat4, DMat4) {
        let (own, above) = self.sizes_of(slot);
        let by = |size: f64| DMat4::from_scale(DVec3::splat(size));
        let Slot { bind, rest, .. } = &self.slots[slot];
        (*bind * by(1.0 / own), by(above) * *rest * by(1.0 / own))
    }

    /// The same of how it lies in what it hangs on by the keys of a thing.
    fn local(&self, slot: usize, local: Local) -> Local {
        let (own, above) = self.sizes_of(slot);
        Local { translation: local.translation * above, scale: local.scale * (above / own), ..local }
    }

    fn names(&self) -> String {
        List(self.slots.iter().map(|slot| text(&slot.path))).to_string()
    }
}

/// The frames at which any joint has a key, rising; where one jumps twice, with the frame at which it is looked at.
fn moments(limbs: &LimbKeys) -> Vec<(f64, f64)> {
    fn put<const N: usize>(channel: &Channel<N>, all: &mut Vec<(f64, bool)>) {
        let jumps = |i: usize| i > 0 && channel.keys[i - 1].frame == channel.keys[i].frame;
        all.extend(channel.keys.iter().enumerate().map(|(i, key)| (key.frame, jumps(i))));
    }
    let mut all = Vec::new();
    for joint in &limbs.joints {
        put(&joint.translation, &mut all);
        put(&joint.rotation, &mut all);
        put(&joint.scale, &mut all);
    }
    // Of each frame the jump comes first.
    all.sort_by(|a, b| a.0.total_cmp(&b.0).then(b.1.cmp(&a.1)));
    all.dedup_by(|later, earlier| later.0 == earlier.0);
    let sides = |(frame, jumps): (f64, bool)| {
        let before = jumps.then_some((frame - JUST, frame.next_down()));
        before.into_iter().chain([(frame, frame)])
    };
    all.into_iter().flat_map(sides).collect()
}

impl<W: Write> Writer<W> {
    /// A binary glTF model on its joints, which the keys of each thing move, and how it lies in its things.
    ///
    /// # Errors
    /// Where it is none.
    pub fn rigged(&mut self, name: &str, bytes: &[u8], place: ModelPlace) -> Result<Form, UsdError> {
        let (file, parts) = parts::read(bytes, Axes::OfNodes).map_err(UsdError::model(name))?;
        let (skeleton, nodes, skins) = Skeleton::of(&file);
        let carried = |part: &Part| match &part.skin {
            Some((skin, hung)) => {
                let slot = |joint: &u16| skins[*skin].get(usize::from(*joint)).copied().unwrap_or_default();
                let one = |(joints, weights): &([u16; 4], [f32; 4])| {
                    let sum = weights.iter().sum::<f32>();
                    (joints.each_ref().map(slot), if sum > 0.0 { weights.map(|weight| weight / sum) } else { *weights })
                };
                Carried::Each(hung.iter().map(one).collect())
            }
            None => Carried::Whole(nodes[part.node], skeleton.slots[nodes[part.node]].bind),
        };
        let parts = self.drawn(name, &file, parts, ([1.0; 3], Some(&carried)));
        Ok(self.add(name, Body::Model { place, parts, skeleton: Some(skeleton) }))
    }

    /// A binary glTF model, so many metres long along its nose, on a chain of so many joints: `upright` turns its nose to +x and its
    /// top to +y. What has no material of its own is in a colour.
    ///
    /// # Errors
    /// Where it is none.
    pub fn bent(
        &mut self,
        (name, bytes): (&str, &[u8]),
        upright: DQuat,
        chain: (f64, usize),
        colour: Light,
    ) -> Result<Form, UsdError> {
        let (file, parts) =
            parts::read(bytes, Axes::AtRest(DMat4::from_quat(upright))).map_err(UsdError::model(name))?;
        let carried = |part: &Part| on_chain(&part.corners.places, chain);
        let parts = self.drawn(name, &file, parts::along(parts, chain), (colour, Some(&carried)));
        let skeleton = Some(Skeleton::chain(chain));
        Ok(self.add(name, Body::Model { place: ModelPlace::AS_IT_IS, parts, skeleton }))
    }

    /// A strip, so many metres long, on a chain of so many joints; with the picture that is on it, where there is one.
    pub fn strip(
        &mut self,
        (name, strip): (&str, &Strip),
        (length, joints): (f64, usize),
        picture: Option<&[u8]>,
    ) -> Form {
        let cloth = strip.cloth(length, joints);
        let carried = on_chain(&cloth.places, (length, joints));
        let thin = strip.thickness == 0.0;
        let shown = picture.and_then(|bytes| self.picture(bytes));
        let mut parts = Vec::new();
        for (triangles, own) in cloth.triangles.iter().zip(&strip.colours) {
            if triangles.is_empty() {
                continue;
            }
            // Where its picture cannot go along it is of one colour, as where there is none.
            let colour = light(own).unwrap_or([1.0; 3]);
            let material = match &shown {
                Some(path) => self.pictured(name, path),
                None => Material::Plain(PLAIN[0]),
            };
            let spot = |spot: &glam::DVec2| [spot.x as f32, (1.0 - spot.y) as f32];
            parts.push(Drawn {
                places: cloth.places.clone(),
                normals: cloth.normals.clone(),
                spots: if shown.is_some() { cloth.spots.iter().map(spot).collect() } else { Vec::new() },
                colours: if shown.is_some() { Colours::None } else { Colours::One(colour) },
                triangles: triangles.clone(),
                material,
                thin,
                carried: Some(carried.clone()),
            });
        }
        let skeleton = Some(Skeleton::chain((length, joints)));
        self.add(name, Body::Model { place: ModelPlace::AS_IT_IS, parts, skeleton })
    }

    pub(super) fn put_skeleton(&mut self, skeleton: &Skeleton) -> Result<(), UsdError> {
        let all = 0..skeleton.slots.len();
        self.stage.begin_plain("def Skeleton", JOINTS, &["prepend apiSchemas = [\"SkelBindingAPI\"]".to_owned()])?;
        self.stage.set("uniform token[] joints", skeleton.names(), &[])?;
        let binds = List(all.clone().map(|slot| Matrix(skeleton.lies(slot).0)));
        self.stage.set("uniform matrix4d[] bindTransforms", binds, &[])?;
        let rests = List(all.map(|slot| Matrix(skeleton.lies(slot).1)));
        self.stage.set("uniform matrix4d[] restTransforms", rests, &[])?;
        Ok(self.stage.end()?)
    }

    /// How the joints of the thing that is open are moved.
    pub(super) fn move_joints(&mut self, form: Form, limbs: &LimbKeys) -> Result<(), UsdError> {
        let Body::Model { skeleton: Some(skeleton), .. } = &mut self.forms[form.0].1 else { return Ok(()) };
        skeleton.size(limbs);
        let (skeleton, moments, first) = (skeleton.clone(), moments(limbs), self.first);
        let names = skeleton.names();
        let locals = |frame: f64| -> Vec<Local> {
            let local = |slot: usize| {
                let keys = skeleton.slots[slot].joint.and_then(|joint| limbs.joints.get(joint));
                skeleton.local(slot, keys.map_or(Local::IDENTITY, |keys| keys.at(frame)))
            };
            (0..skeleton.slots.len()).map(local).collect()
        };
        let times = || moments.iter().map(|(time, frame)| (time + first, locals(*frame)));
        self.stage.begin_plain("def SkelAnimation", ANIMATION, &[])?;
        self.stage.set("uniform token[] joints", names, &[])?;
        self.stage.over_time("float3[] translations", times(), |out, all| {
            Ok::<(), UsdError>(write!(out, "{}", List(all.iter().map(|own| Tuple(own.translation.to_array()))))?)
        })?;
        self.stage.over_time("quatf[] rotations", times(), |out, all| {
            Ok::<(), UsdError>(write!(out, "{}", List(all.iter().map(|own| Turn(own.rotation.to_array()))))?)
        })?;
        self.stage.over_time("half3[] scales", times(), |out, all| {
            Ok::<(), UsdError>(write!(out, "{}", List(all.iter().map(|own| Tuple(own.scale.to_array()))))?)
        })?;
        self.stage.end()?;
        let animation = format!("<{}/{ANIMATION}>", self.stage.path());
        self.stage.begin_plain("over", super::forms::MODEL, &[])?;
        self.stage.begin_plain("over", JOINTS, &[])?;
        self.stage.set("rel skel:animationSource", animation, &[])?;
        self.stage.end()?;
        Ok(self.stage.end()?)
    }
}

/// Corners on the two joints beside each.
fn on_chain(places: &[DVec3], chain: (f64, usize)) -> Carried {
    let one = |at: &DVec3| {
        let (first, part) = beside(at.x, chain);
        let first = usize::from(first);
        ([first, first + 1, 0, 0], [1.0 - part, part, 0.0, 0.0])
    };
    Carried::Each(places.iter().map(one).collect())
}
