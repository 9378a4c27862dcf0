//! The table: exact numbers, any range and step, names as they are.

use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
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
            let numbers: Vec<f64> = row[4..].iter().map(|cell| cell.parse().unwrap()).collect();
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
