//! Laid onto a surface.

use crate::motion::{Columns, Layer, Layered, Motion, Rows, Sample};
use crate::pose::turn_between;
use crate::signal::velocity_of;
use crate::surface::{Ground, Surface, Touch};
use glam::{DQuat, DVec3};
use std::sync::Arc;

/// How things lie on a surface: each at the place of it that is nearest to where it were, so far off it.
#[derive(Clone)]
pub struct Lying {
    /// The surface.
    pub ground: Ground,
    /// Metres; negative is inside.
    pub clearance: f64,
    /// Whether each is turned the shortest way so that its +y is away from the surface.
    pub turned: bool,
    /// Whether all stays in the plane of the picture.
    pub flat: bool,
}

/// Another motion whose things lie on a surface.
pub type Laid = Layered<Lying>;

/// Half the frames over which turns are measured.
const STEP: f64 = 1e-3;

impl Laid {
    /// In this way.
    pub fn new(inner: Arc<dyn Motion>, how: Lying) -> Self {
        Self::over(inner, how)
    }
}

impl Lying {
    fn touch(&self, surface: &Surface, place: DVec3) -> Touch {
        let Touch { point, normal } = surface.nearest(place);
        if !self.flat {
            return Touch { point: point + normal * self.clearance, normal };
        }
        let normal = DVec3::new(normal.x, normal.y, 0.0).normalize_or(DVec3::Y);
        let point = point + normal * self.clearance;
        Touch { point: DVec3::new(point.x, point.y, place.z), normal }
    }

    fn turn(&self, before: DQuat, normal: DVec3) -> DQuat {
        (DQuat::from_rotation_arc(before * DVec3::Y, normal) * before).normalize()
    }

    /// Orientations of all rows so many frames later.
    fn turns(&self, inner: &dyn Motion, rows: Rows<'_>, by: f64) -> Vec<DQuat> {
        let later = rows.later(by);
        let mut sample = Sample::default();
        inner.sample_at(&later, Columns::POSITION | Columns::ORIENTATION, &mut sample);
        let turned = |(row, &(_, frame)): (usize, &(usize, f64))| {
            let touch = self.touch(&self.ground.at(frame), sample.positions[row]);
            self.turn(sample.orientations[row], touch.normal)
        };
        later.iter().enumerate().map(turned).collect()
    }
}

impl Layer for Lying {
    fn changes(&self) -> Columns {
        if self.turned { Columns::POSITION | Columns::ORIENTATION } else { Columns::POSITION }
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        let moves = columns.touch(Columns::VELOCITY | Columns::TRAVEL);
        let turns = self.turned && columns.touch(Columns::ORIENTATION | Columns::SPIN);
        let place = moves || turns || columns.contain(Columns::POSITION);
        let of = |wanted: bool, what: Columns| if wanted { what } else { Columns::NONE };
        columns | of(place, Columns::POSITION) | of(moves, Columns::VELOCITY) | of(turns, Columns::ORIENTATION)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        if out.positions.is_empty() {
            return;
        }
        let mut known: Option<(f64, Surface)> = None;
        for row in 0..rows.count() {
            let (_, frame) = rows.get(row);
            if known.as_ref().is_none_or(|(at, _)| *at != frame) {
                known = Some((frame, self.ground.at(frame)));
            }
            let Some((_, surface)) = &known else { continue };
            let place = out.positions[row];
            let touch = self.touch(surface, place);
            out.positions[row] = touch.point;
            if let (true, Some(orientation)) = (self.turned, out.orientations.get_mut(row)) {
                *orientation = self.turn(*orientation, touch.normal);
            }
            let Some(velocity) = out.velocities.get_mut(row) else { continue };
            let before = *velocity;
            let at = |at: f64| {
                let place = place + before * (at - frame);
                match self.ground.unmoving() {
                    Some(surface) => self.touch(surface, place).point,
                    None => self.touch(&self.ground.at(at), place).point,
                }
            };
            *velocity = velocity_of(at, frame);
            if let Some(travel) = out.travels.get_mut(row) {
                // What stands lies along the surface as it would go on.
                let along = *travel - touch.normal * travel.dot(touch.normal);
                *travel = velocity.try_normalize().or_else(|| along.try_normalize()).unwrap_or(*travel);
            }
        }
        if self.turned && columns.contain(Columns::SPIN) {
            let (before, after) = (self.turns(inner, rows, -STEP), self.turns(inner, rows, STEP));
            out.spins = before.iter().zip(&after).map(|(a, b)| turn_between(*a, *b) / (2.0 * STEP)).collect();
        }
    }

    fn margin(&self) -> f64 {
        1.0
    }
}
