//! Things with joints in binary glTF files, against how they are carried here.

use crate::player::{Tracks, every_track};
use glam::{DMat4, DQuat, DVec3, Mat4, Vec3};
use std::collections::HashMap;
use std::io::Cursor;
use std::path::Path;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::Keying;
use zickzack_core::motion::{BentForm, Cancel, Columns, Frames, Kind, Motion, Sample, prepared};
use zickzack_core::nodes::{ModelPlace, Registry};
use zickzack_formats::animated::{Hanging, with_bones};
use zickzack_session::{HandOff, Session};

/// A file whose nodes are moved.
pub struct Player {
    pub file: gltf::Gltf,
    tracks: HashMap<usize, Tracks>,
    parents: Vec<Option<usize>>,
}

impl Player {
    pub fn of(bytes: &[u8]) -> Self {
        let file = gltf::Gltf::from_slice(bytes).unwrap();
        let mut parents = vec![None; file.nodes().len()];
        file.nodes().for_each(|node| node.children().for_each(|child| parents[child.index()] = Some(node.index())));
        Self { tracks: every_track(bytes), file, parents }
    }

    fn own(&self, node: usize, seconds: f64) -> DMat4 {
        let (t, r, s) = self.file.nodes().nth(node).unwrap().transform().decomposed();
        let [moves, turns, scales] =
            [0, 1, 2].map(|i| self.tracks.get(&node)?[i].as_ref().map(|track| track.at(seconds)));
        let vector = |keyed: Option<Vec<f64>>, rest: [f32; 3]| {
            keyed.map_or(Vec3::from(rest).as_dvec3(), |keyed| DVec3::from_slice(&keyed))
        };
        let turn = turns.map_or(DQuat::from_array(r.map(f64::from)), |keyed| DQuat::from_slice(&keyed));
        DMat4::from_scale_rotation_translation(vector(scales, s), turn.normalize(), vector(moves, t))
    }

    pub fn placed(&self, seconds: f64) -> HashMap<usize, DMat4> {
        fn place(player: &Player, node: usize, seconds: f64, found: &mut HashMap<usize, DMat4>) -> DMat4 {
            if let Some(known) = found.get(&node) {
                return *known;
            }
            let above = player.parents[node].map_or(DMat4::IDENTITY, |parent| place(player, parent, seconds, found));
            let here = above * player.own(node, seconds);
            found.insert(node, here);
            here
        }
        let mut found = HashMap::new();
        (0..self.parents.len()).for_each(|node| {
            place(self, node, seconds, &mut found);
        });
        found
    }

    /// The name of the node that a node is below, on which nothing else hangs.
    pub fn top(&self, node: usize) -> String {
        let mut top = node;
        while let Some(parent) = self.parents[top] {
            top = parent;
        }
        self.file.nodes().nth(top).unwrap().name().unwrap().to_owned()
    }

    /// Corners of what is drawn below or beside the thing of a name, in space; those of skins as these carry them.
    fn corners(&self, name: &str, seconds: f64) -> Vec<DVec3> {
        let placed = self.placed(seconds);
        let blob = self.file.blob.as_deref();
        let mut found = Vec::new();
        for node in self.file.nodes() {
            let top = self.top(node.index());
            if top != name && top != format!("{name} mesh") {
                continue;
            }
            let carries: Vec<DMat4> = node.skin().map_or(vec![placed[&node.index()]], |skin| {
                let back: Vec<DMat4> = skin
                    .reader(|_| blob)
                    .read_inverse_bind_matrices()
                    .unwrap()
                    .map(|m| Mat4::from_cols_array_2d(&m).as_dmat4())
                    .collect();
                skin.joints().zip(back).map(|(joint, back)| placed[&joint.index()] * back).collect()
            });
            for part in node.mesh().iter().flat_map(gltf::Mesh::primitives) {
                let reader = part.reader(|_| blob);
                let places: Vec<DVec3> = reader.read_positions().unwrap().map(|at| Vec3::from(at).as_dvec3()).collect();
                let held: Option<Vec<_>> = reader
                    .read_joints(0)
                    .map(|joints| joints.into_u16().zip(reader.read_weights(0).unwrap().into_f32()).collect());
                found.extend(places.iter().enumerate().map(|(i, at)| match &held {
                    Some(held) if node.skin().is_some() => {
                        let (joints, weights) = held[i];
                        (0..4)
                            .map(|k| carries[usize::from(joints[k])].transform_point3(*at) * f64::from(weights[k]))
                            .sum()
                    }
                    _ => carries[0].transform_point3(*at),
                }));
            }
        }
        found
    }
}

/// Corners of a model by the matrices of its bones, in the order of its nodes.
fn by_bones(bytes: &[u8], bones: &[DMat4]) -> Vec<DVec3> {
    let model = zickzack_formats::model::as_glb(bytes).unwrap();
    let (_, hanging) = with_bones(bytes).unwrap();
    let file = gltf::Gltf::from_slice(&model).unwrap();
    let bone = |wanted: Hanging| hanging.iter().position(|hanging| *hanging == wanted).unwrap();
    let mut found = Vec::new();
    for node in file.nodes() {
        for part in node.mesh().iter().flat_map(gltf::Mesh::primitives) {
            let reader = part.reader(|_| file.blob.as_deref());
            let places: Vec<DVec3> = reader.read_positions().unwrap().map(|at| Vec3::from(at).as_dvec3()).collect();
            match node.skin() {
                Some(skin) => {
                    let first = bone(Hanging::Skin { skin: skin.index(), joint: 0 });
                    let held =
                        reader.read_joints(0).unwrap().into_u16().zip(reader.read_weights(0).unwrap().into_f32());
                    found.extend(places.iter().zip(held).map(|(at, (joints, weights))| {
                        (0..4)
                            .map(|k| {
                                bones[first + usize::from(joints[k])].transform_point3(*at) * f64::from(weights[k])
                            })
                            .sum::<DVec3>()
                    }));
                }
                None => {
                    let own = bone(Hanging::Node(node.index()));
                    found.extend(places.iter().map(|at| bones[own].transform_point3(*at)));
                }
            }
        }
    }
    found
}

/// Where the corners of a thing are that is bent, walks or plays clips, in its own axes, sizes as it is shown.
fn carried(session: &Session, kind: &Kind, size: f64, sample: &Sample, rest: &[DVec3]) -> Vec<DVec3> {
    let content = |name: &str| session.files.content(name).cloned().unwrap().unwrap();
    if let Some(walk) = &kind.walked {
        return by_bones(&content(walk.file()), &walk.carried(&sample.steps[0]));
    }
    if let Some(animated) = &kind.animated {
        let (at, rig, mut joints) = (sample.clips[0], animated.repertoire.rig(), Vec::new());
        animated.repertoire.joints(at.mix, at.phase, &mut joints);
        let bones: Vec<DMat4> = rig.carried(&joints).collect();
        let [low, high] = rig.around();
        let ModelPlace { turn, .. } = ModelPlace::fitted([low, high], (animated.nose, animated.top), 1.0);
        let into = |at: DVec3| turn * ((at - 0.5 * (low + high)) * (size / (high - low).max_element()));
        return by_bones(&content(&animated.file), &bones).into_iter().map(into).collect();
    }
    let (bend, mut chain) = (kind.bent.as_ref().unwrap(), Vec::new());
    bend.chain(&sample.bents[0], &mut chain);
    let apart = bend.length() / (chain.len() - 1) as f64;
    let one = |at: &DVec3| {
        let first = ((at.x / apart) as usize).min(chain.len() - 2);
        let by = |i: usize| {
            chain[i].translation + chain[i].rotation * (chain[i].scale * (*at - DVec3::X * (apart * i as f64)))
        };
        by(first).lerp(by(first + 1), (at.x / apart - first as f64).clamp(0.0, 1.0))
    };
    rest.iter().map(one).collect()
}

pub fn session(scene: &str) -> Session {
    let path = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo").join(scene);
    Session::read(&path, Arc::new(Registry::default())).unwrap()
}

/// Looks at a scene's file, made by a keying, at these frames after its start: by name of the Output, metres that one is large, and
/// the most that corners may be off beyond what is told of the keys.
fn held(scene: &str, keying: Keying, range: Frames, frames: &[f64], sizes: &[(&str, f64)], slack: f64) {
    let session = session(scene);
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let names: Vec<&str> = sizes.iter().map(|(name, _)| *name).collect();
    let hand_off = HandOff::of(&session, &compiled, |id| names.contains(&session.scene.nodes[id].name.as_str()));
    let mut bytes = Vec::new();
    let tallies = hand_off.write_glb((range, keying), Cursor::new(Vec::new()), &mut bytes, &cancel).unwrap();
    let player = Player::of(&bytes);
    let mut seen: Vec<(usize, String, Vec<DVec3>)> = Vec::new();
    for ((name, motion), tally) in hand_off.outputs().iter().zip(&tallies) {
        let size = sizes.iter().find(|(own, _)| own == name).unwrap().1;
        assert!(tally.joints.keys > 0, "{name} has joints");
        let ready: Arc<dyn Motion> = prepared(motion, range.widened(1.0), &cancel).unwrap();
        for object in 0..motion.len() {
            let kind = &motion.kinds()[motion.kind(object)];
            let thing = format!("{name} {}", object + 1);
            let at_rest: Vec<DVec3> = if kind.bent.is_some() { strip_at_rest(&player, &thing) } else { Vec::new() };
            if let Some(bend) = &kind.bent {
                let ends = |pick: fn(f64, f64) -> f64| at_rest.iter().map(|at| at.x).reduce(pick).unwrap();
                assert!(
                    ends(f64::min).abs() < 1e-6 && (ends(f64::max) - bend.length()).abs() < 1e-5,
                    "{thing} is as long as it is"
                );
                assert!(matches!(bend.form(), BentForm::Strip(_) | BentForm::Model { .. }));
            }
            for (look, frame) in frames.iter().enumerate() {
                let mut sample = Sample::default();
                ready.sample_at(
                    &[(object, range.from + frame)],
                    Columns::POSE | Columns::FORMS | Columns::CLIP,
                    &mut sample,
                );
                let pose = sample.pose(0);
                let stands = DMat4::from_scale_rotation_translation(pose.scale, pose.orientation, pose.position);
                let wanted: Vec<DVec3> = carried(&session, kind, size, &sample, &at_rest)
                    .into_iter()
                    .map(|at| stands.transform_point3(at))
                    .collect();
                let found = player.corners(&thing, frame / session.scene.fps.value());
                assert_eq!(found.len(), wanted.len(), "{thing}");
                let reach = wanted.iter().map(|at| at.distance(pose.position)).fold(0.0, f64::max);
                let told = tally.off.0 + tally.limbs_off.0 + reach * tally.turned_off.0;
                // Where there are keys nothing is missed.
                let allowed = slack + if keying == DENSE { 0.0 } else { told };
                for (at, wanted) in found.iter().zip(&wanted) {
                    assert!(at.distance(*wanted) <= allowed, "{thing} at {frame}: {at} for {wanted}, of {allowed}");
                }
                seen.push((look, thing.clone(), wanted));
            }
        }
    }
    if keying == DENSE {
        played_by_three(scene, &bytes, frames.iter().map(|frame| frame / session.scene.fps.value()), &seen);
        stands_in_usd(&hand_off, range, frames, &seen);
    }
}

/// In USD the same corners are where they are wanted, as its reader has skeletons carry them.
fn stands_in_usd(hand_off: &HandOff<'_>, range: Frames, frames: &[f64], wanted: &[(usize, String, Vec<DVec3>)]) {
    let (mut text, cancel) = (Vec::new(), Cancel::default());
    hand_off.write_usda((range, DENSE), &mut text, &cancel).unwrap();
    let first = hand_off.session().scene.first_frame as f64;
    let times: Vec<f64> = frames.iter().map(|frame| range.from + frame + first).collect();
    let told = crate::stages::read(&text, "usda", &times);
    for (look, thing, corners) in wanted {
        let output = thing.rsplit_once(' ').unwrap().0;
        let meshes = told["outputs"][output]["things"][thing]["meshes"].as_array().unwrap();
        let corner = |value: &serde_json::Value| DVec3::from(crate::stages::numbers::<3>(value));
        let found: Vec<DVec3> =
            meshes.iter().flat_map(|mesh| mesh["corners"][*look].as_array().unwrap().iter().map(corner)).collect();
        assert_eq!(found.len(), corners.len(), "{thing}");
        for (a, b) in together(&found).into_iter().zip(together(corners)) {
            assert!(a.distance(b) < 5e-5, "{thing} at look {look}: {a} for {b}");
        }
    }
}

/// What corners are together: the middle of all, and the box around them.
fn together(corners: &[DVec3]) -> [DVec3; 3] {
    let middle = corners.iter().sum::<DVec3>() / corners.len() as f64;
    let around = |pick: fn(DVec3, DVec3) -> DVec3| corners.iter().copied().reduce(pick).unwrap();
    [middle, around(DVec3::min), around(DVec3::max)]
}

/// Has three's loader and mixer play a file: what it shows at these seconds is what is wanted. Needs the web's packages, which
/// `./test` installs.
fn played_by_three(
    scene: &str,
    bytes: &[u8],
    seconds: impl Iterator<Item = f64>,
    wanted: &[(usize, String, Vec<DVec3>)],
) {
    let seconds: Vec<f64> = seconds.collect();
    let told: Vec<HashMap<String, Vec<[f64; 3]>>> =
        crate::told(crate::web_script("play-glb.mjs"), (bytes, "glb"), &seconds);
    for (look, thing, corners) in wanted {
        let of =
            |name: &str| told[*look].get(name).into_iter().flatten().map(|at| DVec3::from(*at)).collect::<Vec<_>>();
        let found = [of(thing), of(&format!("{thing} mesh"))].concat();
        assert_eq!(found.len(), corners.len(), "{scene}: {thing}");
        for (a, b) in together(&found).into_iter().zip(together(corners)) {
            assert!(a.distance(b) < 2e-5, "{scene}: {thing} at look {look}: {a} for {b}");
        }
    }
}

/// Corners of what is bent as they are written.
fn strip_at_rest(player: &Player, thing: &str) -> Vec<DVec3> {
    let node = player.file.nodes().find(|node| node.name() == Some(&format!("{thing} mesh"))).unwrap();
    let parts: Vec<_> = node.mesh().unwrap().primitives().collect();
    let read = |part: &gltf::Primitive<'_>| {
        part.reader(|_| player.file.blob.as_deref())
            .read_positions()
            .unwrap()
            .map(|at| Vec3::from(at).as_dvec3())
            .collect::<Vec<_>>()
    };
    parts.iter().flat_map(read).collect()
}

const DENSE: Keying = Keying::Every(1.0);
const FEW: Keying = Keying::Within { metres: 5e-3, radians: 5e-3 };
const SHORT: Frames = Frames { from: 10.0, to: 22.0 };

/// At keys that are there at every frame, corners are where they are carried here, to what single precision holds.
#[test]
fn things_with_joints_are_in_a_file_as_they_are_carried() {
    let whole = [0.0, 3.0, 11.0];
    held("stilt-walker.json", DENSE, SHORT, &whole, &[("Walkers", 1.0)], 2e-5);
    held("pennant.json", DENSE, SHORT, &whole, &[("Pennant", 1.0), ("Streamer", 1.0)], 2e-5);
    held("moths-and-the-lamplighter.json", DENSE, Frames { from: 4.0, to: 8.0 }, &[0.0, 3.0], &[("Moths", 0.3)], 2e-5);
}

/// Of few keys what is told of them holds, also between the frames at which they were compared.
#[test]
fn few_keys_of_joints_are_off_by_no_more_than_is_told() {
    let between = [0.31, 5.13, 10.87];
    held("stilt-walker.json", FEW, SHORT, &between, &[("Walkers", 1.0)], 5e-4);
    held("pennant.json", FEW, SHORT, &between, &[("Pennant", 1.0), ("Streamer", 1.0)], 5e-4);
}
