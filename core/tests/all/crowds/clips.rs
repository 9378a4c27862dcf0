//! Clips: how joints go through them, and how things do, each from its own start.

use crate::cases::cases;
use crate::common::scenes::{Files, document};
use glam::{DMat4, DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, Segment, Strand};
use zickzack_core::fraction::Fraction;
use zickzack_core::graph::Compiled;
use zickzack_core::motion::{
    Break, Cancel, Clipped, Columns, Extent, Frames, MixedBy, Motion, MotionError, Outside, PlayedBy, Playing, Ride,
    Sample, prepared,
};
use zickzack_core::pose::{Axis, about};
use zickzack_core::rig::{Animated, Bone, Clip, Cycle, Joint, Keyed, Local, Repertoire, Rig, Steps, Track, Values};
use zickzack_core::seam::{Seam, measure, partners};
use zickzack_core::signal::{Accumulated, Driven};

const FPS: f64 = 24.0;
const LOOP: f64 = 96.0;

/// A joint, and another a metre out that hangs on it; both carry something.
pub fn arm() -> Rig {
    let at = |translation| Local { translation, ..Local::IDENTITY };
    let joints = vec![Joint { parent: None, rest: Local::IDENTITY }, Joint { parent: Some(0), rest: at(DVec3::X) }];
    let bones = vec![
        Bone { joint: 0, inverse: DMat4::IDENTITY },
        Bone { joint: 1, inverse: DMat4::from_translation(-DVec3::X) },
    ];
    Rig::new(joints, bones, [DVec3::new(0.0, -0.1, -0.1), DVec3::new(2.0, 0.1, 0.1)]).unwrap()
}

/// Turns of both joints about z by an angle in part of a cycle, so many keys.
pub fn swing(name: &str, seconds: f64, keys: usize, angle: impl Fn(f64) -> f64) -> Clip {
    let times: Vec<f64> = (0..=keys).map(|i| seconds * i as f64 / keys as f64).collect();
    let turns: Vec<DQuat> = (0..=keys).map(|i| about(DVec3::Z, angle(i as f64 / keys as f64))).collect();
    let track = |joint| {
        let keyed = Keyed::new(times.clone(), turns.clone(), Steps::Straight).unwrap();
        Track { joint, values: Values::Rotation(keyed) }
    };
    Clip::new(name, vec![track(0), track(1)])
}

pub fn wave(part: f64) -> f64 {
    0.8 * libm::sin(TAU * part)
}

/// Beats in half a second, glides in two.
pub fn winged() -> Arc<(Rig, Vec<Clip>)> {
    let beat = swing("beat", 0.5, 48, wave);
    let glide = swing("glide", 2.0, 16, |part| 0.1 * libm::cos(TAU * part) - 0.1);
    Arc::new((arm(), vec![beat, glide, swing("lift", 1.0, 20, |part| 1.2 * part)]))
}

pub fn repertoire(cycles: &[(usize, f64)]) -> Repertoire {
    let cycles = cycles.iter().map(|&(clip, blend)| Cycle { clip, blend }).collect();
    Repertoire::new(winged(), cycles).unwrap()
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
        // At the start nothing is changed, and after as many laps as there are riders each is where it was, however often.
        for object in 0..riders {
            for laps in [riders as f64, -3.0 * riders as f64, 1e6 * riders as f64] {
                let again = phase(&*clipped, object, 31.0 + laps * LOOP);
                prop_assert!(round(again, phase(&*clipped, object, 31.0)) < 1e-4, "{laps}");
            }
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

fn made(model: Arc<(Rig, Vec<Clip>)>, document: Value) -> Compiled {
    Files { animated: Some(model), ..Files::default() }.compiled(document)
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

/// Close loop takes up what clips miss as well, spread over the lap or blended.
#[test]
fn close_loop_closes_clips() {
    let open = json!({ "closes": false, "rate": 1.03, "rate-spread": 0.4, "with": "share", "share": { "formula": "0.3 + 0.2 * loop" } });
    let plain = through("waver", json!({ "position": [0, 0, 0] }), open.clone());
    let seam = measure(&plain.ends[0].motion, 96.0, FPS, &Cancel::default()).unwrap();
    assert!(seam.clip.unwrap().amount > 0.01, "{:?}", seam.clip);
    for way in ["spread", "blend"] {
        let closed = through("close-loop", json!({ "way": way, "overlap": 20 }), open.clone());
        let seam = measure(&closed.ends[0].motion, 96.0, FPS, &Cancel::default()).unwrap();
        assert!(seam.clip.unwrap().amount < 1e-9, "{way}: {:?}", seam.clip);
        assert!(seam.closes(1e-6), "{way}");
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
    // The seam offers them too, and each of them closes it by itself.
    let open = through(
        "waver",
        json!({ "position": [0, 0, 0] }),
        json!({ "closes": false, "rate": 1.03, "rate-spread": 0.0 }),
    );
    let offers: Vec<_> = open.ends[0].offers.iter().filter(|offer| offer.node == "clip").collect();
    assert_eq!(offers.len(), 3, "{offers:?}");
    for offer in offers {
        let mut told = json!({ "closes": false, "rate": 1.03, "rate-spread": 0.0 });
        told[&offer.param] = offer.value.clone();
        let closed = through("waver", json!({ "position": [0, 0, 0] }), told);
        let seam = measure(&closed.ends[0].motion, 96.0, FPS, &Cancel::default()).unwrap();
        assert!(seam.clip.unwrap().amount < 1e-9, "{}: {:?}", offer.text, seam.clip);
    }
    let none = said(winged(), json!({ "file": "" }));
    assert!(none.1.iter().any(|text| text.contains("No model is chosen yet")));
}
