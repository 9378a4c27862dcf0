//! Binary blocks: the length of a JSON header as u32, the header padded with spaces to four bytes, then
//! little-endian f32.

use super::window::Window;
use serde::Serialize;
use serde_json::json;
use std::ops::Range;
use std::sync::Arc;
use utoipa::ToSchema;
use zickzack_core::crowd::told;
use zickzack_core::graph::Channel;
use zickzack_core::motion::{
    BlockColumn, BlockLayout, Cancel, Frames, Motion, MotionError, fill_poses, prepared, trace,
};
use zickzack_core::surface::Body;
use zickzack_core::work::OF_A_PICTURE;

/// Most bytes of poses in one block, so that the one on screen is never long behind another, and the 36 that wait for a
/// slow page at most are never much.
const BLOCK_BYTES: usize = 3 << 16;
/// Most bytes of the block with the frame on screen, unless one frame alone has more.
const FIRST_BYTES: usize = 1 << 17;
/// Part of the loop that traces show beyond the seam on either side.
const BEYOND: f64 = 0.15;
/// Steps per frame in traces of short loops.
const TRACE_STEPS: f64 = 4.0;
/// Most steps of a trace.
const MOST_TRACE_STEPS: f64 = 6000.0;

/// Which state of the scene a block shows.
#[derive(Debug, Clone, Copy, Serialize, PartialEq, ToSchema)]
pub struct Stamp {
    /// Revision that is kept.
    pub revision: i64,
    /// Number of the preview on top of it, or 0.
    pub preview: u32,
    /// True for the version that is laid beneath, to compare.
    pub compared: bool,
}

/// What a block of poses begins with: `count` frames of `things` follow, frame after frame, thing after thing, each with
/// the numbers of all columns in order, then the forms of things.
#[derive(Debug, Serialize, ToSchema)]
pub struct PosesHeader<'a> {
    /// `poses`.
    pub kind: &'static str,
    pub stamp: Stamp,
    /// The end that gives them.
    pub node: &'a str,
    pub things: usize,
    pub columns: &'a [BlockColumn],
    /// Numbers of the form of a thing by its kind, which stand after those of all things of a frame, thing after thing: of what
    /// is bent nine for each joint, from tail to head: x, y, z in the thing's own axes, a unit quaternion as x, y, z, w, a
    /// factor along it and one across; of what is dented one for each corner, the metres along its normal. None where no
    /// thing has a form of its own.
    pub forms: &'a [usize],
    /// Numbers of a frame.
    pub row: usize,
    /// Frames of the whole loop, its end included.
    pub frames: usize,
    /// The first frame of this block.
    pub from: usize,
    pub count: usize,
    /// The frames that the page keeps from now on, those of this block among them. All others it drops.
    pub keeps: Window,
}

/// The body of what is dented, of a kind of an end: for each corner x, y, z in the thing's own axes, then for each the unit vector
/// along which it is moved, then three numbers of corners for each triangle, round the way out.
pub fn body_block(node: &str, kind: usize, body: &Body, stamp: Stamp) -> Vec<u8> {
    let corners = body.places.iter().chain(&body.normals).flat_map(|corner| corner.as_vec3().to_array());
    let numbers: Vec<f32> = corners.chain(body.triangles.iter().flatten().map(|corner| *corner as f32)).collect();
    let header = json!({
        "kind": "body", "stamp": stamp, "node": node, "of": kind, "corners": body.places.len(),
        "triangles": body.triangles.len(),
    });
    encode(&header, &numbers)
}

/// How many things there are, how each is written, and at how many frames.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shape {
    pub things: usize,
    pub layout: BlockLayout,
    pub frames: usize,
}

impl Shape {
    /// Bytes of one frame.
    pub fn row(&self) -> usize {
        4 * self.layout.row()
    }
}

/// A header and numbers as one message.
pub fn encode(header: &serde_json::Value, numbers: &[f32]) -> Vec<u8> {
    let mut text = header.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut block = Vec::with_capacity(4 + text.len() + 4 * numbers.len());
    block.extend((text.len() as u32).to_le_bytes());
    block.extend(text);
    block.extend(numbers.iter().flat_map(|x| x.to_le_bytes()));
    block
}

/// The page that poses are for.
pub struct PosesOf<'a> {
    /// The frame on screen.
    pub frame: f64,
    /// Which frames it is to hold of what has this shape, and for each frame whether it is one that it lacks.
    pub lacking: &'a dyn Fn(&Shape) -> (Window, Vec<bool>),
    /// Sends it a block with these frames; false where it is gone.
    pub send: &'a mut dyn FnMut(Vec<u8>, Range<usize>, Window) -> bool,
}

/// The frame on screen alone, worked out for itself: the others may take long. `window` says what the page keeps of
/// such a shape.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn pose_on_screen(
    node: &str,
    motion: &Arc<dyn Motion>,
    (frame, frames): (f64, u32),
    window: impl Fn(&Shape) -> Window,
    stamp: Stamp,
    cancel: &Cancel,
) -> Result<(Vec<u8>, Shape, usize), MotionError> {
    cancel.within(OF_A_PICTURE, |cancel| {
        let now = on_screen(frame, frames);
        let at = now as f64;
        let ready = prepared(motion, Frames { from: at, to: at }, cancel)?;
        let shape = Shape { things: ready.len(), layout: BlockLayout::of(&*ready), frames: frames as usize + 1 };
        let keeps = window(&shape);
        Ok((pose_block(node, &*ready, &shape, ((now, 1), keeps), stamp, cancel)?, shape, now))
    })
}

/// The frame on screen, as one of the loop.
pub fn on_screen(frame: f64, frames: u32) -> usize {
    frame.clamp(0.0, f64::from(frames)) as usize
}

/// Poses of `count` frames beginning with `from`.
fn pose_block(
    node: &str,
    ready: &dyn Motion,
    shape: &Shape,
    ((from, count), keeps): ((usize, usize), Window),
    stamp: Stamp,
    cancel: &Cancel,
) -> Result<Vec<u8>, MotionError> {
    let list: Vec<f64> = (from..from + count).map(|frame| frame as f64).collect();
    let mut numbers = vec![0.0; count * shape.layout.row()];
    fill_poses(ready, &shape.layout, &list, &mut numbers, cancel)?;
    let header = PosesHeader {
        kind: "poses",
        stamp,
        node,
        things: shape.things,
        columns: shape.layout.columns(),
        forms: shape.layout.forms(),
        row: shape.layout.row(),
        frames: shape.frames,
        from,
        count,
        keeps,
    };
    Ok(encode(&json!(header), &numbers))
}

/// The frames that a page lacks of those that it is to hold, in blocks: a small one that begins with the frame on screen,
/// so that it is there at once, then the others onwards round the loop.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn pose_blocks(
    node: &str,
    motion: &Arc<dyn Motion>,
    frames: u32,
    stamp: Stamp,
    cancel: &Cancel,
    page: PosesOf<'_>,
) -> Result<(), MotionError> {
    cancel.within(OF_A_PICTURE, |cancel| every_block((node, motion), frames, stamp, cancel, page))
}

fn every_block(
    (node, motion): (&str, &Arc<dyn Motion>),
    frames: u32,
    stamp: Stamp,
    cancel: &Cancel,
    page: PosesOf<'_>,
) -> Result<(), MotionError> {
    let range = Frames { from: 0.0, to: f64::from(frames) };
    let ready = prepared(motion, range, cancel)?;
    let total = frames as usize + 1;
    let shape = Shape { things: ready.len(), layout: BlockLayout::of(&*ready), frames: total };
    let (window, lacks) = (page.lacking)(&shape);
    for (from, count) in block_frames(total, on_screen(page.frame, frames), shape.row().max(1), window) {
        let lacked = &lacks[from..from + count];
        let Some(first) = lacked.iter().position(|lacks| *lacks) else { continue };
        let last = lacked.iter().rposition(|lacks| *lacks).unwrap_or(first);
        let (from, count) = (from + first, last + 1 - first);
        let block = pose_block(node, &*ready, &shape, ((from, count), window), stamp, cancel)?;
        if !(page.send)(block, from..from + count, window) {
            return Err(MotionError::Cancelled);
        }
    }
    Ok(())
}

/// First frame and number of frames of each block of a window, when a frame takes so many bytes.
fn block_frames(total: usize, now: usize, bytes: usize, window: Window) -> Vec<(usize, usize)> {
    let fits = |most: usize| (most / bytes).max(1);
    if window.count == total && total <= fits(FIRST_BYTES) {
        return vec![(0, total)];
    }
    let mut blocks = Vec::new();
    for (from, count) in window.runs(now.min(total - 1), total) {
        let mut begin = from;
        while begin < from + count {
            let most = fits(if blocks.is_empty() { FIRST_BYTES } else { BLOCK_BYTES });
            blocks.push((begin, most.min(from + count - begin)));
            begin += most;
        }
    }
    blocks
}

/// The frames of traces: the loop, and a part of it beyond both ends.
fn trace_frames(length: f64) -> Vec<f64> {
    let per_frame = TRACE_STEPS.min(MOST_TRACE_STEPS / (length * (1.0 + 2.0 * BEYOND))).max(1e-3);
    let first = (-BEYOND * length * per_frame).floor() as i64;
    let last = ((1.0 + BEYOND) * length * per_frame).ceil() as i64;
    (first..=last).map(|i| i as f64 / per_frame).collect()
}

/// Numbers of a node over the loop, and beyond both its ends as the loop goes on; with the bytes that are other
/// where anything but the stamp is.
pub fn signal_block(node: &str, channels: &[Channel], (frames, fps): (u32, f64), stamp: Stamp) -> (Vec<u8>, Vec<u8>) {
    let length = f64::from(frames);
    let shown = trace_frames(length);
    // At the very end the loop's own last value is shown, not its first.
    let wrapped = |f: f64| if f < 0.0 || f > length { f - (f / length).floor() * length } else { f };
    let mut numbers: Vec<f32> = shown.iter().map(|&frame| frame as f32).collect();
    for channel in channels {
        let at: Vec<(f64, f64)> = shown.iter().map(|&frame| channel.at(wrapped(frame))).collect();
        numbers.extend(at.iter().map(|(value, _)| *value as f32));
        numbers.extend(at.iter().map(|(_, slope)| (slope * fps) as f32));
    }
    let names: Vec<_> =
        channels.iter().map(|c| json!({ "name": c.name, "unit": c.unit.symbol(), "port": c.port })).collect();
    let header = |stamp: Option<Stamp>| json!({ "kind": "signals", "stamp": stamp, "node": node, "object": 0, "steps": shown.len(), "channels": names });
    (encode(&header(Some(stamp)), &numbers), encode(&header(None), &numbers))
}

/// The channels of one thing over the loop and a part beyond both ends, where the loop goes on: with
/// the thing itself, or where things trade places with the one that is there then. `partners` says
/// into whose beginning each thing's end runs.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn trace_block(
    node: &str,
    motion: &Arc<dyn Motion>,
    (object, partners): (usize, &[usize]),
    (frames, fps, flat): (u32, f64, bool),
    stamp: Stamp,
    cancel: &Cancel,
) -> Result<Vec<u8>, MotionError> {
    let length = f64::from(frames);
    let shown = trace_frames(length);
    let next = partners.get(object).copied().unwrap_or(object);
    let before = partners.iter().position(|&partner| partner == object).unwrap_or(object);
    // At the very end the loop's own last value is shown, not its first.
    let wrapped = |f: f64| f - (f / length).floor() * length;
    let at: Vec<(usize, f64)> = shown
        .iter()
        .map(|&f| match f {
            f if f < 0.0 => (before, wrapped(f)),
            f if f > length => (next, wrapped(f)),
            f => (object, f),
        })
        .collect();
    let channels = cancel.within(OF_A_PICTURE, |cancel| {
        let ready = prepared(motion, Frames { from: -1.0, to: length + 1.0 }, cancel)?;
        let mut channels = trace(&*ready, &at, fps, flat);
        if ready.len() > 1 {
            let moments: Vec<(f64, f64)> = shown.iter().zip(&at).map(|(&shown, &(_, frame))| (shown, frame)).collect();
            channels.extend(told(&*ready, &moments, fps, cancel)?);
        }
        Ok(channels)
    })?;
    let mut numbers: Vec<f32> = shown.iter().map(|&frame| frame as f32).collect();
    for channel in &channels {
        numbers.extend(channel.values.iter().map(|&x| x as f32));
        numbers.extend(channel.pace.iter().map(|&x| x as f32));
    }
    let names: Vec<_> = channels.iter().map(|c| json!({ "name": c.name, "unit": c.unit })).collect();
    let header = json!({
        "kind": "traces", "stamp": stamp, "node": node, "object": object, "steps": shown.len(), "channels": names,
    });
    Ok(encode(&header, &numbers))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn blocks_hold_every_frame_of_a_window_once_the_one_on_screen_first_and_none_is_too_large() {
        for total in [1, 2, 97, 241, 5000] {
            for now in [0, 1.min(total - 1), total / 2, total - 1] {
                for (bytes, may) in [32, 32_000, 3 << 20].into_iter().flat_map(|b| [(b, u64::MAX), (b, 40 * b as u64)])
                {
                    let window = Window::round(now, total, bytes, may);
                    let blocks = block_frames(total, now, bytes, window);
                    let seen: Vec<usize> = blocks.iter().flat_map(|&(from, count)| from..from + count).collect();
                    assert!(blocks[0].0 <= now && now < blocks[0].0 + blocks[0].1);
                    let once: std::collections::BTreeSet<usize> = seen.iter().copied().collect();
                    assert_eq!((once.len(), seen.len()), (window.count, window.count), "{total} {now} {bytes}");
                    assert!(once.iter().all(|&frame| frame < total && window.holds(frame, total)));
                    assert!(blocks[0].1 == 1 || blocks[0].1 * bytes <= FIRST_BYTES);
                    assert!(blocks.iter().all(|&(_, count)| count == 1 || count * bytes <= BLOCK_BYTES));
                }
            }
        }
    }
}
