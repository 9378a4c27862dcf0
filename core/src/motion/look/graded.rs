//! Size, brightness and colour by how old, how fast, how far along, how far away things are.

use crate::motion::layer::{Layer, Layered, Rows};
use crate::motion::{Cancel, Columns, Frames, Kind, Motion, MotionError, Sample, prepared};
use crate::random;
use crate::signal::Progression;
use std::sync::Arc;

/// What the look of things goes by, as a part from 0 to 1.
#[derive(Clone)]
pub enum GradedBy {
    /// How much of its life is over; only of what begins anew.
    Age,
    /// Its place on its path; only of what has one.
    Place,
    /// Its speed between two, metres per frame.
    Speed(f64, f64),
    /// Its number, of what begins anew that of its birth: the first has 0, the last has 1.
    Number,
    /// Chance, of what begins anew by its birth, with a seed.
    Chance(u64),
    /// How far it is from the nearest thing of another motion, between two distances, metres.
    Distance(Arc<dyn Motion>, f64, f64),
}

/// What size, brightness and colour are by a part.
pub struct Grading {
    by: GradedBy,
    size: Progression,
    brightness: Progression,
    /// How far colours are on their way from a first to a last, and these.
    colour: Option<(Progression, [String; 2])>,
    kinds: Vec<Kind>,
}

/// Another motion whose things look otherwise, by what they are and do.
pub type Graded = Layered<Grading>;

const CHANCE: u64 = 45;
const GRADED: u64 = 46;

impl Graded {
    /// `size` and `brightness` are factors, at least 0; `colour` is from 0 for the first of its colours to 1 for the last.
    pub fn new(
        inner: Arc<dyn Motion>,
        by: GradedBy,
        (size, brightness): (Progression, Progression),
        colour: Option<(Progression, [String; 2])>,
    ) -> Self {
        let kinds = coloured(&*inner, colour.as_ref().map(|(_, colours)| colours));
        Self::over(inner, Grading { by, size, brightness, colour, kinds })
    }
}

/// The kinds of a motion in other colours.
fn coloured(inner: &dyn Motion, colours: Option<&[String; 2]>) -> Vec<Kind> {
    let before = inner.kinds();
    let Some([first, last]) = colours else { return before.to_vec() };
    let plain = [Kind::PLAIN];
    let before = if before.is_empty() { &plain } else { before };
    before.iter().map(|kind| Kind { colour: first.clone(), last: last.clone(), ..kind.clone() }).collect()
}

/// Where a number lies between two, 0 to 1; of two that are the same 0 up to them and 1 beyond.
fn between(x: f64, low: f64, high: f64) -> f64 {
    if high == low { f64::from(u8::from(x > low)) } else { ((x - low) / (high - low)).clamp(0.0, 1.0) }
}

impl Grading {
    /// What of the other motion it goes by.
    fn asks(&self, inner: &dyn Motion) -> Columns {
        match self.by {
            GradedBy::Age => Columns::LIFE,
            GradedBy::Place => Columns::PLACE,
            GradedBy::Speed(..) => Columns::VELOCITY,
            GradedBy::Number | GradedBy::Chance(_) if inner.lives().is_some() => Columns::LIFE,
            GradedBy::Number | GradedBy::Chance(_) => Columns::NONE,
            GradedBy::Distance(..) => Columns::POSITION,
        }
    }

    fn parts(&self, inner: &dyn Motion, rows: Rows<'_>, out: &Sample) -> Vec<f64> {
        let who = |row: usize| out.ages.get(row).map_or_else(|| rows.get(row).0, |age| age.birth);
        let of: &dyn Fn(usize) -> f64 = match &self.by {
            GradedBy::Age => &|row| out.ages[row].part(),
            GradedBy::Place => &|row| out.places[row].laps - out.places[row].laps.floor(),
            GradedBy::Speed(low, high) => &|row| between(out.velocities[row].length(), *low, *high),
            GradedBy::Number => {
                let count = inner.lives().map_or(inner.len(), |lives| lives.births().len());
                &move |row| who(row) as f64 / (count.max(2) - 1) as f64
            }
            GradedBy::Chance(seed) => &|row| random::unit(*seed, who(row) as u64, CHANCE),
            GradedBy::Distance(lead, low, high) => return distances(&**lead, rows, out, (*low, *high)),
        };
        (0..rows.count()).map(of).collect()
    }
}

/// Parts by how far things are from the nearest of a lead's that is there at their frame; 1 where none is.
fn distances(lead: &dyn Motion, rows: Rows<'_>, out: &Sample, (low, high): (f64, f64)) -> Vec<f64> {
    let (mut known, mut leads) = (None, Sample::default());
    let nearest = |row: usize| {
        let (_, frame) = rows.get(row);
        if known != Some(frame) {
            lead.sample(frame, Columns::POSITION | Columns::ALIVE, &mut leads);
            known = Some(frame);
        }
        let there = leads.positions.iter().zip(&leads.alive).filter(|(_, alive)| **alive);
        let nearest = there.map(|(place, _)| place.distance_squared(out.positions[row])).fold(f64::INFINITY, f64::min);
        between(nearest.sqrt(), low, high)
    };
    (0..rows.count()).map(nearest).collect()
}

impl Layer for Grading {
    fn changes(&self) -> Columns {
        let of = |by: &Progression, column| if by.fixed() == Some(1.0) { Columns::NONE } else { column };
        of(&self.size, Columns::SCALE) | of(&self.brightness, Columns::BRIGHTNESS)
    }

    fn needs(&self, inner: &dyn Motion, columns: Columns) -> Columns {
        let tint = if self.colour.is_some() { Columns::TINT } else { Columns::NONE };
        if !columns.touch(self.changes() | tint) {
            return columns;
        }
        columns.without(tint) | self.asks(inner)
    }

    fn change(&self, inner: &dyn Motion, rows: Rows<'_>, columns: Columns, out: &mut Sample) {
        let tint = self.colour.as_ref().filter(|_| columns.contain(Columns::TINT));
        if tint.is_none() && !columns.touch(self.changes()) {
            return;
        }
        let parts = self.parts(inner, rows, out);
        out.scales.iter_mut().zip(&parts).for_each(|(scale, part)| *scale *= self.size.at(*part));
        out.brightness.iter_mut().zip(&parts).for_each(|(bright, part)| *bright *= self.brightness.at(*part));
        if let Some((way, _)) = tint {
            out.tints = parts.iter().map(|part| way.at(*part).clamp(0.0, 1.0)).collect();
        }
    }

    fn prepare(&self, _: &dyn Motion, range: Frames, cancel: &Cancel) -> Result<Option<Self>, MotionError> {
        let GradedBy::Distance(lead, low, high) = &self.by else { return Ok(None) };
        let ready = prepared(lead, range, cancel)?;
        if Arc::ptr_eq(&ready, lead) {
            return Ok(None);
        }
        let by = GradedBy::Distance(ready, *low, *high);
        let (size, brightness) = (self.size.clone(), self.brightness.clone());
        Ok(Some(Self { by, size, brightness, colour: self.colour.clone(), kinds: self.kinds.clone() }))
    }

    fn over_shared(self: &Arc<Self>, inner: &dyn Motion) -> Option<Arc<Self>> {
        let (size, brightness) = (self.size.clone(), self.brightness.clone());
        let kinds = coloured(inner, self.colour.as_ref().map(|(_, colours)| colours));
        Some(Arc::new(Self { by: self.by.clone(), size, brightness, colour: self.colour.clone(), kinds }))
    }

    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        // What goes by a number stays with it.
        let own = match self.by {
            GradedBy::Number | GradedBy::Chance(_) if inner.lives().is_none() => object as u64 + 1,
            _ => 0,
        };
        if own == 0 { inner.look(object) } else { random::bits(inner.look(object), own, GRADED) }
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }
}
