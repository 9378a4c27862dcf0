use super::placing::{self, level, plane};
use crate::curve::{Outline, Placing, lettering, place};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit, Values};
use crate::words::sentence;
use std::collections::BTreeMap;

/// The outlines of letters.
pub struct Lettering;

impl NodeType for Lettering {
    fn schema(&self) -> Schema {
        let mut params = vec![
            Param::new("text", "text", Group::Form, Values::Text { default: "FUNZEL" }, "What is written."),
            Param::number(
                "size",
                "letter height",
                Group::Form,
                (Unit::Metres, 1.0, 1e-4, 1e4),
                "How tall capitals are.",
            )
            .role(Role::Size),
            Param::number(
                "spacing",
                "spacing",
                Group::Form,
                (Unit::None, 0.0, -1.0, 10.0),
                "More room between letters, in letter heights.",
            ),
            Param::whole(
                "letter",
                "only letter",
                Group::Form,
                (0, 0, 200),
                "The number of one letter, from 1; 0 takes all of them.",
            ),
            Param::flag(
                "centred",
                "centred",
                Group::Form,
                true,
                "Whether the middle of the text comes to the place, or the start of its line.",
            ),
        ];
        params.extend(placing::params("front"));
        Schema {
            name: "lettering",
            title: "Lettering",
            group: "Paths",
            help: "The outlines of letters; each contour is a strand of its own.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params,
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let outlines =
            lettering(&params.text("text"), params.number("spacing")).map_err(|error| sentence(&error.to_string()))?;
        let letter = params.whole("letter");
        let letters = outlines.iter().filter_map(|outline| outline.id.parse::<i64>().ok()).max().unwrap_or(0);
        let placing = Placing {
            scale: params.number("size"),
            plane: plane(context),
            turn: params.number("turn").to_radians(),
            // The middle is that of the whole text, even where only one letter is taken.
            centred: params.flag("centred"),
            at: level(context, params.vector("at")),
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
