//! Where flocks begin.

use crate::common::scenes::{compiled, document};
use glam::{DQuat, DVec3};
use serde_json::json;
use std::sync::Arc;
use zickzack_core::crowd::{Level, Scatter, ScatteredIn, scattered};
use zickzack_core::motion::{Cancel, Columns, Frames, Sample, prepared};
use zickzack_core::seam::measure;
use zickzack_core::surface::{Shape, Surface};

/// On a surface: as many in each part of it, off it by as much as is said, and flying along it.
#[test]
fn a_flock_begins_evenly_on_a_surface() {
    let ball = Surface::new(Arc::new(Shape::Ball { radius: 2.0 }), DVec3::new(1.0, 2.0, 3.0), DQuat::IDENTITY);
    let room = ScatteredIn {
        kind: Scatter::Surface,
        middle: DVec3::ZERO,
        extent: DVec3::ONE,
        curve: None,
        radius: 0.0,
        surface: Some((&ball, 0.1)),
    };
    for way in [DVec3::ZERO, DVec3::X] {
        let begin = scattered(4000, &room, way, 3.0, (Level::Free, 5));
        let mut parts = [0; 8];
        for start in &begin {
            let out = start.place - DVec3::new(1.0, 2.0, 3.0);
            assert!((out.length() - 2.1).abs() < 1e-9);
            assert!(out.dot(start.velocity).abs() < 1e-9 && (start.velocity.length() - 3.0).abs() < 1e-9);
            parts[usize::from(out.x > 0.0) + 2 * usize::from(out.y > 0.0) + 4 * usize::from(out.z > 0.0)] += 1;
        }
        // 500 in each eighth, within four and a half standard deviations.
        assert!(parts.iter().all(|count| (400..=600).contains(count)), "{parts:?}");
    }
}

#[test]
fn a_flock_that_is_to_begin_on_a_surface_asks_for_one() {
    let begun = |threads: &[(&str, &str, &str)]| {
        let nodes = [
            ("ball", "ball", json!({})),
            ("flock", "flock", json!({ "begin": "on a surface", "count": 20 })),
            ("out", "output", json!({})),
        ];
        compiled(document(24, &nodes, &[threads, &[("flock", "out", "motion")]].concat()))
    };
    let why = begun(&[]).nodes["flock"].outcome.as_ref().as_ref().err().cloned();
    assert!(why.clone().is_some_and(|why| why.contains("There is no surface to begin on")), "{why:?}");
    assert!(begun(&[("ball", "flock", "upon")]).nodes["flock"].outcome.is_ok());
}

/// Born over a surface: each on it, as it is at its birth, evenly, +y away from it; and the loop closes.
#[test]
fn births_lie_evenly_over_a_surface_also_where_it_moves() {
    for moving in [false, true] {
        let x = if moving { json!({ "formula": "3 * sin(tau * loop)" }) } else { json!(0) };
        let nodes = [
            ("ball", "ball", json!({ "radius": 2, "at": [x, 1, 0] })),
            ("still", "pose", json!({})),
            (
                "emit",
                "emit",
                json!({ "births": "evenly", "count": 800, "life": 20, "share": 0, "turned": true, "grows": 0, "shrinks": 0 }),
            ),
            ("out", "output", json!({})),
        ];
        let made = compiled(document(
            96,
            &nodes,
            &[("still", "emit", "motion"), ("ball", "emit", "over"), ("emit", "out", "motion")],
        ));
        assert!(made.nodes["emit"].outcome.is_ok(), "{:?}", made.nodes["emit"].outcome.as_ref().as_ref().err());
        let motion = prepared(&made.ends[0].motion, Frames { from: -20.0, to: 96.0 }, &Cancel::default()).unwrap();
        let mut eighths = [0; 8];
        let (lives, mut sample) = (motion.lives().unwrap(), Sample::default());
        for thing in 0..motion.len() {
            for life in lives.begin(thing, 0.0, 95.99) {
                motion.sample_at(&[(thing, life.from + 5.0)], Columns::POSE, &mut sample);
                let middle = if moving { 3.0 * libm::sin(std::f64::consts::TAU * life.from / 96.0) } else { 0.0 };
                let out = sample.positions[0] - DVec3::new(middle, 1.0, 0.0);
                assert!((out.length() - 2.0).abs() < 1e-9, "{moving}: {}", out.length());
                assert!((sample.orientations[0] * DVec3::Y).distance(out / 2.0) < 1e-9);
                eighths[usize::from(out.x > 0.0) + 2 * usize::from(out.y > 0.0) + 4 * usize::from(out.z > 0.0)] += 1;
            }
        }
        // A hundred in each, within four and a half standard deviations.
        assert!(eighths.iter().all(|count| (58..=142).contains(count)), "{eighths:?}");
        let seam = measure(&made.ends[0].motion, 96.0, 24.0, &Cancel::default()).unwrap();
        assert!(seam.position.amount < 1e-9, "{:?}", seam.position);
    }
}
