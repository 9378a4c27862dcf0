use super::placing::{Lying, level};
use crate::curve::{Outline, Placing, Plane, lettering, place};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit, Values};
use crate::words::sentence;
use std::collections::BTreeMap;

/// The outlines of letters.
pub struct Lettering;

fields! {
    /// What Lettering is told.
    pub struct LetteringFields {
        text: String = Param::new("text", Group::Form, Values::Text { default: "FUNZEL" }, "What is written."),
        size: f64 = Param::number(
            "letter height",
            Group::Form,
            (Unit::Metres, 1.0, 1e-4, 1e4),
            "How tall capitals are.",
        )
        .role(Role::Size),
        spacing: f64 = Param::number(
            "spacing",
            Group::Form,
            (Unit::None, 0.0, -1.0, 10.0),
            "More room between letters, in letter heights.",
        ),
        letter: i64 = Param::whole(
            "only letter",
            Group::Form,
            (0, 0, 200),
            "The number of one letter, from 1; 0 takes all of them.",
        ),
        centred: bool = Param::flag(
            "centred",
            Group::Form,
            true,
            "Whether the middle of the text comes to the place, or the start of its line.",
        ),
        lying: Lying => Lying::on(Plane::Front),
    }
}

impl Maker for Lettering {
    type Own = LetteringFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "lettering",
            title: "Lettering",
            group: "Paths",
            help: "The outlines of letters; each contour is a strand of its own.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: LetteringFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &LetteringFields, context: &Context<'_>) -> Result<Outcome, String> {
        let outlines = lettering(&own.text, own.spacing).map_err(|error| sentence(&error.to_string()))?;
        let letter = own.letter;
        let letters = outlines.iter().filter_map(|outline| outline.id.parse::<i64>().ok()).max().unwrap_or(0);
        let placing = Placing {
            scale: own.size,
            plane: own.lying.plane.laid(context),
            turn: own.lying.turn.to_radians(),
            // The middle is that of the whole text, even where only one letter is taken.
            centred: own.centred,
            at: level(context, own.lying.at),
        };
        let (curve, _) = place(&outlines, &placing, &BTreeMap::new()).map_err(|error| sentence(&error.to_string()))?;
        if letter == 0 {
            return Ok(Outcome::of_curve(curve));
        }
        let chosen = curve
            .strands()
            .iter()
            .zip(&outlines)
            .filter(|(_, outline): &(_, &Outline)| outline.id == letter.to_string());
        let strands: Vec<_> = chosen.map(|(strand, _)| strand.clone()).collect();
        let curve = crate::curve::Curve::new(strands)
            .map_err(|_| format!("There is no letter {letter} to be seen: the text has {letters}."))?;
        Ok(Outcome::of_curve(curve))
    }
}
