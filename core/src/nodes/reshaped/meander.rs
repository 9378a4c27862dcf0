use crate::curve::{Meander, meandered};
use crate::graph::{Context, NodeType, Outcome};
use crate::nodes::paths::placing::is_flat;
use crate::noise::LoopingNoise;
use crate::scene::Params;
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;

/// A path that wanders.
pub struct MeanderNode;

impl NodeType for MeanderNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "meander",
            title: "Meander",
            group: "Paths",
            help: "Makes a path wander by noise; closed paths stay closed, and what met still meets.",
            inputs: vec![Port::new("path", PortKind::Path, "What wanders.")],
            output: Some(PortKind::Path),
            params: vec![
                Param::number(
                    "amount",
                    "amount",
                    Group::Form,
                    (Unit::Metres, 0.3, 0.0, 1e4),
                    "How far it wanders at most, on average within ten bends.",
                ),
                Param::number(
                    "size",
                    "size",
                    Group::Form,
                    (Unit::Metres, 1.0, 1e-3, 1e5),
                    "How wide its bends are, about.",
                ),
                Param::whole(
                    "octaves",
                    "layers",
                    Group::Form,
                    (1, 1, 6),
                    "Each further layer of noise is half as wide and half as strong.",
                ),
                Param::number(
                    "pace",
                    "wanders on",
                    Group::Time,
                    (Unit::None, 0.0, 0.0, 100.0),
                    "How many bends pass in one loop; 0 stands still. It always loops.",
                ),
                Param::whole("seed", "seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives other bends."),
            ],
            uses_timing: true,
        }
        .remade_over_time()
    }

    fn moves(&self, params: &Params<'_>) -> bool {
        params.number("pace") != 0.0
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let (params, curve) = (&context.params, context.curve("path")?);
        let noise = LoopingNoise {
            seed: params.whole("seed").unsigned_abs(),
            size: params.number("size"),
            pace: params.number("pace"),
            octaves: params.whole("octaves").unsigned_abs() as u32,
        };
        let flat = is_flat(context);
        let amount = params.number("amount") / noise.reach(flat);
        let meander = Meander {
            amount: if flat { DVec3::new(amount, amount, 0.0) } else { DVec3::splat(amount) },
            noise,
            part: context.frame / context.timing.frames,
        };
        Ok(Outcome::of_curve(meandered(&curve, &meander).map_err(|error| sentence(&error.to_string()))?))
    }
}
