//! Joints in BVH files, against those of a GLB, which is held against how corners are carried here.

use crate::limbs::{Player, session};
use glam::{DMat4, DQuat, DVec3};
use std::collections::HashMap;
use std::io::Cursor;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::Keying;
use zickzack_core::motion::{Cancel, Frames};
use zickzack_formats::bvh;
use zickzack_session::HandOff;

/// Where the joints of a file are at a frame, and how they are turned, by their names.
fn spots(file: &bvh::Skeleton, frame: usize) -> HashMap<String, (DVec3, DQuat)> {
    let mut all: Vec<(DVec3, DQuat)> = Vec::new();
    for (joint, (off, turn)) in file.joints.iter().zip(file.at(frame)) {
        let (above, turned) = joint.parent.map_or((DVec3::ZERO, DQuat::IDENTITY), |parent| all[parent]);
        all.push((above + turned * off, turned * turn));
    }
    let named = file.joints.iter().zip(all).filter(|(joint, _)| !joint.name.is_empty());
    named.map(|(joint, spot)| (joint.name.clone(), spot)).collect()
}

/// Looks at the joints of a thing: all that the GLB has by these names are where they are there.
fn held(scene: &str, output: &str, object: usize, range: Frames, least: usize) {
    let session = session(scene);
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let hand_off = HandOff::of(&session, &compiled, |id| session.scene.nodes[id].name == output);
    assert_eq!(hand_off.one_with_joints(range, &cancel).unwrap(), 0);
    let (mut text, mut model) = (Vec::new(), Vec::new());
    hand_off.write_bvh((0, object), (range, 1.0), &mut text, &cancel).unwrap();
    hand_off.write_glb((range, Keying::Every(1.0)), Cursor::new(Vec::new()), &mut model, &cancel).unwrap();
    let text = String::from_utf8(text).unwrap();
    let file = bvh::read(&text).unwrap();
    let (fps, frames) = (session.scene.fps.value(), (range.to - range.from) as usize);
    assert_eq!(file.frames(), frames + 1);
    assert!((file.seconds * fps - 1.0).abs() < 1e-12);
    let (player, thing) = (Player::of(&model), format!("{output} {}", object + 1));
    // Those of a chain are called after their thing.
    let own =
        |node: &str| node.strip_prefix(&format!("{thing} joint ")).map_or(node.to_owned(), |i| format!("joint_{i}"));
    let seconds: Vec<f64> = (0..=frames).map(|frame| frame as f64 / fps).collect();
    // As three's loader and mixer have them, places alone.
    let played: Vec<HashMap<String, [f64; 3]>> =
        crate::told(crate::web_script("play-bvh.mjs"), (text.as_bytes(), "bvh"), &seconds);
    let root = thing.replace(' ', "_");
    for frame in 0..=frames {
        let (found, placed) = (spots(&file, frame), player.placed(seconds[frame]));
        let mut looked = 0;
        for node in player.file.nodes() {
            let Some(name) = node.name().map(own).map(|name| name.replace(' ', "_")) else { continue };
            let belongs = node.name() == Some(&thing) || player.top(node.index()) == thing;
            let place = placed[&node.index()].w_axis.truncate();
            // Of several with one name all but the first have a number.
            let same = |own: &str| own.strip_prefix(&name).is_some_and(|more| more.is_empty() || more.starts_with('_'));
            let all = found.iter().filter(|(own, _)| belongs && same(own));
            let nearest = all.min_by(|a, b| a.1.0.distance(place).total_cmp(&b.1.0.distance(place)));
            let Some((name, (at, turn))) = nearest else { continue };
            let wanted: DMat4 = placed[&node.index()];
            assert!(at.distance(place) < 2e-5, "{scene}: {name} at {frame}: {at} for {place}");
            for (axis, column) in DVec3::AXES.into_iter().zip([wanted.x_axis, wanted.y_axis, wanted.z_axis]) {
                let off = (*turn * axis).distance(column.truncate().normalize());
                assert!(off < 2e-5, "{scene}: {name} at {frame} is turned by {off}");
            }
            let three = DVec3::from(played[frame][name]);
            // It has frames in single precision, and each from its start on.
            assert!(three.distance(place) < 1e-4, "{scene}: {name} at {frame} by three: {three} for {place}");
            looked += 1;
        }
        assert!(looked > least && found.contains_key(&root), "{scene}: {looked} joints of {:?}", found.keys());
    }
}

/// Joints of what walks, plays clips and is bent are where they are in a GLB at every frame, by the reader here and by three's.
#[test]
fn joints_are_in_a_bvh_file_where_they_are_in_a_glb() {
    held("stilt-walker.json", "Walkers", 1, Frames { from: 10.0, to: 22.0 }, 8);
    held("pennant.json", "Streamer", 0, Frames { from: 0.0, to: 12.0 }, 8);
    held("moths-and-the-lamplighter.json", "Moths", 2, Frames { from: 4.0, to: 10.0 }, 2);
}

/// Where there is no thing or it has no joints nothing is written, and it is said which forms hold it.
#[test]
fn what_has_no_joints_is_told() {
    let session = session("lantern-round.json");
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let (hand_off, range) = (HandOff::of(&session, &compiled, |_| true), Frames { from: 0.0, to: 4.0 });
    let none = hand_off.one_with_joints(range, &cancel).unwrap_err().to_string();
    assert!(none.contains("No Output has things with joints"), "{none}");
    let mut text = Vec::new();
    let refused = |object: usize, text: &mut Vec<u8>| {
        hand_off.write_bvh((0, object), (range, 1.0), text, &cancel).unwrap_err().to_string()
    };
    assert!(refused(0, &mut text).contains("has no joints"));
    assert!(refused(900, &mut text).contains("there is no thing 901"));
    assert!(text.is_empty());
}
