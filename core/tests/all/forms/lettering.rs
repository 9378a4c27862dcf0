//! Letters that ride along a path, against the text as it is set.

use crate::common::scenes::{compiled, document};
use glam::{DVec2, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{Strand, lettering};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::seam::measure;

const F: f64 = 48.0;

fn on(path: (&str, Value), told: Value) -> Arc<dyn Motion> {
    let nodes = [("path", path.0, path.1), ("letters", "letters", told), ("out", "output", json!({}))];
    let compiled = compiled(document(F as u32, &nodes, &[("path", "letters", "path"), ("letters", "out", "motion")]));
    prepared(&compiled.ends[0].motion, Frames { from: -F, to: 3.0 * F }, &Cancel::default()).expect("prepared")
}

fn straight() -> (&'static str, Value) {
    let point = |id: &str, x: f64| json!({ "id": id, "at": [x, 1.0, 0.0], "kind": "corner" });
    ("drawn-path", json!({ "points": [point("a", -50.0), point("b", 50.0)] }))
}

fn poses(motion: &dyn Motion, frame: f64) -> Sample {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::VELOCITY | Columns::SPIN, &mut sample);
    sample
}

/// Where the corners of all letters are, letter after letter, contour after contour.
fn corners(motion: &dyn Motion, frame: f64) -> Vec<Vec<DVec3>> {
    let sample = poses(motion, frame);
    let letter = |object: usize| {
        let glyph = motion.kinds()[motion.kind(object)].glyph.clone().expect("a letter");
        let pose = sample.pose(object);
        let place = move |corner: &DVec2| pose.position + pose.orientation * corner.extend(0.0);
        glyph.contours.iter().map(|contour| contour.iter().map(&place).collect()).collect::<Vec<_>>()
    };
    (0..motion.len()).flat_map(letter).collect()
}

proptest! {
    #![proptest_config(ProptestConfig { cases: ProptestConfig::default().cases.div_ceil(8), ..ProptestConfig::default() })]

    /// On a straight line the letters, one by one, are the text as it is set: with its advances and its kerning.
    #[test]
    fn on_a_straight_path_they_are_the_text_as_it_is_set(text in "[AVToWay.fij\u{e4}\u{df} ]{1,12}[A-Z]", size in 0.2..3.0f64, from in 0usize..3) {
        let align = ["its start", "its middle", "its end"][from];
        let told = json!({ "text": text, "size": size, "stand": "facing front", "start": 0.5, "laps": "0", "align": align });
        let motion = on(straight(), told);
        let set = lettering(&text, 0.0).expect("a text");
        let found = corners(&*motion, 7.0);
        prop_assert_eq!(found.len(), set.len());
        // The first corner of each contour tells how far all of it is moved, and the others follow.
        let first = |outline: &zickzack_core::curve::Outline| outline.segments[0].at(0.0) * size;
        let moved = found[0][0] - first(&set[0]);
        for (contour, outline) in found.iter().zip(&set) {
            prop_assert!((contour[0] - first(outline)).distance(moved) < 1e-9, "{text:?} {}", outline.id);
            let strand = Strand::new(outline.segments.clone(), true).expect("closed");
            for corner in contour {
                let flat = (*corner - moved) / size;
                let near = (0..=400).map(|i| strand.at(strand.length() * f64::from(i) / 400.0).point.distance(flat));
                prop_assert!(near.fold(f64::MAX, f64::min) < 0.03, "{text:?} {}", outline.id);
            }
        }
        let line = text.trim_end();
        prop_assert!(from > 0 || !line.starts_with(|sign: char| sign.is_ascii_uppercase()) || (moved.x - 0.0).abs() < 1e-9, "{moved}");
        prop_assert!((moved.y - 1.0).abs() < 1e-9);
    }

    /// Round a circle each stands on it, unbent, along it or against it, and is as quick and turns as fast as it says.
    #[test]
    fn round_a_circle_each_stands_on_it(start in -1.0..1.0f64, frame in 0.0..48.0f64, right: bool, steady: bool, lift in -0.5..0.5f64) {
        let side = if right { "right" } else { "left" };
        let stand = if steady { "steady" } else { "tops up" };
        let circle = ("figure", json!({ "figure": "circle", "radius": 3.0, "plane": "ground" }));
        let told = json!({ "text": "Moon", "side": side, "stand": stand, "start": start, "laps": "1", "lift": lift });
        let motion = on(circle, told);
        let [before, here, after] = [-1e-3, 0.0, 1e-3].map(|later| poses(&*motion, frame + later));
        let mut angles = Vec::new();
        for object in 0..4 {
            let (pose, velocity) = (here.pose(object), here.velocities[object]);
            let foot = pose.position - pose.orientation * DVec3::Y * lift;
            prop_assert!((foot.length() - 3.0).abs() < 1e-5 && foot.y.abs() < 1e-9, "{foot}");
            let along = pose.orientation * DVec3::X;
            let way = velocity.normalize();
            prop_assert!(along.distance(if right { -way } else { way }) < 1e-4, "{along} {way}");
            prop_assert!((velocity.length() - 3.0 * TAU / F).abs() < 1e-4);
            let change = (after.positions[object] - before.positions[object]) / 2e-3;
            prop_assert!(velocity.distance(change) < 1e-5);
            prop_assert!((here.spins[object].length() - TAU / F).abs() < 1e-5);
            prop_assert!(pose.scale == DVec3::ONE && (pose.orientation * DVec3::Y).y > 0.999);
            angles.push((foot, along));
        }
        // The next letter is to the right of the one before, as it is read.
        for pair in angles.windows(2) {
            prop_assert!((pair[1].0 - pair[0].0).dot(pair[0].1) > 0.0);
        }
    }
}

/// They close by themselves after whole laps, and only then; alike letters may stand in for each other.
#[test]
fn they_close_after_whole_laps() {
    let circle = || ("figure", json!({ "figure": "circle", "radius": 3.0, "plane": "ground" }));
    let seam = |laps: &str| {
        let motion = on(circle(), json!({ "text": "Funzel", "laps": laps }));
        measure(&motion, F, 24.0, &Cancel::default()).expect("measured")
    };
    assert!(seam("1").closes(1e-6) && seam("-2").closes(1e-6));
    assert!(seam("1/2").position.amount > 1.0);
}

/// Not turned they stay as they are, wherever they go.
#[test]
fn what_is_not_turned_stays_as_it_is() {
    let circle = ("figure", json!({ "figure": "circle", "radius": 3.0 }));
    let motion = on(circle, json!({ "text": "Moon", "stand": "not turned" }));
    for frame in [0.0, 11.0, 40.0] {
        assert!(poses(&*motion, frame).orientations.iter().all(|turn| *turn == glam::DQuat::IDENTITY));
    }
}
