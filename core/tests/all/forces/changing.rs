//! Throws while gravity, drag, wind, bounciness and friction change.

use crate::cases::cases;
use crate::common::scenes::{compiled, document};
use glam::DVec3;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::formula::Formula;
use zickzack_core::motion::{Columns, Frames, Motion, Sample};
use zickzack_core::physics::{Air, Bounds, Changing, Launch, LaunchSetup, Side};
use zickzack_core::signal::{Beyond, Clock, Driven, Handles, Key, Wave, WaveShape, keyed};

const FPS: f64 = 24.0;
const CLOCK: Clock = Clock { fps: FPS, frames: 96.0 };

/// A number over time, and what it is at a frame, said apart from the program.
#[derive(Debug, Clone)]
enum Given {
    Fixed(f64),
    /// Middle, amount, period in frames, phase.
    Wave(f64, f64, f64, f64),
    /// Values that hold from a frame on.
    Held(f64, Vec<(f64, f64)>),
    /// From, and by how much more a frame.
    Formula(f64, f64),
}

impl Given {
    fn driven(&self, least: f64, most: f64) -> Driven {
        match self {
            Self::Fixed(value) => Driven::Fixed(*value),
            Self::Wave(middle, amount, period, phase) => {
                let wave =
                    Wave { shape: WaveShape::Sine, period: *period, phase: *phase, middle: *middle, amount: *amount };
                Driven::signal(Arc::new(wave), CLOCK, least, most)
            }
            Self::Held(first, later) => {
                let at = std::iter::once((-1.0, *first)).chain(later.iter().copied());
                let keys: Vec<Key> =
                    at.map(|(frame, value)| Key { handles: Handles::Held, ..Key::new(frame, value) }).collect();
                Driven::signal(keyed(&keys, Beyond::Holds), CLOCK, least, most)
            }
            Self::Formula(from, by) => {
                let text = format!("{from:?} + {by:?} * frame");
                Driven::formula(Formula::parse(&text).unwrap(), CLOCK, least, most)
            }
        }
    }

    fn at(&self, frame: f64, least: f64) -> f64 {
        let value = match self {
            Self::Fixed(value) => *value,
            Self::Wave(middle, amount, period, phase) => middle + amount * libm::sin(TAU * (frame / period + phase)),
            Self::Held(first, later) => later.iter().rev().find(|(at, _)| *at <= frame).map_or(*first, |(_, v)| *v),
            Self::Formula(from, by) => from + by * frame,
        };
        value.max(least)
    }

    fn jumps(&self) -> Vec<f64> {
        match self {
            Self::Held(_, later) => later.iter().map(|(frame, _)| *frame).collect(),
            _ => Vec::new(),
        }
    }
}

/// Numbers about a middle, by so much at most.
fn given(middle: f64, by: f64) -> impl Strategy<Value = Given> {
    let near = move || middle - by..middle + by;
    let held = prop::collection::vec((2.0..90.0f64, near()), 1..4).prop_map(|mut list| {
        list.sort_by(|a, b| a.0.total_cmp(&b.0));
        list
    });
    prop_oneof![
        near().prop_map(Given::Fixed),
        // What is kept at 0 has a corner there, over which the classical method is not good enough to compare with.
        (near(), 0.0..by, 10.0..90.0f64, 0.0..1.0f64).prop_map(move |(m, a, p, at)| {
            let amount = if middle >= by { a.min(m) } else { a };
            Given::Wave(m, amount, p, at)
        }),
        (near(), held).prop_map(|(first, later)| Given::Held(first, later)),
        (near(), -by / 96.0..by / 96.0).prop_map(|(from, slope)| Given::Formula(from, slope)),
    ]
}

#[derive(Debug, Clone)]
struct Sky {
    gravity: Given,
    drag: Given,
    thick: Given,
    wind: [Given; 3],
    bounciness: Given,
    friction: Given,
}

fn sky() -> impl Strategy<Value = Sky> {
    let wind = [given(0.0, 3.0), given(0.0, 1.0), given(0.0, 3.0)];
    let calm = || Just(Given::Fixed(0.0));
    let (drag, thick) = (prop_oneof![calm(), given(0.4, 0.4)], prop_oneof![2 => calm(), 1 => given(0.05, 0.05)]);
    (given(6.0, 8.0), drag, thick, wind, given(0.6, 0.35), given(0.3, 0.3)).prop_map(
        |(gravity, drag, thick, wind, bounciness, friction)| Sky { gravity, drag, thick, wind, bounciness, friction },
    )
}

impl Sky {
    fn changing(&self) -> Changing {
        Changing {
            down: DVec3::NEG_Y,
            gravity: self.gravity.driven(f64::MIN, f64::MAX),
            drag: self.drag.driven(0.0, f64::MAX),
            thick_drag: self.thick.driven(0.0, f64::MAX),
            wind: self.wind.each_ref().map(|part| part.driven(f64::MIN, f64::MAX)),
            flat: false,
            bounciness: self.bounciness.driven(0.0, 1.0),
            friction: self.friction.driven(0.0, f64::MAX),
        }
    }

    fn pull(&self, frame: f64, velocity: DVec3) -> DVec3 {
        let wind = DVec3::from(self.wind.each_ref().map(|part| part.at(frame, f64::MIN)));
        let through = velocity - wind;
        let (drag, thick) = (self.drag.at(frame, 0.0), self.thick.at(frame, 0.0));
        DVec3::NEG_Y * self.gravity.at(frame, f64::MIN) - through * (drag + thick * through.length())
    }

    /// By the classical method, from one jump to the next.
    fn marched(&self, velocity: DVec3, until: f64) -> (DVec3, DVec3) {
        let parts = [&self.gravity, &self.drag, &self.thick].into_iter().chain(&self.wind);
        let mut ends: Vec<f64> = parts.flat_map(Given::jumps).filter(|frame| *frame < until).collect();
        ends.push(until);
        ends.sort_by(f64::total_cmp);
        let (mut x, mut v, mut from) = (DVec3::ZERO, velocity, 0.0);
        for to in ends {
            let steps = 4000;
            let h = (to - from) / FPS / f64::from(steps);
            // Within this stretch: what jumps does so at its ends.
            let at = |seconds: f64| (from + seconds * FPS).clamp(from + 1e-9, (to - 1e-9).max(from + 1e-9));
            for i in 0..steps {
                let t = f64::from(i) * h;
                let (k1, l1) = (v, self.pull(at(t), v));
                let (k2, l2) = (v + l1 * (0.5 * h), self.pull(at(t + 0.5 * h), v + l1 * (0.5 * h)));
                let (k3, l3) = (v + l2 * (0.5 * h), self.pull(at(t + 0.5 * h), v + l2 * (0.5 * h)));
                let (k4, l4) = (v + l3 * h, self.pull(at(t + h), v + l3 * h));
                x += (k1 + (k2 + k3) * 2.0 + k4) * (h / 6.0);
                v += (l1 + (l2 + l3) * 2.0 + l4) * (h / 6.0);
            }
            from = to;
        }
        (x, v)
    }
}

fn thrown(sky: &Sky, velocity: DVec3) -> LaunchSetup {
    LaunchSetup {
        fps: FPS,
        changing: Some(Arc::new(sky.changing())),
        ..LaunchSetup::free(DVec3::ZERO, velocity, Air::still(DVec3::ZERO))
    }
}

/// Metres, and metres per second.
fn state(motion: &dyn Motion, frame: f64) -> (DVec3, DVec3) {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION | Columns::VELOCITY, &mut sample);
    (sample.positions[0], sample.velocities[0] * FPS)
}

proptest! {
    #![proptest_config(cases(32))]

    #[test]
    fn flights_while_everything_changes_are_where_the_classical_method_takes_them(
        sky in sky(), velocity in (-9.0..9.0f64, -9.0..9.0f64, -9.0..9.0f64), until in 5.0..95.0f64,
    ) {
        let velocity = DVec3::from(velocity);
        let launch = Launch::solve(thrown(&sky, velocity), 96.0);
        let (place, speed) = state(&launch, until);
        let (there, fast) = sky.marched(velocity, until);
        prop_assert!(place.distance(there) <= 1e-7, "{place} {there}");
        prop_assert!(speed.distance(fast) <= 1e-6, "{speed} {fast}");
    }

    /// As often as it is looked at, whatever pulls, blows or holds, and as bouncy as it was said to be at each contact.
    #[test]
    fn in_a_box_it_stays_within_and_bounces_as_is_said_at_each_moment(
        sky in sky(), velocity in (-4.0..4.0f64, -4.0..4.0f64, -4.0..4.0f64), rolls: bool,
    ) {
        let half = DVec3::new(2.0, 1.0, 1.5);
        let setup = LaunchSetup {
            bounds: Bounds { min: -half, max: half },
            sides: Side::ALL.to_vec(),
            radius: 0.1,
            rolling_radius: if rolls { 0.1 } else { 0.0 },
            ..thrown(&sky, DVec3::from(velocity))
        };
        let launch = Launch::solve(setup, 240.0);
        prop_assert!(launch.capped().is_none(), "held at {:?}", launch.capped());
        for i in 0..=240 * 16 {
            let (place, speed) = state(&launch, f64::from(i) / 16.0);
            prop_assert!(place.is_finite() && speed.is_finite());
            let out = (-half - place).max(place - half).max_element();
            prop_assert!(out < 1e-6, "{out} outside at {}: {place}", f64::from(i) / 16.0);
        }
        for touch in launch.contacts(Frames { from: 0.0, to: 240.0 }).iter().take(200) {
            let (before, after) = (state(&launch, touch.frame - 1e-7).1, state(&launch, touch.frame + 1e-7).1);
            let (into, off) = (-before.dot(touch.normal), after.dot(touch.normal));
            let wanted = sky.bounciness.at(touch.frame, 0.0).min(1.0) * into;
            let jumps = sky.bounciness.jumps().iter().any(|jump| (jump - touch.frame).abs() < 1e-6);
            // Where it comes to rest the rest of its bounces are taken at once.
            if into > 0.01 && !jumps {
                prop_assert!((off - wanted).abs() < 1e-5 * (1.0 + into), "{off} {wanted} at {}", touch.frame);
            }
        }
    }

    #[test]
    fn how_far_it_is_worked_out_changes_nothing_before(sky in sky(), velocity in (-4.0..4.0f64, -4.0..4.0f64, -4.0..4.0f64)) {
        let half = DVec3::splat(3.0);
        let setup = LaunchSetup {
            bounds: Bounds { min: -half, max: half },
            sides: Side::ALL.to_vec(),
            ..thrown(&sky, DVec3::from(velocity))
        };
        let (short, long) = (Launch::solve(setup.clone(), 50.0), Launch::solve(setup, 150.0));
        for i in 0..=400 {
            let frame = f64::from(i) / 8.0;
            prop_assert_eq!(state(&short, frame), state(&long, frame), "frame {}", frame);
        }
    }

    /// On a floor that is tilted by turning gravity, it lies until friction no longer holds it; from then on it goes as
    /// two integrals of what is left say.
    #[test]
    fn what_lies_on_a_slope_begins_to_slide_when_friction_lets_it(tilt in 0.1..0.6f64, over in 0.05..0.5f64, fades in 0.002..0.02f64) {
        let g = 9.81;
        let (sine, cosine) = libm::sincos(tilt);
        let first = sine / cosine + over;
        let sky = Sky {
            gravity: Given::Fixed(g),
            drag: Given::Fixed(0.0),
            thick: Given::Fixed(0.0),
            wind: [0.0; 3].map(Given::Fixed),
            bounciness: Given::Fixed(0.0),
            friction: Given::Formula(first, -fades),
        };
        let setup = LaunchSetup {
            bounds: Bounds { min: DVec3::new(-1e6, 0.0, -1e6), max: DVec3::splat(1e6) },
            sides: vec![Side::Bottom],
            changing: Some(Arc::new(Changing { down: DVec3::new(sine, -cosine, 0.0), ..sky.changing() })),
            ..thrown(&sky, DVec3::ZERO)
        };
        let goes = over / fades;
        let launch = Launch::solve(setup, goes + 60.0);
        prop_assert_eq!(state(&launch, 0.9 * goes).0, DVec3::ZERO);
        // While friction is above 0: a = k·t of what it has lost since it let go.
        let left = (first / fades).min(goes + 60.0) - goes;
        let t = 0.9 * left / FPS;
        let lost = fades * FPS * g * cosine;
        let (place, speed) = state(&launch, goes + 0.9 * left);
        prop_assert!((place.x - lost * t * t * t / 6.0).abs() <= 1e-6 * (1.0 + place.x), "{} {}", place.x, lost * t * t * t / 6.0);
        prop_assert!((speed.x - lost * t * t / 2.0).abs() <= 1e-6 * (1.0 + speed.x));
    }
}

fn keys(list: &[(f64, f64)]) -> Value {
    let key = |(i, (frame, value)): (usize, &(f64, f64))| json!({ "id": format!("k{i}"), "frame": frame, "value": value, "handles": "joined" });
    json!({ "keys": list.iter().enumerate().map(key).collect::<Vec<_>>(), "beyond": "holds" })
}

fn formula(text: &str) -> Value {
    json!({ "formula": text })
}

fn launch(params: Value) -> Value {
    document(96, &[("throw", "launch", params), ("out", "output", json!({}))], &[("throw", "out", "motion")])
}

fn said(params: Value) -> Result<(), String> {
    let compiled = compiled(launch(params));
    compiled.nodes["throw"].outcome.as_ref().as_ref().map(|_| ()).map_err(Clone::clone)
}

proptest! {
    #![proptest_config(cases(24))]

    #[test]
    fn aimed_by_landing_and_time_it_lands_there_while_everything_changes(
        pull in 1.0..20.0f64, later in -5.0..20.0f64, gust in -9.0..9.0f64, drag in 0.0..1.0f64, thick in 0.0..0.2f64, begin in -20.0..40.0f64,
        land in (-6.0..6.0f64, -1.0..4.0f64, -6.0..6.0f64), time in 6.0..50.0f64,
    ) {
        let params = json!({
            "aim": "landing and time", "start": [0.0, 1.0, 0.0], "land": [land.0, land.1, land.2], "time": time, "begin": begin,
            "gravity": keys(&[(0.0, pull), (48.0, later)]), "wind": [formula(&format!("{gust} * sin(frame / 7)")), 0, 0],
            "drag": drag, "thick-drag": thick, "sides": [],
        });
        let compiled = compiled(launch(params));
        let (place, _) = state(&*compiled.ends[0].motion, begin + time);
        prop_assert!(place.distance(DVec3::from(land)) < 1e-6, "{place} {land:?}");
    }
}

/// What cannot be aimed or thrown back while the air changes says so; bounciness and friction stand in nobody's way.
#[test]
fn what_cannot_be_aimed_while_the_air_changes_says_so() {
    let aims = ["landing and height", "landing and slope", "landing and speed"];
    for aim in aims {
        let why = said(json!({ "aim": aim, "gravity": keys(&[(0.0, 9.0), (24.0, 3.0)]) })).unwrap_err();
        assert!(why.contains("landing and time"), "{why}");
        said(json!({ "aim": aim, "bounciness": keys(&[(0.0, 0.9), (24.0, 0.3)]), "friction": formula("0.1 + 0.001 * frame") }))
            .unwrap();
    }
    let back =
        said(json!({ "aim": "landing and time", "then": "comes back", "wind": [formula("frame"), 0, 0] })).unwrap_err();
    assert!(back.contains("comes back"), "{back}");
    said(json!({ "aim": "its throw", "gravity": formula("9.81 - 0.1 * frame") })).unwrap();
    let many = said(json!({ "things": 9000, "gravity": formula("9.81 - 0.1 * frame") })).unwrap_err();
    assert!(many.contains("over time"), "{many}");
}

/// Numbers that differ from thing to thing and stay the same hold the closed forms.
#[test]
fn each_thing_may_have_a_gravity_of_its_own() {
    let params = json!({ "things": 4, "gravity": formula("2 * (index + 1)"), "velocity": [0.0, 0.0, 0.0], "start": [0.0, 9.0, 0.0], "sides": [] });
    let compiled = compiled(launch(params));
    let mut sample = Sample::default();
    compiled.ends[0].motion.sample(24.0, Columns::POSITION, &mut sample);
    for (index, place) in sample.positions.iter().enumerate() {
        assert!((place.y - (9.0 - (index as f64 + 1.0))).abs() < 1e-12, "{place}");
    }
}

proptest! {
    #![proptest_config(cases(24))]

    /// A drag that is kept at 0 most of the time acts while it is above, however short that is of its period.
    #[test]
    fn what_is_kept_at_the_end_of_its_range_acts_where_it_leaves_it(over in 0.02..0.4f64, period in 20.0..90.0f64, phase in 0.0..1.0f64, speed in 3.0..9.0f64) {
        let drag = Given::Wave(over - 1.0, 1.0, period, phase);
        let fixed = || Given::Fixed(0.0);
        let sky = Sky {
            gravity: fixed(), drag: drag.clone(), thick: fixed(), wind: [0.0; 3].map(Given::Fixed), bounciness: fixed(), friction: fixed(),
        };
        let launch = Launch::solve(thrown(&sky, DVec3::X * speed), 192.0);
        // v = v₀·exp(−∫ drag dt), by the midpoint rule.
        let mut lost = 0.0;
        for frame in 1..=190u32 {
            for i in 0..64 {
                lost += drag.at(f64::from(frame - 1) + (f64::from(i) + 0.5) / 64.0, 0.0) / 64.0 / FPS;
            }
            let (wanted, found) = (speed * libm::exp(-lost), state(&launch, f64::from(frame)).1.x);
            prop_assert!((wanted - found).abs() < 1e-4 * speed, "{found}, not {wanted}, at {frame}");
        }
    }
}
