//! Poses as a table: one row per frame, output and thing, numbers as exact f64.

use std::collections::HashMap;
use std::io::Write;
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use zickzack_core::pose::angle_between;
use zickzack_core::work::OF_A_FILE;

/// The columns, in order.
pub const HEADER: [&str; 14] =
    ["frame", "output", "object", "alive", "px", "py", "pz", "qx", "qy", "qz", "qw", "sx", "sy", "sz"];

/// Why a table could not be written.
#[derive(Debug, thiserror::Error)]
pub enum CsvError {
    #[error("{0}")]
    Motion(#[from] MotionError),
    #[error("the file cannot be written: {0}")]
    Io(#[source] std::io::Error),
    #[error("the step must be a number above 0, and the range at most {MOST_FRAMES} steps long")]
    Range,
}

impl From<csv::Error> for CsvError {
    fn from(error: csv::Error) -> Self {
        match error.into_kind() {
            csv::ErrorKind::Io(error) => Self::Io(error),
            other => Self::Io(std::io::Error::other(format!("{other:?}"))),
        }
    }
}

const MOST_FRAMES: f64 = 1e7;

/// What goes into a table.
pub struct Table<'a> {
    /// Names and motions.
    pub outputs: &'a [(String, std::sync::Arc<dyn Motion>)],
    /// Frames, counted from 0; both ends included.
    pub range: Frames,
    /// Frames from row to row, above 0; fractions are fine.
    pub step: f64,
    /// Number shown for frame 0.
    pub first_frame: i64,
}

/// Frames from a frame of the table within which what happens counts as happening at it, and what differs by more in so
/// little time leaps, in metres and radians.
const AFTER: f64 = 1e-9;
const LEAPS: f64 = 1e-6;

/// By number of the row's frame the things that are not smooth there. Rounding may put what they do a hair after it: the
/// table shows how they are afterwards, as keys do.
fn kinks(motion: &dyn Motion, table: &Table<'_>) -> HashMap<u64, Vec<usize>> {
    let mut kinks: HashMap<u64, Vec<usize>> = HashMap::new();
    for object in 0..motion.len() {
        // Of what has too many to be listed, each row is as it is just then.
        for found in motion.breaks(object, table.range).unwrap_or_default() {
            let row = ((found.frame - table.range.from) / table.step).round();
            if (table.range.from + row * table.step - found.frame).abs() <= AFTER {
                kinks.entry(row as u64).or_default().push(object);
            }
        }
    }
    kinks
}

fn leaps(sample: &Sample, object: usize, after: &Sample) -> bool {
    sample.alive[object] != after.alive[0]
        || sample.positions[object].distance(after.positions[0]) > LEAPS
        || angle_between(sample.orientations[object], after.orientations[0]) > LEAPS
}

/// Writes the table; the column `frame` holds shown numbers.
///
/// # Errors
/// What writing says; a range that is none.
pub fn write(table: &Table<'_>, out: impl Write, cancel: &Cancel) -> Result<(), CsvError> {
    let steps = ((table.range.to - table.range.from) / table.step + 1e-9).floor();
    if !(table.step > 0.0 && (0.0..=MOST_FRAMES).contains(&steps)) {
        return Err(CsvError::Range);
    }
    cancel.within(OF_A_FILE, |cancel| rows(table, steps as u64, out, cancel))
}

fn rows(table: &Table<'_>, steps: u64, out: impl Write, cancel: &Cancel) -> Result<(), CsvError> {
    let mut ready = Vec::new();
    for (name, motion) in table.outputs {
        let motion = prepared(motion, table.range.widened(1.0), cancel)?;
        let kinks = kinks(&*motion, table);
        ready.push((name, motion, kinks));
    }
    let mut writer = csv::Writer::from_writer(out);
    writer.write_record(HEADER)?;
    let (mut sample, mut after) = (Sample::default(), Sample::default());
    for i in 0..=steps {
        let frame = table.range.from + i as f64 * table.step;
        let shown = (frame + table.first_frame as f64).to_string();
        for (name, motion, kinks) in &ready {
            motion.sample(frame, Columns::POSE, &mut sample);
            for &object in kinks.get(&i).into_iter().flatten() {
                motion.sample_at(&[(object, frame + AFTER)], Columns::POSE, &mut after);
                if leaps(&sample, object, &after) {
                    sample.positions[object] = after.positions[0];
                    sample.orientations[object] = after.orientations[0];
                    sample.scales[object] = after.scales[0];
                    sample.alive[object] = after.alive[0];
                }
            }
            cancel.going()?;
            for object in 0..motion.len() {
                let pose = sample.pose(object);
                let (p, q, s) = (pose.position, pose.orientation, pose.scale);
                let numbers = [p.x, p.y, p.z, q.x, q.y, q.z, q.w, s.x, s.y, s.z];
                let alive = if sample.alive[object] { "1" } else { "0" };
                let mut record = vec![shown.clone(), (*name).clone(), object.to_string(), alive.to_owned()];
                record.extend(numbers.iter().map(f64::to_string));
                writer.write_record(&record)?;
            }
        }
    }
    writer.flush().map_err(CsvError::Io)?;
    Ok(())
}
