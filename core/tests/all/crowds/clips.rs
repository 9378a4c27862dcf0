//! Clips: how joints go through them, and how things do, each from its own start.

use crate::cases::cases;
use crate::common::scenes::document;
use glam::{DMat4, DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Outline, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::{Assets, Compiled, Memo, compile};
use zickzack_core::motion::{
    Break, Cancel, Clipped, Columns, Extent, Frames, MixedBy, Motion, MotionError, Outside, PlayedBy, Playing, Ride,
    Sample, prepared,
};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::{Axis, about};
use zickzack_core::rig::{
    Animated, Bone, Clip, Cycle, Joint, Keyed, Local, PoseTable, Repertoire, Rig, Steps, Track, Values,
};
use zickzack_core::scene::Scene;
use zickzack_core::seam::{Seam, measure, partners};
use zickzack_core::signal::{Accumulated, Driven};

const FPS: f64 = 24.0;
const LOOP: f64 = 96.0;

/// A joint, and another a metre out that hangs on it; both carry something.
fn arm() -> Rig {
    let at = |translation| Local { translation, ..Local::IDENTITY };
    let joints = vec![Joint { parent: None, rest: Local::IDENTITY }, Joint { parent: Some(0), rest: at(DVec3::X) }];
    let bones = vec![
        Bone { joint: 0, inverse: DMat4::IDENTITY },
        Bone { joint: 1, inverse: DMat4::from_translation(-DVec3::X) },
    ];
    Rig::new(joints, bones, [DVec3::new(0.0, -0.1, -0.1), DVec3::new(2.0, 0.1, 0.1)]).unwrap()
}

/// Turns of both joints about z by an angle in part of a cycle, so many keys.
fn swing(name: &str, seconds: f64, keys: usize, angle: impl Fn(f64) -> f64) -> Clip {
    let times: Vec<f64> = (0..=keys).map(|i| seconds * i as f64 / keys as f64).collect();
    let turns: Vec<DQuat> = (0..=keys).map(|i| about(DVec3::Z, angle(i as f64 / keys as f64))).collect();
    let track = |joint| {
        let keyed = Keyed::new(times.clone(), turns.clone(), Steps::Straight).unwrap();
        Track { joint, values: Values::Rotation(keyed) }
    };
    Clip::new(name, vec![track(0), track(1)])
}

fn wave(part: f64) -> f64 {
    0.8 * libm::sin(TAU * part)
}

/// Beats in half a second, glides in two.
fn winged() -> Arc<(Rig, Vec<Clip>)> {
    let beat = swing("beat", 0.5, 48, wave);
    let glide = swing("glide", 2.0, 16, |part| 0.1 * libm::cos(TAU * part) - 0.1);
    Arc::new((arm(), vec![beat, glide, swing("lift", 1.0, 20, |part| 1.2 * part)]))
}

fn repertoire(cycles: &[(usize, f64)]) -> Repertoire {
    let cycles = cycles.iter().map(|&(clip, blend)| Cycle { clip, blend }).collect();
    Repertoire::new(winged(), cycles).unwrap()
}

fn tip(played: &Repertoire, mix: f64, phase: f64) -> DVec3 {
    let mut joints = Vec::new();
    played.joints(mix, phase, &mut joints);
    joints[1].transform_point3(DVec3::X)
}

proptest! {
    #![proptest_config(cases(128))]

    /// Keys of a turn at even pace are that turn between them, one joint after the other.
    #[test]
    fn joints_turn_evenly_between_keys_and_with_what_they_hang_on(angle in -3.0..3.0f64, seconds in 0.1..5.0f64, part in 0.0..1.0f64) {
        let clip = swing("even", seconds, 1, |part| angle * part);
        let rig = arm();
        let mut joints = Vec::new();
        rig.placed(&clip.locals(&rig, part * seconds), &mut joints);
        let turned = |angle: f64| DVec3::new(libm::cos(angle), libm::sin(angle), 0.0);
        let wanted = turned(angle * part) + turned(2.0 * angle * part);
        prop_assert!(joints[1].transform_point3(DVec3::X).distance(wanted) < 1e-9);
    }

    /// A cubic through keys of one, with its slopes, is that one.
    #[test]
    fn cubic_keys_with_the_slopes_of_a_cubic_are_it(c in prop::array::uniform4(-2.0..2.0f64), keys in 1usize..6, at in 0.0..1.0f64) {
        let value = |t: f64| c[0] + t * (c[1] + t * (c[2] + t * c[3]));
        let slope = |t: f64| c[1] + t * (2.0 * c[2] + t * 3.0 * c[3]);
        let times: Vec<f64> = (0..=keys).map(|i| 3.0 * i as f64 / keys as f64).collect();
        let values = times.iter().flat_map(|&t| [slope(t), value(t), slope(t)].map(|x| DVec3::Y * x)).collect();
        let track = Track { joint: 0, values: Values::Translation(Keyed::new(times, values, Steps::Cubic).unwrap()) };
        let found = Clip::new("cubic", vec![track]).locals(&arm(), 3.0 * at)[0].translation;
        prop_assert!((found.y - value(3.0 * at)).abs() < 1e-9);
    }

    /// However open a clip is: blended, its end runs into its start.
    #[test]
    fn a_blended_clip_runs_into_itself(blend in 0.05..0.5f64, from in -1.0..1.0f64, to in -1.0..1.0f64) {
        let open = swing("open", 1.0, 12, |part| from + (to - from) * part * part);
        let model = Arc::new((arm(), vec![open]));
        let played = Repertoire::new(model, vec![Cycle { clip: 0, blend }]).unwrap();
        prop_assert!((played.period(0) - (1.0 - blend)).abs() < 1e-12);
        prop_assert!(played.gap(0) < 1e-9, "{}", played.gap(0));
        let step = 1e-4;
        // A blend of a tenth may go fast, yet never at once.
        let most = (0..10_000).map(|i| tip(&played, 0.0, f64::from(i) * step).distance(tip(&played, 0.0, f64::from(i + 1) * step)));
        prop_assert!(most.fold(0.0, f64::max) < 0.02);
    }

    /// Frames that say the end again are left out, however many there are.
    #[test]
    fn a_clip_that_rests_where_it_began_ends_there(moves in 3usize..12, rests in 0usize..9) {
        let keys = moves + rests;
        let clip = swing("rests", keys as f64, keys, |part| wave((part * keys as f64 / moves as f64).min(1.0)));
        let played = Repertoire::new(Arc::new((arm(), vec![clip])), vec![Cycle { clip: 0, blend: 0.0 }]).unwrap();
        prop_assert!((played.period(0) - moves as f64).abs() < 1e-12, "{}", played.period(0));
    }

    /// What lies straight between rows of the table is off by what the table says at most.
    #[test]
    fn a_table_is_off_by_no_more_than_it_says(phase in 0.0..1.0f64, mix in 0.0..1.0f64) {
        thread_local!(static TABLE: (Repertoire, PoseTable) = {
            let played = repertoire(&[(0, 0.0), (1, 0.0)]);
            let table = PoseTable::of(&played);
            (played, table)
        });
        TABLE.with(|(played, table)| {
            let above = table.rows.partition_point(|at| *at <= phase).min(table.rows.len() - 1);
            let (from, to) = (table.rows[above - 1], table.rows[above]);
            let part = ((phase - from) / (to - from)).min(1.0);
            let layer = mix * (table.layers - 1) as f64;
            let number = |layer: usize, row: usize, at: usize| {
                f64::from(table.numbers[((layer * table.rows.len() + row) * table.bones + 1) * 12 + at])
            };
            let mut rows = [0.0; 12];
            for (at, out) in rows.iter_mut().enumerate() {
                let straight = |layer: usize| number(layer, above - 1, at) * (1.0 - part) + number(layer, above, at) * part;
                let below = layer.floor() as usize;
                let part = layer - layer.floor();
                *out = straight(below) * (1.0 - part) + straight((below + 1).min(table.layers - 1)) * part;
            }
            let written = DVec3::new(2.0, 0.0, 0.0);
            let found = DVec3::from_array([0, 4, 8].map(|r| {
                rows[r] * written.x + rows[r + 1] * written.y + rows[r + 2] * written.z + rows[r + 3]
            }));
            // Numbers are of single precision.
            let apart = found.distance(tip(played, mix, phase)) / 2.0;
            prop_assert!(apart <= 1.2 * table.error + 1e-6, "{apart} of {}", table.error);
            Ok(())
        })?;
    }
}

#[test]
fn one_clip_of_a_table_is_exact_to_a_hundred_thousandth_of_the_thing() {
    let table = PoseTable::of(&repertoire(&[(0, 0.0)]));
    assert!(table.error <= 1e-5, "{} with {} rows", table.error, table.rows.len());
}

/// Things on their way along x, now quicker and now slower, each at its own pace.
struct Pulse(usize);

impl Pulse {
    /// Metres travelled from frame 0 on, and metres per frame.
    fn way(object: usize, frame: f64) -> (f64, f64) {
        let (speed, swing) = (0.05 + 0.01 * object as f64, 0.6);
        let turn = TAU * 2.0 / LOOP;
        let way = speed * (frame + swing / turn * libm::sin(turn * frame));
        (way, speed * (1.0 + swing * libm::cos(turn * frame)))
    }
}

impl Motion for Pulse {
    fn len(&self) -> usize {
        self.0
    }
    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: LOOP, outside: Outside::RunsOn }
    }
    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let (way, speed) = Self::way(object, frame);
            if let Some(place) = out.positions.get_mut(row) {
                *place = DVec3::new(way, object as f64, 0.0);
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity = DVec3::X * speed;
            }
        }
    }
    fn breaks(&self, _: usize, _: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(Vec::new())
    }
}

fn playing(by: PlayedBy, mixed: MixedBy) -> Playing {
    let cycles: &[(usize, f64)] = if matches!(mixed, MixedBy::First) { &[(0, 0.0)] } else { &[(1, 0.0), (0, 0.0)] };
    let animated =
        Animated { file: "arm.glb".to_owned(), nose: Axis::PlusX, top: Axis::PlusY, repertoire: repertoire(cycles) };
    Playing {
        animated: Arc::new(animated),
        start: Driven::Fixed(0.25),
        start_spread: 1.0,
        by,
        rate_spread: 0.3,
        mixed,
        seed: 7,
        fps: FPS,
    }
}

fn rate(rate: f64) -> PlayedBy {
    PlayedBy::Time(Accumulated::new(Driven::Fixed(rate)))
}

fn phase(motion: &dyn Motion, object: usize, frame: f64) -> f64 {
    let mut sample = Sample::default();
    motion.sample_at(&[(object, frame)], Columns::CLIP, &mut sample);
    sample.clips[0].phase
}

/// How far apart two parts of a cycle are.
fn round(a: f64, b: f64) -> f64 {
    ((a - b) - (a - b).round()).abs()
}

proptest! {
    #![proptest_config(cases(64))]

    /// By distance: as many cycles as the way has lengths, however unevenly it is gone; each a little quicker or slower.
    #[test]
    fn clips_by_distance_go_with_the_way(object in 0usize..5, frame in -30.0..150.0f64, ready: bool, stride in 0.2..3.0f64) {
        let clipped: Arc<dyn Motion> = Arc::new(Clipped::new(Arc::new(Pulse(5)), playing(PlayedBy::Distance(stride), MixedBy::First), None, &Cancel::default()).unwrap());
        let range = Frames { from: frame.min(10.0), to: frame + 5.0 };
        let motion = if ready { prepared(&clipped, range, &Cancel::default()).unwrap() } else { clipped };
        let way = |frame: f64| Pulse::way(object, frame).0 / stride;
        let quicker = 1.0 + 0.3 * zickzack_core::random::signed(7, object as u64, 48);
        let since = phase(&*motion, object, frame) - phase(&*motion, object, 0.0);
        prop_assert!(round(since, way(frame) * quicker) < 1e-5, "{since} of {}", way(frame) * quicker);
    }

    /// The same bits from any frame, prepared for it alone or for all.
    #[test]
    fn what_plays_at_a_frame_does_not_hang_on_what_was_asked_before(
        object in 0usize..5, frame in 0.0..LOOP, closes: bool, by in 0usize..3,
    ) {
        let (by, mixed) = match by {
            0 => (rate(1.3), MixedBy::First),
            1 => (PlayedBy::Distance(0.7), MixedBy::First),
            _ => (rate(0.8), MixedBy::Speed(0.03, 0.08)),
        };
        let closing = closes.then(|| (LOOP, (0..5).collect()));
        let clipped: Arc<dyn Motion> = Arc::new(Clipped::new(Arc::new(Pulse(5)), playing(by, mixed), closing, &Cancel::default()).unwrap());
        let ready = |range| prepared(&clipped, range, &Cancel::default()).unwrap();
        let (all, one) = (ready(Frames { from: 0.0, to: LOOP }), ready(Frames { from: frame, to: frame }));
        prop_assert_eq!(phase(&*all, object, frame), phase(&*one, object, frame));
        prop_assert!(round(phase(&*clipped, object, frame), phase(&*one, object, frame)) < 1e-7);
    }

    /// Made to close, each thing goes on at the end as its partner began, with at most half a cycle more or less in between.
    #[test]
    fn clips_that_are_made_to_close_do(laps in 1i64..20, riders in 1usize..8, speed in 0.1..4.0f64, by in 0usize..3) {
        let ring = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true).unwrap();
        let laps = Fraction::new(laps, riders as i64).unwrap();
        let ride: Arc<dyn Motion> = Arc::new(Ride::new(Path::still(Curve::from(ring)), riders, laps, LOOP));
        let (by, mixed) = match by {
            0 => (rate(speed), MixedBy::First),
            1 => (PlayedBy::Distance(speed), MixedBy::First),
            _ => (rate(speed), MixedBy::Share(Driven::Fixed(0.4))),
        };
        let others = partners(&ride, LOOP, &Cancel::default()).unwrap();
        let free: Arc<dyn Motion> = Arc::new(Clipped::new(ride.clone(), playing(by.clone(), mixed.clone()), None, &Cancel::default()).unwrap());
        let clipped = Clipped::new(ride, playing(by, mixed), Some((LOOP, others)), &Cancel::default()).unwrap();
        let (cycles, more) = clipped.layer().closed().unwrap();
        prop_assert!(more <= 0.5 + 1e-9 || cycles.0 > 0.0);
        let clipped: Arc<dyn Motion> = Arc::new(clipped);
        let seam = measure(&clipped, LOOP, FPS, &Cancel::default()).unwrap();
        prop_assert!(seam.closes(1e-6), "{:?}", seam.clip);
        prop_assert!(seam.clip.unwrap().amount < 1e-9, "{:?}", seam.clip);
        // At the start nothing is changed.
        for object in 0..riders {
            prop_assert!(round(phase(&*clipped, object, 0.0), phase(&*free, object, 0.0)) < 1e-9);
        }
    }
}

#[test]
fn clips_that_are_left_open_are_told_by_the_seam() {
    let ring = Strand::new(vec![Segment::circle(DVec3::ZERO, 2.0, DVec3::X, DVec3::Z)], true).unwrap();
    let ride: Arc<dyn Motion> =
        Arc::new(Ride::new(Path::still(Curve::from(ring)), 3, Fraction::whole(1).unwrap(), LOOP));
    let seam = |how: Playing| -> Seam {
        let clipped: Arc<dyn Motion> = Arc::new(Clipped::new(ride.clone(), how, None, &Cancel::default()).unwrap());
        measure(&clipped, LOOP, FPS, &Cancel::default()).unwrap()
    };
    let even = |speed: f64| Playing { rate_spread: 0.0, ..playing(rate(speed), MixedBy::First) };
    // Four seconds have eight cycles of half a second.
    assert!(seam(even(1.0)).closes(1e-6));
    let open = seam(even(1.05));
    assert!(!open.closes(1e-6) && (open.clip.unwrap().amount - 0.4).abs() < 1e-9, "{:?}", open.clip);
}

/// Files of a scene: one with joints and clips.
struct Files(Arc<(Rig, Vec<Clip>)>);

impl Assets for Files {
    fn outlines(&self, _: &str) -> Result<Arc<Vec<Outline>>, String> {
        Err("none".to_owned())
    }
    fn corners(&self, _: &str) -> Result<Arc<Vec<DVec3>>, String> {
        Err("none".to_owned())
    }
    fn places(&self, _: &str) -> Result<Arc<Vec<DVec3>>, String> {
        Err("none".to_owned())
    }
    fn animated(&self, _: &str) -> Result<Arc<(Rig, Vec<Clip>)>, String> {
        Ok(self.0.clone())
    }
}

fn made(model: Arc<(Rig, Vec<Clip>)>, document: Value) -> Compiled {
    let registry = Registry::default();
    let scene = Scene::from_json(&document.to_string(), &registry.schemas).unwrap();
    let (memo, cancel): (Memo, Cancel) = Default::default();
    let files: Arc<dyn Assets> = Arc::new(Files(model));
    let workshop = zickzack_core::graph::Workshop { assets: &files, ..registry.workshop(&memo, &cancel) };
    compile(&scene, &workshop)
}

/// A ride, a clip, and another node between it and the Output.
fn through(kind: &str, params: Value, clip: Value) -> Compiled {
    let mut told = json!({ "file": "arm.glb" });
    clip.as_object().unwrap().iter().for_each(|(name, value)| told[name] = value.clone());
    let nodes = [
        ("path", "figure", json!({})),
        ("ride", "ride", json!({ "riders": 4 })),
        ("clip", "clip", told),
        ("layer", kind, params),
        ("out", "output", json!({})),
    ];
    let threads =
        [("path", "ride", "path"), ("ride", "clip", "motion"), ("clip", "layer", "motion"), ("layer", "out", "motion")];
    made(winged(), document(96, &nodes, &threads))
}

/// What a thing plays goes along with it through everything that leaves it that thing.
#[test]
fn clips_go_along_through_what_comes_after() {
    let plain = through("waver", json!({ "position": [0, 0, 0] }), json!({}));
    let expected = |object: usize, frame: f64| phase(&*plain.ends[0].motion, object, frame);
    let layers = [
        ("face-travel", json!({})),
        ("waver", json!({})),
        ("swell", json!({})),
        ("kinds", json!({ "kinds": [{ "id": "a", "colour": "#ff0000" }] })),
        ("look-by", json!({})),
        ("head-count", json!({})),
        ("close-loop", json!({})),
        ("shudder", json!({})),
    ];
    for (kind, params) in layers {
        let compiled = through(kind, params, json!({}));
        let motion = prepared(&compiled.ends[0].motion, Frames { from: 0.0, to: 96.0 }, &Cancel::default()).unwrap();
        assert!(motion.kinds()[motion.kind(2)].animated.is_some(), "{kind}");
        assert!(motion.varies().contain(Columns::CLIP), "{kind}");
        for frame in [0.0, 17.0, 50.25] {
            let found = phase(&*motion, 2, frame);
            assert!(round(found, expected(2, frame)) < 1e-9, "{kind} at {frame}: {found}, {}", expected(2, frame));
        }
    }
    let late = through("followers", json!({ "followers": 2, "delay": 5 }), json!({}));
    let motion = prepared(&late.ends[0].motion, Frames { from: 0.0, to: 96.0 }, &Cancel::default()).unwrap();
    for object in 0..4 {
        let found = phase(&*motion, object, 40.0);
        let follower = (1..=2).any(|which| round(found, expected(object, 40.0 - 5.0 * f64::from(which))) < 1e-9);
        assert!(follower || round(found, expected(object, 40.0)) < 1e-9, "a delay moves what is played: {object}");
    }
}

/// What is shown as something else plays no clips any more.
#[test]
fn a_kind_that_is_shown_as_something_else_plays_nothing() {
    let compiled = through("kinds", json!({ "kinds": [{ "id": "a", "thing": "ball" }] }), json!({}));
    assert!(compiled.ends[0].motion.kinds().iter().all(|kind| kind.animated.is_none()));
}

/// Of what begins anew a clip begins with each life, and the loop closes by itself.
#[test]
fn clips_begin_with_lives() {
    for by in ["time", "distance"] {
        let nodes = [
            ("path", "figure", json!({})),
            ("swarm", "swarm", json!({})),
            ("clip", "clip", json!({ "file": "arm.glb", "by": by, "start-spread": 0.0, "start": 0.5 })),
            ("out", "output", json!({})),
        ];
        let threads = [("path", "swarm", "path"), ("swarm", "clip", "motion"), ("clip", "out", "motion")];
        let compiled = made(winged(), document(96, &nodes, &threads));
        let motion = &compiled.ends[0].motion;
        let seam = measure(motion, 96.0, FPS, &Cancel::default()).unwrap();
        assert!(seam.clip.unwrap().amount < 1e-9, "{by}: {:?}", seam.clip);
        let ready = prepared(motion, Frames { from: 0.0, to: 96.0 }, &Cancel::default()).unwrap();
        let lives = ready.lives().unwrap();
        let life = (0..lives.things()).find_map(|thing| lives.begin(thing, 5.0, 80.0).next().map(|life| (thing, life)));
        let (thing, life) = life.unwrap();
        assert!(round(phase(&*ready, thing, life.from), 0.5) < 1e-9, "{by}");
        assert!(round(phase(&*ready, thing, life.from + 2.0), 0.5) > 1e-4, "{by}");
    }
}

#[test]
fn what_cannot_be_played_is_said_in_a_sentence() {
    let said = |model: Arc<(Rig, Vec<Clip>)>, clip: Value| -> (Option<String>, Vec<String>, usize) {
        let mut told = json!({ "file": "arm.glb" });
        clip.as_object().unwrap().iter().for_each(|(name, value)| told[name] = value.clone());
        let nodes = [
            ("path", "figure", json!({})),
            ("ride", "ride", json!({})),
            ("clip", "clip", told),
            ("out", "output", json!({})),
        ];
        let threads = [("path", "ride", "path"), ("ride", "clip", "motion"), ("clip", "out", "motion")];
        let compiled = made(model, document(96, &nodes, &threads));
        match compiled.nodes["clip"].outcome.as_ref() {
            Ok(outcome) => (None, outcome.warnings.clone(), outcome.mends.len()),
            Err(why) => (Some(why.clone()), Vec::new(), 0),
        }
    };
    let refused = |model, clip, part: &str| {
        let (why, ..) = said(model, clip);
        assert!(why.clone().is_some_and(|why| why.contains(part)), "{part}: {why:?}");
    };
    refused(Arc::new((arm(), Vec::new())), json!({}), "There is no clip in \"arm.glb\"");
    refused(winged(), json!({ "clip": "flap" }), "choose one of \"beat\", \"glide\", \"lift\"");
    refused(winged(), json!({ "nose": "+y" }), "one line");
    let still = Clip::new(
        "still",
        vec![Track { joint: 0, values: Values::Scale(Keyed::new(vec![0.0], vec![DVec3::ONE], Steps::Hold).unwrap()) }],
    );
    refused(Arc::new((arm(), vec![still])), json!({}), "takes no time");
    let (_, warnings, mends) = said(winged(), json!({ "clip": "lift" }));
    assert!(warnings.iter().any(|text| text.contains("jumps")) && mends == 1, "{warnings:?}");
    let (_, warnings, _) = said(winged(), json!({ "clip": "lift", "blend": 0.2 }));
    assert!(warnings.is_empty(), "{warnings:?}");
    let (_, warnings, _) = said(winged(), json!({ "with": "speed", "slow": 3, "fast": 1 }));
    assert!(warnings.iter().any(|text| text.contains("change at once")), "{warnings:?}");
    let (_, _, mends) = said(winged(), json!({ "closes": false, "rate": 1.03, "rate-spread": 0.0 }));
    assert_eq!(mends, 2, "whole numbers of cycles on both sides are offered");
    let none = said(winged(), json!({ "file": "" }));
    assert!(none.1.iter().any(|text| text.contains("No model is chosen yet")));
}

/// What hangs on nothing, or on itself, is no rig.
#[test]
fn joints_that_hang_in_a_circle_or_nowhere_are_refused() {
    let joint = |parent| Joint { parent, rest: Local::IDENTITY };
    let around = [DVec3::ZERO, DVec3::ONE];
    assert!(Rig::new(vec![joint(Some(1)), joint(Some(0))], vec![], around).unwrap_err().contains("circle"));
    assert!(Rig::new(vec![joint(Some(3))], vec![], around).unwrap_err().contains("missing"));
    assert!(Rig::new(vec![joint(None)], vec![Bone { joint: 1, inverse: DMat4::IDENTITY }], around).is_err());
    assert!(Rig::new(vec![joint(None)], vec![], [DVec3::ONE, DVec3::ZERO]).is_err());
    for (times, values) in [
        (vec![], vec![]),
        (vec![1.0, 1.0], vec![DVec3::ONE; 2]),
        (vec![0.0], vec![DVec3::ONE; 2]),
        (vec![f64::NAN], vec![DVec3::ONE]),
    ] {
        assert!(Keyed::new(times, values, Steps::Straight).is_err());
    }
}
