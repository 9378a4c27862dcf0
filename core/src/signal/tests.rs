use super::*;
use crate::quadrature::adaptive;
use proptest::prelude::*;
use std::sync::Arc;

type Shared = Arc<dyn Signal>;

fn key() -> impl Strategy<Value = Key> {
    let handle = || prop::option::of((0.0..30.0f64, -2.0..2.0f64));
    let handles =
        prop::sample::select(vec![Handles::Joined, Handles::Split, Handles::Flat, Handles::Straight, Handles::Held]);
    (0.0..48.0f64, -3.0..3.0f64, handles, handle(), handle()).prop_map(|(frame, value, handles, before, after)| Key {
        frame,
        value,
        handles,
        before: before.map(|(frames, value)| (-frames, value)),
        after,
    })
}

fn beyond() -> impl Strategy<Value = Beyond> {
    prop::sample::select(vec![
        Beyond::Loop(48.0),
        Beyond::Holds,
        Beyond::RunsOn,
        Beyond::Repeats,
        Beyond::Climbs,
        Beyond::TurnsBack,
    ])
}

fn shape() -> impl Strategy<Value = WaveShape> {
    prop_oneof![
        Just(WaveShape::Sine),
        Just(WaveShape::Triangle),
        Just(WaveShape::Saw),
        (0.1..0.9f64).prop_map(WaveShape::Pulse),
    ]
}

fn leaf() -> BoxedStrategy<Shared> {
    let keys = (prop::collection::vec(key(), 1..6), beyond()).prop_map(|(keys, beyond)| keyed(&keys, beyond));
    let wave = (shape(), 5.0..60.0f64, -1.0..1.0f64, -2.0..2.0f64, -2.0..2.0f64).prop_map(
        |(shape, period, phase, middle, amount)| Arc::new(Wave { shape, period, phase, middle, amount }) as Shared,
    );
    let decay = (-2.0..2.0f64, -2.0..2.0f64, 0.0..48.0f64, 1.0..30.0f64)
        .prop_map(|(from, to, start, half)| Arc::new(Decay { from, to, start, half }) as Shared);
    let ramp = (-2.0..2.0f64, -2.0..2.0f64, 0.0..48.0f64, 0.0..40.0f64, any::<bool>())
        .prop_map(|(from, to, start, length, soft)| Arc::new(Ramp { from, to, start, length, soft }) as Shared);
    let power = prop::collection::vec(-2.0..2.0f64, 0..5)
        .prop_map(|coefficients| Arc::new(Polynomial { coefficients, unit: 48.0 }) as Shared);
    prop_oneof![3 => keys, 2 => wave, 1 => decay, 1 => ramp, 1 => power].boxed()
}

/// Signals that have a closed integral, however they are put together.
fn closed() -> BoxedStrategy<Shared> {
    let way = || prop::sample::select(vec![RepeatWay::Again, RepeatWay::ThereAndBack, RepeatWay::Climbing]);
    leaf()
        .prop_recursive(2, 6, 2, move |inner| {
            let count = || prop_oneof![(0u8..4).prop_map(f64::from), Just(f64::INFINITY)];
            let repeat = (inner.clone(), 0.0..30.0f64, 4.0..40.0f64, count(), count(), way()).prop_map(
                |(inner, from, length, before, after, way)| {
                    Arc::new(Repeat { inner, from, length, before, after, way }) as Shared
                },
            );
            let span = (inner.clone(), -20.0..60.0f64, 0.0..60.0f64, -1.0..1.0f64, prop::option::of(20.0..60.0f64))
                .prop_map(|(inner, from, length, outside, every)| {
                    // A stretch that comes again is no longer than what it comes again in.
                    let length = every.map_or(length, |every: f64| length.min(every));
                    Arc::new(Span { inner, from, length, fade: 0.0, outside, every }) as Shared
                });
            let steps =
                (inner.clone(), 0.5..9.0f64).prop_map(|(inner, every)| Arc::new(Steps { inner, every }) as Shared);
            let sum = (inner.clone(), inner.clone()).prop_map(|(a, b)| Arc::new(Sum(a, b)) as Shared);
            let blend = (inner.clone(), inner.clone(), -1.0..2.0f64)
                .prop_map(|(first, second, amount)| Arc::new(Blend { first, second, amount }) as Shared);
            let rescale = (inner, -2.0..2.0f64)
                .prop_map(|(inner, to)| Arc::new(Rescale::new(inner, (0.0, 1.0), (to, 1.0))) as Shared);
            prop_oneof![repeat, span, steps, sum, blend, rescale]
        })
        .boxed()
}

/// By quadrature between the bends, which must therefore be all there are.
fn summed(signal: &dyn Signal, a: f64, b: f64) -> f64 {
    let mut ends = vec![a, b];
    ends.extend(signal.bends(a, b));
    ends.sort_by(f64::total_cmp);
    ends.windows(2)
        .map(|pair| {
            let long = pair[1] - pair[0];
            let at = |x: f64| signal.at(pair[0] + long * x.clamp(1e-13, 1.0 - 1e-13));
            long * adaptive(&at, 1.0, 1e-12, 1).iter().map(|leaf| leaf.integral).sum::<f64>()
        })
        .sum()
}

proptest! {
    #[test]
    fn closed_integrals_are_those_of_quadrature_between_the_bends(
        signal in closed(), a in -60.0..0.0f64, b in 0.0..120.0f64, part in 0.0..1.0f64,
    ) {
        let whole = signal.integral(a, b).unwrap();
        let scale = 1.0 + summed(&Magnitude(signal.clone()), a, b);
        prop_assert!((whole - summed(&*signal, a, b)).abs() < 1e-8 * scale, "{whole} is not {}", summed(&*signal, a, b));
        let middle = a + part * (b - a);
        let parts = signal.integral(a, middle).unwrap() + signal.integral(middle, b).unwrap();
        prop_assert!((parts - whole).abs() < 1e-9 * scale);
        prop_assert!((signal.integral(b, a).unwrap() + whole).abs() < 1e-9 * scale);
    }

    #[test]
    fn slopes_are_those_of_differences_between_the_bends(signal in closed(), frame in -60.0..120.0f64) {
        let near = 1e-4;
        prop_assume!(signal.bends(frame - 2.0 * near, frame + 2.0 * near).is_empty());
        let difference = |h: f64| (signal.at(frame + h) - signal.at(frame - h)) / (2.0 * h);
        // Two steps tell how far differences can be trusted: beside an upright handle they cannot.
        let (fine, rough) = (difference(0.5 * near), difference(near));
        prop_assume!((fine - rough).abs() < 1e-6 * (1.0 + fine.abs()));
        prop_assert!((signal.slope(frame) - fine).abs() < 1e-4 * (1.0 + fine.abs()), "{} is not {fine}", signal.slope(frame));
    }

    #[test]
    fn keys_that_rise_make_a_curve_that_rises_and_goes_through_them(
        steps in prop::collection::vec((0.1..20.0f64, 0.0..3.0f64), 1..8),
    ) {
        let mut at = (0.0, 0.0);
        let keys: Vec<Key> = steps.iter().map(|(frames, rise)| { at = (at.0 + frames, at.1 + rise); Key::new(at.0, at.1) }).collect();
        let curve = keyed(&keys, Beyond::Holds);
        for key in &keys {
            prop_assert!((curve.at(key.frame) - key.value).abs() < 1e-12 * (1.0 + key.value));
        }
        let looks: Vec<f64> = (0..400).map(|i| curve.at(at.0 * f64::from(i) / 400.0)).collect();
        prop_assert!(looks.windows(2).all(|pair| pair[1] >= pair[0] - 1e-12));
    }

    #[test]
    fn two_keys_make_an_even_pace(frames in 1.0..500.0f64, value in -9.0..9.0f64, part in 0.0..1.0f64) {
        let curve = keyed(&[Key::new(0.0, 0.0), Key::new(frames, value)], Beyond::Holds);
        prop_assert!((curve.at(part * frames) - part * value).abs() < 1e-12 * (1.0 + value.abs()));
    }

    #[test]
    fn keys_come_again_with_the_loop_from_where_it_ended(keys in prop::collection::vec(key(), 1..6), frame in 0.0..48.0f64, loops in -3i32..4) {
        let once = keyed(&keys, Beyond::Holds);
        let again = keyed(&keys, Beyond::Loop(48.0));
        let climbed = f64::from(loops) * (once.at(48.0) - once.at(0.0));
        let there = again.at(frame + 48.0 * f64::from(loops));
        prop_assert!((there - once.at(frame) - climbed).abs() < 1e-6 * (1.0 + there.abs()) || !again.bends(frame - 1e-6, frame + 1e-6).is_empty());
    }

    #[test]
    fn looping_noise_closes_with_its_slope(
        amount in 0.1..5.0f64, period in 3.0..60.0f64, start in -99.0..99.0f64, octaves in 1u32..6, seed in 0u64..999, frame in 0.0..48.0f64,
    ) {
        let noise = NoiseSignal::new((0.3, amount), (period, start), octaves, seed, Some(48.0));
        prop_assert!((noise.at(48.0 + frame) - noise.at(frame)).abs() < 1e-12 * (1.0 + amount));
        prop_assert!((noise.slope(48.0 + frame) - noise.slope(frame)).abs() < 1e-12 * (1.0 + amount));
        let difference = (noise.at(frame + 1e-4) - noise.at(frame - 1e-4)) / 2e-4;
        prop_assert!((noise.slope(frame) - difference).abs() < 1e-4 * (1.0 + difference.abs()));
    }

    #[test]
    fn what_is_confined_is_whole_inside_and_nothing_outside_and_comes_softly(
        from in 0.0..100.0f64, length in 1.0..100.0f64, fade in 0.0..60.0f64, frame in -300.0..300.0f64,
    ) {
        let length = length.min(100.0);
        let span = Span { inner: Arc::new(Constant(2.0)), from, length, fade, outside: -1.0, every: Some(100.0) };
        let along = (frame - from).rem_euclid(100.0);
        let fade = fade.min(0.5 * length);
        let value = span.at(frame);
        if along < length && along > fade && along < length - fade { prop_assert_eq!(value, 2.0); }
        if along > length { prop_assert_eq!(value, -1.0); }
        if fade > 0.0 {
            prop_assert!((span.at(frame + 1e-6) - value).abs() < 3.0 * 1.6e-6 / fade + 1e-9, "it jumps");
        }
    }

    #[test]
    fn a_signal_that_leaves_its_range_accumulates_what_is_kept_of_it(amount in 0.5..3.0f64, frame in -100.0..200.0f64) {
        let clock = Clock { fps: 24.0, frames: 48.0 };
        let wave: Shared = Arc::new(Wave { shape: WaveShape::Triangle, period: 48.0, phase: 0.0, middle: 0.0, amount });
        let kept = Accumulated::new(Driven::signal(wave.clone(), clock, -1.0, 1.0));
        let limited = Limit { inner: wave, least: -1.0, most: 1.0 };
        let (a, b) = (frame.min(0.0), frame.max(0.0));
        let exact = summed(&limited, a, b) * if frame < 0.0 { -1.0 } else { 1.0 };
        // A kink that is not known may cost a little.
        prop_assert!((kept.until(frame) - exact).abs() < 1e-4, "{} is not {exact}", kept.until(frame));
    }
}

/// What another signal is at most, to measure errors by.
#[derive(Debug)]
struct Magnitude(Shared);

impl Signal for Magnitude {
    fn at(&self, frame: f64) -> f64 {
        self.0.at(frame).abs()
    }

    fn bends(&self, from: f64, to: f64) -> Vec<f64> {
        self.0.bends(from, to)
    }
}

#[test]
fn keys_at_one_frame_make_a_jump_and_the_last_of_them_counts() {
    let curve =
        keyed(&[Key::new(0.0, 0.0), Key::new(10.0, 1.0), Key::new(10.0, 5.0), Key::new(20.0, 5.0)], Beyond::Holds);
    assert!((curve.at(10.0 - 1e-9) - 1.0).abs() < 1e-8);
    assert_eq!(curve.at(10.0), 5.0);
    assert_eq!(curve.integral(0.0, 20.0), Some(55.0));
}

#[test]
fn handles_that_run_backwards_or_too_far_are_kept_between_the_keys() {
    let mut keys = [Key::new(0.0, 0.0), Key::new(10.0, 1.0)];
    keys[0].handles = Handles::Split;
    for after in [(-5.0, 3.0), (40.0, 8.0), (0.0, 2.0)] {
        keys[0].after = Some(after);
        let curve = keyed(&keys, Beyond::Holds);
        for i in 0..=100 {
            assert!(curve.at(f64::from(i) * 0.1).is_finite());
        }
        assert_eq!(curve.at(0.0), 0.0);
        assert!((curve.at(10.0) - 1.0).abs() < 1e-12);
    }
}

#[test]
fn one_key_or_none_is_the_same_at_all_times() {
    for beyond in
        [Beyond::Loop(24.0), Beyond::Repeats, Beyond::Climbs, Beyond::TurnsBack, Beyond::RunsOn, Beyond::Holds]
    {
        let (one, none) = (keyed(&[Key::new(7.0, 3.0)], beyond), keyed(&[], beyond));
        for frame in [-100.0, 0.0, 7.0, 24.0, 999.0] {
            assert_eq!((one.at(frame), none.at(frame)), (3.0, 0.0));
        }
        assert_eq!(one.integral(0.0, 10.0), Some(30.0));
    }
}

#[test]
fn held_keys_hold_and_eased_ones_stand_still_at_their_keys() {
    let held = Key { handles: Handles::Held, ..Key::new(0.0, 1.0) };
    let curve = keyed(&[held, Key::new(10.0, 2.0)], Beyond::Holds);
    assert_eq!((curve.at(9.999), curve.at(10.0)), (1.0, 2.0));
    let flat = |frame: f64, value: f64| Key { handles: Handles::Flat, ..Key::new(frame, value) };
    let eased = keyed(&[flat(0.0, 0.0), flat(10.0, 1.0)], Beyond::Holds);
    assert!(eased.slope(0.0).abs() < 1e-12 && (eased.at(5.0) - 0.5).abs() < 1e-12);
}
