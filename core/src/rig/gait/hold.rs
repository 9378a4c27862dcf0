//! Feet that are held where they were put down, and legs that reach them.

use super::feet::Foot;
use super::{Gait, smooth, turn_of};
use crate::pose::Pose;
use glam::{DMat4, DQuat, DVec3};

/// A way that is walked: where one stands and which way one looks, by the metres that one has gone.
pub trait Way {
    /// Its y is up, its x ahead; of size 1.
    fn at(&self, gone: f64) -> Pose;
}

/// Part of the time that a foot is down over which it comes to be held, and is let go.
const EASES: f64 = 0.12;
/// Part of its length by which a leg is never quite straight.
const BENT: f64 = 1e-3;

/// Where a foot is, and by which matrix.
fn placed(pose: &Pose) -> DMat4 {
    DMat4::from_rotation_translation(pose.orientation, pose.position)
}

impl Gait {
    /// Where joints are in the walker that has gone so far, where its feet are held: each stays where it was put down, as when
    /// one walks straight on from the middle of the time for which it stays. `phase` is the part of the cycle then, whole ones
    /// included; `stride` the metres of a cycle on this way.
    pub fn held(&self, way: &impl Way, (gone, phase): (f64, f64), stride: f64) -> Vec<DMat4> {
        let mut joints = self.joints(phase);
        let back = placed(&way.at(gone)).inverse();
        for foot in self.feet() {
            let ankle = joints[foot.leg[2]];
            let wanted = back * self.planted(way, foot, ((gone, phase), stride), &ankle);
            self.reach(&mut joints, foot, &wanted);
        }
        joints
    }

    /// Where an ankle is to be in space: by the step that it makes before, and the one after, more and more by that.
    fn planted(&self, way: &impl Way, foot: &Foot, ((gone, phase), stride): ((f64, f64), f64), ankle: &DMat4) -> DMat4 {
        let (from, lasts) = foot.down;
        // Since it was put down last, in cycles.
        let since = (phase - from).rem_euclid(1.0);
        let middle = |since: f64| gone - (since - 0.5 * lasts) * stride;
        let on = |since: f64| {
            let (stands, ahead) = (way.at(middle(since)), (since - 0.5 * lasts) * stride);
            let drift = self.slipped(foot, since, stride);
            placed(&stands) * DMat4::from_translation(DVec3::X * ahead - drift) * *ankle
        };
        if since <= lasts {
            return on(since);
        }
        let part = smooth((since - lasts) / (1.0 - lasts).max(1e-9));
        let (before, after) = (on(since), on(since - 1.0));
        let turn = turn_of(&before).slerp(turn_of(&after), part);
        let place = before.w_axis.truncate().lerp(after.w_axis.truncate(), part);
        DMat4::from_rotation_translation(turn, place)
    }

    /// How far the joint that stays best has slipped since the middle of the time for which the foot is down, metres in the
    /// walker's axes, as one walks straight on with steps of this length: in the recording, and since they are not those of the
    /// recording. Less and less before it is put down and after it is taken up.
    fn slipped(&self, foot: &Foot, since: f64, stride: f64) -> DVec3 {
        let lasts = foot.down.1;
        let ease = EASES * lasts;
        let within = since.clamp(0.0, lasts);
        let beyond = (since - within).abs();
        let left = if beyond >= ease { 0.0 } else { smooth(1.0 - beyond / ease) };
        let longer = (stride - self.stride()) * (within - 0.5 * lasts);
        (foot.drift(since) + DVec3::X * longer) * left
    }

    /// Turns a leg so that its ankle is where it is wanted, and turned so, as far as it is long.
    fn reach(&self, joints: &mut [DMat4], foot: &Foot, wanted: &DMat4) {
        let [hip, knee, ankle] = foot.leg;
        let place = |joint: &DMat4| joint.w_axis.truncate();
        let (h, k, a, to) = (place(&joints[hip]), place(&joints[knee]), place(&joints[ankle]), place(wanted));
        let (upper, lower) = (h.distance(k), k.distance(a));
        let (Some(was), Some(is)) = ((a - h).try_normalize(), (to - h).try_normalize()) else { return };
        let longest = (upper + lower) * (1.0 - BENT);
        let shortest = (upper - lower).abs() * (1.0 + BENT);
        let far = h.distance(to).clamp(shortest.min(longest), longest);
        // About the axis about which it is bent already, or forwards where it is straight.
        let axis = (k - h).cross(a - k).try_normalize().unwrap_or_else(|| was.cross(DVec3::X).normalize_or(DVec3::Z));
        let inner = |far: f64| {
            let cosine = (upper * upper + lower * lower - far * far) / (2.0 * upper * lower).max(f64::MIN_POSITIVE);
            libm::acos(cosine.clamp(-1.0, 1.0))
        };
        let opens = inner(far) - inner(h.distance(a));
        let bend = DQuat::from_axis_angle(axis, -opens);
        let after = k + bend * (a - k);
        let swing = DQuat::from_rotation_arc((after - h).normalize_or(was), is);
        let about = |turn: DQuat, pivot: DVec3| {
            DMat4::from_translation(pivot) * DMat4::from_quat(turn) * DMat4::from_translation(-pivot)
        };
        let (thigh, shin) = (about(swing, h), about(swing, h) * about(bend, k));
        let reached = place(&(shin * joints[ankle]));
        // The foot itself is as it is wanted, at the end of the leg.
        let turned = turn_of(wanted) * turn_of(&joints[ankle]).inverse();
        let sole = DMat4::from_translation(reached) * DMat4::from_quat(turned) * DMat4::from_translation(-a);
        for joint in self.hanging(hip) {
            let by = if foot.sole.contains(&joint) {
                sole
            } else if joint == hip || !self.rig().hangs(joint, knee) {
                thigh
            } else {
                shin
            };
            joints[joint] = by * joints[joint];
        }
    }

    /// A joint and all that hangs on it.
    fn hanging(&self, on: usize) -> impl Iterator<Item = usize> + '_ {
        (0..self.rig().joints().len()).filter(move |&joint| self.rig().hangs(joint, on))
    }

    /// The most metres that a foot slips over the ground while it is down, over a cycle from so far on.
    pub fn slips(&self, way: &impl Way, foot: &Foot, (from, stride): (f64, f64), holds: bool) -> f64 {
        const LOOKS: usize = 24;
        let (begins, lasts) = foot.down;
        let at = |i: usize| {
            let phase = begins + lasts * i as f64 / LOOKS as f64;
            let gone = from + (phase - begins) * stride;
            let joints = if holds { self.held(way, (gone, phase), stride) } else { self.joints(phase) };
            let pose = way.at(gone);
            (pose.position + pose.orientation * joints[foot.stays].w_axis.truncate()).with_y(0.0)
        };
        let places: Vec<DVec3> = (0..=LOOKS).map(at).collect();
        let farthest = |place: &DVec3| places.iter().map(|other| other.distance(*place)).fold(0.0, f64::max);
        places.iter().map(farthest).fold(0.0, f64::max)
    }
}
