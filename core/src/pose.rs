//! Where a thing is, how it is turned, and how large it is.

use glam::{DMat3, DQuat, DVec3};
use serde::{Deserialize, Serialize};
use std::f64::consts::TAU;

/// Position, orientation and scale of one thing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
pub struct Pose {
    /// Metres.
    pub position: DVec3,
    /// Unit quaternion.
    pub orientation: DQuat,
    /// Factor along each of the thing's own axes.
    pub scale: DVec3,
}

impl Default for Pose {
    fn default() -> Self {
        Self::IDENTITY
    }
}

impl Pose {
    /// At the origin, unturned, at its own size.
    pub const IDENTITY: Self = Self { position: DVec3::ZERO, orientation: DQuat::IDENTITY, scale: DVec3::ONE };
}

/// One of the six directions along a thing's own axes.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub enum Axis {
    #[serde(rename = "+x")]
    PlusX,
    #[serde(rename = "-x")]
    MinusX,
    #[serde(rename = "+y")]
    PlusY,
    #[serde(rename = "-y")]
    MinusY,
    #[serde(rename = "+z")]
    PlusZ,
    #[serde(rename = "-z")]
    MinusZ,
}

impl Axis {
    /// All six, in the order in which they are offered.
    pub const ALL: [Self; 6] = [Self::PlusX, Self::MinusX, Self::PlusY, Self::MinusY, Self::PlusZ, Self::MinusZ];

    /// Its name in documents, such as `+x`.
    pub const fn name(self) -> &'static str {
        match self {
            Self::PlusX => "+x",
            Self::MinusX => "-x",
            Self::PlusY => "+y",
            Self::MinusY => "-y",
            Self::PlusZ => "+z",
            Self::MinusZ => "-z",
        }
    }

    /// The axis of that name; `None` when there is none.
    pub fn from_name(name: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|axis| axis.name() == name)
    }

    /// The unit vector along it.
    pub const fn vector(self) -> DVec3 {
        match self {
            Self::PlusX => DVec3::X,
            Self::MinusX => DVec3::NEG_X,
            Self::PlusY => DVec3::Y,
            Self::MinusY => DVec3::NEG_Y,
            Self::PlusZ => DVec3::Z,
            Self::MinusZ => DVec3::NEG_Z,
        }
    }

    /// True when both lie on the same line.
    pub fn parallel_to(self, other: Self) -> bool {
        self.vector().dot(other.vector()) != 0.0
    }
}

/// The turn about x, then y, then z, by degrees each, about axes that stand still.
pub fn from_degrees(turn: DVec3) -> DQuat {
    let radians = turn.map(f64::to_radians);
    about(DVec3::Z, radians.z) * about(DVec3::Y, radians.y) * about(DVec3::X, radians.x)
}

/// The turn about the unit `axis` by `angle` radians.
pub fn about(axis: DVec3, angle: f64) -> DQuat {
    let (sine, cosine) = libm::sincos(0.5 * angle);
    DQuat::from_xyzw(axis.x * sine, axis.y * sine, axis.z * sine, cosine)
}

/// The one of ±q, the same turn both, that is nearer to `to`.
#[inline]
pub fn nearer(q: DQuat, to: DQuat) -> DQuat {
    if to.dot(q) < 0.0 { -q } else { q }
}

/// Which axes of a thing point ahead and up.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Facing {
    /// The turn that takes +x onto the nose and +y onto the top, back.
    back: DQuat,
}

impl Facing {
    /// `nose` and `top` must not be parallel.
    pub fn new(nose: Axis, top: Axis) -> Self {
        Self { back: basis(nose.vector(), top.vector()).conjugate() }
    }

    /// The turn that takes the nose onto `forward` and the top onto `up`, perpendicular unit vectors.
    #[inline(always)]
    pub fn turn(self, forward: DVec3, up: DVec3) -> DQuat {
        basis(forward, up) * self.back
    }
}

/// The turn that takes +x onto `x` and +y onto `y`, perpendicular unit vectors.
#[inline(always)]
pub fn basis(x: DVec3, y: DVec3) -> DQuat {
    DQuat::from_mat3(&DMat3::from_cols(x, y, x.cross(y)))
}

/// The angle of the turn from `a` to `b`, radians in [0, π]; exact near 0, where an arc cosine is not.
pub fn angle_between(a: DQuat, b: DQuat) -> f64 {
    let turn = a.conjugate() * b;
    2.0 * libm::atan2(turn.xyz().length(), turn.w.abs())
}

/// The turn from `a` to `b` as axis × angle in world axes, radians, the shorter way round.
pub fn turn_between(a: DQuat, b: DQuat) -> DVec3 {
    let mut turn = b * a.conjugate();
    if turn.w < 0.0 {
        turn = -turn;
    }
    let axis = turn.xyz();
    let sine = axis.length();
    if sine < 1e-300 {
        return DVec3::ZERO;
    }
    axis * (2.0 * libm::atan2(sine, turn.w) / sine)
}

/// The turn about the direction of `turn` by its length in radians.
pub fn scaled_axis(turn: DVec3) -> DQuat {
    let angle = turn.length();
    if angle < 1e-300 { DQuat::IDENTITY } else { about(turn / angle, angle) }
}

/// As [`angle_between`] for what looks the same after turns about its own unit `axis` by one of `order` equal parts
/// of a whole turn; after any turn about it where `order` is 0.
pub fn angle_between_alike(a: DQuat, b: DQuat, axis: DVec3, order: u32) -> f64 {
    let turn = a.conjugate() * b;
    let twist = 2.0 * libm::atan2(turn.xyz().dot(axis), turn.w);
    let part = if order == 0 { 0.0 } else { TAU / f64::from(order) };
    let nearest = if order == 0 { twist } else { (twist / part).round() * part };
    angle_between(a * about(axis, nearest), b)
}

/// The angle between two vectors, radians in [0, π]; exact near 0, and 0 where one of them is.
pub fn bend(a: DVec3, b: DVec3) -> f64 {
    libm::atan2(a.cross(b).length(), a.dot(b))
}

/// The angle from `a` to `b` counter-clockwise about the unit `axis`, radians in (−π, π].
pub fn signed_angle(a: DVec3, b: DVec3, axis: DVec3) -> f64 {
    libm::atan2(a.cross(b).dot(axis), a.dot(b))
}

/// `v` turned about the unit `axis` by `angle` radians (Rodrigues).
pub fn turned(v: DVec3, axis: DVec3, angle: f64) -> DVec3 {
    let (sine, cosine) = libm::sincos(angle);
    v * cosine + axis.cross(v) * sine + axis * (axis.dot(v) * (1.0 - cosine))
}

/// Some unit vector perpendicular to the unit vector `v`, the same one for the same `v`.
pub fn perpendicular(v: DVec3) -> DVec3 {
    let apart = if v.y.abs() < 0.9 { DVec3::Y } else { DVec3::Z };
    (apart - v * apart.dot(v)).normalize()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn facing_puts_the_nose_forward_and_the_top_up(
            nose in 0..6usize, top in 0..6usize, x in -1.0..1.0f64, y in -1.0..1.0f64, z in 0.1..1.0f64,
        ) {
            let (nose, top) = (Axis::ALL[nose], Axis::ALL[top]);
            prop_assume!(!nose.parallel_to(top));
            let forward = DVec3::new(x, y, z).normalize();
            let up = perpendicular(forward);
            let turn = Facing::new(nose, top).turn(forward, up);
            prop_assert!((turn * nose.vector() - forward).length() < 1e-12);
            prop_assert!((turn * top.vector() - up).length() < 1e-12);
            prop_assert!((turn.length() - 1.0).abs() < 1e-14);
        }

        #[test]
        fn a_turn_applied_to_the_start_gives_the_end(a in 0.0..6.0f64, b in 0.0..6.0f64, c in -3.0..3.0f64) {
            let from = DQuat::from_rotation_x(a) * DQuat::from_rotation_y(b);
            let onto = DQuat::from_rotation_z(c) * from;
            let turn = turn_between(from, onto);
            let back = DQuat::from_scaled_axis(turn) * from;
            prop_assert!(angle_between(back, onto) < 1e-9);
            prop_assert!((turn.length() - c.abs()).abs() < 1e-9);
        }
    }
}
