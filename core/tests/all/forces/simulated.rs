//! Orientation of motion that comes from forces: thrown, bounced, bumped about.

use crate::cases::cases;
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::FRAC_PI_2;
use std::sync::Arc;
use zickzack_core::motion::{
    BreakKind, Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Sample, Steered, Steering, prepared, record,
};
use zickzack_core::physics::{Air, Bodies, BodiesSetup, BodyForm, Launch, LaunchSetup, Obstacle};
use zickzack_core::pose::{Axis, angle_between};
use zickzack_core::surface::{Shape, Surface};

const FPS: f64 = 24.0;
const FRAMES: f64 = 96.0;
const WINDOW: f64 = 6.0;

fn floor() -> Surface {
    Surface::new(Arc::new(Shape::Plane { width: 1.0, depth: 1.0 }), DVec3::ZERO, DQuat::IDENTITY)
}

fn thrown(all: &[(DVec3, DVec3)], floor: Option<Obstacle>) -> Arc<dyn Motion> {
    let throw = |&(start, velocity): &(DVec3, DVec3)| LaunchSetup {
        fps: FPS,
        obstacles: Arc::new(floor.iter().cloned().collect()),
        bounciness: 0.7,
        friction: 0.2,
        ..LaunchSetup::free(start, velocity, Air::still(DVec3::NEG_Y * 9.81))
    };
    Arc::new(Launch::solve_all(all.iter().map(throw).collect(), FRAMES + 4.0))
}

fn bumped(all: &[(DVec3, DVec3)]) -> Arc<dyn Motion> {
    let setup = BodiesSetup {
        forms: vec![BodyForm::Ball(0.25)],
        moved_forms: vec![BodyForm::Ball(0.25)],
        density: 1000.0,
        bounciness: 0.5,
        friction: 0.4,
        damping: (0.1, 0.1),
        gravity: DVec3::NEG_Y * 9.81,
        pulled: None,
        steps: None,
        from: 0.0,
        fps: FPS,
        level: None,
    };
    let begin = prepared(&thrown(all, None), Frames { from: 0.0, to: FRAMES + 4.0 }, &Cancel::default()).unwrap();
    let mut bodies = Bodies::new(setup, begin, None, &[floor()]);
    let take = record(&mut bodies, (0.0, FRAMES as usize + 4), &[], &Cancel::default(), &mut |_| ());
    Arc::new(take.recording().unwrap())
}

/// Faced along its travel with steady axes, turns at contacts and reversals taking their frames.
fn faced(motion: &Arc<dyn Motion>) -> Arc<dyn Motion> {
    let facing = FaceTravel::new(motion.clone(), Axis::PlusX, Axis::PlusY, FaceUp::STEADY);
    let steering = Steering { slow: motion.still_below(), corner: WINDOW, lead: FRAMES, ..Steering::NONE };
    let steered: Arc<dyn Motion> = Arc::new(Steered::new(Arc::new(facing), steering));
    prepared(&steered, Frames { from: -1.0, to: FRAMES + 2.0 }, &Cancel::default()).unwrap()
}

fn turns(motion: &dyn Motion, object: usize) -> Vec<DQuat> {
    let mut sample = Sample::default();
    let at: Vec<(usize, f64)> = (0..=FRAMES as usize).map(|frame| (object, frame as f64)).collect();
    motion.sample_at(&at, Columns::ORIENTATION, &mut sample);
    sample.orientations.clone()
}

/// The frames at which the way may turn about: where it breaks, and where it turns back within a frame.
fn windows(motion: &dyn Motion, object: usize) -> Vec<f64> {
    let range = Frames { from: -1.0, to: FRAMES + 2.0 };
    let breaks = motion.breaks(object, range).unwrap();
    let mut frames: Vec<f64> = breaks.iter().filter(|b| b.kind != BreakKind::Anew).map(|b| b.frame).collect();
    let mut sample = Sample::default();
    let at: Vec<(usize, f64)> = (0..=(4.0 * FRAMES) as usize).map(|step| (object, step as f64 * 0.25)).collect();
    motion.sample_at(&at, Columns::VELOCITY, &mut sample);
    let back = |frame: &[DVec3]| frame[0].angle_between(frame[4]) > FRAC_PI_2;
    let turned = sample.velocities.windows(5).enumerate().filter(|(_, frame)| back(frame));
    frames.extend(turned.map(|(step, _)| (step as f64 + 2.0) * 0.25));
    frames
}

fn starts() -> impl Strategy<Value = Vec<(DVec3, DVec3)>> {
    let one = (-2.0..2.0f64, 0.5..3.0f64, -2.0..2.0f64, -3.0..3.0f64, -2.0..6.0f64, -3.0..3.0f64);
    prop::collection::vec(one.prop_map(|(a, b, c, u, v, w)| (DVec3::new(a, b, c), DVec3::new(u, v, w))), 1..6)
}

proptest! {
    #![proptest_config(cases(48))]

    /// No turn of more than 90° in one frame but where it bounces or turns back.
    #[test]
    fn what_is_thrown_or_bumped_about_never_flips_but_at_contacts_and_reversals(all in starts(), simulated: bool) {
        let motion = if simulated { bumped(&all) } else { thrown(&all, Some(Obstacle { surface: floor(), name: "floor".to_owned() })) };
        let motion = prepared(&motion, Frames { from: -1.0, to: FRAMES + 2.0 }, &Cancel::default()).unwrap();
        let faced = faced(&motion);
        for object in 0..motion.len() {
            let windows = windows(&*motion, object);
            for (frame, pair) in turns(&*faced, object).windows(2).enumerate() {
                let middle = frame as f64 + 0.5;
                let turned = angle_between(pair[0], pair[1]);
                let inside = windows.iter().any(|at| (middle - at).abs() <= 0.5 * WINDOW + 1.0);
                prop_assert!(inside || turned <= FRAC_PI_2, "{turned} at frame {frame} of {object}, {windows:?}");
            }
        }
    }

    /// What has come to rest among others keeps its heading, though the simulation never quite rests.
    #[test]
    fn below_a_thousandth_of_its_size_a_frame_the_heading_holds(all in starts()) {
        let motion = bumped(&all);
        prop_assert!((motion.still_below() - 5e-4).abs() < 1e-12);
        let faced = faced(&motion);
        let mut sample = Sample::default();
        for object in 0..motion.len() {
            let quarters: Vec<(usize, f64)> = (0..=(4.0 * FRAMES) as usize).map(|step| (object, step as f64 * 0.25)).collect();
            motion.sample_at(&quarters, Columns::VELOCITY, &mut sample);
            let slow: Vec<bool> = sample.velocities.iter().map(|v| v.length() < 5e-4).collect();
            let mut known = Sample::default();
            faced.sample_at(&quarters, Columns::ORIENTATION, &mut known);
            let corners = windows(&*motion, object);
            for step in 1..slow.len() {
                let frame = step as f64 * 0.25;
                let near = corners.iter().any(|at| (frame - at).abs() <= 0.5 * WINDOW + 0.5);
                if slow[step] && slow[step - 1] && !near {
                    let turned = angle_between(known.orientations[step - 1], known.orientations[step]);
                    prop_assert!(turned < 1e-9, "{turned} at {frame} of {object}");
                }
            }
        }
    }
}

/// What fell straight down faces the way it fell for as long as it lies there, to the recording's very end and beyond.
#[test]
fn what_lies_still_faces_as_it_fell_up_to_the_end() {
    let motion = bumped(&[(DVec3::new(0.0, 0.5, 0.0), DVec3::ZERO)]);
    let faced = faced(&motion);
    let at: Vec<(usize, f64)> = (120..400).map(|step| (0, f64::from(step) * 0.25)).collect();
    let mut sample = Sample::default();
    faced.sample_at(&at, Columns::ORIENTATION, &mut sample);
    for (turn, (_, frame)) in sample.orientations.iter().zip(&at) {
        assert!((*turn * DVec3::X).y.abs() > 1.0 - 1e-9, "{turn} at {frame}");
    }
}
