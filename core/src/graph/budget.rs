//! How much a motion may be before it is refused at its node.

use super::node::{Outcome, Timing};
use super::product::Product;
use crate::motion::{Cancel, Columns, Frames, Motion, Sample, formed_numbers, prepared};
use crate::work;
use std::sync::Arc;

/// Most poses (things × frames of the loop) that one motion may have.
const MOST_POSES: f64 = 5e7;
/// Numbers of a form that count as a pose.
const OF_A_POSE: f64 = 9.0;

/// How often every frame of a loop is looked at while pictures of it are made and its seam is measured, about.
const PASSES: f64 = 4.0;

/// Whether looking at one frame is so little that the whole loop can be looked at.
pub(super) fn affordable(motion: &Arc<dyn Motion>, timing: Timing, cancel: &Cancel) -> Result<(), String> {
    let most = (work::OF_A_PICTURE as f64 / (PASSES * (timing.frames + 1.0))) as u64;
    let cancel = cancel.afresh(most);
    cancel.watched(|| {
        // Why it cannot be made ready is said by who wants it.
        if let Ok(ready) = prepared(motion, Frames { from: 0.0, to: 1.0 }, &cancel) {
            ready.sample(0.0, Columns::POSE | Columns::VELOCITY, &mut Sample::default());
        }
    });
    if cancel.go_on() {
        return Err(work::STARVED.to_owned());
    }
    if !cancel.overworked() {
        return Ok(());
    }
    Err(format!(
        "A single frame of it asks what it is made from more than {} times, and the loop has {}: use fewer things or a shorter loop, or take some of the nodes before it out.",
        work::count(cancel.limit(most)),
        timing.frames
    ))
}

pub(super) fn within_budget(outcome: Outcome, timing: Timing) -> Result<Outcome, String> {
    let Product::Motion(motion) = &outcome.product else { return Ok(outcome) };
    let formed = formed_numbers(&**motion);
    let poses = timing.frames * (motion.len() as f64 + (formed as f64 / OF_A_POSE).ceil());
    if poses <= MOST_POSES {
        return Ok(outcome);
    }
    let each = if formed > 0 { format!(" with {formed} numbers of their joints and corners") } else { String::new() };
    Err(format!(
        "{} things{each} over {} frames are {:.0} million poses, and {:.0} million is the most: use fewer things or a shorter loop.",
        motion.len(),
        timing.frames,
        poses / 1e6,
        MOST_POSES / 1e6
    ))
}
