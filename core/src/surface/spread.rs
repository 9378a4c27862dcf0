//! Places scattered evenly over a surface.

use super::{Shape, Surface, Touch};
use crate::roots::{halved, middle};
use glam::{DVec2, DVec3};
use std::f64::consts::TAU;

/// Halvings with which a place round a tube is found.
const HALVINGS: u32 = 50;

impl Surface {
    /// A place on it from three numbers, 0 to 1: evenly over its area where the numbers are. Of a plane it is the part that
    /// is drawn.
    pub fn spread(&self, numbers: [f64; 3]) -> Touch {
        self.placed(self.shape.spread(numbers))
    }
}

impl Shape {
    /// A place on it from three numbers, 0 to 1, evenly over its area.
    pub fn spread(&self, [a, b, c]: [f64; 3]) -> Touch {
        match self {
            Self::Plane { width, depth } => {
                Touch { point: DVec3::new((a - 0.5) * width, 0.0, (b - 0.5) * depth), normal: DVec3::Y }
            }
            Self::Ball { radius } => {
                // Archimedes: equal heights hold equal areas.
                let y = 2.0 * b - 1.0;
                let wide = (1.0 - y * y).max(0.0).sqrt();
                let normal = round(a) * wide + DVec3::Y * y;
                Touch { point: normal * *radius, normal }
            }
            Self::Box { half } => {
                let areas = [half.y * half.z, half.z * half.x, half.x * half.y];
                let (axis, left) = chosen(&areas, c);
                let side = if left < 0.5 { -1.0 } else { 1.0 };
                let (u, v) = ((axis + 1) % 3, (axis + 2) % 3);
                let normal = DVec3::AXES[axis] * side;
                let across =
                    DVec3::AXES[u] * ((2.0 * a - 1.0) * half[u]) + DVec3::AXES[v] * ((2.0 * b - 1.0) * half[v]);
                Touch { point: normal * half[axis] + across, normal }
            }
            Self::Torus { radius, tube } => {
                // The area up to an angle round the tube is R·v + r·sin v, which grows.
                let within = |v: f64| radius * v + tube * libm::sin(v) < radius * TAU * b;
                let (sine, cosine) = libm::sincos(middle(halved((0.0, TAU), HALVINGS, within)));
                let out = round(a);
                let normal = out * cosine + DVec3::Y * sine;
                Touch { point: out * *radius + normal * *tube, normal }
            }
            Self::Lathe(profile) => {
                let on = profile.spread(c, b);
                let out = round(a);
                let turned = |v: DVec2| out * v.x + DVec3::Y * v.y;
                Touch { point: turned(on.point), normal: turned(on.normal) }
            }
        }
    }
}

/// A unit vector away from the axis.
fn round(part: f64) -> DVec3 {
    let (sine, cosine) = libm::sincos(TAU * part);
    DVec3::new(cosine, 0.0, sine)
}

/// Which of some parts a number from 0 to 1 falls into, by their size, and where within it.
fn chosen(sizes: &[f64], number: f64) -> (usize, f64) {
    let mut left = number.clamp(0.0, 1.0) * sizes.iter().sum::<f64>();
    for (i, size) in sizes.iter().enumerate() {
        if left <= *size {
            return (i, if *size > 0.0 { left / size } else { 0.0 });
        }
        left -= size;
    }
    (sizes.len() - 1, 1.0)
}

#[cfg(test)]
mod tests {
    use super::super::Profile;
    use super::*;
    use crate::random::unit;
    use proptest::prelude::*;

    fn shapes() -> impl Strategy<Value = Shape> {
        let size = 0.1..3.0f64;
        prop_oneof![
            (size.clone(), size.clone()).prop_map(|(width, depth)| Shape::Plane { width, depth }),
            size.clone().prop_map(|radius| Shape::Ball { radius }),
            (size.clone(), size.clone(), size.clone()).prop_map(|(x, y, z)| Shape::Box { half: DVec3::new(x, y, z) }),
            (size.clone(), 0.05..0.95f64).prop_map(|(radius, part)| Shape::Torus { radius, tube: radius * part }),
            prop::collection::vec((0.0..2.0f64, -2.0..2.0f64), 2..6).prop_filter_map("two places", |points| {
                Profile::new(points.into_iter().map(|(x, y)| DVec2::new(x, y))).map(Shape::Lathe)
            }),
        ]
    }

    /// The mean of something over many places.
    fn mean(shape: &Shape, of: impl Fn(Touch) -> f64) -> f64 {
        let numbers = |i: u64| [0, 1, 2].map(|channel| unit(7, i, channel));
        (0..40_000).map(|i| of(shape.spread(numbers(i)))).sum::<f64>() / 40_000.0
    }

    proptest! {
        #[test]
        fn places_lie_on_the_surface_with_its_normal(shape in shapes(), a in 0.0..1.0f64, b in 0.0..1.0f64, c in 0.0..1.0f64) {
            let touch = shape.spread([a, b, c]);
            let known = shape.nearest(touch.point);
            prop_assert!(touch.point.distance(known.point) < 1e-9);
            prop_assert!((touch.normal.length() - 1.0).abs() < 1e-12);
            // Profiles may cross themselves, and then two normals are as good.
            if !matches!(shape, Shape::Lathe(_)) {
                let out = shape.nearest(touch.point + touch.normal * 1e-3);
                prop_assert!(touch.normal.distance(out.normal) < 1e-6, "{} {}", touch.normal, out.normal);
            }
        }
    }

    #[test]
    fn equal_areas_hold_equally_many() {
        let near = |a: f64, b: f64| assert!((a - b).abs() < 0.012, "{a} for {b}");
        let ball = Shape::Ball { radius: 2.0 };
        let square = |x: f64| x * x;
        near(mean(&ball, |touch| square(touch.point.y / 2.0)), 1.0 / 3.0);
        near(mean(&ball, |touch| square(touch.point.x / 2.0)), 1.0 / 3.0);
        let half = DVec3::new(1.0, 2.0, 3.0);
        let on = |axis: usize| move |touch: Touch| f64::from(u8::from(touch.normal[axis].abs() > 0.5));
        let cuboid = Shape::Box { half };
        near(mean(&cuboid, on(0)), 6.0 / 11.0);
        near(mean(&cuboid, on(2)), 2.0 / 11.0);
        near(mean(&cuboid, |touch| touch.normal.x + touch.normal.y + touch.normal.z), 0.0);
        // ∫ cos v · (R + r·cos v) by ∫ (R + r·cos v) is r / 2R.
        let torus = Shape::Torus { radius: 2.0, tube: 1.0 };
        near(mean(&torus, |touch| DVec2::new(touch.point.x, touch.point.z).length() - 2.0), 0.25);
        // Of a cone a quarter lies within half its slant.
        let cone = Profile::new([DVec2::new(0.0, 2.0), DVec2::new(1.0, 0.0)]).map(Shape::Lathe);
        near(mean(&cone.unwrap(), |touch| f64::from(u8::from(touch.point.y > 1.0))), 0.25);
    }
}
