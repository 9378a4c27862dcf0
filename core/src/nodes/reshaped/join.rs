use crate::curve::{Curve, joined, together};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::words::sentence;
use crate::work::spend;

/// Looks that taking over a segment counts as, before there is room for it.
const OF_A_SEGMENT: u64 = 50;
/// Most pieces of what is joined.
const MOST_PIECES: usize = 100_000;

/// Paths made one.
pub struct Join;

choice! {
    /// What becomes of the gap.
    pub enum Between {
        StraightBridge = "straight bridge",
        MoveTogether = "move together",
    }
}

fields! {
    /// What Join is told.
    pub struct JoinFields {
        gap: f64 = Param::number("largest gap", Group::Form, (Unit::Metres, 0.1, 0.0, 1e5), "Ends farther apart than this are not joined."),
        between: Between = Param::choice("between ends", Group::Form, Between::WORDS, "What becomes of the gap."),
    }
}

impl Maker for Join {
    type Own = JoinFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "join",
            title: "Join",
            group: "Paths",
            help: "Joins strands whose ends lie near each other; what is far from all others stays a strand of its own.",
            inputs: vec![
                Port::new("path", PortKind::Path, "What is joined."),
                Port::optional("other", PortKind::Path, "Another path that is joined with it."),
            ],
            output: Some(PortKind::Path),
            params: JoinFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &JoinFields, context: &Context<'_>) -> Result<Outcome, String> {
        let other = context.path_if_any("other").map(|path| path.at(context.frame));
        let curves: Vec<_> = [Some(context.curve("path")?), other].into_iter().flatten().collect();
        let segments = |curve: &Curve| curve.strands().iter().map(|strand| strand.segments().len()).sum::<usize>();
        let pieces = curves.iter().map(|curve| segments(curve)).sum::<usize>();
        if pieces > MOST_PIECES {
            return Err(format!("{pieces} pieces are too many to be joined: use at most {MOST_PIECES} in all."));
        }
        if !spend(OF_A_SEGMENT * pieces as u64) {
            return Err("It was given up before it was joined.".to_owned());
        }
        let curves = curves.into_iter().map(|curve| (*curve).clone());
        let bridge = own.between != Between::MoveTogether;
        let made = together(curves).and_then(|curve| joined(&curve, own.gap, bridge));
        Ok(Outcome::of_curve(made.map_err(|error| sentence(&error.to_string()))?))
    }
}
