//! Joints and clips of binary glTF models.

use crate::model::{ModelError, looked_at};
use glam::{DMat4, DQuat, DVec3, Mat4, Quat, Vec3};
use gltf::animation::Interpolation;
use gltf::animation::util::ReadOutputs;
use zickzack_core::rig::{Bone, Clip, Joint, Keyed, Local, Rig, Steps, Track, Values};

/// Most bones of one model: what its corners hang on.
pub const MOST_BONES: usize = 512;

/// What corners of a model hang on, in the order of its bones.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hanging {
    /// A joint of a skin, by their numbers in the file.
    Skin { skin: usize, joint: usize },
    /// A node with a mesh that no skin bends.
    Node(usize),
}

/// Joints of a model, and its clips.
pub type Model = (Rig, Vec<Clip>);

/// Joints and clips: every node of the file is a joint, by its number.
///
/// # Errors
/// As of any model; where there are too many bones; where a clip or a joint of it is damaged.
pub fn read(bytes: &[u8]) -> Result<Model, ModelError> {
    with_bones(bytes).map(|(model, _)| model)
}

/// The same, and what each bone of the model is.
///
/// # Errors
/// As [`read`].
pub fn with_bones(bytes: &[u8]) -> Result<(Model, Vec<Hanging>), ModelError> {
    let (file, _) = looked_at(bytes)?;
    // Lists may be damaged in ways that only show when they are read.
    let model = std::panic::catch_unwind(std::panic::AssertUnwindSafe(|| gathered(&file)))
        .map_err(|_| ModelError::Unreadable("a list is damaged".to_owned()))??;
    Ok((model, hanging(&file)))
}

/// What the nodes of a model are called, by their number; empty where they have no name.
///
/// # Errors
/// As of any model.
pub fn names(bytes: &[u8]) -> Result<Vec<String>, ModelError> {
    let (file, _) = looked_at(bytes)?;
    Ok(file.nodes().map(|node| node.name().unwrap_or_default().to_owned()).collect())
}

/// What each bone is, in their order: joints of all skins, then nodes with meshes of their own.
fn hanging(file: &gltf::Document) -> Vec<Hanging> {
    let skins = file.skins().flat_map(|skin| {
        let index = skin.index();
        (0..skin.joints().count()).map(move |joint| Hanging::Skin { skin: index, joint })
    });
    let nodes = file.nodes().filter(|node| node.mesh().is_some() && node.skin().is_none());
    skins.chain(nodes.map(|node| Hanging::Node(node.index()))).collect()
}

fn damaged(why: String) -> ModelError {
    ModelError::Unreadable(why)
}

fn gathered(file: &gltf::Gltf) -> Result<Model, ModelError> {
    let blob = file.blob.as_deref().unwrap_or_default();
    let hanging = hanging(file);
    if hanging.len() > MOST_BONES {
        return Err(ModelError::TooManyBones(hanging.len()));
    }
    let mut parents = vec![None; file.nodes().len()];
    for node in file.nodes() {
        node.children().for_each(|child| parents[child.index()] = Some(node.index()));
    }
    let joint = |node: gltf::Node<'_>| {
        let (translation, rotation, scale) = node.transform().decomposed();
        let rotation = Quat::from_array(rotation).as_dquat();
        let rotation = if rotation.length_squared() > 1e-12 { rotation.normalize() } else { DQuat::IDENTITY };
        let (translation, scale) = (Vec3::from(translation).as_dvec3(), Vec3::from(scale).as_dvec3());
        Joint { parent: parents[node.index()], rest: Local { translation, rotation, scale } }
    };
    let joints: Vec<Joint> = file.nodes().map(joint).collect();
    let mut bones = Vec::with_capacity(hanging.len());
    for skin in file.skins() {
        let inverses: Vec<DMat4> = skin
            .reader(|_| Some(blob))
            .read_inverse_bind_matrices()
            .map(|list| list.map(|matrix| Mat4::from_cols_array_2d(&matrix).as_dmat4()).collect())
            .unwrap_or_default();
        for (index, joint) in skin.joints().enumerate() {
            let inverse = inverses.get(index).copied().unwrap_or(DMat4::IDENTITY);
            bones.push(Bone { joint: joint.index(), inverse });
        }
    }
    bones.extend(hanging.iter().filter_map(|bone| match bone {
        Hanging::Node(joint) => Some(Bone { joint: *joint, inverse: DMat4::IDENTITY }),
        Hanging::Skin { .. } => None,
    }));
    // First without a size: where corners are hangs on its joints.
    let bare = Rig::new(joints.clone(), bones.clone(), [DVec3::ZERO; 2]).map_err(damaged)?;
    let (around, held) = around(file, blob, &bare, &hanging)?;
    let rig = Rig::new(joints, bones, around).map_err(damaged)?.holding(held);
    let clips = file.animations().map(|animation| clip(&animation, blob)).collect::<Result<_, _>>()?;
    Ok((rig, clips))
}

type Box3 = [DVec3; 2];

/// A box around a place and what was in it before.
fn grown(before: Option<Box3>, place: DVec3) -> Option<Box3> {
    Some(before.map_or([place; 2], |[low, high]| [low.min(place), high.max(place)]))
}

/// The box around all corners at rest, and those around what hangs on each bone, in its joint's axes.
fn around(
    file: &gltf::Gltf,
    blob: &[u8],
    rig: &Rig,
    hanging: &[Hanging],
) -> Result<(Box3, Vec<Option<Box3>>), ModelError> {
    let mut joints = Vec::new();
    rig.placed(&rig.rest(), &mut joints);
    let carried: Vec<DMat4> = rig.carried(&joints).collect();
    let first = |bone: Hanging| hanging.iter().position(|other| *other == bone);
    let (mut all, mut held_by) = (None, vec![None; carried.len()]);
    let mut hold = |bone: usize, place: DVec3| {
        let place = rig.bones()[bone].inverse.transform_point3(place);
        if place.is_finite() {
            held_by[bone] = grown(held_by[bone], place);
        }
    };
    for node in file.nodes() {
        let Some(mesh) = node.mesh() else { continue };
        let skin = node.skin().and_then(|skin| first(Hanging::Skin { skin: skin.index(), joint: 0 }));
        let own = first(Hanging::Node(node.index()));
        for part in mesh.primitives() {
            let reader = part.reader(|_| Some(blob));
            let places = reader.read_positions().into_iter().flatten().map(|place| Vec3::from(place).as_dvec3());
            let held: Vec<([u16; 4], [f32; 4])> = match (reader.read_joints(0), reader.read_weights(0)) {
                (Some(joints), Some(weights)) => joints.into_u16().zip(weights.into_f32()).collect(),
                _ => Vec::new(),
            };
            for (index, place) in places.enumerate() {
                let at = match (skin, held.get(index)) {
                    (Some(first), Some((joints, weights))) => {
                        let mut sum = DVec3::ZERO;
                        for (joint, weight) in joints.iter().zip(weights).filter(|(_, weight)| **weight != 0.0) {
                            let bone = first + usize::from(*joint);
                            let carry =
                                carried.get(bone).ok_or_else(|| damaged("a corner hangs on no joint".to_owned()))?;
                            sum += carry.transform_point3(place) * f64::from(*weight);
                            hold(bone, place);
                        }
                        sum
                    }
                    _ => own.map_or(place, |bone| {
                        hold(bone, place);
                        carried[bone].transform_point3(place)
                    }),
                };
                if at.is_finite() {
                    all = grown(all, at);
                }
            }
        }
    }
    all.map(|all| (all, held_by)).ok_or(ModelError::Empty)
}

fn clip(animation: &gltf::Animation<'_>, blob: &[u8]) -> Result<Clip, ModelError> {
    let index = animation.index() + 1;
    let name = animation.name().filter(|name| !name.is_empty()).map_or_else(|| format!("clip {index}"), str::to_owned);
    let named = |why: String| damaged(format!("{why}: \"{name}\""));
    let mut tracks = Vec::new();
    for channel in animation.channels() {
        let reader = channel.reader(|_| Some(blob));
        let empty = || named("a clip of it has no keys".to_owned());
        let times: Vec<f64> = reader.read_inputs().ok_or_else(empty)?.map(f64::from).collect();
        let steps = match channel.sampler().interpolation() {
            Interpolation::Step => Steps::Hold,
            Interpolation::Linear => Steps::Straight,
            Interpolation::CubicSpline => Steps::Cubic,
        };
        let vectors = |list: &mut dyn Iterator<Item = [f32; 3]>| -> Vec<DVec3> {
            list.map(|value| Vec3::from(value).as_dvec3()).collect()
        };
        let finite = |values: &[DVec3]| values.iter().all(|value| value.is_finite());
        let nowhere = || named("a clip of it brings joints nowhere".to_owned());
        let values = match reader.read_outputs().ok_or_else(empty)? {
            ReadOutputs::Translations(mut list) => {
                let values = vectors(&mut list);
                if !finite(&values) {
                    return Err(nowhere());
                }
                Values::Translation(Keyed::new(times, values, steps).map_err(named)?)
            }
            ReadOutputs::Scales(mut list) => {
                let values = vectors(&mut list);
                if !finite(&values) {
                    return Err(nowhere());
                }
                Values::Scale(Keyed::new(times, values, steps).map_err(named)?)
            }
            ReadOutputs::Rotations(list) => {
                let mut values: Vec<DQuat> = list.into_f32().map(|turn| Quat::from_array(turn).as_dquat()).collect();
                if !values.iter().all(|turn| turn.is_finite()) {
                    return Err(nowhere());
                }
                if steps != Steps::Cubic {
                    values.iter_mut().for_each(|turn| {
                        *turn = if turn.length_squared() > 1e-12 { turn.normalize() } else { DQuat::IDENTITY };
                    });
                }
                Values::Rotation(Keyed::new(times, values, steps).map_err(named)?)
            }
            // What changes the form of a mesh and moves no joint is not played.
            ReadOutputs::MorphTargetWeights(_) => continue,
        };
        tracks.push(Track { joint: channel.target().node().index(), values });
    }
    Ok(Clip::new(&name, tracks))
}
