//! Places scattered over a surface.

use crate::motion::{Break, Columns, Extent, Frames, Motion, MotionError, Outside, Sample};
use crate::random;
use crate::signal::velocity_of;
use crate::surface::{Ground, Touch};
use glam::{DQuat, DVec3};

/// Things that lie scattered evenly over a surface, each at the same place of it as it moves, +y away from it.
pub struct Sown {
    ground: Ground,
    count: usize,
    seed: u64,
    flat: bool,
}

const SOWN: u64 = 91;

impl Sown {
    /// So many; in `flat` scenes in the picture, at z = 0.
    pub const fn new(ground: Ground, count: usize, seed: u64, flat: bool) -> Self {
        Self { ground, count, seed, flat }
    }

    fn touch(&self, object: usize, frame: f64) -> Touch {
        let numbers = [0, 1, 2].map(|channel| random::unit(self.seed, object as u64, SOWN + channel));
        let touch = self.ground.at(frame).spread(numbers);
        let level = |v: DVec3| if self.flat { DVec3::new(v.x, v.y, 0.0) } else { v };
        Touch { point: level(touch.point), normal: level(touch.normal).normalize_or(DVec3::Y) }
    }
}

impl Motion for Sown {
    fn len(&self) -> usize {
        self.count
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: 0.0, outside: Outside::RunsOn }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION | Columns::ORIENTATION
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(object, frame)) in at.iter().enumerate() {
            let touch = self.touch(object, frame);
            if let Some(position) = out.positions.get_mut(row) {
                *position = touch.point;
            }
            if let Some(orientation) = out.orientations.get_mut(row) {
                *orientation = DQuat::from_rotation_arc(DVec3::Y, touch.normal);
            }
            if let (Some(velocity), None) = (out.velocities.get_mut(row), self.ground.unmoving()) {
                *velocity = velocity_of(|frame| self.touch(object, frame).point, frame);
            }
        }
    }

    fn breaks(&self, _: usize, _: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(Vec::new())
    }
}
