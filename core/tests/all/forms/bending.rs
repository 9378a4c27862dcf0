//! What is bent along a path: against the path itself, worked out apart from its joints.

use crate::common::scenes::{Files, compiled, document};
use glam::{DQuat, DVec2, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::f64::consts::TAU;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, Segment, Strand, through};
use zickzack_core::motion::{
    Bend, BentForm, BlockLayout, Cancel, Columns, FaceUp, Frames, Lying, Motion, Sample, Sections, Strip, StripEnd,
    fill_poses, prepared,
};
use zickzack_core::rig::Local;
use zickzack_core::seam::measure;
use zickzack_core::signal::Progression;

const F: f64 = 48.0;
const TOLERANCE: f64 = 1e-3;

fn strip(width: f64, thickness: f64) -> BentForm {
    let colours = ["#ffffff".to_owned(), "#000000".to_owned()];
    BentForm::Strip(Strip { width, thickness, end: StripEnd::Straight, stripes: 1, colours, picture: String::new() })
}

fn unbanked(roll: f64, size: f64) -> Sections {
    Sections { roll: Progression::steady(roll), size: Progression::steady(size), banking: None }
}

/// A strip along a strand, its face up, as it is and where nothing is drawn along it.
fn bend((width, thickness, length): (f64, f64, f64), strand: &Strand, size: f64, span: f64) -> Bend {
    let path = Path::still(Curve::from(strand.clone()));
    let drawn = unbanked(0.0, size);
    let up = FaceUp::Towards(DVec3::Y);
    Bend::new((strip(width, thickness), length), (path, up), drawn, (span, TOLERANCE, F))
}

fn whole(from: f64, to: f64) -> Lying {
    Lying { frame: 0.0, strand: 0, from, to, strength: 1.0, roll: 0.0 }
}

/// Where the two joints beside it carry a corner that is `x` metres from the tail at rest.
fn carried(bend: &Bend, lying: &Lying, x: f64, corner: DVec2) -> DVec3 {
    let mut chain = Vec::new();
    bend.chain(lying, &mut chain);
    let apart = bend.length() / (chain.len() - 1) as f64;
    let first = ((x / apart) as usize).min(chain.len() - 2);
    let by = |i: usize| {
        let Local { translation, rotation, scale } = chain[i];
        translation + rotation * (scale * DVec3::new(x - apart * i as f64, corner.x, corner.y))
    };
    let part = x / apart - first as f64;
    let middle = bend.middle(lying);
    middle.position + middle.orientation * by(first).lerp(by(first + 1), part)
}

/// Where the path says that it is: P(s) + size · R(s) · (0, y, z), up as near to y as it can be.
fn exact(strand: &Strand, s: f64, ahead: f64, size: f64, corner: DVec2) -> DVec3 {
    let on = if strand.closed() { s.rem_euclid(strand.length()) } else { s.clamp(0.0, strand.length()) };
    let here = strand.at(on);
    let beyond = if strand.closed() { 0.0 } else { s - on };
    let along = here.tangent * ahead;
    let up = (DVec3::Y - along * along.y).normalize();
    here.point + here.tangent * beyond + size * (up * corner.x + along.cross(up) * corner.y)
}

/// A closed way through points that nowhere comes near to running upright.
fn round_about() -> impl Strategy<Value = Strand> {
    let point = (0.8..1.4f64, -0.15..0.15f64);
    prop::collection::vec(point, 4..8).prop_map(|around| {
        let count = around.len() as f64;
        let place = |(i, (out, y)): (usize, &(f64, f64))| {
            let (sine, cosine) = libm::sincos(TAU * i as f64 / count);
            let position = DVec3::new(3.0 * out * cosine, *y, 3.0 * out * sine);
            PathPoint { position, kind: PointKind::Smooth, handles: None }
        };
        let points: Vec<PathPoint> = around.iter().enumerate().map(place).collect();
        through(&points, true).expect("a way")
    })
}

proptest! {
    /// Corners are where the path says, as exactly as it is told, wherever along it, also over the join, backwards,
    /// stretched and swollen.
    #[test]
    fn every_corner_is_where_the_path_says_to_what_is_told(
        strand in round_about(), at in -1.0..2.0f64, part in 0.0..1.0f64, width in 0.1..1.0f64, size in 0.3..1.5f64,
        stretch in 0.5..1.5f64, back: bool, y in -0.5..0.5f64, z in -0.5..0.5f64,
    ) {
        let (length, thickness) = (2.0, 0.1 * width);
        let span = stretch * length;
        let bent = bend((width, thickness, length), &strand, size, span);
        prop_assert!(bent.missed() <= 1.3 * TOLERANCE * width, "{} joints miss {}", bent.joints(), bent.missed());
        let from = at * strand.length();
        let ahead = if back { -1.0 } else { 1.0 };
        let lying = whole(from, from + ahead * span);
        let corner = DVec2::new(y * thickness, z * width);
        let found = carried(&bent, &lying, part * length, corner);
        let wanted = exact(&strand, from + ahead * part * span, ahead, size, corner);
        prop_assert!(found.distance(wanted) <= bent.missed() + 1e-9, "{} off, told {}", found.distance(wanted), bent.missed());
    }

    /// Joints lie on the path at even lengths, cross-sections are rigid, and beyond its ends an open path goes straight on.
    #[test]
    fn joints_are_on_the_path_and_straight_on_beyond_it(from in -3.0..8.0f64, turn in 0.2..5.0f64, part in 0.0..1.0f64, z in -0.15..0.15f64) {
        let strand = Strand::new(vec![Segment::circle(DVec3::ZERO, 1.5, DVec3::X, DVec3::Z).part(0.0, turn / TAU)], false).expect("an arc");
        let bent = bend((0.3, 0.02, 2.0), &strand, 1.0, 2.0);
        let lying = whole(from, from + 2.0);
        let (mut chain, middle) = (Vec::new(), bent.middle(&lying));
        bent.chain(&lying, &mut chain);
        for (i, joint) in chain.iter().enumerate() {
            let s = from + 2.0 * i as f64 / (chain.len() - 1) as f64;
            let found = middle.position + middle.orientation * joint.translation;
            prop_assert!(found.distance(exact(&strand, s, 1.0, 1.0, DVec2::ZERO)) < 1e-9, "joint {i}");
            prop_assert!(joint.scale.distance(DVec3::ONE) < 1e-12 && joint.rotation.is_normalized());
        }
        let corner = DVec2::new(0.0, z);
        let off = carried(&bent, &lying, 2.0 * part, corner).distance(exact(&strand, from + 2.0 * part, 1.0, 1.0, corner));
        prop_assert!(bent.missed() > 0.0 && off <= bent.missed() + 1e-9, "{off} off, told {}", bent.missed());
    }

    /// Unbent it is straight about its middle, and on the way there each part keeps its length and turns by its share.
    #[test]
    fn half_bent_each_part_turns_by_its_share(strength in 0.0..1.0f64, from in 0.0..5.0f64) {
        let strand = Strand::new(vec![Segment::circle(DVec3::ZERO, 1.0, DVec3::X, DVec3::Z)], true).expect("a circle");
        let bent = bend((0.3, 0.02, 3.0), &strand, 1.0, 3.0);
        let mut chain = Vec::new();
        bent.chain(&Lying { strength, ..whole(from, from + 3.0) }, &mut chain);
        let apart = 3.0 / (chain.len() - 1) as f64;
        for (i, pair) in chain.windows(2).enumerate() {
            let way = pair[0].translation.distance(pair[1].translation);
            prop_assert!((way - apart).abs() < apart * apart * apart, "part {i} is {way} long");
            let turn = (pair[0].rotation.inverse() * pair[1].rotation).to_scaled_axis().length();
            prop_assert!((turn - strength * apart).abs() < 1e-9, "part {i} turns by {turn}");
        }
        let straight = chain.iter().enumerate().map(|(i, joint)| joint.translation.distance(DVec3::X * (apart * i as f64 - 1.5)));
        let off = straight.fold(0.0, f64::max);
        prop_assert!(strength > 1e-9 || off < 1e-9, "{off}");
    }
}

/// A figure, perhaps riders on it, and what is bent along it.
fn scene(figure: Value, riders: Option<Value>, told: Value, after: Option<(&str, Value)>) -> Arc<dyn Motion> {
    let mut nodes = vec![("figure", "figure", figure), ("bend", "bend-along", told), ("out", "output", json!({}))];
    let mut threads = vec![("figure", "bend", "path")];
    if let Some(riders) = riders {
        nodes.push(("ride", "ride", riders));
        threads.extend([("figure", "ride", "path"), ("ride", "bend", "things")]);
    }
    let last = match after {
        Some((kind, params)) => {
            nodes.push(("after", kind, params));
            threads.push(("bend", "after", "motion"));
            "after"
        }
        None => "bend",
    };
    threads.push((last, "out", "motion"));
    let compiled = compiled(document(F as u32, &nodes, &threads));
    prepared(&compiled.ends[0].motion, Frames { from: -F, to: 3.0 * F }, &Cancel::default()).expect("prepared")
}

fn sample(motion: &dyn Motion, object: usize, frame: f64, columns: Columns) -> Sample {
    let mut sample = Sample::default();
    motion.sample_at(&[(object, frame)], columns, &mut sample);
    sample
}

/// What rides has its middle where its rider is, is there again after a loop, bent as it was, and is as quick as it says.
#[test]
fn what_rides_stays_with_its_rider_and_closes() {
    let ride = json!({ "riders": 3, "laps": "2/3", "phase": 0.13 });
    let motion = scene(json!({ "figure": "star" }), Some(ride.clone()), json!({ "length": 1.2, "up": "steady" }), None);
    let alone = scene(json!({ "figure": "star" }), Some(ride), json!({ "length": 0.01, "up": "steady" }), None);
    for object in 0..3 {
        for frame in [0.0, 7.3, 31.0, 47.9] {
            let all = Columns::POSITION | Columns::VELOCITY | Columns::TRAVEL;
            let (here, there) = (sample(&*motion, object, frame, all), sample(&*alone, object, frame, all));
            assert!(here.positions[0].distance(there.positions[0]) < 1e-9);
            let h = 1e-4;
            let at = |by: f64| sample(&*motion, object, frame + by, Columns::POSITION).positions[0];
            let (before, after) = ((at(0.0) - at(-h)) / h, (at(h) - at(0.0)) / h);
            // At a corner it is as quick as it is after it.
            let change = if before.distance(after) < 1e-3 * after.length() { 0.5 * (before + after) } else { after };
            assert!(here.velocities[0].distance(change) < 1e-5 * change.length(), "{} {change}", here.velocities[0]);
            assert!(here.travels[0].distance(change.normalize()) < 1e-4);
        }
    }
    let seam = measure(&motion, F, 24.0, &Cancel::default()).expect("measured");
    assert!(seam.closes(1e-6) && seam.form.expect("a form").amount < 1e-9, "{seam:?}");
}

/// A bend that is not again at the loop's end what it was is told, though its middle is where it was.
#[test]
fn a_form_that_is_another_at_the_end_is_told() {
    let told = json!({ "length": 2.0, "strength": { "formula": "frame / 48" } });
    let motion = scene(json!({}), None, told, None);
    let seam = measure(&motion, F, 24.0, &Cancel::default()).expect("measured");
    assert!(seam.position.amount < 1e-9 && seam.form.expect("a form").amount > 0.1, "{seam:?}");
    assert!(!seam.closes(1e-6));
}

/// What follows a bent thing is bent as that was.
#[test]
fn followers_are_bent_as_what_they_follow_was() {
    let after = ("followers", json!({ "followers": 2, "delay": 5, "lead": false }));
    let ride = json!({ "riders": 1, "laps": "1" });
    let lead = scene(json!({}), Some(ride.clone()), json!({ "length": 1.0 }), None);
    let motion = scene(json!({}), Some(ride), json!({ "length": 1.0 }), Some(after));
    let bent = |motion: &dyn Motion, object, frame| sample(motion, object, frame, Columns::BENT).bents[0];
    for frame in [0.0, 11.5, 40.0] {
        assert_eq!(bent(&*motion, 0, frame), bent(&*lead, 0, frame - 5.0));
    }
    assert!(motion.kinds()[motion.kind(0)].bent.is_some());
}

/// From here to there its ends are there, also where they go with the time.
#[test]
fn what_goes_from_here_to_there_ends_there() {
    let told = json!({ "takes": "from here to there", "from": 0.1, "to": { "formula": "0.1 + 0.6 * frame / 48" }, "length": 2.0 });
    let motion = scene(json!({ "figure": "circle", "radius": 2.0 }), None, told, None);
    for frame in [0.0, 24.0, 47.0] {
        let lying = sample(&*motion, 0, frame, Columns::BENT).bents[0];
        let round = 2.0 * TAU;
        assert!((lying.from - 0.1 * round).abs() < 1e-9, "{lying:?}");
        assert!((lying.to - (0.1 + 0.6 * frame / 48.0) * round).abs() < 1e-9, "{lying:?}");
    }
}

/// What takes up nothing of its path is not there: it may end in one place and begin in another.
#[test]
fn what_takes_up_nothing_is_not_there() {
    let told = json!({
        "takes": "from here to there",
        "from": { "formula": "clamp(3 * loop - 2, 0, 1)" },
        "to": { "formula": "clamp(3 * loop, 0, 1)" },
    });
    let motion = scene(json!({ "figure": "circle", "radius": 2.0 }), None, told, None);
    let there = |frame: f64| sample(&*motion, 0, frame, Columns::ALIVE).alive[0];
    assert!(!there(0.0) && there(1.0) && there(24.0) && there(47.0) && !there(48.0));
}

/// With a second path its face points to the place beside it.
#[test]
fn its_face_points_to_the_second_path() {
    let nodes = [
        ("figure", "figure", json!({ "figure": "circle", "radius": 2.0 })),
        ("second", "figure", json!({ "figure": "circle", "radius": 3.0 })),
        ("bend", "bend-along", json!({ "up": "second path", "length": 3.0 })),
        ("out", "output", json!({})),
    ];
    let threads = [("figure", "bend", "path"), ("second", "bend", "beside"), ("bend", "out", "motion")];
    let compiled = compiled(document(F as u32, &nodes, &threads));
    let motion = &compiled.ends[0].motion;
    let bend = motion.kinds()[0].bent.clone().expect("bent");
    let lying = sample(&**motion, 0, 0.0, Columns::BENT).bents[0];
    let (mut chain, middle) = (Vec::new(), bend.middle(&lying));
    bend.chain(&lying, &mut chain);
    for joint in chain {
        let place = middle.position + middle.orientation * joint.translation;
        let up = middle.orientation * joint.rotation * DVec3::Y;
        assert!(up.distance(place.normalize()) < 1e-3, "{up} at {place}");
    }
}

/// What is sent to pages are the joints as they lie in their thing, in single precision.
#[test]
fn pages_are_sent_the_joints() {
    let motion = scene(json!({}), Some(json!({ "riders": 2, "laps": "1" })), json!({ "length": 1.0 }), None);
    let layout = BlockLayout::of(&*motion);
    let bend = motion.kinds()[0].bent.clone().expect("bent");
    let form = 9 * bend.joints();
    assert_eq!((layout.forms(), layout.row()), (&[form][..], 2 * (layout.floats() + form)));
    let mut out = vec![0.0f32; layout.row()];
    fill_poses(&*motion, &layout, &[11.0], &mut out, &Cancel::default()).expect("filled");
    for object in 0..2 {
        let mut chain = Vec::new();
        bend.chain(&sample(&*motion, object, 11.0, Columns::BENT).bents[0], &mut chain);
        // After the numbers of both.
        let numbers = &out[2 * layout.floats() + object * form..][..form];
        for (numbers, joint) in numbers.chunks(9).zip(&chain) {
            let place = DVec3::new(numbers[0].into(), numbers[1].into(), numbers[2].into());
            let turn = DQuat::from_array([3, 4, 5, 6].map(|i| f64::from(numbers[i])));
            assert!(place.distance(joint.translation) < 1e-6 && turn.dot(joint.rotation).abs() > 1.0 - 1e-6);
            assert_eq!(numbers[7..], [joint.scale.x as f32, joint.scale.y as f32]);
        }
    }
}

/// Where its inside would turn over is told, and only there.
#[test]
fn a_bend_that_is_too_tight_is_told_with_its_place() {
    let ellipse = |tight: f64| {
        let place = |i: usize| {
            let (sine, cosine) = libm::sincos(TAU * i as f64 / 16.0);
            let position = DVec3::new(4.0 * cosine, 0.0, tight * sine);
            PathPoint { position, kind: PointKind::Smooth, handles: None }
        };
        through(&(0..16).map(place).collect::<Vec<_>>(), true).expect("a way")
    };
    // At its ends an ellipse has the radius b²/a.
    let found = bend((1.0, 0.02, 2.0), &ellipse(1.0), 1.0, 2.0).tight(F).expect("too tight");
    let place = ellipse(1.0).at(found.s).point;
    assert!((found.radius - 0.25).abs() < 0.08 && (place.x.abs() - 4.0).abs() < 0.05, "{found:?} at {place}");
    assert!((found.reach - 0.5).abs() < 0.02, "{found:?}");
    assert_eq!(bend((1.0, 0.02, 2.0), &ellipse(3.0), 1.0, 2.0).tight(F), None);
    // Standing on its edge it reaches no farther than it is thick.
    let edge = Path::still(Curve::from(ellipse(1.0)));
    let drawn = unbanked(90.0, 1.0);
    let on_edge = Bend::new((strip(1.0, 0.02), 2.0), (edge, FaceUp::Towards(DVec3::Y)), drawn, (2.0, TOLERANCE, F));
    assert_eq!(on_edge.tight(F), None);
}

/// A model is as long along its nose as it is told, and as wide and high as that makes it, wherever it lies in its file.
#[test]
fn a_model_is_bent_along_its_nose() {
    // Four long along z, which is its nose; two high along x; one wide along y.
    let corners = vec![DVec3::new(3.0, 5.0, 1.0), DVec3::new(5.0, 6.0, 5.0)];
    let told = json!({ "what": "own model", "file": "eel.glb", "nose": "+z", "top": "+x", "length": 2.0 });
    let nodes = [("figure", "figure", json!({})), ("bend", "bend-along", told), ("out", "output", json!({}))];
    let scene = document(48, &nodes, &[("figure", "bend", "path"), ("bend", "out", "motion")]);
    let compiled = Files { corners, ..Files::default() }.compiled(scene);
    let motion = &compiled.ends[0].motion;
    let bend = motion.kinds()[0].bent.clone().expect("bent");
    let BentForm::Model { around, .. } = bend.form() else { panic!("a model") };
    let half = DVec2::new(0.5, 0.25);
    assert!(around[0].distance(-half) < 1e-12 && around[1].distance(half) < 1e-12, "{around:?}");
    assert!((bend.form().width() - 1.0).abs() < 1e-12 && bend.missed() <= 1.3 * TOLERANCE);
}

/// A strip has the picture that is there, with the length at which it keeps its shape; one that is not there is said to be missing,
/// and its stripes are seen.
#[test]
fn a_strip_has_a_picture_or_says_that_it_is_not_there() {
    let told = json!({ "picture": "crest.png", "width": 0.5 });
    let nodes = [("figure", "figure", json!({})), ("bend", "bend-along", told), ("out", "output", json!({}))];
    let scene = document(48, &nodes, &[("figure", "bend", "path"), ("bend", "out", "motion")]);
    let shown = |picture: Option<f64>| {
        let compiled = Files { picture, ..Files::default() }.compiled(scene.clone());
        let bend = compiled.ends[0].motion.kinds()[0].bent.clone().expect("bent");
        let BentForm::Strip(strip) = bend.form() else { panic!("a strip") };
        let report = compiled.nodes["bend"].outcome.as_ref().as_ref().expect("bent");
        (strip.picture.clone(), report.facts.join("; "), report.warnings.join("; "))
    };
    let (picture, facts, warnings) = shown(Some(4.0));
    assert!(
        picture == "crest.png" && facts.contains("its shape at a length of 2.00 m") && warnings.is_empty(),
        "{facts}{warnings}"
    );
    let (picture, facts, warnings) = shown(None);
    assert!(picture.is_empty() && !facts.contains("picture") && warnings.contains("without its picture"), "{warnings}");
}

/// Over a corner of a path joints stand so near to each other that it is seen, and what is told leaves it out.
#[test]
fn a_corner_is_followed_by_joints_that_are_near_to_each_other() {
    let (a, b, c) = (DVec3::ZERO, DVec3::X * 6.0, DVec3::new(6.0, 0.0, 5.0));
    let sides = vec![Segment::Line { from: a, to: b }, Segment::Line { from: b, to: c }];
    let bent = bend((0.8, 0.02, 11.0), &Strand::new(sides, false).expect("a way"), 1.0, 11.0);
    assert!(bent.corners() == 1 && 11.0 / (bent.joints() - 1) as f64 <= 0.1 + 1e-9, "{} joints", bent.joints());
    assert!(bent.missed() < 1e-9);
    let (mut chain, lying) = (Vec::new(), whole(0.0, 11.0));
    bent.chain(&lying, &mut chain);
    let middle = bent.middle(&lying);
    let near = |place: DVec3| {
        chain.iter().any(|j| (middle.position + middle.orientation * j.translation).distance(place) < 0.06)
    };
    assert!(near(a) && near(b) && near(c));
}

/// A miniature shows the form of what is bent, as it is half-way through the loop, on the path.
#[test]
fn a_miniature_shows_the_form() {
    let told = json!({ "takes": "from here to there", "to": { "formula": "loop" } });
    let nodes = [
        ("figure", "figure", json!({ "figure": "circle", "radius": 2.0, "plane": "ground" })),
        ("bend", "bend-along", told),
        ("out", "output", json!({})),
    ];
    let compiled = compiled(document(48, &nodes, &[("figure", "bend", "path"), ("bend", "out", "motion")]));
    let drawn = compiled.miniatures(&Cancel::default()).expect("drawn");
    let form = drawn["bend"].lines.last().expect("a line");
    let places: Vec<DVec3> = form.chunks(3).map(|p| DVec3::new(p[0].into(), p[1].into(), p[2].into())).collect();
    assert!(places.iter().all(|place| (place.length() - 2.0).abs() < 1e-5));
    // Half of the circle.
    assert!((places[0] + places[places.len() - 1]).length() < 1e-5, "{places:?}");
    let living = compiled.living_miniature(12, &Cancel::default()).expect("drawn");
    assert!(living.steps[6].len() > 3 * 10 && living.steps[0].len() == 3);
}
