//! USD files as the format's reference reader reads them, against the motions that they were made of.

use glam::{DQuat, DVec3};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::io::{Cursor, Read, Seek, SeekFrom};
use std::path::Path;
use std::process::Command;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::{FileForm, Keying};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::pose::angle_between;
use zickzack_core::scene::Scene;
use zickzack_session::{HandOff, Session};

/// What the reference reader says of a file at some time codes. `./test` installs it.
pub fn read(bytes: &[u8], ending: &str, times: &[f64]) -> Value {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("..");
    let mut reader = Command::new("/usr/bin/python3");
    reader.arg(root.join("scripts/read-usd.py")).env("PYTHONPATH", root.join(".zickzack/usd"));
    let told: Value = crate::told(reader, (bytes, ending), times);
    assert_eq!(told["complaints"], json!([]), "validators of the format");
    told
}

pub fn numbers<const N: usize>(value: &Value) -> [f64; N] {
    std::array::from_fn(|i| value[i].as_f64().unwrap_or_else(|| panic!("{value} has {N} numbers")))
}

/// Where a pose as it was read is: place, turn, size.
fn pose(value: &Value) -> (DVec3, DQuat, DVec3) {
    let [x, y, z, a, b, c, d, sx, sy, sz] = numbers(value);
    (DVec3::new(x, y, z), DQuat::from_xyzw(a, b, c, d), DVec3::new(sx, sy, sz))
}

fn compiled<T>(document: Value, work: impl FnOnce(&HandOff<'_>) -> T) -> T {
    let registry = Arc::new(Registry::default());
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    let session = Session::new(registry, scene, Arc::default());
    let (memo, cancel) = (Memo::default(), Cancel::default());
    let compiled = session.compile(&memo, &AtOnce, &cancel);
    let hand_off = HandOff::of(&session, &compiled, |_| true);
    assert!(hand_off.broken().is_empty(), "{:?}", hand_off.broken());
    work(&hand_off)
}

/// Where things come from: on a path, round or open, or born again and again.
#[derive(Debug, Clone, Copy, PartialEq)]
enum From {
    Round,
    Open,
    Born,
}

/// Things of two kinds whose colours are their own, and change where they live.
fn document((from, count): (From, usize), name: &str, (first, fps): (i64, &str), grown: bool) -> Value {
    let mut nodes = json!({
        "way": { "type": "figure", "name": "Way" },
        "line": { "type": "drawn-path", "name": "Line", "params": { "points": [{ "id": "a", "at": [0, 0, 0] }, { "id": "b", "at": [2, 1, 0] }, { "id": "c", "at": [4, 0, 1] }] } },
        "ride": { "type": "ride", "name": "Ride", "params": { "riders": count, "laps": "1" } },
        "emit": { "type": "emit", "name": "Emit", "params": { "rate": count as f64, "lifetime": 0.3 } },
        "kinds": { "type": "kinds", "name": "Kinds", "params": {
            "kinds": [{ "id": "a", "thing": "lantern" }, { "id": "b", "thing": "cone" }],
            "colouring": "phase", "first": "#00ff00", "last": "#0000ff",
        } },
        "look": { "type": "look-by", "name": "Fading", "params": { "by": "age", "first": "#ff0000", "last": "#0000ff", "brightness": [[0, 1], [1, 0.25]] } },
        "face": { "type": "face-travel", "name": "Face" },
        "swell": { "type": "swell", "name": "Swell", "params": { "scale": { "formula": "1 + 0.4 * sin(0.9 * frame)" } } },
        "out": { "type": "output", "name": name, "params": { "size": 0.3 } },
    });
    let way = if from == From::Open { "line" } else { "way" };
    let born = from == From::Born;
    let last = if grown { "swell" } else { "face" };
    let mut threads = json!({
        "a": { "from": way, "to": "ride", "port": "path" },
        "c": { "from": if born { "emit" } else { "ride" }, "to": if born { "look" } else { "kinds" }, "port": "motion" },
        "d": { "from": if born { "look" } else { "kinds" }, "to": "face", "port": "motion" },
        "f": { "from": last, "to": "out", "port": "motion" },
    });
    if born {
        nodes["ride"]["params"]["riders"] = json!(1);
        threads["b"] = json!({ "from": "ride", "to": "emit", "port": "motion" });
    }
    if grown {
        threads["e"] = json!({ "from": "face", "to": "swell", "port": "motion" });
    }
    json!({
        "format": "zickzack-scene", "version": 1, "name": "Stage \"1\"", "space": "deep", "fps": fps, "frames": 24,
        "first_frame": first, "nodes": nodes, "threads": threads,
        "camera": { "position": [9, 4, 9], "target": [0, 1, 0], "lens": 35 },
    })
}

/// Where a thing is by what was read, whether it is seen, and its colours, at the number of a time code.
fn found(output: &Value, object: usize, time: usize, name: &str) -> (Value, bool, Value) {
    if output["crowd"].is_null() {
        let thing = &output["things"][format!("{name} {}", object + 1)];
        return (
            thing["poses"][time].clone(),
            thing["seen"][time].as_bool().unwrap(),
            thing["meshes"][0]["colours"][time].clone(),
        );
    }
    let (crowd, at) = (&output["crowd"], &output["crowd"]["things"][time]);
    let own = &crowd["forms"][crowd["kinds"][object].as_u64().unwrap() as usize][0]["colours"];
    let colours = if at["colours"].is_null() { own.clone() } else { json!([at["colours"][object]]) };
    (at["poses"][object].clone(), at["seen"][object].as_bool().unwrap(), colours)
}

proptest! {
    #![proptest_config(ProptestConfig { max_shrink_iters: 8, ..ProptestConfig::with_cases(10) })]

    /// What is seen of a thing is where its motion is, at time codes that are frames as shown, within what is told, few or many,
    /// packed or not; what is not there is not seen; its brightest corner has its colour. The format's validators have nothing to say.
    #[test]
    fn things_stand_in_a_stage_as_in_their_motion(
        from in prop::sample::select(vec![From::Round, From::Open, From::Born]), many: bool, packed: bool, few_keys: bool, grown: bool,
        name in "[a-zA-Z0-9 äß\"\\\\/.-]{1,9}", first in -50i64..1100, fps in prop::sample::select(vec!["24", "30000/1001"]),
    ) {
        let count = if many { 90 } else { 5 };
        compiled(document((from, count), &name, (first, fps), grown), |hand_off| {
            let (range, cancel) = (Frames { from: 3.0, to: 12.0 }, Cancel::default());
            let keying = if few_keys { Keying::Within { metres: 2e-3, radians: 2e-3 } } else { Keying::Every(1.0) };
            let mut bytes = Cursor::new(Vec::new());
            let (tallies, form) = if packed {
                (hand_off.write_usdz((range, keying), Cursor::new(Vec::new()), &mut bytes, &cancel).unwrap(), FileForm::Package)
            } else {
                (hand_off.write_usda((range, keying), &mut bytes, &cancel).unwrap(), FileForm::Stage)
            };
            let (tally, motion) = (tallies[0], &hand_off.outputs()[0].1);
            let ready: Arc<dyn Motion> = prepared(motion, range.widened(1.0), &cancel).unwrap();
            prop_assert_eq!(tally.things, motion.len());
            if few_keys && !many {
                prop_assert!(tally.off.0 <= 2e-3 && tally.turned_off.0 <= 2e-3, "{:?}", tally);
            }
            let frames: Vec<f64> = (0..=36).map(|i| range.from + f64::from(i) / 4.0).collect();
            let times: Vec<f64> = frames.iter().map(|frame| frame + first as f64).collect();
            let told = read(&bytes.into_inner(), form.ending(), &times);
            let head = ["first", "last", "metres"].map(|field| told[field].as_f64().unwrap());
            prop_assert_eq!(head, [times[0], times[36], 1.0]);
            let rate = if fps == "24" { 24.0 } else { 30000.0 / 1001.0 };
            prop_assert!((told["fps"].as_f64().unwrap() - rate).abs() < 1e-9 && told["up"] == "Y");
            let ahead: [f64; 3] = numbers(&told["camera"]["ahead"]);
            prop_assert!(DVec3::from(ahead).distance(DVec3::new(-9.0, -3.0, -9.0).normalize()) < 1e-6);
            prop_assert!((told["camera"]["wide"].as_f64().unwrap() - 36.0 / 35.0).abs() < 1e-6);
            let output = &told["outputs"][&name];
            let together = motion.len() > 64;
            prop_assert_eq!(!output["crowd"].is_null(), together, "{}", told["outputs"]);
            let mut seen_at_all = 0;
            for object in 0..motion.len() {
                let breaks: Vec<f64> = ready.breaks(object, range.widened(1.0)).unwrap().iter().filter(|at| at.kind.is_jump()).map(|at| at.frame).collect();
                let at: Vec<(usize, f64)> = frames.iter().map(|frame| (object, *frame)).collect();
                let mut sample = Sample::default();
                ready.sample_at(&at, Columns::POSE | Columns::ALIVE | Columns::TINT | Columns::BRIGHTNESS, &mut sample);
                for (row, frame) in frames.iter().enumerate() {
                    let (read, seen, colours) = found(output, object, row, &name);
                    // Right where it jumps either side is right.
                    if breaks.iter().any(|at| (at - frame).abs() < 1e-3) {
                        continue;
                    }
                    let whole = row % 4 == 0;
                    if whole || !together {
                        prop_assert_eq!(seen, sample.alive[row], "thing {} at {}", object, frame);
                    }
                    if !seen || !sample.alive[row] {
                        continue;
                    }
                    seen_at_all += 1;
                    let (wanted, (place, turn, size)) = (sample.pose(row), pose(&read));
                    let exact = whole && (together || !few_keys);
                    let off = 2e-6 + if exact { 0.0 } else { tally.off.0 };
                    prop_assert!(place.distance(wanted.position) <= off, "thing {object} at {frame}: {place} for {}, of {off}", wanted.position);
                    // Between keys the reader turns in single precision.
                    let off = if exact { 2e-6 } else { 1e-5 + tally.turned_off.0 };
                    prop_assert!(angle_between(turn, wanted.orientation) <= off, "thing {object} at {frame}: {turn} for {}", wanted.orientation);
                    let close = if few_keys && !together { 2e-3 } else { 1e-5 };
                    if whole || few_keys && !together {
                        prop_assert!(size.distance(wanted.scale) <= close, "thing {object} at {frame}: {size} for {}", wanted.scale);
                    }
                    if whole {
                        let light = motion.kinds()[motion.kind(object)].light(sample.tints.get(row).copied().unwrap_or(0.0)).unwrap();
                        let brightest = colours.as_array().unwrap().iter().map(numbers::<3>).fold([0.0; 3], |a: [f64; 3], b| std::array::from_fn(|i| a[i].max(b[i])));
                        for (found, wanted) in brightest.iter().zip(light) {
                            // Of many things colours between two go in steps.
                            prop_assert!((found - wanted * sample.brightness[row]).abs() < if together { 3e-3 } else { 1e-5 }, "thing {object} at {frame}: {brightest:?} for {light:?}");
                        }
                    }
                }
            }
            prop_assert!(seen_at_all > 36, "{seen_at_all} looks at what is seen");
            if let Some(path) = motion.path() {
                let (curve, line) = (path.at(range.from), &told["lines"][format!("{name} path")]);
                let strand = &curve.strands()[0];
                let spots: Vec<DVec3> = (0..=2000).map(|i| strand.at(strand.length() * f64::from(i) / 2000.0).point).collect();
                let points: Vec<DVec3> = line["points"][0].as_array().unwrap().iter().map(|at| DVec3::from(numbers::<3>(at))).collect();
                prop_assert_eq!(line["counts"][0].as_u64(), Some(points.len() as u64));
                for at in &points {
                    let off = spots.iter().map(|spot| spot.distance(*at)).fold(f64::INFINITY, f64::min);
                    prop_assert!(off < strand.length() / 2000.0, "{at} is off the path by {off}");
                }
                let ends = if strand.closed() { [points[0]; 2] } else { [spots[0], spots[2000]] };
                prop_assert!(points[0].distance(ends[0]) < 1e-5 && points[points.len() - 1].distance(ends[1]) < 1e-5);
            }
            Ok(())
        })?;
    }
}

/// A stage of more bytes than a package holds.
struct Huge;

impl Read for Huge {
    fn read(&mut self, _: &mut [u8]) -> std::io::Result<usize> {
        panic!("it is not read")
    }
}

impl Seek for Huge {
    fn seek(&mut self, _: SeekFrom) -> std::io::Result<u64> {
        Ok(u64::from(u32::MAX) - 500)
    }
}

/// What is larger than the format holds is refused with what to use instead, and nothing is written.
#[test]
fn what_is_too_large_for_a_package_is_refused() {
    let mut package = Cursor::new(Vec::new());
    let refused = zickzack_formats::usd::pack(Huge, &[], &mut package).unwrap_err().to_string();
    assert!(refused.contains("4 GB") && refused.contains(".usda"), "{refused}");
    assert!(package.into_inner().is_empty());
}

/// A package is a stage and pictures that lie in it as they are, each at a multiple of 64 bytes, so that readers need not unpack it.
#[test]
fn a_package_holds_its_files_as_they_are() {
    let picture = std::fs::read(Path::new(env!("CARGO_MANIFEST_DIR")).join("../docs/screenshots/seam.png")).unwrap();
    let pictures = [("pictures/1.png", &picture[..]), ("pictures/2.png", b"odd")];
    let all: Vec<zickzack_formats::usd::Picture> = pictures
        .iter()
        .map(|(path, bytes)| zickzack_formats::usd::Picture { path: (*path).to_owned(), bytes: bytes.to_vec() })
        .collect();
    let mut package = Cursor::new(Vec::new());
    zickzack_formats::usd::pack(Cursor::new(b"#usda 1.0\n"), &all, &mut package).unwrap();
    let package = package.into_inner();
    // By the bytes, as a reader that knows nothing of archives finds them.
    let (mut at, mut found) = (0, Vec::new());
    while package[at..].starts_with(b"PK\x03\x04") {
        let two = |from: usize| usize::from(u16::from_le_bytes(package[at + from..at + from + 2].try_into().unwrap()));
        let four = |from: usize| u32::from_le_bytes(package[at + from..at + from + 4].try_into().unwrap()) as usize;
        assert_eq!((two(6) & 8, two(8)), (0, 0), "sizes stand in front, and nothing is compressed");
        let name = String::from_utf8(package[at + 30..at + 30 + two(26)].to_vec()).unwrap();
        let data = at + 30 + two(26) + two(28);
        assert_eq!(data % 64, 0, "{name}");
        assert_eq!(four(18), four(22));
        let mut content = Vec::new();
        (&package[data..]).take(four(18) as u64).read_to_end(&mut content).unwrap();
        found.push((name, content));
        at = data + four(18);
    }
    let names: Vec<&str> = found.iter().map(|(name, _)| name.as_str()).collect();
    assert_eq!(names, ["scene.usda", "pictures/1.png", "pictures/2.png"]);
    assert_eq!(found[0].1, b"#usda 1.0\n");
    assert!(found[1].1 == picture && found[2].1 == b"odd");
}
