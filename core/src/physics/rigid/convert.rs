//! Vectors and turns, here and in the engine.

use glam::{DQuat, DVec3, Quat, Vec3};
use rapier3d::prelude::{Rotation, Vector};

pub(in crate::physics) fn vector(v: DVec3) -> Vector {
    let v = v.as_vec3();
    Vector::new(v.x, v.y, v.z)
}

pub(in crate::physics) fn back(v: Vector) -> Vec3 {
    Vec3::new(v.x, v.y, v.z)
}

pub(in crate::physics) fn rotation(q: DQuat) -> Rotation {
    let q = q.as_quat();
    Rotation::from_xyzw(q.x, q.y, q.z, q.w)
}

pub(in crate::physics) fn turn(q: &Rotation) -> Quat {
    Quat::from_xyzw(q.x, q.y, q.z, q.w)
}
