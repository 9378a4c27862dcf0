//! Poses as a table: one row per frame, output and thing, numbers as exact f64.

use std::collections::HashMap;
use std::io::Write;
use zickzack_core::colour::named;
use zickzack_core::motion::{Cancel, Columns, Cut, Frames, Kind, Motion, MotionError, Sample, prepared};
use zickzack_core::pose::angle_between;
use zickzack_core::work::OF_A_FILE;

/// The columns, in order. What a thing does not have is empty.
pub const HEADER: [&str; 25] = [
    "frame",
    "output",
    "object",
    "alive",
    "px",
    "py",
    "pz",
    "qx",
    "qy",
    "qz",
    "qw",
    "sx",
    "sy",
    "sz",
    "kind",
    "colour",
    "brightness",
    "life",
    "age",
    "clip",
    "phase",
    "cut_x",
    "cut_y",
    "cut_z",
    "cut_at",
];

/// The columns of a table of contacts, in order.
pub const CONTACTS: [&str; 15] = [
    "frame",
    "output",
    "object",
    "other",
    "px",
    "py",
    "pz",
    "nx",
    "ny",
    "nz",
    "ix",
    "iy",
    "iz",
    "speed_in",
    "speed_out",
];

/// What is asked of a motion for a row.
fn columns(motion: &dyn Motion) -> Columns {
    let has = |is: bool, columns: Columns| if is { columns } else { Columns::NONE };
    let kinds = || motion.kinds().iter();
    Columns::POSE
        | Columns::BRIGHTNESS
        | Columns::CUT
        | has(kinds().any(|kind| !kind.colour.is_empty()), Columns::TINT)
        | has(motion.lives().is_some(), Columns::LIFE)
        | has(kinds().any(|kind| kind.animated.is_some()), Columns::CLIP)
}

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

/// The cells of a thing, but for the frame.
fn cells(name: &str, motion: &dyn Motion, (sample, row): (&Sample, usize), object: usize) -> Vec<String> {
    let pose = sample.pose(row);
    let (p, q, s) = (pose.position, pose.orientation, pose.scale);
    let alive = if sample.alive[row] { "1" } else { "0" };
    let mut cells = vec![name.to_owned(), object.to_string(), alive.to_owned()];
    cells.extend([p.x, p.y, p.z, q.x, q.y, q.z, q.w, s.x, s.y, s.z].iter().map(f64::to_string));
    let kind = motion.kinds().get(motion.kind(object));
    cells.push(kind.map(word).unwrap_or_default());
    let tint = sample.tints.get(row).copied().unwrap_or(0.0);
    cells.push(kind.and_then(|kind| kind.light(tint)).map(named).unwrap_or_default());
    cells.push(sample.brightness[row].to_string());
    let life = sample.ages.get(row).map(|age| [age.birth.to_string(), age.frames.to_string()]);
    cells.extend(life.unwrap_or_default());
    let plays = kind.is_some_and(|kind| kind.animated.is_some());
    let clip = sample.clips.get(row).filter(|_| plays).map(|clip| [clip.mix.to_string(), clip.phase.to_string()]);
    cells.extend(clip.unwrap_or_default());
    let cut = Some(sample.cuts[row]).filter(|cut| *cut != Cut::default());
    let cut = cut.map(|cut| [cut.normal.x, cut.normal.y, cut.normal.z, cut.beyond].map(|x| x.to_string()));
    cells.extend(cut.unwrap_or_default());
    cells
}

/// What a kind is shown as: a word, or the letter that it is.
fn word(kind: &Kind) -> String {
    match &kind.glyph {
        Some(glyph) => glyph.sign.clone(),
        None if !kind.letter.is_empty() && kind.thing == LETTER => kind.letter.chars().take(1).collect(),
        None => kind.thing.clone(),
    }
}

/// The word for what is shown as a letter.
const LETTER: &str = "letter";

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
            let columns = columns(&**motion);
            motion.sample(frame, columns, &mut sample);
            let kinks = kinks.get(&i);
            cancel.going()?;
            cancel.reach(i as f64 / (steps + 1) as f64);
            for object in 0..motion.len() {
                let mut from = (&sample, object);
                if kinks.is_some_and(|kinks| kinks.contains(&object)) {
                    motion.sample_at(&[(object, frame + AFTER)], columns, &mut after);
                    if leaps(&sample, object, &after) {
                        from = (&after, 0);
                    }
                }
                writer.write_field(&shown)?;
                writer.write_record(cells(name, &**motion, from, object))?;
            }
        }
    }
    writer.flush().map_err(CsvError::Io)?;
    Ok(())
}

/// Writes the contacts of all motions within the range, in order of frames for each; the column `frame` holds shown numbers.
///
/// # Errors
/// What writing says; a motion that cannot be looked at.
pub fn write_contacts(table: &Table<'_>, out: impl Write, cancel: &Cancel) -> Result<(), CsvError> {
    let mut writer = csv::Writer::from_writer(out);
    writer.write_record(CONTACTS)?;
    for (name, motion) in table.outputs {
        let motion = cancel.within(OF_A_FILE, |cancel| prepared(motion, table.range.widened(1.0), cancel))?;
        for contact in motion.contacts(table.range) {
            cancel.going()?;
            let (p, n, i) = (contact.place, contact.normal, contact.impulse);
            let shown = contact.frame + table.first_frame as f64;
            let numbers = [p.x, p.y, p.z, n.x, n.y, n.z, i.x, i.y, i.z, contact.speed_in, contact.speed_out];
            let mut record = vec![shown.to_string(), name.clone(), contact.object.to_string(), contact.other.clone()];
            record.extend(numbers.iter().map(f64::to_string));
            writer.write_record(&record)?;
        }
    }
    writer.flush().map_err(CsvError::Io)?;
    Ok(())
}
