//! Properties of followers and of motions shown at other times.

use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Figure, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    BreakKind, Cancel, Columns, Delays, FaceTravel, FaceUp, Follower, Followers, Frames, Motion, Retimed, Ride, Sample,
    Timing, prepared,
};
use zickzack_core::physics::{Air, Bounds, Launch, LaunchSetup, Side};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;

const FRAMES: f64 = 96.0;

fn ride(laps: &str, riders: usize) -> Arc<dyn Motion> {
    let place = |(x, y, z): (f64, f64, f64)| PathPoint {
        position: DVec3::new(x, y, z),
        kind: PointKind::Smooth,
        handles: None,
    };
    let points = [(0.0, 0.0, 0.0), (3.0, 1.0, 0.5), (4.0, 0.2, 3.0), (0.5, 1.5, 3.0)].map(place);
    let path = Path::still(Curve::from(through(&points, true).unwrap()));
    Arc::new(Ride::new(path, riders, laps.parse::<Fraction>().unwrap(), FRAMES))
}

fn throw() -> Arc<dyn Motion> {
    Arc::new(Launch::solve(
        LaunchSetup {
            start: DVec3::new(-2.0, 1.0, 0.0),
            velocity: DVec3::new(3.0, 4.0, 1.0),
            air: Air::still(DVec3::NEG_Y * 9.81),
            bounds: Bounds { min: DVec3::new(-4.0, 0.0, -4.0), max: DVec3::new(4.0, 6.0, 4.0) },
            sides: Side::ALL.to_vec(),
            bounciness: 0.8,
            friction: 0.1,
            start_frame: 0.0,
            fps: 24.0,
            ..LaunchSetup::free(DVec3::ZERO, DVec3::ZERO, Air::still(DVec3::ZERO))
        },
        400.0,
    ))
}

fn facing(motion: Arc<dyn Motion>) -> Arc<dyn Motion> {
    Arc::new(FaceTravel::new(motion, Axis::PlusX, Axis::PlusY, FaceUp::STEADY))
}

fn ready(motion: &Arc<dyn Motion>, from: f64, to: f64) -> Arc<dyn Motion> {
    prepared(motion, Frames { from, to }, &Cancel::default()).unwrap()
}

fn sampled(motion: &dyn Motion, frame: f64, columns: Columns) -> Sample {
    let mut sample = Sample::default();
    motion.sample(frame, columns, &mut sample);
    sample
}

const ALL: Columns = Columns::POSE;

proptest! {
    #![proptest_config(cases(48))]

    #[test]
    fn a_follower_is_the_lead_at_its_own_frame_bit_for_bit(
        delays in prop::collection::vec(-30.0..30.0f64, 1..6), frame in 0.0..FRAMES, thrown: bool, leads in 1usize..4,
    ) {
        let lead = if thrown { facing(throw()) } else { facing(ride("5/3", leads)) };
        let lead = ready(&lead, -40.0, 140.0);
        let ranks = delays.iter().map(|&delay| Follower { delay, ..Follower::LEAD }).collect();
        let motion = Followers::new(lead.clone(), ranks, true);
        let columns = ALL | Columns::VELOCITY | Columns::TRAVEL | Columns::SPIN;
        let all = sampled(&motion, frame, columns);
        let count = lead.len();
        prop_assert_eq!(motion.len(), count * delays.len());
        for (rank, delay) in delays.iter().enumerate() {
            let own = sampled(&*lead, frame - delay, columns);
            for object in 0..count {
                let row = rank * count + object;
                prop_assert_eq!(all.positions[row], own.positions[object]);
                prop_assert_eq!(all.orientations[row], own.orientations[object]);
                prop_assert_eq!(all.velocities[row], own.velocities[object]);
                prop_assert_eq!(all.spins[row], own.spins[object]);
                prop_assert_eq!(all.alive[row], own.alive[object]);
            }
        }
    }

    #[test]
    fn a_line_of_followers_keeps_its_first_when_more_come(
        few in 1usize..5, more in 5usize..9, delay in -9.0..9.0f64, grow in 0.5..2.0f64, seed in 0u64..99, which in 0usize..3,
    ) {
        let delays = match which {
            0 => Delays::Even(delay),
            1 => Delays::Given(vec![2.0, 5.0]),
            _ => Delays::Spread(delay, 3.0, seed),
        };
        let line = |count| Follower::line(count, &delays, DVec3::X, grow);
        let (short, long) = (line(few), line(more));
        prop_assert_eq!(&short[..], &long[..few]);
        for (index, follower) in long.iter().enumerate() {
            let rank = index as f64 + 1.0;
            let wanted = if which == 1 { 3.0 * rank - 1.0 } else { delay * rank };
            let most = if which == 2 { 3.0 } else { 1e-12 };
            prop_assert!((follower.delay - wanted).abs() <= most);
            prop_assert_eq!(follower.offset, DVec3::X * rank);
        }
    }

    #[test]
    fn contacts_and_breaks_come_with_the_delay(delay in -20.0..40.0f64) {
        let lead = throw();
        let motion = Followers::new(lead.clone(), vec![Follower { delay, ..Follower::LEAD }], false);
        let range = Frames { from: 0.0, to: 120.0 };
        let own = Frames { from: -delay, to: 120.0 - delay };
        let (late, early) = (motion.contacts(range), lead.contacts(own));
        prop_assert_eq!(late.len(), early.len());
        for (late, early) in late.iter().zip(&early) {
            prop_assert!((late.frame - delay - early.frame).abs() < 1e-9 && late.place == early.place);
        }
        prop_assert_eq!(motion.breaks(0, range).unwrap().len(), lead.breaks(0, own).unwrap().len());
    }

    #[test]
    fn offsets_stand_in_the_leads_axes_or_the_worlds_and_velocities_are_slopes(
        x in -2.0..2.0f64, y in -2.0..2.0f64, z in -2.0..2.0f64, turned: bool, scale in 0.2..3.0f64, frame in 5.0..90.0f64,
    ) {
        let ellipse = Path::still(Curve::from(Figure::Ellipse { x: 3.0, y: 2.0 }.strand().unwrap()));
        let lead = facing(Arc::new(Ride::new(ellipse, 1, "1".parse::<Fraction>().unwrap(), FRAMES)));
        let offset = DVec3::new(x, y, z);
        let motion = Followers::new(lead.clone(), vec![Follower { delay: 4.0, offset, scale, rank: 1.0 }], turned);
        let columns = ALL | Columns::VELOCITY;
        let (here, own) = (sampled(&motion, frame, columns), sampled(&*lead, frame - 4.0, columns));
        let wanted = own.positions[0] + if turned { own.orientations[0] * offset } else { offset };
        prop_assert!((here.positions[0] - wanted).length() < 1e-12);
        prop_assert_eq!(here.scales[0], own.scales[0] * scale);
        let h = 1e-4;
        let at = |frame| sampled(&motion, frame, columns).positions[0];
        prop_assert!(((at(frame + h) - at(frame - h)) / (2.0 * h) - here.velocities[0]).length() < 2e-4);
    }

    #[test]
    fn what_is_shown_at_other_times_is_what_was_there_and_velocities_are_slopes(
        way in 0usize..5, number in 0.3..4.0f64, frame in 1.0..95.0f64,
    ) {
        let timing = match way {
            0 => Timing::Delay(number * 10.0),
            1 => Timing::Speed(-number),
            2 => Timing::Reverse { frames: FRAMES },
            3 => Timing::ThereAndBack { frames: FRAMES },
            _ => Timing::Hold { from: 30.0, during: number * 5.0 },
        };
        let lead = ride("1", 2);
        let motion = Retimed::new(lead.clone(), timing.clone());
        let (shown, _) = timing.at(frame);
        let (here, own) = (sampled(&motion, frame, ALL | Columns::VELOCITY), sampled(&*lead, shown, ALL));
        prop_assert_eq!(&here.positions, &own.positions);
        let h = 1e-5;
        let near = motion.breaks(0, Frames { from: frame - 0.01, to: frame + 0.01 }).unwrap();
        if near.is_empty() {
            for object in 0..2 {
                let at = |frame| sampled(&motion, frame, ALL).positions[object];
                let slope = (at(frame + h) - at(frame - h)) / (2.0 * h);
                prop_assert!((slope - here.velocities[object]).length() < 1e-4);
            }
        }
    }

    #[test]
    fn backwards_twice_is_forwards_and_there_and_back_closes_whatever_it_shows(frame in 0.0..FRAMES, laps in -40i64..40) {
        let lead = ride(&format!("{laps}/7"), 3);
        let once: Arc<dyn Motion> = Arc::new(Retimed::new(lead.clone(), Timing::Reverse { frames: FRAMES }));
        let twice = Retimed::new(once, Timing::Reverse { frames: FRAMES });
        let (a, b) = (sampled(&twice, frame, ALL | Columns::VELOCITY), sampled(&*lead, frame, ALL | Columns::VELOCITY));
        for object in 0..3 {
            prop_assert!((a.positions[object] - b.positions[object]).length() < 1e-9);
            prop_assert!((a.velocities[object] - b.velocities[object]).length() < 1e-9);
        }
        let round: Arc<dyn Motion> = Arc::new(Retimed::new(lead, Timing::ThereAndBack { frames: FRAMES }));
        let seam = measure(&round, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert!(seam.position.amount < 1e-9, "{seam:?}");
    }

    #[test]
    fn in_steps_nothing_moves_between_them_and_each_is_a_jump(step in 0.5..9.0f64, frame in 0.0..90.0f64) {
        let lead = ride("1", 1);
        let motion = Retimed::new(lead.clone(), Timing::Every(step));
        let first = (frame / step).floor() * step;
        let here = sampled(&motion, frame, ALL | Columns::VELOCITY);
        prop_assert_eq!(&here.positions, &sampled(&*lead, first, ALL).positions);
        prop_assert_eq!(here.velocities[0], DVec3::ZERO);
        let breaks = motion.breaks(0, Frames { from: 0.0, to: 90.0 }).unwrap();
        prop_assert!(breaks.iter().all(|found| found.kind == BreakKind::Jump));
        prop_assert_eq!(breaks.len(), (90.0 / step).floor() as usize + 1);
    }
}
