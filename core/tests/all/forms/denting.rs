//! What is pressed into a surface: against the deepest that anything has pressed there at any time, worked out corner by corner.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::sync::Arc;
use zickzack_core::graph::Compiled;
use zickzack_core::motion::{
    BlockLayout, Cancel, Columns, Dents, Frames, Hollow, Motion, Own, Sample, fill_poses, prepared,
};
use zickzack_core::seam::measure;

const F: f64 = 48.0;
/// Part of the depth by which what is left between two moments may be off.
const TOLERANCE: f64 = 0.01;

/// Corners that are looked at: every so manieth.
const EVERY: usize = 41;

fn motion(compiled: &Compiled, node: &str) -> Arc<dyn Motion> {
    let end = compiled.ends.iter().find(|end| end.node == node).expect("an end");
    prepared(&end.motion, Frames { from: -F, to: F + 1.0 }, &Cancel::default()).expect("ready")
}

fn dents(compiled: &Compiled) -> Own<Dents> {
    motion(compiled, "out").kinds()[0].dented.clone().expect("dented")
}

/// Things on a path that press into a surface.
fn scene(path: (&str, Value), ride: Value, surface: (&str, Value), dent: Value) -> Compiled {
    let nodes = [
        ("path", path.0, path.1),
        ("ride", "ride", ride),
        ("surface", surface.0, surface.1),
        ("dent", "dent", dent),
        ("out", "output", json!({})),
        ("things", "output", json!({})),
    ];
    let threads = [
        ("path", "ride", "path"),
        ("ride", "dent", "motion"),
        ("surface", "dent", "surface"),
        ("dent", "out", "motion"),
        ("ride", "things", "motion"),
    ];
    let compiled = compiled(document(F as u32, &nodes, &threads));
    assert!(compiled.nodes["dent"].outcome.is_ok(), "{:?}", compiled.nodes["dent"].outcome.as_ref().as_ref().err());
    compiled
}

fn moved(dents: &Dents, frame: f64) -> Vec<f64> {
    let mut out = vec![f32::NAN; dents.corners()];
    dents.write(frame, &mut out);
    out.into_iter().map(f64::from).collect()
}

/// How things press, told apart from the node.
#[derive(Debug)]
struct Told {
    depth: f64,
    reach: f64,
    tail: f64,
    profile: &'static str,
    sum: bool,
}

impl Told {
    fn json(&self) -> Value {
        let several = if self.sum { "they add up" } else { "the deepest counts" };
        let Self { depth, reach, tail, profile, .. } = self;
        json!({ "depth": depth, "reach": reach, "tail": tail, "hollow": profile, "several": several })
    }

    fn across(&self, apart: f64) -> f64 {
        let x = (apart / self.reach).min(1.0);
        match self.profile {
            "round" => (1.0 - x * x) * (1.0 - x * x),
            "pointed" => (1.0 - x) * (1.0 - x),
            _ => {
                let y = ((x - 0.5) * 2.0).max(0.0);
                1.0 - y * y * (3.0 - 2.0 * y)
            }
        }
    }

    fn left(&self, frames: f64) -> f64 {
        if self.tail == 0.0 {
            return if frames == 0.0 { 1.0 } else { 0.0 };
        }
        let part = (frames / self.tail).min(1.0);
        1.0 - part * part * (3.0 - 2.0 * part)
    }

    /// How deep each place is pressed at a frame, by places of things at so many moments before, in the surface's axes.
    fn reference(&self, places: &[DVec3], past: &[(f64, Vec<DVec3>)]) -> Vec<f64> {
        let one = |place: &DVec3, thing: usize| {
            let then =
                |(frames, things): &(f64, Vec<DVec3>)| self.left(*frames) * self.across(place.distance(things[thing]));
            past.iter().map(then).fold(0.0, f64::max)
        };
        let things = past[0].1.len();
        let all = |place: &DVec3| {
            let each = (0..things).map(|thing| one(place, thing));
            self.depth * if self.sum { each.sum::<f64>() } else { each.fold(0.0, f64::max) }
        };
        places.iter().map(all).collect()
    }
}

fn told() -> impl Strategy<Value = Told> {
    let profile = prop::sample::select(vec!["round", "pointed", "flat"]);
    (0.05..0.4f64, 0.2..0.9f64, prop_oneof![Just(0.0), 2.0..20.0f64], profile, any::<bool>())
        .prop_map(|(depth, reach, tail, profile, sum)| Told { depth, reach, tail, profile, sum })
}

/// Where things were in the frames before, at so many moments of each, in the axes of a surface that stands somewhere then.
fn past(
    things: &dyn Motion,
    frame: f64,
    (tail, fine): (f64, f64),
    stands: impl Fn(f64) -> (DVec3, DQuat),
) -> Vec<(f64, Vec<DVec3>)> {
    let mut sample = Sample::default();
    let at = |i: usize| {
        let before = i as f64 / fine;
        things.sample(frame - before, Columns::POSITION, &mut sample);
        let (place, turn) = stands(frame - before);
        (before, sample.positions.iter().map(|thing| turn.inverse() * (*thing - place)).collect())
    };
    (0..=(tail * fine) as usize).map(at).collect()
}

proptest! {
    #![proptest_config(cases(24))]

    /// Each corner is moved along its normal by the most that anything has pressed there and has not come back since, wherever
    /// the surface stands, goes and turns to; beyond every reach by nothing.
    #[test]
    fn corners_are_moved_as_deep_as_anything_presses(
        told in told(), riders in 1..5usize, laps in 1..3u32, windings in (1..3i64, -4..4i64), frame in 0.0..F, turn in 0.0..90.0f64,
    ) {
        let (radius, tube) = (2.0, 0.6);
        let winding = json!({ "radius": radius, "tube": tube, "long": windings.0, "short": windings.1 });
        let surface = json!({
            "radius": radius, "tube": tube, "orientation": [0.0, turn, 0.0], "at": [{ "formula": "0.2 * sin(tau * loop)" }, 0.1, 0],
        });
        let ride = json!({ "riders": riders, "laps": laps.to_string() });
        let compiled = scene(("torus-winding", winding), ride, ("torus", surface), told.json());
        let dents = dents(&compiled);
        let stands = |frame: f64| {
            let x = 0.2 * libm::sin(std::f64::consts::TAU * frame / F);
            (DVec3::new(x, 0.1, 0.0), DQuat::from_rotation_y(turn.to_radians()))
        };
        let past = past(&*motion(&compiled, "things"), frame, (told.tail, 400.0), stands);
        let places: Vec<DVec3> = dents.body().places.iter().copied().step_by(EVERY).collect();
        let wanted = told.reference(&places, &past);
        let several = if told.sum { riders as f64 } else { 1.0 };
        for ((place, moved), wanted) in places.iter().zip(moved(&dents, frame).into_iter().step_by(EVERY)).zip(&wanted) {
            prop_assert!((moved + wanted).abs() < TOLERANCE * told.depth * several, "{moved} and not {wanted} at {place}");
            let far = past.iter().flat_map(|(_, things)| things).all(|thing| thing.distance(*place) > 1.02 * told.reach);
            prop_assert!(!far || moved == 0.0, "{moved} beyond all reach");
        }
        // What lines show is what corners do.
        let alike = dents.moved(frame, &places);
        for (alone, moved) in alike.iter().zip(moved(&dents, frame).into_iter().step_by(EVERY)) {
            prop_assert!((alone - moved).abs() < 1e-6);
        }
    }

    /// Riders that trade places at the seam leave it closed in form, though their tails lie over it.
    #[test]
    fn a_loop_of_riders_closes_in_its_dents(told in told(), parts in 1..6u32, raised: bool, uneven in 0.0..1.0f64) {
        let mut dent = told.json();
        dent["way"] = json!(if raised { "raise" } else { "press in" });
        dent["uneven"] = json!(uneven);
        let ride = json!({ "riders": 6, "laps": format!("{parts}/6") });
        let torus = || json!({ "radius": 2.0, "tube": 0.6 });
        let compiled = scene(("torus-winding", torus()), ride, ("torus", torus()), dent);
        let seam = measure(&motion(&compiled, "out"), F, 24.0, &Cancel::default()).expect("measured");
        let form = seam.form.expect("a form");
        prop_assert!(form.amount < 1e-9, "{form:?}");
        let moved = moved(&dents(&compiled), 3.0);
        let sign = if raised { 1.0 } else { -1.0 };
        prop_assert!(moved.iter().all(|moved| sign * moved >= 0.0) && moved.iter().any(|moved| *moved != 0.0));
    }
}

/// Across, it is whole in the middle, and runs out at the reach without an edge.
#[test]
fn dents_run_out_without_an_edge() {
    for hollow in [Hollow::Round, Hollow::Pointed, Hollow::Flat] {
        let at = |x: f64| hollow.at(x * x);
        assert_eq!((at(0.0), at(1.0), at(1.5)), (1.0, 0.0, 0.0));
        assert!(at(1.0 - 1e-4) < 1e-6, "{hollow:?} has a slope at its rim");
        let falls = (0..100).all(|i| at(f64::from(i) / 100.0) >= at(f64::from(i + 1) / 100.0));
        assert!(falls, "{hollow:?} rises somewhere");
    }
}

/// A thing that leaps to the other end of its way leaves nothing between, and something on both sides.
#[test]
fn nothing_is_pressed_between_two_sides_of_a_leap() {
    let line = json!({ "closed": false, "points": [
        { "id": "a", "at": [-3, 0, 0] }, { "id": "b", "at": [3, 0, 0] },
    ] });
    let told = Told { depth: 0.2, reach: 0.4, tail: 12.0, profile: "round", sum: false };
    let plane = json!({ "width": 8.0, "depth": 2.0 });
    let compiled =
        scene(("drawn-path", line), json!({ "riders": 1, "laps": "1", "start": 0.5 }), ("plane", plane), told.json());
    let (dents, things) = (dents(&compiled), motion(&compiled, "things"));
    // It is at the end at frame 24, and at the start at once.
    for frame in [24.2, 25.0, 27.3, 30.0, 36.5] {
        let past = past(&*things, frame, (told.tail, 300.0), |_| (DVec3::ZERO, DQuat::IDENTITY));
        let wanted = told.reference(&dents.body().places, &past);
        for ((place, moved), wanted) in dents.body().places.iter().zip(moved(&dents, frame)).zip(wanted) {
            assert!(
                (moved + wanted).abs() < TOLERANCE * told.depth,
                "{moved} and not {wanted} at {place}, frame {frame}"
            );
        }
    }
    let between = moved(&dents, 26.0);
    let middle = dents.body().places.iter().zip(&between).filter(|(place, _)| place.x.abs() < 1.0);
    assert!(middle.clone().count() > 10 && middle.clone().all(|(_, moved)| *moved == 0.0));
}

/// What is sent to pages is how far each corner is moved.
#[test]
fn pages_are_sent_how_far_corners_are_moved() {
    let ball = || json!({ "radius": 1.0 });
    let circle = json!({ "figure": "circle", "radius": 1.0, "plane": "ground" });
    let told = Told { depth: 0.2, reach: 0.4, tail: 6.0, profile: "round", sum: false };
    let compiled = scene(("figure", circle), json!({ "riders": 2, "laps": "1" }), ("ball", ball()), told.json());
    let motion = motion(&compiled, "out");
    let layout = BlockLayout::of(&*motion);
    let dents = motion.kinds()[0].dented.clone().expect("dented");
    assert_eq!((layout.forms(), layout.row()), (&[dents.corners()][..], layout.floats() + dents.corners()));
    let frames = [0.0, 7.0];
    let mut out = vec![f32::NAN; frames.len() * layout.row()];
    fill_poses(&*motion, &layout, &frames, &mut out, &Cancel::default()).expect("filled");
    for (row, frame) in out.chunks(layout.row()).zip(frames) {
        let sent: Vec<f64> = row[layout.floats()..].iter().map(|x| f64::from(*x)).collect();
        assert_eq!(sent, moved(&dents, frame));
        assert!(sent.iter().any(|moved| *moved < -0.19));
    }
}
