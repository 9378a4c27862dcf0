//! Joints: where clips bring them, and that clips run into themselves.

use super::clips::{arm, repertoire, swing, wave};
use crate::cases::cases;
use glam::{DMat4, DVec3};
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::rig::{Bone, Clip, Cycle, Joint, Keyed, Local, PoseTable, Repertoire, Rig, Steps, Track, Values};

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
