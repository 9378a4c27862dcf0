//! Things that are struck: they rattle about a point, or give way, and come to rest again.

use super::pivot::growths;
use super::{Below, Layer, Layered, Rows, Touched};
use crate::motion::contact::ringing::Ringing;
use crate::motion::{Break, BreakKind, Cancel, Columns, Contact, Frames, Hits, Motion, MotionError, Sample};
use crate::pose::{perpendicular, scaled_axis};
use glam::DVec3;
use std::sync::Arc;

/// What a hit does.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Blow {
    /// Metres that it gives way at first, away from what strikes it.
    pub push: f64,
    /// Radians that it turns at first.
    pub turn: f64,
    /// The axis about which it turns; across the hit where it is absent.
    pub axis: Option<DVec3>,
    /// The point that stays where it is, in metres in the thing's own axes.
    pub pivot: DVec3,
    /// Hits count by their change of speed in metres per second: 1 m/s counts as one.
    pub by_momentum: bool,
    /// It is pushed along the normal where it was hit, and only by as much of the impulse as goes that way.
    pub straight: bool,
    /// It was the thing itself that hit, so that it is pushed the way of the impulse and not against it.
    pub itself: bool,
}

/// What hits do to things, and how that dies away.
#[derive(Clone)]
pub struct Rattling {
    hits: Hits,
    blow: Blow,
    ringing: Ringing,
}

/// Another motion whose things rattle from contacts on.
pub type Rattle = Layered<Rattling>;

impl Rattle {
    /// Of at least as many things as `hits` has listeners.
    pub fn new(inner: Arc<dyn Motion>, hits: Hits, blow: Blow, ringing: Ringing) -> Self {
        Self::over(inner, Rattling { hits, blow, ringing })
    }
}

impl Rattling {
    /// How far it is off and turned (as an axis times an angle) at a frame, and how fast both change.
    fn off(&self, object: usize, frame: f64) -> [DVec3; 4] {
        let mut off = [DVec3::ZERO; 4];
        for hit in self.hits.between(object, frame - self.ringing.frames(), frame) {
            let (value, slope) = self.ringing.with_slope(frame - hit.frame);
            let strength = if self.blow.by_momentum { hit.impulse.length() } else { 1.0 };
            let pushed =
                if self.blow.straight && self.blow.by_momentum { hit.impulse.dot(hit.normal).abs() } else { strength };
            let way = self.way(hit) * (self.blow.push * pushed);
            let axis = self.blow.axis.unwrap_or_else(|| across(hit)) * (self.blow.turn * strength);
            off[0] += way * value;
            off[1] += axis * value;
            off[2] += way * slope;
            off[3] += axis * slope;
        }
        off
    }

    fn way(&self, hit: &Contact) -> DVec3 {
        let impulse = hit.impulse.try_normalize().unwrap_or(hit.normal);
        let way = match self.blow.straight {
            true if impulse.dot(hit.normal) < 0.0 => -hit.normal,
            true => hit.normal,
            false => impulse,
        };
        if self.blow.itself { way } else { -way }
    }
}

/// Across what strikes and what is struck.
fn across(hit: &Contact) -> DVec3 {
    let axis = hit.normal.cross(hit.impulse);
    // Struck straight on there is no such axis: any that lies in the surface will do, and always the same.
    if axis.length() > 1e-6 * hit.impulse.length() { axis.normalize() } else { perpendicular(hit.normal) }
}

impl Layer for Rattling {
    fn changes(&self) -> Columns {
        Columns::POSITION | if self.blow.turn == 0.0 { Columns::NONE } else { Columns::ORIENTATION }
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        let turns = self.blow.turn != 0.0;
        let moved = columns.contain(Columns::POSITION) || columns.contain(Columns::VELOCITY);
        let extra = if turns && moved { Columns::ORIENTATION | Columns::SCALE } else { Columns::NONE };
        let spin = if turns && columns.contain(Columns::VELOCITY) { Columns::SPIN } else { Columns::NONE };
        columns | extra | spin
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let grows = self.blow.turn != 0.0 && columns.contain(Columns::VELOCITY);
        let mut growth = vec![DVec3::ZERO; if grows { rows.count() } else { 0 }];
        if grows && inner.varies().contain(Columns::SCALE) {
            growths(inner, self.blow.pivot, rows).into_iter().for_each(|(row, by)| growth[row] = by);
        }
        for (row, (object, frame)) in rows.iter().enumerate() {
            let [push, turn, push_rate, turn_rate] = self.off(object, frame);
            if let Some(position) = out.positions.get_mut(row) {
                *position += push;
            }
            if let Some(velocity) = out.velocities.get_mut(row) {
                *velocity += push_rate;
            }
            if turn == DVec3::ZERO && turn_rate == DVec3::ZERO {
                continue;
            }
            // Hits from different sides may overlap; for small angles turns add up as their axes do.
            let by = scaled_axis(turn);
            if let Some(orientation) = out.orientations.get_mut(row) {
                let scale = out.scales.get(row).copied().unwrap_or(DVec3::ONE);
                let arm = *orientation * (self.blow.pivot * scale);
                if let Some(position) = out.positions.get_mut(row) {
                    *position += arm - by * arm;
                }
                if let Some(velocity) = out.velocities.get_mut(row) {
                    let spin = out.spins[row];
                    let grown = *orientation * growth[row];
                    *velocity += spin.cross(arm) - (by * spin + turn_rate).cross(by * arm) + grown - by * grown;
                }
                *orientation = by * *orientation;
            }
            if let Some(spin) = out.spins.get_mut(row) {
                *spin = by * *spin + turn_rate;
            }
        }
    }

    fn prepare(&self, _: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        let hits = self.hits.over(Frames { from: range.from - self.ringing.frames(), ..range }, cancel)?;
        Ok(hits.map(|hits| Self { hits, ..self.clone() }))
    }

    fn breaks(&self, _: Below<'_>, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let hits = self.hits.between(object, range.from, range.to).iter();
        Ok(hits.map(|hit| Break { frame: hit.frame, kind: BreakKind::Contact }).collect())
    }

    /// It rattles because it touches: where it does stays, and what it is stuck in.
    fn touched(&self) -> Touched {
        Touched::Stays
    }
}
