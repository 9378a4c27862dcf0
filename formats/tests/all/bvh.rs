//! Joint motion in BVH files: what is read is what stands there, and what is damaged is refused with its line.

use crate::cases::cases;
use glam::{DMat4, DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::FRAC_PI_2;
use std::fmt::Write;
use std::sync::Arc;
use zickzack_core::pose::angle_between;
use zickzack_core::rig::{Cycle, Repertoire};
use zickzack_formats::bvh::{Bone, Lying};
use zickzack_formats::{animated, bvh, model};

/// A stilt of two joints and an end, that swings: offsets, channels in unusual orders, three frames.
const STILT: &str = include_str!("../stilt.bvh");

/// What a joint hangs on, how far off, and its channels: an axis, and whether it turns about it.
type Hung = (Option<usize>, [f64; 3], Vec<(char, bool)>);

/// Where joints are, worked out with plain matrices: an offset, then turns in the order of their channels.
fn placed(joints: &[Hung], numbers: &[f64]) -> Vec<DVec3> {
    let mut next = 0;
    let mut matrices: Vec<DMat4> = Vec::new();
    for (parent, offset, channels) in joints {
        let (mut off, mut turn) = (DVec3::from(*offset), DMat4::IDENTITY);
        for (axis, rotates) in channels {
            let number = numbers[next];
            next += 1;
            let (sine, cosine) = libm::sincos(number.to_radians());
            let column = |x, y, z| DVec3::new(x, y, z).extend(0.0);
            match (axis, rotates) {
                ('X', false) => off.x = number,
                ('Y', false) => off.y = number,
                ('Z', false) => off.z = number,
                _ => {
                    let [a, b, c] = match axis {
                        'X' => [column(1., 0., 0.), column(0., cosine, sine), column(0., -sine, cosine)],
                        'Y' => [column(cosine, 0., -sine), column(0., 1., 0.), column(sine, 0., cosine)],
                        _ => [column(cosine, sine, 0.), column(-sine, cosine, 0.), column(0., 0., 1.)],
                    };
                    turn *= DMat4::from_cols(a, b, c, DVec3::ZERO.extend(1.0));
                }
            }
        }
        let own = DMat4::from_translation(off) * turn;
        matrices.push(parent.map_or(own, |parent| matrices[parent] * own));
    }
    matrices.iter().map(|matrix| matrix.transform_point3(DVec3::ZERO)).collect()
}

type Made = (Vec<Hung>, Vec<Vec<f64>>);

/// A chain with side branches, its channels in any order, and some frames.
fn made() -> impl Strategy<Value = Made> {
    let axes = prop::sample::select(vec!["XYZ", "ZXY", "YZX", "ZYX"]);
    let joint = (prop::array::uniform3(-1.0..1.0_f64), axes, any::<bool>(), any::<bool>());
    (prop::collection::vec(joint, 2..7), 1usize..5).prop_flat_map(|(all, frames)| {
        let mut joints: Vec<Hung> = Vec::new();
        for (index, (offset, axes, shifts, beside)) in all.into_iter().enumerate() {
            // Each hangs on the one before it, or beside it.
            let parent = match index {
                0 => None,
                1 => Some(0),
                _ if beside => joints[index - 1].0,
                _ => Some(index - 1),
            };
            let place = "XYZ".chars().filter(|_| shifts || index == 0).map(|axis| (axis, false));
            joints.push((parent, offset, place.chain(axes.chars().map(|axis| (axis, true))).collect()));
        }
        let width: usize = joints.iter().map(|joint| joint.2.len()).sum();
        let numbers = prop::collection::vec(prop::collection::vec(-170.0..170.0_f64, width), frames);
        (Just(joints), numbers)
    })
}

fn written((joints, frames): &Made) -> String {
    fn joint(joints: &Made, index: usize, out: &mut String) {
        let (parent, offset, channels) = &joints.0[index];
        let kind = if parent.is_none() { "ROOT" } else { "JOINT" };
        let [x, y, z] = offset;
        write!(out, "{kind} j{index} {{\nOFFSET {x} {y}\t{z}\nCHANNELS {}", channels.len()).unwrap();
        for (axis, rotates) in channels {
            write!(out, " {axis}{}", if *rotates { "rotation" } else { "position" }).unwrap();
        }
        out.push('\n');
        for below in (0..joints.0.len()).filter(|&below| joints.0[below].0 == Some(index)) {
            joint(joints, below, out);
        }
        out.push_str("}\n");
    }
    let mut text = "HIERARCHY\r\n".to_owned();
    joint(&(joints.clone(), frames.clone()), 0, &mut text);
    write!(text, "MOTION\nFrames: {}\nFrame Time: 0.125\n", frames.len()).unwrap();
    for frame in frames {
        let words: Vec<String> = frame.iter().map(f64::to_string).collect();
        text.push_str(&words.join(" "));
        text.push('\n');
    }
    text
}

/// The order in which a file names joints that hang as these: each, then all that hang on it.
fn in_file_order(joints: &Made) -> Vec<usize> {
    fn down(joints: &Made, index: usize, order: &mut Vec<usize>) {
        order.push(index);
        (0..joints.0.len())
            .filter(|&below| joints.0[below].0 == Some(index))
            .for_each(|below| down(joints, below, order));
    }
    let mut order = Vec::new();
    down(joints, 0, &mut order);
    order
}

proptest! {
    #![proptest_config(cases(64))]

    /// At each frame joints are where plain matrices bring them, through the model that is made of the file.
    #[test]
    fn joints_are_where_matrices_bring_them(made in made()) {
        let text = written(&made);
        let (rig, clips) = animated::read(text.as_bytes()).unwrap();
        let order = in_file_order(&made);
        // Numbers of a frame stand in the file's order.
        let sorted: Vec<_> = order.iter().map(|&old| {
            let (parent, offset, channels) = made.0[old].clone();
            (parent.map(|parent| order.iter().position(|&other| other == parent).unwrap()), offset, channels)
        }).collect();
        prop_assert!((clips[0].seconds() - 0.125 * (made.1.len() - 1) as f64).abs() < 1e-6);
        for (frame, numbers) in made.1.iter().enumerate() {
            let locals = clips[0].locals(&rig, 0.125 * frame as f64);
            let mut joints = Vec::new();
            rig.placed(&locals, &mut joints);
            for (wanted, found) in placed(&sorted, numbers).iter().zip(&joints) {
                let found = found.transform_point3(DVec3::ZERO);
                prop_assert!(found.distance(*wanted) < 1e-4 * (1.0 + wanted.length()), "{found}, but {wanted} at {frame}");
            }
        }
    }

    /// Whatever is done to such a file, it is read or refused.
    #[test]
    fn what_is_damaged_is_refused_and_nothing_breaks_off(
        cut in 0..STILT.len(), at in 0..STILT.len(), with in "[ -~\\n]{0,6}", end in any::<bool>(),
    ) {
        let mut text = STILT.to_owned();
        if end { text.truncate(cut) }
        let at = at.min(text.len());
        text.replace_range(at..(at + with.len()).min(text.len()), &with);
        if let Ok(skeleton) = bvh::read(&text) {
            let _ = bvh::drawn(&skeleton);
        }
        let _ = model::read(text.as_bytes());
    }
}

#[test]
fn a_stilt_has_its_joints_bones_and_clip() {
    let facts = model::read(STILT.as_bytes()).unwrap();
    assert_eq!((facts.triangles, facts.parts, facts.clips), (88, 1, 1), "two bones of 44 triangles");
    let skeleton = bvh::read(STILT).unwrap();
    let names: Vec<&str> = skeleton.joints.iter().map(|joint| joint.name.as_str()).collect();
    assert_eq!(names, ["hip", "left knee", ""]);
    let model = animated::read(STILT.as_bytes()).unwrap();
    assert_eq!((model.1[0].name.as_str(), model.1[0].seconds()), ("motion", 1.0));
    let played = Repertoire::new(Arc::new(model), vec![Cycle { clip: 0, blend: 0.0 }]).unwrap();
    let mut joints = Vec::new();
    // Half way through its three frames: the second of them, turned by 90° about z.
    played.joints(0.0, 0.5, &mut joints);
    let knee = joints[1].transform_point3(DVec3::ZERO);
    assert!(knee.distance(DVec3::new(1.5, 1.0, 0.1)) < 1e-5, "{knee}");
}

#[test]
fn what_is_wrong_is_said_with_its_line() {
    let with = |from: &str, to: &str| model::read(STILT.replacen(from, to, 1).as_bytes()).unwrap_err().to_string();
    for (from, to, says) in [
        ("OFFSET 0 1 0", "OFFSET 0 one 0", "line 4: \"one\" stands where a number of the offset is expected"),
        ("Xposition", "Wposition", "line 5: \"Wposition\" is no channel"),
        ("Frames: 3", "Frames: 4", "it says 4 frames of 9 numbers each, and holds 27"),
        ("Frames: 3", "Frames: 99999999999999999999", "line 17"),
        ("Frame Time: 0.5", "Frame Time: 0", "more than 0 seconds"),
        ("Frame Time: 0.5", "Frame Time: inf", "the seconds of a frame"),
        ("90 0 0  0 45 0", "90 0 NaN  0 45 0", "a number is expected"),
        ("MOTION", "NOTION", "line 16: \"NOTION\" stands where MOTION is expected"),
    ] {
        let told = with(from, to);
        assert!(told.contains(says), "{told}");
    }
    let flat = STILT.replace("-0.5 0.1", "0 0").replace("OFFSET 0 -0.5 0", "OFFSET 0 0 0");
    assert!(model::read(flat.as_bytes()).unwrap_err().to_string().contains("lie in one place"));
    let cut = &STILT[..STILT.find("MOTION").unwrap()];
    assert!(model::read(cut.as_bytes()).unwrap_err().to_string().contains("ends where"));
    let frames = STILT.find("0 1 0  0 0 0").unwrap();
    let none = STILT[..frames].replace("Frames: 3", "Frames: 0");
    assert!(model::read(none.as_bytes()).unwrap_err().to_string().contains("no frame of motion"));
    let deep = format!("HIERARCHY ROOT a {}", "{ OFFSET 0 1 0 CHANNELS 0 JOINT b ".repeat(100_000));
    assert!(model::read(deep.as_bytes()).is_err());
    let sites = format!("HIERARCHY ROOT a {{ OFFSET 0 0 0 CHANNELS 0 {}", "End Site { OFFSET 0 1 0 } ".repeat(600));
    assert!(model::read(sites.as_bytes()).unwrap_err().to_string().contains("512 is the most"));
}

#[test]
fn joint_motion_that_is_too_long_is_refused_before_it_is_read() {
    let long = format!("HIERARCHY{}", " ".repeat(bvh::LARGEST));
    let told = model::read(long.as_bytes()).unwrap_err().to_string();
    assert!(told.contains("40 MB") && told.contains("leave out frames"), "{told}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(64))]

    /// Whatever joints hang on each other, however they turn, what is written is read as it was: to 1e-7 m and 1e-6° of each joint.
    #[test]
    fn what_is_written_is_read_as_it_was(
        tree in prop::collection::vec((0usize..40, "[ a-zé{}]{0,4}"), 0..12),
        frames in 1usize..6, spread in prop::sample::select(vec![0.0, 1.0]),
        numbers in prop::collection::vec((-1.0..1.0f64, -1.0..1.0f64, -1.0..1.0f64, -3.2..3.2f64, prop::sample::select(vec![-FRAC_PI_2, FRAC_PI_2, 0.3, -1.2, 3.0]), -3.2..3.2f64), 72),
    ) {
        let mut bones = vec![Bone { name: "thing".to_owned(), parent: None, end: DVec3::X }];
        for (parent, name) in &tree {
            bones.push(Bone { name: name.clone(), parent: Some(parent % bones.len()), end: DVec3::Y });
        }
        let lying: Vec<Lying> = (0..frames).map(|frame| {
            let one = |joint: usize| {
                let (x, y, z, a, b, c) = numbers[(joint + frame * 7) % numbers.len()];
                let still = numbers[joint];
                let turn = DQuat::from_rotation_z(a) * DQuat::from_rotation_x(b) * DQuat::from_rotation_y(c);
                (DVec3::new(still.0, still.1, still.2) + spread * DVec3::new(x, y, z), turn)
            };
            (0..bones.len()).map(one).collect()
        }).collect();
        let mut text = Vec::new();
        bvh::write(&bones, &lying, 1.0 / 24.0, &mut text).unwrap();
        let read = bvh::read(std::str::from_utf8(&text).unwrap()).unwrap();
        prop_assert_eq!(read.frames(), frames);
        prop_assert_eq!(read.seconds, 1.0 / 24.0);
        // Ends of chains have no names; the order is that of the file, depth by depth.
        let own: Vec<usize> = (0..read.joints.len()).filter(|joint| !read.joints[*joint].name.is_empty()).collect();
        prop_assert_eq!(own.len(), bones.len());
        let mut names: Vec<&str> = own.iter().map(|joint| read.joints[*joint].name.as_str()).collect();
        names.sort_unstable();
        names.dedup();
        prop_assert_eq!(names.len(), bones.len(), "names differ");
        let mut order = vec![0];
        let mut open: Vec<usize> = below(&bones, 0);
        while let Some(next) = open.pop() {
            order.push(next);
            open.extend(below(&bones, next));
        }
        for (frame, lying) in lying.iter().enumerate() {
            let found: Vec<(DVec3, DQuat)> = read.at(frame).collect();
            for (joint, wanted) in own.iter().zip(&order) {
                let ((place, turn), (at, turned)) = (found[*joint], lying[*wanted]);
                prop_assert!(place.distance(at) < 2e-7, "{place} for {at}");
                prop_assert!(angle_between(turn, turned) < 3e-8 + 2.0 * 1e-6f64.to_radians(), "{turn} for {turned}");
            }
        }
    }
}

/// What hangs on a joint, the last first.
fn below(bones: &[Bone], joint: usize) -> Vec<usize> {
    (0..bones.len()).rev().filter(|below| bones[*below].parent == Some(joint)).collect()
}
