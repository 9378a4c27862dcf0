//! How things look by what they are and do.

use crate::graph::{Context, Maker, Outcome};
use crate::motion::{Graded, GradedBy, Motion};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::Progression;
use std::sync::Arc;

/// How things look by what they are and do.
pub struct LookByNode;

choice! {
    /// What the look goes by.
    pub enum By {
        Speed = "speed",
        Age = "age",
        Place = "place on the path",
        Number = "number",
        Chance = "chance",
        Distance = "distance",
    }
}

fields! {
    /// What Look by is told.
    pub struct LookByFields {
        by: By = Param::choice("goes by", Group::Look, By::WORDS, "What the look of things goes by: from 0 at the left of what is drawn below to 1 at its right."),
        slow: f64 = Param::number("0 at", Group::Look, (Unit::Speed, 0.0, 0.0, 1e5), "The speed at the left.").only_when("by", &["speed"]),
        fast: f64 = Param::number("1 at", Group::Look, (Unit::Speed, 4.0, 0.0, 1e5), "The speed at the right.").only_when("by", &["speed"]),
        near: f64 = Param::number("0 at", Group::Look, (Unit::Metres, 0.0, 0.0, 1e5), "The distance at the left.").only_when("by", &["distance"]),
        far: f64 = Param::number("1 at", Group::Look, (Unit::Metres, 2.0, 0.0, 1e5), "The distance at the right.").only_when("by", &["distance"]),
        size: Progression = Param::new(
            "size",
            Group::Look,
            Values::Drawn { default: &[[0.0, 1.0], [1.0, 1.0]], min: 0.0, max: 10.0 },
            "A factor on the size of things.",
        ),
        brightness: Progression = Param::new(
            "brightness",
            Group::Look,
            Values::Drawn { default: &[[0.0, 1.0], [1.0, 1.0]], min: 0.0, max: 10.0 },
            "A factor on how bright things are.",
        ),
        colours: bool = Param::flag("colours", Group::Look, true, "Whether things have colours by it as well."),
        first: String = Param::new("first colour", Group::Look, Values::Colour { default: "#f2d398" }, "The colour at 0.").only_when("colours", &["true"]),
        last: String = Param::new("last colour", Group::Look, Values::Colour { default: "#c8421a" }, "The colour at 1.").only_when("colours", &["true"]),
        way: Progression = Param::new(
            "colour mix",
            Group::Look,
            Values::Drawn { default: &[[0.0, 0.0], [1.0, 1.0]], min: 0.0, max: 1.0 },
            "How far the colour is on its way from the first to the last.",
        )
        .only_when("colours", &["true"]),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives another choice.").only_when("by", &["chance"]),
    }
}

impl Maker for LookByNode {
    type Own = LookByFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "look-by",
            title: "Look by",
            group: "Crowds",
            help: "Gives things size, brightness and colour by their age, speed, place, number or distance.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "Whose things they are."),
                Port::optional("lead", PortKind::Motion, "From whose things distances are.")
                    .only_when("by", &["distance"]),
            ],
            output: Some(PortKind::Motion),
            params: LookByFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &LookByFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (motion, timing) = (context.motion("motion")?, context.timing);
        let by = match own.by {
            By::Age if motion.lives().is_none() => {
                return Err("These things have no age, since they never begin anew: place Emit or Swarm before, or let the look go by something else.".to_owned());
            }
            By::Age => GradedBy::Age,
            By::Place if motion.path().is_none() => {
                return Err("These things are not on a path: let the look go by something else.".to_owned());
            }
            By::Place => GradedBy::Place,
            By::Speed => GradedBy::Speed(own.slow / timing.fps, own.fast / timing.fps),
            By::Number => GradedBy::Number,
            By::Chance => GradedBy::Chance(own.seed),
            By::Distance => {
                let lead = context.motion_if_any("lead");
                let lead = lead.ok_or("\"lead\": not connected. Thread what distances are from to it.")?;
                if lead.len() > MOST_LEADS {
                    return Err(format!(
                        "{} leads are too many to be looked at for each thing: use at most {MOST_LEADS}.",
                        lead.len()
                    ));
                }
                GradedBy::Distance(lead, own.near, own.far)
            }
        };
        let colour = own.colours.then(|| (own.way.clone(), [own.first.clone(), own.last.clone()]));
        let graded: Arc<dyn Motion> =
            Arc::new(Graded::new(motion, by, (own.size.clone(), own.brightness.clone()), colour));
        Ok(Outcome::new(graded))
    }
}

/// Most things of a lead, all of which are looked at for each thing.
const MOST_LEADS: usize = 64;
