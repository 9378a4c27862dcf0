//! What is bounced off as one: obstacles, and parts of them that meet in inner corners as two obstacles do.

use super::super::obstacle::Obstacle;
use crate::surface::{Profile, Shape, Surface};
use glam::DVec3;
use std::sync::Arc;

/// An obstacle, one of the six flats of a box around what is thrown, or a part of a lathe between two inner corners.
#[derive(Debug, Clone)]
pub(super) struct Face {
    pub obstacle: usize,
    /// Which side of it: 1 outside, −1 within.
    pub outside: f64,
    /// The normal of what is flat, and a place on it.
    pub flat: Option<(DVec3, DVec3)>,
    pub surface: Surface,
}

/// The faces that are met from a place.
pub(super) fn of(obstacles: &[Obstacle], start: DVec3) -> Vec<Face> {
    let each = |(obstacle, Obstacle { surface, .. }): (usize, &Obstacle)| {
        let side = |surface: &Surface| if surface.distance(start).0 < 0.0 { -1.0 } else { 1.0 };
        let whole = |surface: Surface| Face {
            obstacle,
            outside: side(&surface),
            flat: surface.flat().map(|normal| (normal, surface.position)),
            surface,
        };
        match &*surface.shape {
            Shape::Box { half } if side(surface) < 0.0 => {
                let half = *half;
                let flat = |i: usize| {
                    let inward = DVec3::AXES[i / 2] * if i.is_multiple_of(2) { 1.0 } else { -1.0 };
                    let on = surface.position - surface.orientation * (inward * half);
                    let flat = Some((surface.orientation * inward, on));
                    Face { obstacle, outside: 1.0, flat, surface: surface.clone() }
                };
                (0..6).map(flat).collect::<Vec<_>>()
            }
            Shape::Lathe(profile) => {
                let parts = profile.parts(side(surface));
                let part = |profile: Profile| Surface { shape: Arc::new(Shape::Lathe(profile)), ..surface.clone() };
                match parts {
                    Some(parts) => parts.into_iter().map(part).map(whole).collect(),
                    None => vec![whole(surface.clone())],
                }
            }
            _ => vec![whole(surface.clone())],
        }
    };
    obstacles.iter().enumerate().flat_map(each).collect()
}
