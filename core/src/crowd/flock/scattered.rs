//! Where a flock begins.

use super::Start;
use super::rules::{Level, some_way};
use crate::curve::Curve;
use crate::random;
use crate::surface::Surface;
use glam::{DQuat, DVec3};
use std::f64::consts::TAU;

/// Where things lie at random, evenly.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Scatter {
    /// In a ball, or what becomes of one that is as wide, high and deep as is said.
    Ball,
    /// In a box.
    Box,
    /// In a tube round a path.
    Path,
    /// Over a surface.
    Surface,
}

/// What they lie in: metres.
pub struct ScatteredIn<'a> {
    /// Its kind.
    pub kind: Scatter,
    /// Of a ball or box.
    pub middle: DVec3,
    /// Of a ball or box, from side to side.
    pub extent: DVec3,
    /// Of a tube: without it they lie in the ball.
    pub curve: Option<&'a Curve>,
    /// Of a tube.
    pub radius: f64,
    /// Without it they lie in the ball, and how far off it they are.
    pub surface: Option<(&'a Surface, f64)>,
}

const PLACE: u64 = 81;

/// So many things, flying `way`, each its own way where that is none, along the surface or the path, at a speed, metres per
/// second.
pub fn scattered(
    count: usize,
    room: &ScatteredIn<'_>,
    way: DVec3,
    speed: f64,
    (level, seed): (Level, u64),
) -> Vec<Start> {
    let own_way = |i: u64| some_way(seed, i, 1, level).as_dvec3();
    let start = |place: DVec3, way: DVec3| Start {
        place,
        velocity: way * speed,
        orientation: DQuat::IDENTITY,
        scale: 1.0,
        kind: 0,
    };
    let whole = room.curve.map_or(0.0, Curve::length);
    let one = |i: u64| {
        let draw = |channel: u64| random::unit(seed, i, PLACE + channel);
        if let Some((surface, off)) = room.surface.filter(|_| room.kind == Scatter::Surface) {
            let touch = surface.spread([draw(0), draw(1), draw(2)]);
            let place = touch.point + touch.normal * off;
            // In the picture they stay in it.
            let place = if level == Level::Picture { DVec3::new(place.x, place.y, 0.0) } else { place };
            let along = |way: DVec3| (way - touch.normal * way.dot(touch.normal)).try_normalize();
            let heading = along(way).or_else(|| along(own_way(i))).unwrap_or_else(|| own_way(i));
            return start(place, heading);
        }
        let tube = room.curve.filter(|_| room.kind == Scatter::Path && whole > 0.0);
        let Some(curve) = tube else {
            let within = match room.kind {
                Scatter::Box => DVec3::new(draw(0), draw(1), draw(2)) * 2.0 - DVec3::ONE,
                Scatter::Ball | Scatter::Path | Scatter::Surface => {
                    in_a_ball(draw(0), draw(1), draw(2), room.extent.z == 0.0)
                }
            };
            return start(room.middle + within * room.extent * 0.5, way.try_normalize().unwrap_or_else(|| own_way(i)));
        };
        let mut s = draw(0) * whole;
        let strands = curve.strands();
        let last = strands.len() - 1;
        let which = strands[..last].iter().position(|strand| {
            let here = s < strand.length();
            s -= if here { 0.0 } else { strand.length() };
            here
        });
        let on = strands[which.unwrap_or(last)].at(s);
        let (out, turn) = (room.radius * draw(1).sqrt(), TAU * draw(2));
        let aside = on.tangent.any_orthonormal_vector();
        let (sine, cosine) = libm::sincos(turn);
        let across = match level {
            Level::Free => aside * cosine + on.tangent.cross(aside) * sine,
            Level::Height => DVec3::Y.cross(on.tangent).normalize_or_zero() * (2.0 * draw(2) - 1.0),
            Level::Picture => DVec3::Z.cross(on.tangent).normalize_or_zero() * (2.0 * draw(2) - 1.0),
        };
        start(on.point + across * out, on.tangent)
    };
    (0..count as u64).map(one).collect()
}

/// A place in a ball of radius 1, or in a disc, from three numbers from 0 to 1: as many in every part of it.
fn in_a_ball(radius: f64, round: f64, height: f64, flat: bool) -> DVec3 {
    let (sine, cosine) = libm::sincos(TAU * round);
    if flat {
        return DVec3::new(cosine, sine, 0.0) * radius.sqrt();
    }
    let z = 2.0 * height - 1.0;
    let level = (1.0 - z * z).max(0.0).sqrt();
    DVec3::new(level * cosine, z, level * sine) * libm::cbrt(radius)
}
