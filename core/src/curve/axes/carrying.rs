//! A direction that is carried along nodes with as little turn as can be.

use super::{BRIDGE, Node, upright_at};
use crate::pose::{perpendicular, turned};
use glam::DVec3;

/// Carries `up` from one place and direction to another with the least turn.
///
/// At one place (a corner) the direction is turned the short way; when it reverses, up stays.
/// `up` is a unit vector perpendicular to `a.tangent`; so is the result to `b.tangent`.
pub fn transport(a: &Node, up: DVec3, b: &Node) -> DVec3 {
    let chord = b.point - a.point;
    let squared = chord.length_squared();
    let scale = a.point.abs().max_element().max(b.point.abs().max_element());
    let carried = if squared <= 1e-26 * scale * scale || squared == 0.0 {
        turn_at_corner(a.tangent, b.tangent, up)
    } else {
        let reflect = |v: DVec3| v - chord * (2.0 * chord.dot(v) / squared);
        let (up_left, tangent_left) = (reflect(up), reflect(a.tangent));
        let across = b.tangent - tangent_left;
        let across_squared = across.length_squared();
        if across_squared < 1e-30 { up_left } else { up_left - across * (2.0 * across.dot(up_left) / across_squared) }
    };
    let clean = carried - b.tangent * carried.dot(b.tangent);
    clean.try_normalize().unwrap_or_else(|| perpendicular(b.tangent))
}

pub(super) fn turn_at_corner(from: DVec3, to: DVec3, up: DVec3) -> DVec3 {
    let axis = from.cross(to);
    let sine = axis.length();
    if sine < 1e-12 {
        return up;
    }
    turned(up, axis / sine, libm::atan2(sine, from.dot(to)))
}

#[inline(always)]
pub(super) fn across(up: DVec3, tangent: DVec3) -> DVec3 {
    up - tangent * up.dot(tangent)
}

/// The unit vector of a vector of about unit length, unless so little is left of it that rounding shows.
#[inline(always)]
pub(super) fn direction(v: DVec3) -> Option<DVec3> {
    let length = v.length();
    (length > 0.1).then(|| v / length)
}

/// Up projected off the direction, where they are not too close to parallel.
pub(super) fn towards(up: DVec3, tangent: DVec3) -> Option<DVec3> {
    let across = across(up, tangent);
    (across.length() >= libm::sin(BRIDGE)).then(|| across.normalize())
}

/// How many nodes up is carried over before rounding is cleared from it.
pub(super) const CLEARED_AFTER: usize = 16;

/// Up at each node, carried both ways from where it is upright.
pub(super) fn carry(nodes: &[Node], start: usize) -> Vec<DVec3> {
    let first = upright_at(&nodes[start]);
    let mut ups = vec![first; nodes.len()];
    let mut up = first;
    for index in start + 1..nodes.len() {
        up = carried(&nodes[index - 1], up, &nodes[index], index - start);
        ups[index] = up;
    }
    up = first;
    for index in (0..start).rev() {
        up = carried(&nodes[index + 1], up, &nodes[index], start - index);
        ups[index] = up;
    }
    ups
}

#[inline(always)]
pub(super) fn carried(from: &Node, up: DVec3, to: &Node, count: usize) -> DVec3 {
    match reflected_twice(from, up, to) {
        Some(carried) if count % CLEARED_AFTER != 1 => carried,
        _ => transport(from, up, to),
    }
}

/// The heart of [`transport`] for places that are well apart: both reflections in one, so that little of it has to
/// wait for the last up.
#[inline(always)]
pub(super) fn reflected_twice(a: &Node, up: DVec3, b: &Node) -> Option<DVec3> {
    let chord = b.point - a.point;
    let squared = chord.length_squared();
    let scale = a.point.abs().max_element().max(b.point.abs().max_element());
    let first = 2.0 / squared;
    let across = b.tangent - (a.tangent - chord * (first * chord.dot(a.tangent)));
    let across_squared = across.length_squared();
    if squared <= 1e-26 * scale * scale || squared == 0.0 || across_squared < 1e-30 {
        return None;
    }
    let along = first * chord.dot(up);
    let aside = 2.0 / across_squared * (across.dot(up) - along * across.dot(chord));
    Some(up - chord * along - across * aside)
}
