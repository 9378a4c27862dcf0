use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Mimic, Mimicry, Motion};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use crate::signal::Driven;
use crate::words::counted;
use std::sync::Arc;

/// A thing takes over what another does.
pub struct MimicNode;

choice! {
    /// What is taken over.
    pub enum Taken { Position = "position", Orientation = "orientation", Scale = "scale" }
}

choice! {
    /// Whose axes the offset is in.
    pub enum Axes {
        World = "world",
        OthersAxes = "other's axes",
    }
}

fields! {
    /// What Mimic is told.
    pub struct MimicFields {
        what: Vec<Taken> = Param::new(
            "takes over",
            Group::Form,
            Values::Several { options: Taken::WORDS, default: &["orientation"] },
            "What is taken over.",
        ),
        offset: [Driven; 3] = Param::vector(
            "offset",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "How far off the other's place.",
        )
        .per_thing(),
        axes: Axes = Param::choice("offset in", Group::Form, Axes::WORDS, "Whose axes the offset is in."),
        amount: Driven = Param::number(
            "amount",
            Group::Form,
            (Unit::None, 1.0, 0.0, 1.0),
            "How much is taken over, from 0 to 1.",
        )
        .per_thing(),
        delay: f64 = Param::number(
            "delay",
            Group::Time,
            (Unit::Frames, 0.0, -1e5, 1e5),
            "Frames behind the other; negative goes ahead.",
        ),
    }
}

impl Maker for MimicNode {
    type Own = MimicFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "mimic",
            title: "Mimic",
            group: "On the way",
            help: "Lets things take over position, orientation or scale of others, wholly or in part.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "Who takes over."),
                Port::new(
                    "other",
                    PortKind::Motion,
                    "Whose doings are taken over: thing by thing, over again where they are fewer.",
                ),
            ],
            output: Some(PortKind::Motion),
            params: MimicFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &MimicFields, context: &Context<'_>) -> Result<Outcome, String> {
        let other = context.motion("other")?;
        if other.is_empty() {
            return Err("There is nobody to take over from: give the other motion at least one thing.".to_owned());
        }
        let [x, y, z] = own.offset.clone();
        let z = if context.timing.space == Space::Flat { Driven::Fixed(0.0) } else { z };
        let how = Mimicry {
            position: own.what.contains(&Taken::Position),
            orientation: own.what.contains(&Taken::Orientation),
            scale: own.what.contains(&Taken::Scale),
            offset: [x, y, z],
            turned: own.axes == Axes::OthersAxes,
            delay: own.delay,
            amount: own.amount.clone(),
        };
        let mimic = Mimic::new(context.motion("motion")?, other, how);
        let mut outcome = Outcome::new(Product::Motion(Arc::new(mimic.clone())));
        outcome.facts = vec![counted(mimic.len(), "thing")];
        if own.what.is_empty() {
            outcome
                .warnings
                .push("Nothing is taken over: choose at least one of position, orientation and scale.".to_owned());
        }
        Ok(outcome)
    }
}
