//! Lives in closed form against births that are counted one by one over many loops.

use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{
    Birth, BirthPattern, BreakKind, Cancel, Columns, EachAnew, Frames, Kind, Kinds, Lives, Motion, Reborn, Sample,
};
use zickzack_core::physics::{Air, Launch, LaunchSetup};
use zickzack_core::pose::Axis;
use zickzack_core::seam::measure;
use zickzack_core::signal::{Accumulated, Driven};

const F: f64 = 48.0;
const FPS: f64 = 24.0;

fn births() -> impl Strategy<Value = Vec<Birth>> {
    let birth = (0.0..F, prop_oneof![Just(0.0), 0.0..20.0, 20.0..200.0], 0u32..3);
    let whole = (0u32..F as u32, 0u32..60, 0u32..2);
    let birth = prop_oneof![
        birth.prop_map(|(frame, lasts, group)| Birth { frame, lasts, group }),
        whole.prop_map(|(frame, lasts, group)| Birth { frame: f64::from(frame), lasts: f64::from(lasts), group }),
    ];
    prop::collection::vec(birth, 1..40)
}

/// All lives that are lived at a frame, counted: the birth and the frame at which each began.
fn counted(births: &[Birth], frame: f64, again: bool) -> Vec<(usize, f64)> {
    let laps = if again { -8..=8 } else { 0..=0 };
    let mut found: Vec<(usize, f64)> = laps
        .flat_map(|lap| births.iter().enumerate().map(move |(i, birth)| (i, birth, birth.frame + f64::from(lap) * F)))
        .filter(|(_, birth, from)| *from <= frame && frame < from + birth.lasts)
        .map(|(i, _, from)| (i, from))
        .collect();
    found.sort_by(|a, b| a.partial_cmp(b).expect("no number"));
    found
}

/// A thrown ball for each birth, each in a direction of its own.
fn thrown(count: usize) -> Arc<dyn Motion> {
    let setup = |i: usize| {
        let velocity = DVec3::new(libm::sin(i as f64), 3.0 + 0.1 * i as f64, libm::cos(i as f64));
        LaunchSetup { fps: FPS, ..LaunchSetup::free(DVec3::ZERO, velocity, Air::still(DVec3::NEG_Y * 9.81)) }
    };
    Arc::new(Launch::solve_all((0..count).map(setup).collect(), 300.0))
}

fn reborn(births: Vec<Birth>, again: bool) -> Reborn {
    let count = births.len();
    Reborn::new(Arc::new(EachAnew(thrown(count))), &Lives::new(births, F, again), (0.0, 0.0))
}

proptest! {
    #[test]
    fn who_is_there_is_who_was_born_within_a_life(births in births(), frame in -100.0..200.0_f64, again: bool, whole: bool) {
        let frame = if whole { frame.round() } else { frame };
        let lives = Lives::new(births.clone(), F, again);
        let mut there: Vec<(usize, f64)> = (0..lives.things())
            .map(|thing| lives.at(thing, frame))
            .filter(|(_, lives)| *lives)
            .map(|(life, _)| (life.birth, life.from))
            .collect();
        there.sort_by(|a, b| a.partial_cmp(b).expect("no number"));
        let wanted = counted(&births, frame, again);
        prop_assert_eq!(there.iter().map(|life| life.0).collect::<Vec<_>>(), wanted.iter().map(|life| life.0).collect::<Vec<_>>());
        for (found, wanted) in there.iter().zip(&wanted) {
            prop_assert!((found.1 - wanted.1).abs() < 1e-9);
        }
        prop_assert_eq!(lives.alive(frame), wanted.len());
    }

    #[test]
    fn a_thing_only_has_lives_of_one_group_and_one_at_a_time(births in births(), again: bool) {
        let lives = Lives::new(births.clone(), F, again);
        for thing in 0..lives.things() {
            let mut last: Option<f64> = None;
            for life in lives.begin(thing, -200.0, 300.0) {
                prop_assert_eq!(births[life.birth].group, births[lives.first_birth(thing)].group);
                prop_assert_eq!(lives.thing_of(life.birth, life.lap), thing);
                prop_assert!(last.is_none_or(|end| life.from >= end - 1e-9), "the one before is over");
                last = Some(life.from + life.lasts);
            }
        }
    }

    #[test]
    fn there_are_no_more_things_than_begin_within_the_longest_life_of_each_group(births in births()) {
        let lives = Lives::new(births.clone(), F, true);
        let mut least = 0;
        for group in 0..3 {
            let of: Vec<&Birth> = births.iter().filter(|birth| birth.group == group).collect();
            // Births from each one's own on until it ends, over as many loops as that takes.
            let within = |birth: &Birth| {
                let all = (0..8).flat_map(|lap| of.iter().map(move |other| other.frame + f64::from(lap) * F));
                all.filter(|&frame| frame >= birth.frame && frame < birth.frame + birth.lasts).count()
            };
            least += of.iter().map(|birth| within(birth)).max().map_or(0, |most| most.max(1));
        }
        // Births of one frame may be counted from any of them on.
        prop_assert!(lives.things() <= least, "{} > {}", lives.things(), least);
    }

    #[test]
    fn any_loop_of_lives_closes_without_what_came_before(births in births()) {
        let reborn: Arc<dyn Motion> = Arc::new(reborn(births, true));
        let seam = measure(&reborn, F, FPS, &Cancel::default()).expect("measured");
        prop_assert!(seam.closes(1e-9), "{:?}", seam);
        prop_assert!(seam.uncertain.is_empty());
    }

    #[test]
    fn what_lives_does_what_it_was_born_to(births in births(), frame in -60.0..120.0_f64) {
        let things = births.len();
        let reborn = reborn(births, true);
        let (mut sample, mut alone) = (Sample::default(), Sample::default());
        let columns = Columns::POSE | Columns::VELOCITY | Columns::LIFE;
        reborn.sample(frame, columns, &mut sample);
        let inner = thrown(things);
        for thing in (0..reborn.len()).filter(|&thing| sample.alive[thing]) {
            let age = sample.ages[thing];
            inner.sample_at(&[(age.birth, age.frames)], columns, &mut alone);
            prop_assert_eq!(alone.positions[0], sample.positions[thing]);
            prop_assert_eq!(alone.velocities[0], sample.velocities[thing]);
        }
        // One by one as all together.
        for thing in 0..reborn.len() {
            reborn.sample_at(&[(thing, frame)], columns, &mut alone);
            prop_assert_eq!(alone.pose(0), sample.pose(thing));
            prop_assert_eq!(alone.ages[0], sample.ages[thing]);
        }
    }

    #[test]
    fn a_birth_begins_anew_and_nothing_else_does(births in births()) {
        let reborn = reborn(births, true);
        let lives = reborn.lives().expect("it has lives");
        for thing in 0..reborn.len() {
            let range = Frames { from: -10.0, to: 70.0 };
            let anew: Vec<f64> = reborn
                .breaks(thing, range)
                .expect("few")
                .iter()
                .filter(|found| found.kind == BreakKind::Anew)
                .map(|found| found.frame)
                .collect();
            let mut born: Vec<f64> = lives.begin(thing, range.from, range.to).map(|life| life.from).collect();
            born.dedup_by(|a, b| (*a - *b).abs() < 1e-9);
            prop_assert_eq!(anew, born);
        }
    }

    #[test]
    fn kinds_are_of_births_and_each_thing_keeps_its_kind(births in births(), seed in 0u64..100, exactly: bool) {
        let count = births.len();
        let kind = |weight: f64| Kind { weight, ..Kind::PLAIN };
        let list = vec![kind(1.0), kind(3.0), kind(0.5)];
        let inner: Arc<dyn Motion> = Arc::new(reborn(births, true));
        let kinds = Kinds::new(inner, list, (0.4, seed, exactly), Axis::PlusY, None).expect("lives can be shared out");
        prop_assert_eq!(kinds.layer().counts().iter().sum::<usize>(), count);
        let motion: Arc<dyn Motion> = Arc::new(kinds);
        let seam = measure(&motion, F, FPS, &Cancel::default()).expect("measured");
        prop_assert!(seam.closes(1e-9), "{:?}", seam);
        // A birth has the same kind and size whoever has its life, a loop later as well.
        let mut known = vec![None; count];
        let (mut sample, columns) = (Sample::default(), Columns::POSE | Columns::LIFE);
        for frame in [0.0, 7.5, 31.0, 48.0, 60.5, 100.0] {
            motion.sample(frame, columns, &mut sample);
            for thing in 0..motion.len() {
                let is = (motion.kind(thing), sample.scales[thing].x);
                let birth = sample.ages[thing].birth;
                prop_assert_eq!(*known[birth].get_or_insert(is), is);
            }
        }
    }

    #[test]
    fn births_by_a_rate_are_where_what_adds_up_is_whole(low in 0.0..1.5_f64, high in 0.0..1.5_f64) {
        // A rate that runs from one number to another, whose integral is known.
        use zickzack_core::signal::{Clock, Ramp, Signal};
        let rate: Arc<dyn Signal> = Arc::new(Ramp { from: low, to: high, start: 0.0, length: F, soft: false });
        let clock = Clock { fps: FPS, frames: F };
        let pattern = BirthPattern::Rate(Accumulated::new(Driven::signal(rate, clock, 0.0, 10.0)));
        let count = pattern.count(F, 1000);
        let sum = |frame: f64| low * frame + (high - low) * frame * frame / (2.0 * F);
        prop_assert_eq!(count, (0..1000).take_while(|&i| sum(F) > f64::from(i) + 1e-9).count());
        for (i, frame) in pattern.frames(count, F, 1).into_iter().enumerate() {
            prop_assert!((sum(frame) - i as f64).abs() < 1e-6, "birth {} at {}: {}", i, frame, sum(frame));
        }
    }
}

#[test]
fn things_grow_and_shrink_and_what_is_over_rests() {
    let birth = Birth { frame: 10.0, lasts: 20.0, group: 0 };
    let reborn = Reborn::new(Arc::new(EachAnew(thrown(1))), &Lives::new(vec![birth], F, true), (4.0, 8.0));
    let size = |frame: f64| {
        let mut sample = Sample::default();
        reborn.sample(frame, Columns::POSE | Columns::VELOCITY, &mut sample);
        (sample.scales[0].x, sample.alive[0], sample.velocities[0])
    };
    assert_eq!(size(10.0).0, 0.0);
    assert_eq!(size(12.0).0, 0.5);
    assert_eq!(size(16.0).0, 1.0);
    assert_eq!(size(26.0).0, 0.5);
    assert_eq!((size(30.0).1, size(30.0).2), (false, DVec3::ZERO));
    assert!(size(29.9).1 && size(29.9).2.length() > 0.0);
}

#[test]
fn nothing_lives_over_the_end_where_lives_do_not_come_again() {
    let births = vec![Birth { frame: 40.0, lasts: 20.0, group: 0 }, Birth { frame: 0.0, lasts: 5.0, group: 0 }];
    let lives = Lives::new(births, F, false);
    assert_eq!([-1.0, 0.0, 5.0, 45.0, 59.0, 60.0, 90.0].map(|frame| lives.alive(frame)), [0, 1, 0, 1, 1, 0, 0]);
}
