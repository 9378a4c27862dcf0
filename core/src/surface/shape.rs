//! Shapes in axes of their own, y up: nearest places and places along a line, in closed form.

use super::Touch;
use super::meeting::{Gap, Met, Reach, Straight, meeting};
use super::profile::{Piece, Profile};
use crate::roots::{bottom_by_thirds, halved, middle};
use glam::{DVec2, DVec3, Vec3Swizzles};

/// A shape about the origin. Lengths in metres, positive.
#[derive(Debug, Clone, PartialEq)]
pub enum Shape {
    /// y = 0, without end; drawn this wide (x) and deep (z).
    Plane { width: f64, depth: f64 },
    /// A ball.
    Ball { radius: f64 },
    /// A box with these half edges.
    Box { half: DVec3 },
    /// A ring round y: the middle of the tube on a circle of `radius`, the tube `tube` thick from its middle.
    Torus { radius: f64, tube: f64 },
    /// A profile turned round y.
    Lathe(Profile),
}

/// A way round a shape, about y.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Rim {
    /// At a height.
    Circle { radius: f64, y: f64 },
    /// Half as wide as `x` and half as deep as `z`, at a height.
    Rectangle { x: f64, z: f64, y: f64 },
}

impl Shape {
    /// The way round it at a part of its height, or of its profile, from 0 to 1.
    pub fn rim(&self, part: f64) -> Rim {
        match self {
            Self::Plane { width, depth } => Rim::Rectangle { x: 0.5 * width, z: 0.5 * depth, y: 0.0 },
            Self::Box { half } => Rim::Rectangle { x: half.x, z: half.z, y: half.y * (2.0 * part - 1.0) },
            Self::Ball { radius } => {
                let y = 2.0 * part - 1.0;
                Rim::Circle { radius: radius * (1.0 - y * y).max(0.0).sqrt(), y: radius * y }
            }
            Self::Torus { radius, tube } => {
                let y = 2.0 * part - 1.0;
                Rim::Circle { radius: radius + tube * (1.0 - y * y).max(0.0).sqrt(), y: tube * y }
            }
            Self::Lathe(profile) => {
                let at = profile.at(part).point;
                Rim::Circle { radius: at.x, y: at.y }
            }
        }
    }

    /// The nearest place on it.
    pub fn nearest(&self, p: DVec3) -> Touch {
        self.touched(p).0
    }

    /// The nearest place on it, and whether it may be an edge, where what is near lies in many directions.
    fn touched(&self, p: DVec3) -> (Touch, bool) {
        let smooth = |touch: Touch| (touch, false);
        match self {
            Self::Plane { .. } => smooth(Touch { point: p.with_y(0.0), normal: DVec3::Y }),
            Self::Ball { radius } => {
                let normal = p.try_normalize().unwrap_or(DVec3::Y);
                smooth(Touch { point: normal * *radius, normal })
            }
            Self::Box { half } => (nearest_on_box(p, *half), true),
            Self::Torus { radius, tube } => {
                let middle = away_from_axis(p) * *radius;
                let normal = (p - middle).try_normalize().unwrap_or(DVec3::Y);
                smooth(Touch { point: middle + normal * *tube, normal })
            }
            Self::Lathe(profile) => {
                let out = away_from_axis(p);
                let here = DVec2::new(p.xz().length(), p.y);
                let on = profile.nearest(here);
                let turned = |v: DVec2| out * v.x + DVec3::Y * v.y;
                (Touch { point: turned(on.point), normal: turned(on.normal) }, on.corner)
            }
        }
    }

    /// Distance from it, negative within, and the unit vector away from it: its own normal but at edges, since the way
    /// to what is very near is nothing but rounding.
    pub fn distance(&self, p: DVec3) -> (f64, DVec3) {
        let (touch, edged) = self.touched(p);
        let off = p - touch.point;
        let far = off.length();
        if !edged || far < 1e-9 {
            return (off.dot(touch.normal), touch.normal);
        }
        let sign = if off.dot(touch.normal) < 0.0 { -1.0 } else { 1.0 };
        (sign * far, off * (sign / far))
    }

    /// How much the unit vector away from it turns where one moves along it, against that way: of a ball of radius r, at
    /// a speed v past it, v²/r. `velocity` in any unit of length; per metre.
    pub fn bend(&self, p: DVec3, velocity: DVec3) -> f64 {
        let square = |x: f64| x * x;
        match self {
            Self::Plane { .. } => 0.0,
            Self::Ball { .. } => {
                let far = p.length().max(1e-300);
                (velocity.length_squared() - square(velocity.dot(p / far))) / far
            }
            Self::Box { half } => {
                // Only at edges and corners, seen from outside.
                let off = p - p.clamp(-*half, *half);
                let far = off.length();
                if far < 1e-300 {
                    return 0.0;
                }
                let across = DVec3::from_array(std::array::from_fn(|i| if off[i] == 0.0 { 0.0 } else { velocity[i] }));
                (across.length_squared() - square(across.dot(off / far))).max(0.0) / far
            }
            Self::Torus { radius, .. } => {
                let out = away_from_axis(p);
                let off = p - out * *radius;
                let far = off.length().max(1e-300);
                let normal = off / far;
                let round = out.cross(DVec3::Y);
                let along = round.cross(normal);
                square(velocity.dot(along)) / far
                    + square(velocity.dot(round)) * normal.dot(out) / p.xz().length().max(1e-300)
            }
            Self::Lathe(profile) => {
                let out = away_from_axis(p);
                let here = DVec2::new(p.xz().length(), p.y);
                let on = profile.nearest(here);
                let (distance, normal) = self.distance(p);
                let round = out.cross(DVec3::Y);
                let along = round.cross(normal);
                let turns = if distance == 0.0 && on.corner {
                    0.0
                } else if on.corner {
                    1.0 / distance
                } else {
                    on.bend / (1.0 + on.bend * distance)
                };
                let wide = here.x.max(1e-12 * profile.reach());
                square(velocity.dot(along)) * turns + square(velocity.dot(round)) * normal.dot(out) / wide
            }
        }
    }

    /// The radius of a ball that touches it at a place of it, on the side to which the unit vector `away` points, and
    /// holds none of it; ∞ where all of it lies behind a flat there.
    pub fn room(&self, on: DVec3, away: DVec3) -> f64 {
        match self {
            Self::Plane { .. } => f64::INFINITY,
            Self::Ball { radius } => {
                if on.dot(away) >= 0.0 {
                    f64::INFINITY
                } else {
                    *radius
                }
            }
            Self::Box { half } => {
                let within = on + away * (1e-6 * half.min_element());
                if (0..3).any(|axis| within[axis].abs() >= half[axis]) {
                    return f64::INFINITY;
                }
                let room = *half - on.abs();
                let face = room.min_position();
                (0..3).map(|axis| if axis == face { half[axis] } else { room[axis] }).fold(f64::INFINITY, f64::min)
            }
            Self::Torus { radius, tube } => {
                let out = away_from_axis(on);
                if (on - out * *radius).dot(away) < 0.0 {
                    return *tube;
                }
                // In the hole a ball about the axis touches all round.
                let inward = -away.dot(out);
                if inward <= 1e-12 { f64::INFINITY } else { on.xz().length() / inward }
            }
            Self::Lathe(profile) => {
                // By trying: balls that touch at one place lie within each other.
                let mut ball = ROOMY * profile.reach();
                for _ in 0..32 {
                    let middle = on + away * ball;
                    let near = profile.nearest(DVec2::new(middle.xz().length(), middle.y)).point;
                    if near.distance(DVec2::new(middle.xz().length(), middle.y)) >= ball * (1.0 - 1e-12) {
                        return ball;
                    }
                    ball *= 0.25;
                }
                0.0
            }
        }
    }

    /// The place on it on a line, nearest to where the line starts, before or behind.
    pub fn along(&self, from: DVec3, direction: DVec3) -> Option<Touch> {
        let mut best: Option<(f64, DVec3)> = None;
        let mut offer = |t: f64, normal: DVec3| {
            let nearer = best.is_none_or(|(known, _)| t.abs() < f64::abs(known));
            if t.is_finite() && nearer {
                best = Some((t, normal));
            }
        };
        let at = |t: f64| from + direction * t;
        match self {
            Self::Plane { .. } => offer(-from.y / direction.y, DVec3::Y),
            Self::Ball { radius } => {
                let (a, b, c) =
                    (direction.length_squared(), from.dot(direction), from.length_squared() - radius * radius);
                roots(a, b, c).into_iter().flatten().for_each(|t| offer(t, at(t) / *radius));
            }
            Self::Box { half } => {
                for axis in 0..3 {
                    for side in [-1.0, 1.0] {
                        let t = (side * half[axis] - from[axis]) / direction[axis];
                        let there = at(t);
                        let within = (0..3).all(|other| other == axis || there[other].abs() <= half[other]);
                        if within {
                            offer(t, DVec3::AXES[axis] * side);
                        }
                    }
                }
            }
            Self::Torus { radius, tube } => {
                for t in meets_torus(from, direction, *radius, *tube) {
                    let there = at(t);
                    offer(t, (there - away_from_axis(there) * *radius).normalize_or(DVec3::Y));
                }
            }
            Self::Lathe(profile) => {
                let straight = |piece: &Piece| match *piece {
                    Piece::Line { from, to } => Some((from, to)),
                    _ => None,
                };
                for (a, b) in profile.pieces().filter_map(straight) {
                    meets_cone(from, direction, a, b).into_iter().for_each(|t| offer(t, self.nearest(at(t)).normal));
                }
                if profile.pieces().any(|piece| straight(piece).is_none()) {
                    for t in [1.0, -1.0].map(|way| way * first_met(self, from, direction * way, profile.reach())) {
                        offer(t, self.nearest(at(t)).normal);
                    }
                }
            }
        }
        best.map(|(t, normal)| Touch { point: at(t), normal })
    }
}

/// The largest ball that is looked for beside a lathe, as a part of its size: as good as a flat.
const ROOMY: f64 = 1e3;

/// How far along a line something is met first, in lengths of `direction`; ∞ where nothing is.
fn first_met(shape: &Shape, from: DVec3, direction: DVec3, size: f64) -> f64 {
    let mut gone = 0.0;
    let end = (from.length() + 2.0 * size) / direction.length();
    // Round the border of what is open it comes to the other side of it.
    for _ in 0..16 {
        let place = from + direction * gone;
        let side = if shape.distance(place).0 < 0.0 { -1.0 } else { 1.0 };
        let gap = |p: DVec3| {
            let (distance, normal) = shape.distance(p);
            Gap { gap: side * distance, normal: normal * side }
        };
        let room = |p: DVec3, gap: &Gap| shape.room(p - gap.normal * gap.gap, gap.normal);
        let reach = Reach { place, course: &Straight(direction), size, radius: 0.0 };
        match meeting(&reach, gap, room) {
            Some(Met::Touched(after)) => return gone + after,
            Some(Met::Rounded(after)) if after > 0.0 => gone += after,
            _ => break,
        }
        if gone > end {
            break;
        }
    }
    f64::INFINITY
}

/// The unit vector from the y axis; along x for what lies on it.
fn away_from_axis(p: DVec3) -> DVec3 {
    p.with_y(0.0).try_normalize().unwrap_or(DVec3::X)
}

fn nearest_on_box(p: DVec3, half: DVec3) -> Touch {
    let on = p.clamp(-half, half);
    if let Some(normal) = (p - on).try_normalize() {
        return Touch { point: on, normal };
    }
    // Inside: out through the nearest face.
    let room = half - p.abs();
    let axis = room.min_position();
    let side = if p[axis] < 0.0 { -1.0 } else { 1.0 };
    let mut point = p;
    point[axis] = side * half[axis];
    Touch { point, normal: DVec3::AXES[axis] * side }
}

/// Both t with a·t² + 2·b·t + c = 0.
fn roots(a: f64, b: f64, c: f64) -> [Option<f64>; 2] {
    let inside = b * b - a * c;
    if inside < 0.0 {
        return [None, None];
    }
    let q = -(b + b.signum() * inside.sqrt());
    if a == 0.0 { [Some(c / q), None] } else { [Some(q / a), Some(if q == 0.0 { 0.0 } else { c / q })] }
}

/// Where a line meets the part of a cone (or disc, or cylinder) between two points of a profile.
fn meets_cone(from: DVec3, direction: DVec3, a: DVec2, b: DVec2) -> Vec<f64> {
    if a.y == b.y {
        // A disc with a hole.
        let t = (a.y - from.y) / direction.y;
        let out = (from + direction * t).xz().length();
        let within = out >= a.x.min(b.x) && out <= a.x.max(b.x);
        return if within { vec![t] } else { Vec::new() };
    }
    // x² + z² = (k·(y − h) + r)², with r the distance from the axis at the height h.
    let k = (b.x - a.x) / (b.y - a.y);
    let r = a.x + k * (from.y - a.y);
    let rise = k * direction.y;
    let flat = (from.xz(), direction.xz());
    let found =
        roots(flat.1.length_squared() - rise * rise, flat.0.dot(flat.1) - r * rise, flat.0.length_squared() - r * r);
    let within = |t: &f64| {
        let y = from.y + direction.y * t;
        // Only the half of the double cone on which the distance is not negative.
        y >= a.y.min(b.y) && y <= a.y.max(b.y) && r + rise * t >= 0.0
    };
    found.into_iter().flatten().filter(within).collect()
}

/// Where a line meets a torus: the signs of its equation are looked at in steps within the ball that holds
/// it, and each change, or lowest point between, is narrowed down.
fn meets_torus(from: DVec3, direction: DVec3, radius: f64, tube: f64) -> Vec<f64> {
    const STEPS: usize = 256;
    let out = radius + tube;
    let middle = -from.dot(direction);
    let nearest = (from + direction * middle).length();
    if nearest > out {
        return Vec::new();
    }
    let reach = (out * out - nearest * nearest).max(0.0).sqrt() + 0.01 * out;
    let outside = |t: f64| {
        let p = from + direction * t;
        let across = p.xz().length() - radius;
        across * across + p.y * p.y - tube * tube
    };
    let at = |i: usize| middle - reach + 2.0 * reach * i as f64 / STEPS as f64;
    let mut found = Vec::new();
    for i in 0..STEPS {
        let (low, high) = (at(i), at(i + 1));
        if (outside(low) < 0.0) != (outside(high) < 0.0) {
            found.push(narrowed(&outside, low, high));
        } else if i > 0 && outside(low) < outside(at(i - 1)) && outside(low) <= outside(high) && outside(low) > 0.0 {
            // It may dip in and out between two steps.
            let lowest = bottom_by_thirds((at(i - 1), high), 80, |one, two| outside(one) < outside(two));
            if outside(lowest) < 0.0 {
                found.extend([narrowed(&outside, at(i - 1), lowest), narrowed(&outside, lowest, high)]);
            }
        }
    }
    found
}

fn narrowed(f: &impl Fn(f64) -> f64, low: f64, high: f64) -> f64 {
    let inside_first = f(low) < 0.0;
    middle(halved((low, high), 80, |x| (f(x) < 0.0) == inside_first))
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn shapes() -> impl Strategy<Value = Shape> {
        let size = || 0.2..3.0f64;
        let lathe = prop::collection::vec((0.0..2.0f64, -2.0..2.0f64), 2..6).prop_filter_map("two places", |points| {
            Profile::new(points.into_iter().map(DVec2::from)).map(Shape::Lathe)
        });
        prop_oneof![
            Just(Shape::Plane { width: 1.0, depth: 1.0 }),
            size().prop_map(|radius| Shape::Ball { radius }),
            (size(), size(), size()).prop_map(|(x, y, z)| Shape::Box { half: DVec3::new(x, y, z) }),
            (size(), 0.1..0.9f64).prop_map(|(radius, part)| Shape::Torus { radius, tube: radius * part }),
            lathe,
        ]
    }

    fn place() -> impl Strategy<Value = DVec3> {
        (-4.0..4.0f64, -4.0..4.0f64, -4.0..4.0f64).prop_map(DVec3::from)
    }

    proptest! {
        #[test]
        fn no_place_that_a_line_meets_is_nearer_than_the_nearest(
            shape in shapes(), p in place(), lines in prop::collection::vec(place(), 40),
        ) {
            let nearest = shape.nearest(p);
            prop_assert!((nearest.normal.length() - 1.0).abs() < 1e-9);
            // It lies on the shape: it is its own nearest.
            prop_assert!(shape.nearest(nearest.point).point.distance(nearest.point) < 1e-9);
            for line in lines {
                let Some(direction) = line.try_normalize() else { continue };
                if let Some(touch) = shape.along(p, direction) {
                    prop_assert!(p.distance(touch.point) >= p.distance(nearest.point) - 1e-9);
                    prop_assert!(shape.nearest(touch.point).point.distance(touch.point) < 1e-7, "{touch:?}");
                }
            }
        }

        #[test]
        fn a_line_towards_the_nearest_place_meets_it(shape in shapes(), p in place()) {
            let nearest = shape.nearest(p);
            // Past the edges of the others a line may pass by the width of rounding.
            let edged = matches!(shape, Shape::Lathe(_) | Shape::Box { .. });
            prop_assume!(!edged && p.distance(nearest.point) > 1e-3);
            let touch = shape.along(p, (nearest.point - p).normalize());
            prop_assert!(touch.is_some_and(|touch| touch.point.distance(nearest.point) < 1e-7));
        }
    }
}
