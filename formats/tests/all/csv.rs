//! The table: exact numbers, any range and step, names as they are.

use crate::cases::cases;
use crate::glb::shown;
use glam::DVec3;
use proptest::prelude::*;
use serde_json::json;
use std::sync::Arc;
use zickzack_core::curve::{Curve, Path, PathPoint, PointKind, through};
use zickzack_core::fraction::Fraction;
use zickzack_core::motion::{Cancel, Columns, FaceTravel, FaceUp, Frames, Motion, MotionError, Ride, Sample};
use zickzack_core::pose::Axis;
use zickzack_formats::csv::{CsvError, HEADER, Table, write};

fn motion(riders: usize) -> Arc<dyn Motion> {
    let places = [DVec3::ZERO, DVec3::new(3.0, 1.0, 0.0), DVec3::new(1.0, 2.0, 4.0)];
    let points = places.map(|position| PathPoint { position, kind: PointKind::Smooth, handles: None });
    let path = Path::still(Curve::from(through(&points, true).unwrap()));
    let ride = Arc::new(Ride::new(path, riders, Fraction::new(5, 3).unwrap(), 48.0));
    Arc::new(FaceTravel::new(ride, Axis::MinusZ, Axis::PlusY, FaceUp::STEADY))
}

fn rows(outputs: &[(String, Arc<dyn Motion>)], range: Frames, step: f64, first_frame: i64) -> Vec<Vec<String>> {
    let mut bytes = Vec::new();
    write(&Table { outputs, range, step, first_frame }, &mut bytes, &Cancel::default()).unwrap();
    let mut reader = ::csv::ReaderBuilder::new().has_headers(false).from_reader(&bytes[..]);
    reader.records().map(|record| record.unwrap().iter().map(str::to_owned).collect()).collect()
}

proptest! {
    #![proptest_config(cases(32))]

    #[test]
    fn every_row_gives_back_the_bits_of_its_pose(from in -50.0..50.0f64, length in 0.0..20.0f64, step in 0.05..3.0f64, first in -2000i64..2000) {
        let outputs = [("One".to_owned(), motion(3)), ("Two, \"quoted\"".to_owned(), motion(1))];
        let rows = rows(&outputs, Frames { from, to: from + length }, step, first);
        prop_assert_eq!(&rows[0], &HEADER.map(str::to_owned).to_vec());
        let frames = (length / step + 1e-9).floor() as usize + 1;
        prop_assert_eq!(rows.len(), 1 + frames * 4);
        let mut sample = Sample::default();
        for (index, row) in rows[1..].iter().enumerate() {
            let frame = from + (index / 4) as f64 * step;
            let (name, motion) = &outputs[usize::from(index % 4 == 3)];
            prop_assert_eq!(row[0].parse::<f64>().unwrap(), frame + first as f64);
            prop_assert_eq!(&row[1], name);
            motion.sample(frame, Columns::POSE, &mut sample);
            let pose = sample.pose(row[2].parse().unwrap());
            let numbers: Vec<f64> = row[4..14].iter().map(|cell| cell.parse().unwrap()).collect();
            let (p, q, s) = (pose.position, pose.orientation, pose.scale);
            prop_assert_eq!(numbers, vec![p.x, p.y, p.z, q.x, q.y, q.z, q.w, s.x, s.y, s.z]);
        }
    }
}

#[test]
fn a_range_or_step_that_makes_no_sense_is_refused_and_a_stop_is_heeded() {
    let outputs = [("One".to_owned(), motion(1))];
    let written = |from: f64, to: f64, step: f64, cancel: &Cancel| {
        write(&Table { outputs: &outputs, range: Frames { from, to }, step, first_frame: 0 }, Vec::new(), cancel)
    };
    let go = Cancel::default();
    for (from, to, step) in [(0.0, 1.0, 0.0), (0.0, 1.0, -1.0), (0.0, 1.0, f64::NAN), (5.0, 1.0, 1.0), (0.0, 1e9, 1e-3)]
    {
        assert!(matches!(written(from, to, step, &go), Err(CsvError::Range)), "{from} {to} {step}");
    }
    let stop = Cancel::default();
    stop.cancel();
    assert!(matches!(written(0.0, 1.0, 1.0, &stop), Err(CsvError::Motion(MotionError::Cancelled))));
}

#[test]
fn a_full_disk_is_reported() {
    struct Full;
    impl std::io::Write for Full {
        fn write(&mut self, _: &[u8]) -> std::io::Result<usize> {
            Err(std::io::Error::from(std::io::ErrorKind::StorageFull))
        }
        fn flush(&mut self) -> std::io::Result<()> {
            Ok(())
        }
    }
    let outputs = [("One".to_owned(), motion(1))];
    let table = Table { outputs: &outputs, range: Frames { from: 0.0, to: 500.0 }, step: 1.0, first_frame: 0 };
    let refused = write(&table, Full, &Cancel::default()).unwrap_err();
    assert!(matches!(refused, CsvError::Io(ref error) if error.kind() == std::io::ErrorKind::StorageFull), "{refused}");
}

proptest! {
    #![proptest_config(cases(24))]

    /// What things are of, how they look and how old they are stands in the row of each, and what they do not have is empty.
    #[test]
    fn kinds_colours_brightness_and_lives_stand_in_the_table(
        kinds: bool, phase: bool, bright in prop_oneof![Just(1.0), 0.1..0.9f64], born: bool, from in 0u32..20,
    ) {
        let list = json!([
            { "id": "a", "thing": "ball", "colour": "#c8421a" }, { "id": "b", "thing": "letter", "letter": "Zz" },
        ]);
        let colouring = if phase { "phase" } else { "kind" };
        let nodes = json!({
            "path": { "type": "figure", "name": "Path" },
            "ride": { "type": "ride", "name": "Ride", "params": { "riders": 5 } },
            "emit": { "type": "emit", "name": "Emit", "bypassed": !born },
            "kinds": { "type": "kinds", "name": "Kinds", "bypassed": !kinds, "params": { "kinds": list, "colouring": colouring, "first": "#c8421a", "last": "#2050f0" } },
            "swell": { "type": "swell", "name": "Swell", "params": { "scale": 1, "brightness": bright } },
            "out": { "type": "output", "name": "Out" },
        });
        let threads = json!({
            "a": { "from": "path", "to": "ride", "port": "path" }, "b": { "from": "ride", "to": "emit", "port": "motion" },
            "c": { "from": "emit", "to": "kinds", "port": "motion" }, "d": { "from": "kinds", "to": "swell", "port": "motion" },
            "e": { "from": "swell", "to": "out", "port": "motion" },
        });
        let (compiled, _) = shown("24", nodes, threads);
        let motion = compiled.ends[0].motion.clone();
        let outputs = [("Out".to_owned(), motion.clone())];
        let rows = rows(&outputs, Frames { from: f64::from(from), to: f64::from(from) + 3.0 }, 1.0, 0);
        let at = |name: &str| HEADER.iter().position(|own| *own == name).unwrap();
        let columns = Columns::POSE | Columns::TINT | Columns::BRIGHTNESS | Columns::LIFE;
        let mut sample = Sample::default();
        for row in &rows[1..] {
            prop_assert_eq!(row.len(), HEADER.len());
            let (frame, object) = (row[0].parse::<f64>().unwrap(), row[2].parse::<usize>().unwrap());
            motion.sample(frame, columns, &mut sample);
            prop_assert_eq!(row[at("brightness")].parse::<f64>().unwrap(), sample.brightness[object]);
            let life = sample.ages.get(object).filter(|_| born).map(|age| (age.birth.to_string(), age.frames.to_string()));
            prop_assert_eq!((row[at("life")].clone(), row[at("age")].clone()), life.unwrap_or_default());
            let kind = if kinds { Some(motion.kind(object)) } else { None };
            prop_assert_eq!(&row[at("kind")], ["", "ball", "Z"][kind.map_or(0, |kind| 1 + kind)]);
            // By the definition, written here anew.
            let part = |first: u8, last: u8| {
                let light = |level: u8| {
                    let x = f64::from(level) / 255.0;
                    if x <= 0.04045 { x / 12.92 } else { libm::pow((x + 0.055) / 1.055, 2.4) }
                };
                let mixed = light(first) + (light(last) - light(first)) * sample.tints[object];
                let level = if mixed <= 0.003_130_8 { 12.92 * mixed } else { 1.055 * libm::pow(mixed, 1.0 / 2.4) - 0.055 };
                (255.0 * level).round() as u8
            };
            let colour = match kind {
                Some(0) if !phase => "#c8421a".to_owned(),
                Some(_) if phase => format!("#{:02x}{:02x}{:02x}", part(0xc8, 0x20), part(0x42, 0x50), part(0x1a, 0xf0)),
                _ => String::new(),
            };
            prop_assert_eq!(&row[at("colour")], &colour);
            for name in ["clip", "phase", "cut_x", "cut_at"] {
                prop_assert_eq!(&row[at(name)], "");
            }
        }
    }
}
