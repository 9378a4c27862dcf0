//! An amount is the peak that is reached.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::DQuat;
use proptest::prelude::*;
use serde_json::json;
use zickzack_core::motion::{Columns, Sample};
use zickzack_core::pose::angle_between;
use zickzack_core::signal::{NoiseSignal, Signal};

const SEEDS: u64 = 120;

/// The mean over seeds is the amount within a twentieth, and none is more than 1.7 times as far.
fn is_reached(what: &str, peak: impl Fn(u64) -> f64) {
    let peaks: Vec<f64> = (1..=SEEDS).map(peak).collect();
    let mean = peaks.iter().sum::<f64>() / SEEDS as f64;
    let most = peaks.iter().copied().fold(0.0, f64::max);
    assert!((mean - 1.0).abs() <= 0.05 && most <= 1.7, "{what}: {mean} on average, {most} at most");
}

#[test]
fn within_ten_humps_noise_reaches_its_amount_whatever_its_layers_looping_or_not() {
    for octaves in [1, 2, 3, 8] {
        for looping in [None, Some(240.0)] {
            is_reached(&format!("{octaves} {looping:?}"), |seed| {
                let noise = NoiseSignal::new((3.0, 1.0), (24.0, 5.0), octaves, seed, looping);
                (0..1200).map(|i| (noise.at(f64::from(i) * 0.2) - 3.0).abs()).fold(0.0, f64::max)
            });
        }
    }
}

/// The farthest that a thing of the first end comes from where it stands without its amounts, in metres and radians.
fn farthest(nodes: &[(&str, &str, serde_json::Value)], threads: &[(&str, &str, &str)], frames: u32) -> (f64, f64) {
    let (with, rest) = (compiled(document(frames, nodes, threads)), &nodes[..1]);
    let without = compiled(document(frames, rest, &[]));
    let (with, without) = (&with.ends[0].motion, &without.ends[0].motion);
    let (mut a, mut b) = (Sample::default(), Sample::default());
    (0..frames * 8).fold((0.0, 0.0), |(far, turned): (f64, f64), i| {
        with.sample(f64::from(i) / 8.0, Columns::POSE, &mut a);
        without.sample(f64::from(i) / 8.0, Columns::POSE, &mut b);
        let apart = a.positions[0].distance(b.positions[0]);
        (far.max(apart), turned.max(angle_between(a.orientations[0], b.orientations[0])))
    })
}

#[test]
fn what_wavers_reaches_what_is_asked_for_in_place_and_turn() {
    let way = |seed: u64| {
        farthest(
            &[
                ("pose", "pose", json!({})),
                (
                    "waver",
                    "waver",
                    json!({ "position": [0.5, 0, 0], "orientation": [0, 10, 0], "period": 24, "octaves": 1, "seed": seed }),
                ),
            ],
            &[("pose", "waver", "motion")],
            240,
        )
    };
    is_reached("place", |seed| way(seed).0 / 0.5);
    is_reached("turn", |seed| way(seed).1.to_degrees() / 10.0);
}

#[test]
fn a_path_that_meanders_reaches_what_is_asked_for() {
    for (octaves, space) in [(1, "deep"), (3, "flat")] {
        is_reached(&format!("{octaves} {space}"), |seed| {
            let mut made = document(
                24,
                &[
                    (
                        "line",
                        "drawn-path",
                        json!({ "points": [{ "id": "a", "at": [-3, -4, 0] }, { "id": "b", "at": [3, 4, 0] }] }),
                    ),
                    ("way", "meander", json!({ "amount": 0.2, "size": 1, "octaves": octaves, "seed": seed })),
                ],
                &[("line", "way", "path")],
            );
            made["space"] = json!(space);
            let compiled = compiled(made);
            let curve = compiled.path("way").unwrap().path.at(0.0);
            let strand = &curve.strands()[0];
            // Every place of the line is moved by itself: the nearest place of the line is no farther than that.
            let way = glam::DVec3::new(0.6, 0.8, 0.0);
            let far = |i: u32| {
                let point = strand.at(strand.length() * f64::from(i) / 1000.0).point;
                (point - way * point.dot(way)).length()
            };
            let across = (0..=1000).map(far).fold(0.0, f64::max);
            // Along the line it cannot be seen: of three directions two are left, or one of two.
            let part = if space == "deep" { 0.3943 / 0.4465 } else { 0.3373 / 0.3943 };
            across / (0.2 * part)
        });
    }
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn what_is_hit_first_gives_way_and_turns_by_exactly_what_is_asked_for(
        push in 0.05..0.5f64, turn in 1.0..60.0f64, swings in 1.0..6.0f64, dies in 10.0..40.0f64, ring: bool,
    ) {
        let kind = if ring { "ring-down" } else { "recoil" };
        let struck = json!({ "push": push, "turn": turn, "axis": "x", "swings": swings, "dies": dies, "looping": false });
        let nodes = [
            ("pose", "pose", json!({})),
            ("ball", "launch", json!({ "start": [0, 2, 0], "velocity": [0, 0, 0], "sides": ["bottom"], "bounciness": 0 })),
            ("struck", kind, struck),
        ];
        let made = compiled(document(240, &nodes, &[("pose", "struck", "motion"), ("ball", "struck", "hits")]));
        let end = made.ends.iter().find(|end| end.node == "struck").unwrap();
        let mut sample = Sample::default();
        let mut at = |frame: f64| {
            end.motion.sample(frame, Columns::POSE, &mut sample);
            let turned = angle_between(sample.orientations[0], DQuat::IDENTITY).to_degrees();
            [sample.positions[0].length(), turned]
        };
        for (of, asked) in [(0, push), (1, turn)] {
            if ring && of == 0 {
                continue;
            }
            // The farthest of all looks, and from there to the top of the hump that it lies on.
            let farthest = (0..240 * 64).map(|i| f64::from(i) / 64.0).max_by(|a, b| at(*a)[of].total_cmp(&at(*b)[of]));
            let (mut low, mut high) = (farthest.unwrap() - 1.0 / 64.0, farthest.unwrap() + 1.0 / 64.0);
            for _ in 0..100 {
                let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
                if at(a)[of] < at(b)[of] { low = a } else { high = b }
            }
            let reached = at(0.5 * (low + high))[of];
            prop_assert!((reached / asked - 1.0).abs() < 1e-7, "{reached} for {asked}");
        }
    }
}
