use crate::curve::Path;
use crate::fraction::Fraction;
use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Pace, Ride, RideEnd};
use crate::scene::{Fields, Given, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::{Beyond, Clock, Constant, Driven, Key, Keys, Ramp, Repeat, RepeatWay, Signal, Through, keyed};
use crate::words::counted;
use std::sync::Arc;

/// A thing that is at the points of a path when keys say so.
pub struct KeyedTravel;

choice! {
    /// Smooth passes the points without a jolt; constant speed goes as far in every frame from the first key to the last.
    pub enum Between {
        Smooth = "smooth",
        ConstantSpeed = "constant speed",
    }
}

fields! {
    /// What Keyed travel is told.
    pub struct KeyedTravelFields {
        point: (Driven, Given) = Param::number(
            "at point",
            Group::Time,
            (Unit::None, 0.0, -1e6, 1e6),
            "At which point it is: 0 is the first, 1 the next; left alone it goes to each in turn, evenly.",
        )
        .over_time(),
        between: Between = Param::choice(
            "between points",
            Group::Time,
            Between::WORDS,
            "Smooth passes the points without a jolt; constant speed goes as far in every frame from the first key to the last.",
        ),
    }
}

impl Maker for KeyedTravel {
    type Own = KeyedTravelFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "keyed-travel",
            title: "Keyed travel",
            group: "Travel",
            help: "Takes a thing from point to point of a path: where is set in the View, when by keys in the Traces.",
            inputs: vec![Port::new("path", PortKind::Path, "Whose points it goes to.")],
            output: Some(PortKind::Motion),
            params: KeyedTravelFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &KeyedTravelFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (timing, path) = (context.timing, context.path("path")?);
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let joints = strand.joints();
        let last = (joints.len() - 1) as f64;
        let parts: Vec<Key> =
            joints.iter().zip(0..).map(|(s, i)| Key::new(f64::from(i), s / strand.length())).collect();
        let steps = Keys::new(&parts, false);
        // Round and round on a closed path; held at both ends of an open one.
        let along: Arc<dyn Signal> = if strand.closed() {
            let (before, after) = (f64::INFINITY, f64::INFINITY);
            Arc::new(Repeat {
                inner: Arc::new(steps),
                from: 0.0,
                length: last,
                before,
                after,
                way: RepeatWay::Climbing,
            })
        } else {
            Arc::new(steps)
        };
        let (given, said) = &own.point;
        let at = match given.fixed() {
            None => given.as_signal(),
            // A point that was named is where it stays.
            Some(point) if said.0.is_some() => Arc::new(Constant(point)),
            Some(_) => {
                let ramp = Ramp { from: 0.0, to: last, start: 0.0, length: timing.frames, soft: false };
                let (before, after) = (f64::INFINITY, f64::INFINITY);
                Arc::new(Repeat {
                    inner: Arc::new(ramp),
                    from: 0.0,
                    length: timing.frames,
                    before,
                    after,
                    way: RepeatWay::Climbing,
                })
            }
        };
        let through: Arc<dyn Signal> = Arc::new(Through { curve: along, at: at.clone() });
        let progress =
            if own.between == Between::ConstantSpeed { even(&*through, &*at, timing.clock()) } else { through };
        let driven = Driven::signal(progress.clone(), timing.clock(), f64::MIN, f64::MAX);
        let still = Path::Still(curve.clone());
        let end = if strand.closed() { RideEnd::Wrap } else { RideEnd::Hold };
        let ride = Ride::new(if path.unmoving().is_some() { still } else { path }, 1, Fraction::ZERO, timing.frames)
            .paced(Pace::Laps(Fraction::ZERO))
            .at_end(end)
            .progressing(driven);
        let covered = progress.at(timing.frames) - progress.at(0.0);
        let mut outcome = Outcome::new(Product::Motion(Arc::new(ride)));
        outcome.facts =
            vec![counted(joints.len() - usize::from(strand.closed()), "point"), format!("{covered:.3} laps a loop")];
        if curve.strands().len() > 1 {
            outcome.warnings.push("The path has several strands: it goes along the first.".to_owned());
        }
        Ok(outcome)
    }
}

/// From what is reached at the first bend of the loop to what is reached at the last, as far in every frame.
fn even(progress: &dyn Signal, at: &dyn Signal, clock: Clock) -> Arc<dyn Signal> {
    let bends = at.bends(0.0, clock.frames);
    let (from, to) = match (bends.first(), bends.last()) {
        (Some(from), Some(to)) if to > from => (*from, *to),
        _ => (0.0, clock.frames),
    };
    // The end of the loop counts as it is reached, not as the next loop begins.
    let reached = progress.at(to.min(clock.frames - 1e-9));
    keyed(&[Key::new(from, progress.at(from)), Key::new(to, reached)], Beyond::Loop(clock.frames))
}
