//! What is told of a file that was handed off.

use crate::{HandOff, HandOffError};
use glam::DQuat;
use serde::Serialize;
use std::io::{Read, Seek};
use std::sync::Arc;
use zickzack_core::keys::{Count, FileForm, Tally, largest_error};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, MotionError, Sample, prepared};
use zickzack_core::pose::angle_between;
use zickzack_formats::glb::{NodePlayed, Player};

/// What is told of a file.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema), schema(as = FileReport))]
pub struct Report {
    /// Name of the scene.
    pub scene: String,
    /// `csv`, `contacts`, `glb`, `usda`, `usdz` or `bvh`.
    pub form: &'static str,
    /// Frames a second, as a fraction.
    pub fps: String,
    /// First and last frame, as shown.
    pub frames: [f64; 2],
    /// By Output.
    pub outputs: Vec<OutputReport>,
    /// Outputs that do not work and are not in it, each with a sentence that says why.
    pub broken: Vec<(String, String)>,
}

/// What is told of an Output.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct OutputReport {
    /// Its name.
    pub name: String,
    /// How many things it has.
    pub things: usize,
    /// What of it is not in the file.
    pub left_out: Vec<String>,
    /// Its keys; none of a table.
    pub keys: Vec<KeyReport>,
    /// What was read back from the file, against the motion; nothing of a table.
    pub read_back: Vec<ErrorReport>,
}

/// Keys of one kind.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KeyReport {
    /// `position`, `orientation`, `scale` or `joints`.
    pub of: &'static str,
    /// Channels that change.
    pub channels: usize,
    /// Keys in them.
    pub keys: usize,
    /// The most that they are off, looked at when they were made; nothing where that was not.
    pub missed: Option<ErrorReport>,
}

/// The largest error of one kind.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ErrorReport {
    /// `position`, `orientation`, `scale` or `joints`.
    pub of: &'static str,
    /// How large it is.
    pub error: f64,
    /// `m`, `°` or, of sizes, parts of the largest that the thing has: an empty text.
    pub unit: &'static str,
    /// The frame, as shown.
    pub frame: f64,
    /// The number of the thing, from 1.
    pub thing: usize,
}

/// Looks within a frame at which what was read back is compared.
const LOOKS: f64 = 4.0;
/// Frames beside a break at which it is not.
const BESIDE: f64 = 1e-3;

/// The largest errors of one thing, each with its frame: metres, radians, parts of its largest size.
type Errors = [(f64, f64); 3];

impl HandOff<'_> {
    /// What is told of a file of a form over a range of frames that count from 0, with what its keys are by Output; none of a table.
    ///
    /// # Errors
    /// Where a motion cannot be looked at.
    pub fn report(
        &self,
        form: FileForm,
        (range, tallies): (Frames, &[Tally]),
        cancel: &Cancel,
    ) -> Result<Report, HandOffError> {
        let scene = &self.session().scene;
        let first = scene.first_frame as f64;
        let mut outputs = Vec::with_capacity(self.outputs().len());
        // A file of one thing is of one Output.
        let one = if form == FileForm::Joints { Some(self.one_with_joints(range, cancel)?) } else { None };
        let all = self.outputs().iter().enumerate().filter(|(number, _)| one.is_none_or(|one| one == *number));
        for (number, (name, motion)) in all {
            outputs.push(OutputReport {
                name: name.clone(),
                things: motion.len(),
                left_out: self.left_out(number, (form, range), cancel)?,
                keys: tallies.get(number).map_or_else(Vec::new, |tally| keys(tally, first)),
                read_back: Vec::new(),
            });
        }
        Ok(Report {
            scene: scene.name.clone(),
            form: form.word(),
            fps: scene.fps.to_string(),
            frames: [range.from + first, range.to + first],
            outputs,
            broken: self.broken().iter().map(|(name, why)| ((*name).to_owned(), why.clone())).collect(),
        })
    }

    /// What is told of a binary glTF file, with what is read back from it: every thing, four times a frame, but right beside what
    /// it breaks at.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, or the file cannot be read or lacks a thing.
    pub fn report_glb(
        &self,
        (range, tallies): (Frames, &[Tally]),
        file: impl Read + Seek,
        cancel: &Cancel,
    ) -> Result<Report, HandOffError> {
        let mut report = self.report(FileForm::Model, (range, tallies), cancel)?;
        let (first, fps) = (self.session().scene.first_frame as f64, self.session().scene.fps.value());
        let mut player = Player::open(file)?;
        for (i, (told, (name, motion))) in report.outputs.iter_mut().zip(self.outputs()).enumerate() {
            // Several may have one name.
            let others = self.outputs()[..i].iter().filter(|(other, _)| other == name);
            let before = |object: usize| others.clone().filter(|(_, motion)| motion.len() > object).count();
            let ready = prepared(motion, range.widened(1.0), cancel)?;
            self.spans(i, cancel);
            let mut all = Vec::with_capacity(motion.len());
            for object in 0..motion.len() {
                cancel.reach(object as f64 / motion.len() as f64);
                if cancel.cancelled() {
                    return Err(MotionError::Cancelled.into());
                }
                let node = player.node(&format!("{name} {}", object + 1), before(object))?;
                let lacks = || HandOffError::Missing {
                    output: name.clone(),
                    why: format!("thing {} is not in the file", object + 1),
                };
                all.push(compared(&ready, object, (&node.ok_or_else(lacks)?, fps), range)?);
            }
            let kinds = [("position", "m", 1.0), ("orientation", "°", 1f64.to_degrees()), ("scale", "", 1.0)];
            for (i, (of, unit, factor)) in kinds.into_iter().enumerate() {
                let (error, frame) = largest_error(all.iter().map(|errors: &Errors| errors[i]));
                let thing = all.iter().position(|errors| errors[i].0 == error).unwrap_or_default() + 1;
                told.read_back.push(ErrorReport { of, error: error * factor, unit, frame: frame + first, thing });
            }
        }
        Ok(report)
    }
}

/// What is told of keys when they are made; shown frames begin at `first`.
fn keys(tally: &Tally, first: f64) -> Vec<KeyReport> {
    let missed = |of, (error, frame): (f64, f64), unit, thing: usize| {
        Some(ErrorReport { of, error, unit, frame: frame + first, thing: thing + 1 })
    };
    let row = |of, count: Count, missed| KeyReport { of, channels: count.moving, keys: count.keys, missed };
    let turned = (tally.turned_off.0.to_degrees(), tally.turned_off.1);
    let mut rows = vec![
        row("position", tally.position, missed("position", tally.off, "m", tally.worst.0)),
        row("orientation", tally.orientation, missed("orientation", turned, "°", tally.worst.1)),
        row("scale", tally.scale, None),
    ];
    if tally.joints.keys > 0 {
        rows.push(row("joints", tally.joints, missed("joints", tally.limbs_off, "m", tally.worst_limbs)));
    }
    rows
}

fn compared(
    ready: &Arc<dyn Motion>,
    object: usize,
    (node, fps): (&NodePlayed, f64),
    range: Frames,
) -> Result<Errors, HandOffError> {
    let breaks: Vec<f64> = ready.breaks(object, range.widened(BESIDE))?.iter().map(|of| of.frame).collect();
    let smooth = |frame: &f64| {
        let after = breaks.partition_point(|at| at < frame);
        let near = |i: usize| breaks.get(i).is_some_and(|at| (at - frame).abs() < BESIDE);
        !near(after) && !after.checked_sub(1).is_some_and(near)
    };
    let looks = ((range.to - range.from) * LOOKS).floor() as usize;
    let frames = (0..=looks).map(|i| range.from + i as f64 / LOOKS).filter(|frame| *frame < range.to);
    let at: Vec<(usize, f64)> = frames.filter(smooth).map(|frame| (object, frame)).collect();
    let mut sample = Sample::default();
    ready.sample_at(&at, Columns::POSE, &mut sample);
    let mut errors = [(0.0, range.from); 3];
    // What grows from nothing is compared with how large it is at most.
    let largest = sample.scales.iter().flat_map(|scale| scale.to_array()).fold(0.0_f64, |most, x| most.max(x.abs()));
    for (row, (_, frame)) in at.iter().enumerate() {
        let pose = sample.pose(row);
        let (place, turn, size) = node.at((frame - range.from) / fps);
        let shown = if sample.alive.get(row).is_none_or(|there| *there) { pose.scale.to_array() } else { [0.0; 3] };
        let missed = shown.iter().zip(size).map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
        let missed = if largest > 0.0 { missed / largest } else { missed };
        // What is not seen is nowhere: only that it is not counts.
        let found = if shown == [0.0; 3] {
            [0.0, 0.0, missed]
        } else {
            [pose.position.distance(place.into()), angle_between(pose.orientation, DQuat::from_array(turn)), missed]
        };
        for (worst, found) in errors.iter_mut().zip(found) {
            if found > worst.0 {
                *worst = (found, *frame);
            }
        }
    }
    Ok(errors)
}
