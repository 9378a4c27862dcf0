use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Waver, Wavering};
use crate::scene::Space;
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::Driven;
use std::sync::Arc;

/// Noise on top of a motion.
pub struct WaverNode;

const AXES: &[&str] = &["world", "thing's axes"];

impl NodeType for WaverNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "waver",
            title: "Waver",
            group: "On the way",
            help: "Lets things waver about what they do, each in its own way; it loops unless you ask otherwise.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What wavers.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::vector(
                    "position",
                    "position",
                    Group::Form,
                    (Unit::Metres, [0.1; 3]),
                    "How far to either side, about.",
                )
                .per_thing(),
                Param::vector(
                    "orientation",
                    "orientation",
                    Group::Form,
                    (Unit::Degrees, [0.0; 3]),
                    "How far it is turned to either side about each axis, about.",
                )
                .per_thing(),
                Param::number(
                    "scale",
                    "scale",
                    Group::Form,
                    (Unit::None, 0.0, -10.0, 10.0),
                    "By which part of its size it is larger and smaller, about.",
                )
                .per_thing(),
                Param::choice("axes", "along", Group::Form, AXES, "Whose axes these are."),
                Param::whole(
                    "octaves",
                    "octaves",
                    Group::Form,
                    (2, 1, 8),
                    "How many layers, each finer than the one before it.",
                ),
                Param::number(
                    "period",
                    "period",
                    Group::Time,
                    (Unit::Frames, 24.0, 0.1, 1e6),
                    "Frames from one hump to the next, about.",
                ),
                Param::flag("looping", "loops", Group::Time, true, "Whether its end runs into its beginning."),
                Param::whole("seed", "seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives other noise."),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, timing) = (&context.params, context.timing);
        let [px, py, mut pz] = params.driven_vector("position");
        let [mut rx, mut ry, rz] = params.driven_vector("orientation");
        if timing.space == Space::Flat {
            // In the plane there is no way out of it, and but one axis.
            (pz, rx, ry) = (Driven::Fixed(0.0), Driven::Fixed(0.0), Driven::Fixed(0.0));
        }
        let how = Wavering {
            position: [px, py, pz],
            orientation: [rx, ry, rz],
            scale: params.driven("scale"),
            own: params.text("axes") == AXES[1],
            period: params.number("period"),
            octaves: u32::try_from(params.whole("octaves")).unwrap_or(1),
            seed: params.whole("seed").unsigned_abs(),
            frames: params.flag("looping").then_some(timing.frames),
        };
        Ok(Outcome::new(Product::Motion(Arc::new(Waver::new(context.motion("motion")?, how)))))
    }
}
