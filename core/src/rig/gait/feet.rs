//! Feet of a gait: which joints they are, and when they are on the ground: where they are low and slow.

use super::Gait;
use glam::{DMat4, DVec3};

/// A foot, with its leg.
#[derive(Debug, Clone, PartialEq)]
pub struct Foot {
    /// Hip, knee and ankle.
    pub leg: [usize; 3],
    /// The ankle and all that hangs on it.
    pub sole: Vec<usize>,
    /// The part of the cycle at which it is put down, and how much of the cycle it stays.
    pub down: (f64, f64),
    /// The joint of it that stays best, while it is down.
    pub stays: usize,
    /// How far that slips in the recording while the foot is down, from the middle of that time, at even moments of it:
    /// metres, as one walks straight on.
    drift: Vec<DVec3>,
}

/// Moments of the time for which a foot is down at which its slip is kept, but for the first.
const KEPT: usize = 64;

impl Foot {
    /// How far it has slipped, since so much of the cycle; before it is put down and after it is taken up as at those ends.
    pub(super) fn drift(&self, since: f64) -> DVec3 {
        let at = (since / self.down.1).clamp(0.0, 1.0) * KEPT as f64;
        let first = (at.floor() as usize).min(KEPT - 1);
        self.drift[first].lerp(self.drift[first + 1], at - first as f64)
    }

    /// How far it slips at most in the recording, metres.
    pub fn slips(&self) -> f64 {
        let far = |place: &DVec3| self.drift.iter().map(|other| other.distance(*place)).fold(0.0, f64::max);
        self.drift.iter().map(far).fold(0.0, f64::max)
    }
}

/// Parts of the cycle that are looked at.
const MOMENTS: usize = 128;
/// Part of its height above which nothing is a foot, and by how much a foot may rise while it is down.
const LOW: f64 = 0.16;
const RISES: f64 = 0.04;
/// Part of the mean speed below which what is low stays.
const SLOW: f64 = 0.3;
/// Part of the cycle that a foot stays at least.
const SHORTEST: f64 = 0.1;

/// Where a joint is at each moment when one walks straight on.
fn straight(gait: &Gait, poses: &[Vec<DMat4>], joint: usize) -> Vec<DVec3> {
    let stride = gait.stride();
    let at = |(i, pose): (usize, &Vec<DMat4>)| {
        pose[joint].w_axis.truncate() + DVec3::X * (stride * i as f64 / MOMENTS as f64)
    };
    poses.iter().enumerate().map(at).collect()
}

/// The longest run of what is true, round the end, as where it begins and how long it is.
fn longest(down: &[bool]) -> (usize, usize) {
    let count = down.len();
    if down.iter().all(|down| *down) {
        return (0, count);
    }
    let run = |from: usize| (0..count).take_while(|i| down[(from + i) % count]).count();
    let begins = (0..count).filter(|&i| down[i] && !down[(i + count - 1) % count]);
    begins.map(|from| (from, run(from))).max_by_key(|(from, run)| (*run, count - from)).unwrap_or((0, 0))
}

/// All feet.
pub(super) fn found(gait: &Gait) -> Vec<Foot> {
    let poses: Vec<Vec<DMat4>> = (0..MOMENTS).map(|i| gait.joints(i as f64 / MOMENTS as f64)).collect();
    let joints = gait.rig().joints();
    let heights = |joint: usize| poses.iter().map(move |pose| pose[joint].w_axis.y);
    let walks: Vec<usize> = (0..joints.len()).filter(|&joint| gait.rig().hangs(joint, gait.root())).collect();
    let tall = walks.iter().copied().flat_map(heights).fold(f64::MIN, f64::max).max(f64::MIN_POSITIVE);
    let below = |joint: usize| -> Vec<usize> {
        walks.iter().copied().filter(|&other| gait.rig().hangs(other, joint)).collect()
    };
    let lowest = |joint: usize| heights(joint).fold(f64::MAX, f64::min);
    // An ankle is the highest joint all of which, with what hangs on it, comes as low as a foot does.
    let low = |joint: usize| below(joint).iter().all(|&other| lowest(other) < LOW * tall);
    let ankle = |joint: &usize| low(*joint) && joints[*joint].parent.is_some_and(|parent| !low(parent));
    let foot = |ankle: usize| -> Option<Foot> {
        let knee = joints[ankle].parent?;
        let hip = joints[knee].parent?;
        let sole = below(ankle);
        let ways: Vec<(usize, Vec<DVec3>)> = sole.iter().map(|&joint| (joint, straight(gait, &poses, joint))).collect();
        let ground = |way: &[DVec3]| way.iter().map(|place| place.y).fold(f64::MAX, f64::min);
        let step = gait.stride() / MOMENTS as f64;
        let stays = |way: &[DVec3], i: usize| {
            let (here, next) = (
                way[i],
                way[(i + 1) % MOMENTS] + if i + 1 == MOMENTS { DVec3::X * gait.stride() } else { DVec3::ZERO },
            );
            here.y < ground(way) + RISES * tall && (next - here).with_y(0.0).length() < SLOW * step
        };
        let down: Vec<bool> = (0..MOMENTS).map(|i| ways.iter().any(|(_, way)| stays(way, i))).collect();
        let (from, run) = longest(&down);
        if (run as f64) < SHORTEST * MOMENTS as f64 {
            return None;
        }
        // Of all that hangs on the ankle, what goes least while it is down.
        let goes = |way: &[DVec3]| {
            let at = |i: usize| way[(from + i) % MOMENTS] + DVec3::X * (gait.stride() * ((from + i) / MOMENTS) as f64);
            (1..run).map(|i| (at(i) - at(i - 1)).with_y(0.0).length()).sum::<f64>()
        };
        let best = ways.iter().min_by(|(_, a), (_, b)| goes(a).total_cmp(&goes(b)))?;
        let down = (from as f64 / MOMENTS as f64, run as f64 / MOMENTS as f64);
        let stays = best.0;
        let place = |part: f64| {
            let place = gait.joints(down.0 + part * down.1)[stays].w_axis.truncate();
            (place + DVec3::X * (part * down.1 * gait.stride())).with_y(0.0)
        };
        let middle = place(0.5);
        let drift = (0..=KEPT).map(|i| place(i as f64 / KEPT as f64) - middle).collect();
        Some(Foot { leg: [hip, knee, ankle], sole, down, stays, drift })
    };
    walks.iter().copied().filter(ankle).filter_map(foot).collect()
}
