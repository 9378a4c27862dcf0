//! Whatever a document may say within the ranges that the schemas declare, nothing panics and every
//! number that comes out is finite.

use crate::cases::cases;
use crate::common::scenes::{compiled, hastily};
use crate::random::{arbitrary_json, document, document_with, tamed};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::Value;
use zickzack_core::graph::{EndReport, report};
use zickzack_core::keys::{bake_dense, bake_reduced};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::angle_between;
use zickzack_core::scene::{Space, check_value};

/// Parts of the patience that there is for users: for what nodes give and pictures of it, and for files.
const PATIENCE: f64 = 0.02;
const FILE_PATIENCE: f64 = 5e-4;
/// What leaves no scene out that all the patience there is would compare.
const RANGE_PATIENCE: f64 = 0.2;

/// Things that fly, ride, roll or run to and fro, turned by their travel, with followers.
fn turned() -> impl Strategy<Value = Value> {
    let sources: [&[&str]; 5] = [
        &["launch", "face-travel", "output"],
        &["move", "ride", "face-travel", "followers", "output"],
        &["coast", "face-travel", "output"],
        &["launch", "face-travel", "followers", "face-travel", "output"],
        &["figure", "ride", "retime", "face-travel", "waver", "output"],
    ];
    prop::strategy::Union::new(sources.map(|last| document_with(0..4, last).boxed()))
}

/// Prepared over `near` and over much more, a scene shows the same.
fn same_whatever_range(document: Value, near: Frames) -> Result<(), TestCaseError> {
    let (cancel, compiled) = (Cancel::patient(RANGE_PATIENCE), hastily(document, RANGE_PATIENCE));
    let moves =
        compiled.nodes.keys().any(|id| compiled.path(id).is_some_and(|product| product.path.unmoving().is_none()));
    let looked_at = if moves { 2 } else { 9 };
    for end in &compiled.ends {
        let wide = Frames { from: -40.0, to: 150.0 };
        let (Ok(near_ready), Ok(wide_ready)) =
            (prepared(&end.motion, near, &cancel), prepared(&end.motion, wide, &cancel))
        else {
            continue;
        };
        let (mut some, mut all) = (Sample::default(), Sample::default());
        for step in 0..looked_at {
            let frame = near.from + (near.to - near.from) * f64::from(step) / f64::from(looked_at - 1);
            near_ready.sample(frame, Columns::POSE, &mut some);
            wide_ready.sample(frame, Columns::POSE, &mut all);
            for object in 0..near_ready.len() {
                let (a, b) = (some.pose(object), all.pose(object));
                let size = 1.0 + a.position.length();
                let near = a.position.distance(b.position) <= 1e-9 * size && a.scale == b.scale;
                prop_assert!(near, "{object} at {frame}: {a:?} or {b:?}");
                let apart = angle_between(a.orientation, b.orientation);
                prop_assert!(apart <= 1e-6, "{object} at {frame} is {}° apart", apart.to_degrees());
            }
        }
    }
    Ok(())
}

/// Things that ride, are driven, kept in time and cut, and are thrown.
fn travelling() -> impl Strategy<Value = Value> {
    let sources: [&[&str]; 5] = [
        &["figure", "ride", "output"],
        &["figure", "ride", "retime", "output"],
        &["launch", "retime", "output"],
        &["figure", "ride", "shudder", "output"],
        &["launch", "two-shots", "output"],
    ];
    prop::strategy::Union::new(sources.map(|last| document_with(0..2, last).boxed())).prop_map(tamed)
}

/// The velocity at a frame is how the place changes after it, or before it.
fn one_sided(motion: &dyn Motion, object: usize, frame: f64) -> Result<(), TestCaseError> {
    let mut sample = Sample::default();
    let h = 1e-6;
    let at = [-2.0 * h, -h, 0.0, h, 2.0 * h, -0.5 * h, 0.5 * h].map(|by| (object, frame + by));
    motion.sample_at(&at, Columns::POSITION | Columns::VELOCITY, &mut sample);
    let p = &sample.positions;
    let (before, after) = ((p[1] - p[0]) / h, (p[4] - p[3]) / h);
    let (told, size) = (sample.velocities[2], 1.0 + p[2].length());
    let near = |side: DVec3| told.distance(side) < 2e-2 * side.length() + 1e-3 * size;
    // What is as wide as a continent bends within less than a look.
    if told.length() > 1e4 || size > 1e4 {
        return Ok(());
    }
    // Where a jump lies between the two looks nothing is known of that side.
    let jumps = |a: usize, b: usize| {
        p[a].distance(p[b]) > 3.0 * h * (sample.velocities[a].length() + sample.velocities[b].length()) + 1e-9 * size
    };
    // Nor of what is there for this moment alone.
    if jumps(0, 1) || jumps(3, 4) || (jumps(1, 2) && jumps(2, 3)) {
        return Ok(());
    }
    // Nor of a side that still bends within the look.
    let settled = |side: DVec3, nearest: DVec3| side.distance(2.0 * nearest) <= 1e-4 * size + 1e-3 * side.length();
    if !settled(before, (p[5] - p[1]) / h) || !settled(after, (p[3] - p[6]) / h) {
        return Ok(());
    }
    prop_assert!(near(before) || near(after), "{object} at {frame}: {told}, but {before} before and {after} after");
    Ok(())
}

proptest! {
    #![proptest_config(cases(64))]

    #[test]
    fn any_scene_within_its_ranges_gives_finite_poses_keys_and_reports(document in document()) {
        // What is drawn over other things in a flat scene lies nearer to the viewer.
        let nearer = document["nodes"].as_object().unwrap().values().any(|node| node["params"].get("nearer").is_some());
        // With less patience than there is for users: what is given up says so, and all else holds.
        let (mut compiled, cancel) = (hastily(document, PATIENCE), Cancel::patient(PATIENCE));
        for end in compiled.ends.clone() {
            if let Err(MotionError::TooMuch(why)) = EndReport::of(&end, compiled.timing.frames, compiled.timing.fps, &cancel) {
                compiled.refuse(&end.node, &why);
            }
        }
        for told in report(&compiled).values() {
            let sentences = told.messages.iter().all(|text| text.ends_with('.') && text.chars().next().is_some_and(|first| first.is_uppercase() || first.is_numeric()));
            prop_assert!(sentences, "{:?}", told.messages);
        }
        compiled.miniatures(&cancel).unwrap();
        let living = compiled.living_miniature(12, &cancel);
        prop_assert!(matches!(living, Ok(_) | Err(MotionError::TooMuch(_))));
        let frames = compiled.timing.frames;
        // Every frame of a path that moves is a path of its own: a few of them must do.
        let moves = compiled.nodes.keys().any(|id| compiled.path(id).is_some_and(|product| product.path.unmoving().is_none()));
        let (steps, baked) = if moves { (2, 1.0) } else { (12, 20.0) };
        for end in &compiled.ends {
            let told = EndReport::of(end, frames, compiled.timing.fps, &cancel).unwrap();
            prop_assert!([told.seam.position, told.seam.velocity, told.seam.orientation, told.seam.spin].iter().all(|gap| gap.is_finite()));
            let range = Frames { from: -2.5, to: frames + 2.5 };
            let ready = prepared(&end.motion, range.widened(1.0), &cancel).unwrap();
            let mut sample = Sample::default();
            let mut same = Sample::default();
            let columns = Columns::POSE | Columns::VELOCITY | Columns::SPIN | Columns::TRAVEL | Columns::PLACE | Columns::CUT;
            for step in 0..steps {
                let frame = range.from + (range.to - range.from) * f64::from(step) / f64::from(steps - 1);
                ready.sample(frame, columns, &mut sample);
                let at: Vec<(usize, f64)> = (0..ready.len()).map(|object| (object, frame)).collect();
                ready.sample_at(&at, columns, &mut same);
                prop_assert_eq!(&sample, &same, "all at one frame, or each by itself");
                for object in 0..ready.len() {
                    let pose = sample.pose(object);
                    prop_assert!(pose.position.is_finite() && pose.orientation.is_finite(), "{object} at {frame}: {pose:?}");
                    prop_assert!((pose.orientation.length() - 1.0).abs() < 1e-9);
                    prop_assert!(compiled.timing.space == Space::Deep || nearer || pose.position.z == 0.0, "{pose:?} in a flat scene");
                    prop_assert!(sample.velocities[object].is_finite() && sample.spins[object].is_finite());
                    prop_assert!(sample.cuts[object].normal.is_finite() && sample.cuts[object].beyond.is_finite());
                }
            }
            // More corners than can be looked at are refused, and not left out.
            let (range, cancel) = (Frames { from: 0.0, to: frames.min(baked) }, Cancel::patient(FILE_PATIENCE));
            for keys in [bake_reduced(&end.motion, range, (0.01, 0.01), &cancel), bake_dense(&end.motion, range, 0.7, &cancel)].into_iter().flatten() {
                for object in &keys.objects {
                    let finite = object.position.iter().flat_map(|channel| &channel.keys).all(|key| key.value[0].is_finite() && key.slope_in[0].is_finite() && key.slope_out[0].is_finite());
                    prop_assert!(finite && object.orientation.keys.iter().all(|key| key.value.iter().all(|x| x.is_finite())));
                }
            }
        }
    }

    #[test]
    fn any_json_is_a_value_or_refused_with_the_name_of_what_it_is_for(json in arbitrary_json()) {
        for schema in &Registry::default().schemas {
            for param in &schema.params {
                if let Err(why) = check_value(param, &json) {
                    prop_assert!(why.starts_with(param.label) && why.ends_with('.'), "{}/{}: {why}", schema.name, param.name);
                }
            }
        }
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn what_is_seen_at_a_frame_is_the_same_whatever_range_is_prepared(document in document(), from in -30.0..80.0f64, long in 0.0..60.0f64) {
        same_whatever_range(document, Frames { from, to: from + long })?;
    }

    #[test]
    fn what_faces_its_travel_stands_the_same_whatever_range_is_prepared(document in turned(), from in -30.0..80.0f64, long in 0.0..60.0f64) {
        same_whatever_range(document, Frames { from, to: from + long })?;
    }

    #[test]
    fn velocities_where_something_starts_stops_or_jumps_are_those_of_one_side(document in travelling()) {
        let compiled = compiled(document);
        let (frames, cancel) = (compiled.timing.frames, Cancel::default());
        for end in compiled.ends.iter().filter(|end| end.output) {
            let Ok(ready) = prepared(&end.motion, Frames { from: -1.0, to: frames + 1.0 }, &cancel) else { continue };
            // On a path as long as a continent a metre is what rounding leaves.
            if ready.path().is_some_and(|path| path.at(0.0).strands().iter().any(|strand| strand.length() > 1e6)) {
                continue;
            }
            for object in 0..ready.len().min(3) {
                let Ok(breaks) = ready.breaks(object, Frames { from: -0.5, to: frames + 0.5 }) else { continue };
                for at in breaks.iter().map(|b| b.frame).filter(|frame| frame.abs() > 1e-9).take(40).chain([0.0, frames]) {
                    one_sided(&*ready, object, at)?;
                }
            }
        }
    }
}

/// A number can be threaded by a port of its own name.
#[test]
fn ports_and_numbers_of_a_node_have_names_of_their_own() {
    for schema in zickzack_core::nodes::schemas() {
        for port in schema.params.iter().flat_map(|param| param.ports()) {
            let taken = schema.inputs.iter().any(|input| input.name == port);
            assert!(!taken, "{}: {port} is both", schema.name);
        }
    }
}
