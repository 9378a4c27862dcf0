//! Properties of facing the travel: where tops point, leaning, corners, smoothing, limits, turns of one's own.

use crate::cases::cases;
use glam::{DQuat, DVec3};
use proptest::prelude::*;
use std::f64::consts::{PI, TAU};
use std::sync::Arc;
use zickzack_core::curve::{
    AxesTable, Curve, Figure, Node, Path, PathPoint, PointKind, Strand, UpRule, through, torus_winding, transport,
};
use zickzack_core::formula::Formula;
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{
    Bank, Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, Ride, RideEnd, Sample, Steered, Steering, prepared,
    trace,
};
use zickzack_core::pose::{Axis, angle_between, bend, signed_angle};
use zickzack_core::seam::measure;
use zickzack_core::signal::{Clock, Driven};
use zickzack_core::surface::{Ground, Shape, Surface};

const FRAMES: f64 = 120.0;
const CLOCK: Clock = Clock { fps: 24.0, frames: FRAMES };

/// A figure laid down, so that what was counter-clockwise is so as seen from above, and moved up.
fn laid(figure: &Figure, height: f64) -> Curve {
    let strand = figure.strand().unwrap();
    let down = DQuat::from_rotation_x(-0.5 * PI);
    let moved = strand.segments().iter().map(|segment| segment.transformed(1.0, down, DVec3::Y * height));
    Curve::from(Strand::new(moved.collect(), strand.closed()).unwrap())
}

fn ring(radius: f64) -> Curve {
    laid(&Figure::Circle { radius }, 0.0)
}

/// A closed path through random places round a ring, with its tops in reach of what lies below and above it.
fn wavy(radii: &[f64], heights: &[f64]) -> Curve {
    let count = radii.len();
    let point = |i: usize| {
        let (sine, cosine) = libm::sincos(TAU * i as f64 / count as f64);
        DVec3::new(radii[i] * cosine, heights[i], -radii[i] * sine)
    };
    let smooth = |i| PathPoint { position: point(i), kind: PointKind::Smooth, handles: None };
    let points: Vec<PathPoint> = (0..count).map(smooth).collect();
    Curve::from(through(&points, true).unwrap())
}

fn riding(curve: Curve, laps: &str) -> Arc<dyn Motion> {
    let laps: Fraction = laps.parse().unwrap();
    Arc::new(Ride::new(Path::still(curve), 1, laps, FRAMES))
}

fn facing(motion: Arc<dyn Motion>, up: FaceUp) -> Arc<dyn Motion> {
    Arc::new(FaceTravel::new(motion, Axis::PlusX, Axis::PlusY, up))
}

fn steered(motion: Arc<dyn Motion>, steering: Steering) -> Arc<dyn Motion> {
    ready(&(Arc::new(Steered::new(motion, Steering { lead: FRAMES, ..steering })) as Arc<dyn Motion>))
}

fn ready(motion: &Arc<dyn Motion>) -> Arc<dyn Motion> {
    prepared(motion, Frames { from: -2.0, to: FRAMES + 3.0 }, &Cancel::default()).unwrap()
}

fn at(motion: &dyn Motion, frame: f64) -> (DVec3, DQuat, DVec3) {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSE | Columns::TRAVEL, &mut sample);
    (sample.positions[0], sample.orientations[0], sample.travels[0])
}

fn top(motion: &dyn Motion, frame: f64) -> DVec3 {
    at(motion, frame).1 * DVec3::Y
}

/// By definition: what is left of the goal across the travel.
fn projected(goal: DVec3, travel: DVec3) -> DVec3 {
    (goal - travel * goal.dot(travel)).normalize()
}

fn ball(radius: f64) -> Surface {
    Surface::new(Arc::new(Shape::Ball { radius }), DVec3::ZERO, DQuat::IDENTITY)
}

fn driven(text: &str) -> Driven {
    Driven::formula(Formula::parse(text).unwrap(), CLOCK, -1e6, 1e6)
}

proptest! {
    #![proptest_config(cases(300))]

    #[test]
    fn tops_point_to_a_place_off_a_surface_or_to_a_second_path_as_the_projection_says(
        radii in prop::collection::vec(2.0..4.0f64, 6), heights in prop::collection::vec(-0.4..0.4f64, 6),
        frame in 0.0..FRAMES, height in 5.0..9.0f64,
    ) {
        let path = wavy(&radii, &heights);
        let place = DVec3::new(0.3, height, -0.2);
        let fixed = |x: f64| Driven::Fixed(x);
        let to_place = facing(riding(path.clone(), "1"), FaceUp::At([fixed(place.x), fixed(place.y), fixed(place.z)]));
        let (here, _, travel) = at(&*to_place, frame);
        prop_assert!(bend(top(&*to_place, frame), projected(place - here, travel)) < 1e-4);

        let off = facing(riding(path.clone(), "1"), FaceUp::Off(Ground::Still(ball(1.0))));
        prop_assert!(bend(top(&*off, frame), projected(here, travel)) < 1e-4);

        // Twice the circle's length or half of it makes no difference: parts of the length count.
        let above = laid(&Figure::Circle { radius: 7.0 }, height);
        let beside = FaceUp::Beside { path: Path::still(above.clone()), frames: FRAMES };
        let beside = facing(riding(path.clone(), "1"), beside);
        let other = above.strands()[0].at(frame / FRAMES * above.length()).point;
        prop_assert!(bend(top(&*beside, frame), projected(other - here, travel)) < 1e-4);

        for motion in [&to_place, &off, &beside] {
            let seam = measure(motion, FRAMES, 24.0, &Cancel::default()).unwrap();
            prop_assert!(seam.closes(1e-9), "{seam:?}");
            prop_assert!(bend(at(&**motion, frame).1 * DVec3::X, travel) < 1e-12);
        }
    }

    #[test]
    fn where_travel_points_at_the_place_the_turn_is_bridged_and_never_much_quicker_than_on_average(
        radii in prop::collection::vec(2.0..4.0f64, 7), heights in prop::collection::vec(-1.0..1.0f64, 7),
        part in 0.0..1.0f64, ahead in 1.5..4.0f64, beside in -0.3..0.3f64,
    ) {
        const STEPS: usize = 6000;
        let curve = wavy(&radii, &heights);
        let strand = &curve.strands()[0];
        let here = strand.at(part * strand.length());
        let place = here.point + here.tangent * ahead + DVec3::Y * beside;
        let goal = |node: &Node| Some(place - node.point);
        let (nodes, goals) = strand.guided_nodes(0.02, goal);
        let table = AxesTable::guided(nodes, &goals, true);
        let node = |i: usize| {
            let s = strand.length() * i as f64 / STEPS as f64;
            let on = strand.at(s);
            Node { at: s, point: on.point, tangent: on.tangent }
        };
        let up = |i: usize| table.up(node(i).at, node(i).point, node(i).tangent);
        // How much further than carried up turns from one step to the next.
        let turn = |i: usize| signed_angle(transport(&node(i), up(i), &node(i + 1)), up(i + 1), node(i + 1).tangent);
        let angle = |i: usize| {
            let angle = bend(place - node(i).point, node(i).tangent).to_degrees();
            angle.min(180.0 - angle)
        };
        let along = |i: usize| angle(i) < 20.0;
        let mut at = 0;
        while at < STEPS {
            if !along(at) || at == 0 {
                at += 1;
                continue;
            }
            let first = at;
            while at < STEPS && along(at) {
                at += 1;
            }
            // What lies over the seam is bridged as one, and a place that is passed closely is not looked at here.
            let near = (first..at).any(|i| (place - node(i).point).length() < 0.5);
            // Where 20° is only grazed on the way, it may be two bridges.
            let deep = (first..at).filter(|&i| angle(i) < 19.5 && angle(i + 1) >= 19.5).count();
            if at == STEPS || first < 3 || near || at - first < 40 || deep != 1 {
                continue;
            }
            // The bridge ends with a node beside 20°; beyond it the goal has a pace of its own.
            let inside = (first..at).filter(|&i| angle(i) < 19.5 && angle(i + 1) < 19.5);
            let turns: Vec<f64> = inside.map(turn).collect();
            let whole: f64 = turns.iter().sum();
            let most = turns.iter().fold(0.0, |most: f64, turn| most.max(turn.abs()));
            if whole.abs() > 0.3 {
                prop_assert!(most <= 1.9 * whole.abs() / turns.len() as f64, "{most} {whole} over {}", turns.len());
            }
        }
    }

    #[test]
    fn a_path_so_many_times_as_large_carries_its_things_so_many_times_as_far(
        radii in prop::collection::vec(1.0..4.0f64, 6), heights in prop::collection::vec(-2.0..2.0f64, 6),
        factor in 0.01..100.0f64, frame in 0.0..FRAMES,
    ) {
        let scaled = |values: &[f64]| values.iter().map(|x| x * factor).collect::<Vec<f64>>();
        let small = facing(riding(wavy(&radii, &heights), "5/3"), FaceUp::STEADY);
        let large = facing(riding(wavy(&scaled(&radii), &scaled(&heights)), "5/3"), FaceUp::STEADY);
        let (a, b) = (at(&*small, frame), at(&*large, frame));
        prop_assert!((a.0 * factor - b.0).length() < 1e-9 * factor * 10.0);
        prop_assert!(angle_between(a.1, b.1) < 1e-8);
    }

    #[test]
    fn what_moves_is_faced_where_it_is_at_the_frame(
        radii in prop::collection::vec(2.0..4.0f64, 6), heights in prop::collection::vec(-0.4..0.4f64, 6),
        frame in 0.0..FRAMES,
    ) {
        let moving = [driven("3.0 * sin(tau * loop)"), Driven::Fixed(6.0), Driven::Fixed(0.0)];
        let motion = ready(&facing(riding(wavy(&radii, &heights), "1"), FaceUp::At(moving)));
        let (here, _, travel) = at(&*motion, frame);
        let place = DVec3::new(3.0 * libm::sin(TAU * frame / FRAMES), 6.0, 0.0);
        // Between nodes, four to a frame, the top turns evenly.
        prop_assert!(bend(top(&*motion, frame), projected(place - here, travel)) < 2e-3);
    }

    #[test]
    fn turns_per_lap_add_to_steady_axes_in_even_measure(
        radii in prop::collection::vec(1.0..4.0f64, 6), heights in prop::collection::vec(-2.0..2.0f64, 6),
        part in 0.0..1.0f64, turns in -3..4i32,
    ) {
        let curve = wavy(&radii, &heights);
        let strand = &curve.strands()[0];
        let plain = AxesTable::new(strand.nodes(0.02), UpRule::Steady, true);
        let more = plain.clone().with_turns(f64::from(turns));
        let here = strand.at(part * strand.length());
        let up = |axes: &AxesTable| axes.up(part * strand.length(), here.point, here.tangent);
        let apart = signed_angle(up(&plain), up(&more), here.tangent) - TAU * f64::from(turns) * part;
        prop_assert!((apart - (apart / TAU).round() * TAU).abs() < 1e-4);
        prop_assert!((more.closing_angle() - plain.closing_angle() - TAU * f64::from(turns)).abs() < 1e-12);
        let first = more.up(0.0, strand.at(0.0).point, strand.at(0.0).tangent);
        let last = more.up(strand.length(), strand.at(0.0).point, strand.at(0.0).tangent);
        prop_assert!(bend(first, last) < 1e-9);
    }

    #[test]
    fn on_a_circle_the_lean_is_what_speed_and_radius_ask_for(
        radius in 0.5..20.0f64, laps in prop::sample::select(vec!["1", "-2", "1/2", "3"]), amount in -2.0..2.0f64,
        frame in 0.0..FRAMES, most in 0.1..1.5f64,
    ) {
        let gravity = 9.81 / (24.0 * 24.0);
        let bank = Bank {
            amount: Driven::Fixed(amount),
            limit: Driven::Fixed(most.to_degrees()),
            over: 8.0,
            gravity,
        };
        let inner = facing(riding(ring(radius), laps), FaceUp::Towards(DVec3::Y));
        let motion = steered(inner, Steering { bank: Some(bank), ..Steering::NONE });
        let rate = TAU * laps.parse::<Fraction>().unwrap().value() / FRAMES;
        // The circle runs counter-clockwise seen from above, so that its middle is to the left.
        let wanted = -libm::atan(amount * rate * rate.abs() * radius / gravity).clamp(-most, most);
        let (_, turn, travel) = at(&*motion, frame);
        let upright = DVec3::Y;
        prop_assert!((signed_angle(upright, turn * DVec3::Y, travel) - wanted).abs() < 1e-6);
        let shown = trace(&*motion, &[(0, frame)], 24.0, false);
        let shown = shown.iter().find(|channel| channel.name == "bank").unwrap();
        prop_assert!((shown.values[0] - wanted.to_degrees()).abs() < 1e-4);
    }

    #[test]
    fn steering_keeps_a_loop_closed_and_the_nose_ahead_outside_its_windows(
        radii in prop::collection::vec(1.0..4.0f64, 7), heights in prop::collection::vec(-2.0..2.0f64, 7),
        smoothing in 0.0..20.0f64, limit in 0.15..0.6f64, amount in 0.0..2.0f64, corner in 0.0..9.0f64,
    ) {
        let inner = facing(riding(wavy(&radii, &heights), "1"), FaceUp::STEADY);
        let bank = Bank {
            amount: Driven::Fixed(amount),
            limit: Driven::Fixed(1.0_f64.to_degrees()),
            over: 6.0,
            gravity: 0.02,
        };
        let steering = Steering { smoothing, limit, corner, bank: Some(bank), lead: 4.0 * FRAMES, ..Steering::NONE };
        let motion: Arc<dyn Motion> = Arc::new(Steered::new(inner, steering));
        let seam = measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap();
        prop_assert!(seam.closes(1e-9), "{seam:?}");
        let motion = ready(&motion);
        for frame in 0..FRAMES as usize {
            let turn = angle_between(at(&*motion, frame as f64).1, at(&*motion, frame as f64 + 1.0).1);
            prop_assert!(turn <= limit + 1e-9, "{turn} at {frame}");
        }
    }

    #[test]
    fn a_corner_takes_its_frames_and_leaves_the_rest_alone(sides in 3usize..8, takes in 1.0..12.0f64) {
        let polygon = laid(&Figure::Polygon { radius: 3.0, sides, rounding: 0.0 }, 0.0);
        let inner = facing(riding(polygon, "1"), FaceUp::Towards(DVec3::Y));
        let motion = steered(inner.clone(), Steering { corner: takes, ..Steering::NONE });
        let angle = TAU / sides as f64;
        for step in 0..480 {
            let frame = f64::from(step) * 0.25;
            let side = FRAMES / sides as f64;
            let from_corner = (frame - (frame / side).round() * side).abs();
            let (plain, turned) = (at(&*inner, frame).1, at(&*motion, frame).1);
            if from_corner > 0.5 * takes + 0.5 {
                prop_assert!(angle_between(plain, turned) < 1e-9, "{frame}");
            }
            // Eased: at its quickest one and a half times its mean.
            let next = at(&*motion, frame + 0.25).1;
            prop_assert!(angle_between(turned, next) <= 1.55 * angle * 0.25 / takes + 1e-6, "{frame}");
        }
    }

    #[test]
    fn a_turn_of_its_own_is_about_the_nose_and_clockwise_from_behind(frame in 0.0..FRAMES, degrees in -720.0..720.0f64) {
        let inner = facing(riding(ring(2.0), "1"), FaceUp::Towards(DVec3::Y));
        let roll = driven(&format!("{degrees:?} * loop"));
        let motion = steered(inner, Steering { roll, ..Steering::NONE });
        let (_, turn, travel) = at(&*motion, frame);
        let angle = (degrees * frame / FRAMES).to_radians();
        let right = travel.cross(DVec3::Y);
        let wanted = DVec3::Y * libm::cos(angle) + right * libm::sin(angle);
        prop_assert!((turn * DVec3::Y - wanted).length() < 1e-9);
        prop_assert!((turn * DVec3::X - travel).length() < 1e-9);
    }
}

#[test]
fn even_turning_is_left_alone_by_smoothing() {
    let inner = facing(riding(ring(2.0), "2"), FaceUp::Towards(DVec3::Y));
    let motion = steered(inner.clone(), Steering { smoothing: 12.0, ..Steering::NONE });
    for step in 0..240 {
        let frame = f64::from(step) * 0.5;
        assert!(angle_between(at(&*inner, frame).1, at(&*motion, frame).1) < 1e-6, "{frame}");
    }
}

#[test]
fn a_reversal_turns_about_in_the_frames_it_is_given_and_nowhere_else() {
    let line = laid(&Figure::Line { length: 4.0 }, 0.0);
    let ride = Ride::new(Path::still(line), 1, "4".parse().unwrap(), FRAMES).at_end(RideEnd::TurnBack);
    let inner = facing(Arc::new(ride), FaceUp::Towards(DVec3::Y));
    let motion = steered(inner, Steering { corner: 6.0, ..Steering::NONE });
    let turns = |frame: f64| angle_between(at(&*motion, frame).1, at(&*motion, frame + 1.0).1);
    for frame in 0..119 {
        let frame = f64::from(frame);
        let from_end = ((frame + 0.5) - ((frame + 0.5) / 30.0).round() * 30.0).abs();
        if from_end > 4.0 {
            assert!(turns(frame) < 1e-9, "{frame}");
        }
        assert!(turns(frame) < 0.3 * PI, "{frame}");
    }
    assert!(turns(29.0) > 0.2 && turns(59.0) > 0.2);
}

#[test]
fn below_the_speed_at_which_it_holds_a_thing_keeps_the_way_it_faced() {
    // Up to frame 60 it runs round, then it creeps.
    let mut ride = Ride::new(Path::still(ring(2.0)), 1, "1".parse().unwrap(), FRAMES);
    ride = ride.driven(driven("frame < 60.0 ? 2.0 : 0.01"));
    let inner = facing(Arc::new(ride), FaceUp::Towards(DVec3::Y));
    let motion = steered(inner, Steering { slow: 0.01, ..Steering::NONE });
    let held = at(&*motion, 61.0).1;
    for frame in 62..119 {
        assert!(angle_between(held, at(&*motion, f64::from(frame)).1) < 1e-12, "{frame}");
    }
    assert!(angle_between(held, at(&*motion, 30.0).1) > 1.0);
}

#[test]
fn where_up_and_travel_lie_on_one_line_all_the_way_axes_are_steady_and_say_so() {
    let line = laid(&Figure::Line { length: 4.0 }, 0.0);
    let (from, to) = (line.strands()[0].at(0.0).point, line.strands()[0].at(4.0).point);
    let ahead = to + (to - from);
    let place = [ahead.x, ahead.y, ahead.z].map(Driven::Fixed);
    let ride = riding(line, "1");
    let facing = FaceTravel::new(ride, Axis::PlusX, Axis::PlusY, FaceUp::At(place));
    assert!(facing.along_path()[0].parallel());
    assert!((top(&facing, 0.0) - top(&facing, 50.0)).length() < 1e-12);
}

#[test]
fn a_second_path_that_crosses_the_first_gives_axes_everywhere_without_a_jump_but_at_the_crossing() {
    // A line through the middle of a torus winding's ring meets the travel's line nowhere but once.
    let first = laid(&Figure::Line { length: 4.0 }, 0.0);
    let turned = first.strands()[0]
        .segments()
        .iter()
        .map(|s| s.transformed(1.0, DQuat::from_rotation_y(0.5), DVec3::ZERO))
        .collect();
    let second = Curve::from(Strand::new(turned, false).unwrap());
    let beside = FaceUp::Beside { path: Path::still(second), frames: FRAMES };
    let motion = facing(riding(first, "1"), beside);
    for step in 0..=480 {
        let frame = f64::from(step) * 0.249;
        let (_, turn, travel) = at(&*motion, frame);
        assert!(turn.is_finite() && bend(turn * DVec3::X, travel) < 1e-9, "{frame}");
    }
}

#[test]
fn wound_round_a_ring_with_tops_off_it_nothing_flips() {
    // The winding goes round z, the surface round y.
    let strand = torus_winding(3.0, 1.0, 2, 7, 0.0).unwrap().swap_remove(0);
    let down = DQuat::from_rotation_x(-0.5 * PI);
    let segments = strand.segments().iter().map(|s| s.transformed(1.0, down, DVec3::ZERO)).collect();
    let winding = Curve::from(Strand::new(segments, true).unwrap());
    let torus = Surface::new(Arc::new(Shape::Torus { radius: 3.0, tube: 1.0 }), DVec3::ZERO, DQuat::IDENTITY);
    for up in [FaceUp::Off(Ground::Still(torus)), FaceUp::STEADY] {
        let motion = ready(&facing(riding(winding.clone(), "1"), up));
        for step in 0..480 {
            let frame = f64::from(step) * 0.25;
            assert!(angle_between(at(&*motion, frame).1, at(&*motion, frame + 0.25).1) < 0.5, "{frame}");
        }
        assert!(measure(&motion, FRAMES, 24.0, &Cancel::default()).unwrap().closes(1e-9));
    }
}
