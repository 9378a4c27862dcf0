//! What is cut off where it is stuck is cut off there whatever lies over it.

use super::impacts::{FPS, FRAMES, blow, facing, hits, peg, ready, seen, stuck, throws};
use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use std::collections::BTreeMap;
use std::sync::Arc;
use zickzack_core::motion::{
    Dressed, Follower, Followers, Frames, Kind, Kinds, Look, Mimic, Mimicry, Motion, Moved, Moving, Pivoted, Rattle,
    Ringing, Shudder, Shuddering, Stance, Swell, Waver, Wavering, Whose,
};
use zickzack_core::pose::Axis;
use zickzack_core::signal::{Clock, Driven, Signal, Wave, WaveShape};

/// A number over time, never 0.
fn wave(amount: f64, middle: f64) -> Driven {
    let signal: Arc<dyn Signal> = Arc::new(Wave { shape: WaveShape::Sine, period: 31.0, phase: 0.1, middle, amount });
    Driven::signal(signal, Clock { fps: FPS, frames: FRAMES }, f64::MIN, f64::MAX)
}

fn three(x: f64, y: f64, z: f64) -> [Driven; 3] {
    [x, y, z].map(|x| wave(0.5 * x, x))
}

/// What moves, turns or enlarges things against what cuts them off.
pub(super) const LAYERS: usize = 10;

pub(super) fn with_layer(which: usize, inner: Arc<dyn Motion>, own: bool) -> Arc<dyn Motion> {
    let clear = Kind { scale: 1.7, ..Kind::PLAIN };
    match which {
        0 => Arc::new(Swell::new(inner, wave(0.3, 1.2), Driven::Fixed(1.0))),
        1 => Arc::new(Kinds::new(inner, vec![clear], (0.4, 3, false), Axis::PlusX, None).expect("nothing has lives")),
        2 => {
            let look = Look { thing: String::new(), letter: String::new(), colour: String::new(), scale: 0.6 };
            Arc::new(Dressed::new(inner, &BTreeMap::from([(1, look)])))
        }
        3 => Arc::new(Pivoted::new(inner, DVec3::new(0.2, -0.1, 0.3))),
        4 => {
            let how = Wavering {
                position: three(0.1, 0.2, 0.1),
                orientation: three(20.0, 10.0, 5.0),
                scale: Driven::Fixed(0.3),
                own,
                period: 9.0,
                octaves: 2,
                seed: 5,
                frames: Some(FRAMES),
            };
            Arc::new(Waver::new(inner, how))
        }
        5 => {
            let how = Shuddering {
                amount: Driven::Fixed(0.1),
                scale: Driven::Fixed(0.2),
                brightness: Driven::Fixed(0.0),
                every: 3.0,
                start: 1.0,
                soft: own,
            };
            Arc::new(Shudder::new(inner, how))
        }
        6 => {
            let how = Mimicry {
                position: true,
                orientation: true,
                scale: own,
                offset: three(0.1, 0.0, 0.2),
                turned: own,
                delay: 4.0,
                amount: Driven::Fixed(0.3),
            };
            Arc::new(Mimic::new(inner, facing(throws(2, 3.0, 5.0)), how))
        }
        7 => Arc::new(Rattle::new(inner.clone(), hits(&inner, Whose::Own, None, 2), blow(), Ringing::new(3.0, 40.0))),
        8 => {
            let follower = Follower { delay: 3.0, offset: DVec3::new(0.1, 0.2, -0.1), scale: 0.7, rank: 1.0 };
            Arc::new(Followers::new(inner, vec![Follower::LEAD, follower], own))
        }
        _ => {
            let follower = Follower { delay: 2.0, ..Follower::LEAD };
            let stance = Stance { offset: three(0.1, 0.1, 0.1), grow: wave(0.1, 1.1) };
            Arc::new(Followers::new(inner, vec![Follower { rank: 1.0, ..follower }], own).standing(stance))
        }
    }
}

proptest! {
    #![proptest_config(cases(96))]

    /// The wall is at x = 4: of what is stuck in it, what lies behind it is not seen.
    #[test]
    fn whatever_lies_over_what_sticks_it_is_cut_off_at_what_it_hit(
        depth in 0.0..0.5f64, frame in 40.0..90.0f64, object in 0usize..2, (one, other) in (0..LAYERS, 0..LAYERS), own: bool,
        point in (-1.0..1.0f64, -1.0..1.0f64, -1.0..1.0f64),
    ) {
        let stuck: Arc<dyn Motion> = Arc::new(stuck(facing(throws(2, 2.0, 9.0)), depth));
        let motion = ready(&with_layer(other, with_layer(one, stuck, own), own));
        let (place, here) = seen(&*motion, object, frame, DVec3::from(point));
        prop_assume!((place.x - 4.0).abs() > 1e-9);
        prop_assert_eq!(here, place.x < 4.0, "{}", place);
    }

    /// Where all is moved as one, what cuts is moved too: the same parts of a thing are seen.
    #[test]
    fn moved_as_one_the_same_parts_are_seen(
        depth in 0.0..0.5f64, frame in 0.0..90.0f64, object in 0usize..2,
        point in (-1.0..1.0f64, -1.0..1.0f64, -1.0..1.0f64),
    ) {
        let stuck: Arc<dyn Motion> = Arc::new(stuck(facing(throws(2, 2.0, 9.0)), depth));
        let how = Moving {
            position: three(1.0, 2.0, 3.0),
            orientation: three(50.0, 20.0, 9.0),
            scale: wave(0.4, 1.5),
            about: DVec3::ONE,
        };
        let moved = ready(&(Arc::new(Moved::new(stuck.clone(), how)) as Arc<dyn Motion>));
        let own = DVec3::from(point);
        prop_assert_eq!(seen(&*moved, object, frame, own).1, seen(&*ready(&stuck), object, frame, own).1);
    }
}

/// A thing that nothing touched is whole.
#[test]
fn what_never_hit_anything_is_not_cut_off() {
    let motion = ready(&with_layer(0, peg(), true));
    let within = Frames { from: 0.0, to: FRAMES };
    assert!(motion.contacts(within).is_empty());
    assert!(seen(&*motion, 0, 50.0, DVec3::splat(9.0)).1);
}
