//! What a page has already.

use super::blocks::Shape;
use super::window::Window;
use std::collections::{HashMap, HashSet};
use std::sync::{Mutex, PoisonError};
use zickzack_core::graph::{End, EndReport, Timing};
use zickzack_core::motion::{Cancel, MotionError};

/// Begins the names of what is sent of a version.
pub(super) const COMPARED: &str = "compared ";

/// Looks that nobody waits for: the frame on screen does not come by itself before the others.
const AT_ONCE: u64 = 100_000;

/// What a page has: what, and by which key. Shared with the work in the background; only what was really sent counts.
#[derive(Default)]
pub struct Has {
    sent: Mutex<HashMap<String, [u8; 32]>>,
    poses: Mutex<HashMap<String, Framewise>>,
    /// How many looks all frames of an end took.
    looks: Mutex<HashMap<String, u64>>,
    /// Measured ends by node, with the key that they were measured for.
    ends: Mutex<HashMap<String, ([u8; 32], EndReport)>>,
}

/// The poses that a page has of an end: of some frames those of one motion, of others perhaps those of another.
#[derive(Default)]
struct Framewise {
    /// How they are written; nothing before any were looked at.
    shape: Option<Shape>,
    /// Of which motion each frame is.
    keys: Vec<Option<[u8; 32]>>,
    /// How many frames it may have, as it was told last.
    room: usize,
}

impl Framewise {
    /// The page was sent a block, and dropped what it was told to drop.
    fn keep(&mut self, window: Window) {
        let total = self.keys.len();
        self.room = window.count;
        for (frame, of) in self.keys.iter_mut().enumerate() {
            if !window.holds(frame, total) {
                *of = None;
            }
        }
    }

    /// Whether the page has all of these frames in this motion, and no more room than it is to have.
    fn whole(&self, window: Window, key: &[u8; 32]) -> bool {
        let total = self.keys.len();
        let mut wanted = self.keys.iter().enumerate().filter(|(frame, _)| window.holds(*frame, total));
        self.room <= window.count && wanted.all(|(_, of)| of.as_ref() == Some(key))
    }
}

impl Has {
    /// True where the page has every frame of this motion that it is to hold.
    pub(super) fn poses_whole(&self, what: &str, key: &[u8; 32], window: impl Fn(&Shape) -> Window) -> bool {
        let poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        let whole = |known: &Framewise| known.shape.as_ref().is_some_and(|shape| known.whole(window(shape), key));
        poses.get(what).is_some_and(whole)
    }

    /// Which frames of this motion the page lacks of those that it is to hold. Poses in another shape take the place of
    /// all that it has. Where it is to hold less than before, `now` is sent at least, which tells it.
    pub(super) fn poses_lacking(
        &self,
        what: &str,
        key: &[u8; 32],
        shape: &Shape,
        (window, now): (Window, usize),
    ) -> Vec<bool> {
        let mut poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        let known = poses.entry(what.to_owned()).or_default();
        if known.shape.as_ref() != Some(shape) {
            *known = Framewise { shape: Some(shape.clone()), keys: vec![None; shape.frames], room: 0 };
        }
        let narrower = known.room > window.count;
        let lacks = |(frame, of): (usize, &Option<[u8; 32]>)| {
            window.holds(frame, shape.frames) && (of.as_ref() != Some(key) || (narrower && frame == now))
        };
        known.keys.iter().enumerate().map(lacks).collect()
    }

    /// Whether the page shows a frame of a part that it holds without what comes next in this part.
    pub(super) fn strays(&self, frame: f64) -> bool {
        let poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        poses.values().any(|known| {
            let total = known.keys.len();
            let next = || (0..known.room.div_ceil(4)).map(|i| (frame.max(0.0) as usize).min(total - 1) + i);
            known.room < total && next().any(|frame| known.keys[frame % total].is_none())
        })
    }

    /// The page is sent something of a frame that is not quite what is sent of it later.
    pub(super) fn poses_unsure(&self, what: &str, frame: usize, window: Window) {
        let mut poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(known) = poses.get_mut(what) else { return };
        known.keep(window);
        if let Some(of) = known.keys.get_mut(frame) {
            *of = None;
        }
    }

    /// True where it is not known that all frames of an end are there at once.
    pub(super) fn takes_long(&self, what: &str) -> bool {
        let looks = self.looks.lock().unwrap_or_else(PoisonError::into_inner);
        looks.get(what).is_none_or(|looks| *looks > AT_ONCE)
    }

    pub(super) fn took(&self, what: &str, taken: u64) {
        let mut looks = self.looks.lock().unwrap_or_else(PoisonError::into_inner);
        looks.insert(what.to_owned(), taken);
    }

    pub(super) fn poses_now(&self, what: &str, key: [u8; 32], sent: std::ops::Range<usize>, window: Window) {
        let mut poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(known) = poses.get_mut(what) else { return };
        known.keep(window);
        if let Some(keys) = known.keys.get_mut(sent) {
            keys.fill(Some(key));
        }
    }

    /// The page drops the poses of all others whose names begin so.
    pub(super) fn keep_only_poses(&self, begins: &str, left: &[String]) {
        let mut poses = self.poses.lock().unwrap_or_else(PoisonError::into_inner);
        poses.retain(|what, _| !what.starts_with(begins) || left.contains(what));
    }

    pub(super) fn same(&self, what: &str, key: &[u8; 32]) -> bool {
        self.sent.lock().unwrap_or_else(PoisonError::into_inner).get(what) == Some(key)
    }

    pub(super) fn now(&self, what: String, key: [u8; 32]) {
        self.sent.lock().unwrap_or_else(PoisonError::into_inner).insert(what, key);
    }

    /// The page does not have it any more.
    pub(super) fn forget(&self, what: &str) {
        self.sent.lock().unwrap_or_else(PoisonError::into_inner).remove(what);
    }

    /// The page drops all others whose names begin so.
    pub(super) fn keep_only(&self, begins: &str, left: &HashSet<String>) {
        let mut sent = self.sent.lock().unwrap_or_else(PoisonError::into_inner);
        sent.retain(|what, _| !what.starts_with(begins) || left.contains(what));
    }

    /// Forgets what was sent of a version, since another comes in its place.
    pub fn forget_compared(&self) {
        self.sent.lock().unwrap_or_else(PoisonError::into_inner).retain(|what, _| !what.starts_with(COMPARED));
        self.keep_only_poses(COMPARED, &[]);
    }

    /// What offers leave open is known now.
    pub(super) fn tried(&self, end: &End, timing: Timing, report: &EndReport) {
        let mut ends = self.ends.lock().unwrap_or_else(PoisonError::into_inner);
        ends.insert(end.node.clone(), (Self::key(end, timing), report.clone()));
    }

    fn key(end: &End, timing: Timing) -> [u8; 32] {
        mixed(&end.key, (timing.frames.to_bits(), timing.fps.to_bits(), &end.name, &end.offers))
    }

    /// The report on an end, measured anew only when its motion or the loop changed.
    pub(super) fn report(&self, end: &End, timing: Timing, cancel: &Cancel) -> Result<EndReport, MotionError> {
        let key = Self::key(end, timing);
        let known = self.ends.lock().unwrap_or_else(PoisonError::into_inner).get(&end.node).cloned();
        if let Some((_, report)) = known.filter(|(known, _)| *known == key) {
            return Ok(report);
        }
        let report = EndReport::of(end, timing.frames, timing.fps, cancel)?;
        self.ends.lock().unwrap_or_else(PoisonError::into_inner).insert(end.node.clone(), (key, report.clone()));
        Ok(report)
    }
}

pub(super) fn mixed(key: &[u8; 32], more: impl std::fmt::Debug) -> [u8; 32] {
    let mut hash = blake3::Hasher::new();
    hash.update(key);
    hash.update(format!("{more:?}").as_bytes());
    *hash.finalize().as_bytes()
}
