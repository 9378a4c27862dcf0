use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Waver, Wavering};
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::signal::Driven;
use std::sync::Arc;

/// Noise on top of a motion.
pub struct WaverNode;

choice! {
    /// Whose axes these are.
    pub enum Axes {
        World = "world",
        ThingsAxes = "thing's axes",
    }
}

fields! {
    /// What Waver is told.
    pub struct WaverFields {
        position: [Driven; 3] = Param::vector(
            "position",
            Group::Form,
            (Unit::Metres, [0.1; 3]),
            "How far to either side, about.",
        )
        .per_thing(),
        orientation: [Driven; 3] = Param::vector(
            "orientation",
            Group::Form,
            (Unit::Degrees, [0.0; 3]),
            "How far it is turned to either side about each axis, about.",
        )
        .per_thing(),
        scale: Driven = Param::number(
            "scale",
            Group::Form,
            (Unit::None, 0.0, -10.0, 10.0),
            "By which part of its size it is larger and smaller, about.",
        )
        .per_thing(),
        axes: Axes = Param::choice("along", Group::Form, Axes::WORDS, "Whose axes these are."),
        octaves: u32 = Param::whole(
            "octaves",
            Group::Form,
            (2, 1, 8),
            "How many layers, each finer than the one before it.",
        ),
        period: f64 = Param::number(
            "period",
            Group::Time,
            (Unit::Frames, 24.0, 0.1, 1e6),
            "Frames from one hump to the next, about.",
        ),
        looping: bool = Param::flag("loops", Group::Time, true, "Whether its end runs into its beginning."),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives other noise."),
    }
}

impl Maker for WaverNode {
    type Own = WaverFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "waver",
            title: "Waver",
            group: "On the way",
            help: "Lets things waver about what they do, each in its own way; it loops unless you ask otherwise.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What wavers.")],
            output: Some(PortKind::Motion),
            params: WaverFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &WaverFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let [px, py, mut pz] = own.position.clone();
        let [mut rx, mut ry, rz] = own.orientation.clone();
        if timing.space == Space::Flat {
            // In the plane there is no way out of it, and but one axis.
            (pz, rx, ry) = (Driven::Fixed(0.0), Driven::Fixed(0.0), Driven::Fixed(0.0));
        }
        let how = Wavering {
            position: [px, py, pz],
            orientation: [rx, ry, rz],
            scale: own.scale.clone(),
            own: own.axes == Axes::ThingsAxes,
            period: own.period,
            octaves: own.octaves,
            seed: own.seed,
            frames: own.looping.then_some(timing.frames),
        };
        Ok(Outcome::new(Product::Motion(Arc::new(Waver::new(context.motion("motion")?, how)))))
    }
}
