//! A surface that things press dents into, or raise, as they come by.
//!
//! A corner of the surface's body moves along the surface's normal by depth · profile(d / reach) · fade(t), where d is how far it is
//! from where a thing was t frames before, and what is most over the thing and all that it leaves behind itself counts. The
//! surface is one thing; what it looks like at a frame follows from the frame as of which it is dented
//! ([`Columns::DENTED`]), which goes along through whatever shows it later or elsewhere.

mod cells;
mod dents;
mod furrow;
mod pressing;

pub use dents::Dents;
pub use pressing::{Grain, Hollow, Pressing, Several};

use super::layer::put_pose;
use super::look::form::Own;
use super::{Break, Cancel, Columns, Extent, Frames, Kind, Motion, MotionError, Outside, Sample};
use crate::pose::Pose;
use crate::surface::Ground;
use glam::DVec3;
use std::sync::Arc;

/// A surface as a thing, dented.
pub struct Dented {
    ground: Ground,
    kind: [Kind; 1],
}

impl Dented {
    /// A surface that moves and turns as `ground` does, dented as `dents` says, in a colour, `#rrggbb`.
    pub fn new(ground: Ground, dents: Dents, colour: String) -> Self {
        let dented = Some(Own(Arc::new(dents)));
        Self { ground, kind: [Kind { colour, dented, ..Kind::PLAIN }] }
    }

    fn pose(&self, frame: f64) -> Pose {
        let surface = self.ground.at(frame);
        Pose { position: surface.position, orientation: surface.orientation, scale: DVec3::ONE }
    }
}

impl Motion for Dented {
    fn len(&self) -> usize {
        1
    }

    fn extent(&self) -> Extent {
        Extent { from: 0.0, to: 0.0, outside: Outside::RunsOn }
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let Some(dents) = &self.kind[0].dented else { return Ok(None) };
        let ready = dents.ready(range, cancel)?;
        Ok(Some(Arc::new(Self::new(self.ground.clone(), ready, self.kind[0].colour.clone()))))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(at.len(), columns);
        for (row, &(_, frame)) in at.iter().enumerate() {
            put_pose(out, row, |later| self.pose(frame + later));
            out.dents.get_mut(row).into_iter().for_each(|dents| *dents = frame);
        }
    }

    fn varies(&self) -> Columns {
        Columns::POSITION | Columns::ORIENTATION | Columns::DENTED
    }

    fn breaks(&self, _: usize, _: Frames) -> Result<Vec<Break>, MotionError> {
        Ok(Vec::new())
    }

    fn kinds(&self) -> &[Kind] {
        &self.kind
    }
}
