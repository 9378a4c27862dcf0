use crate::curve::{Meander, meandered};
use crate::graph::{Context, Maker, Outcome, Own};
use crate::nodes::paths::placing::is_flat;
use crate::noise::LoopingNoise;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::words::sentence;
use glam::DVec3;

/// A path that wanders.
pub struct MeanderNode;

fields! {
    /// What Meander is told.
    pub struct MeanderFields {
        amount: f64 = Param::number(
            "amount",
            Group::Form,
            (Unit::Metres, 0.3, 0.0, 1e4),
            "How far it wanders at most, on average within ten bends.",
        ),
        size: f64 = Param::number(
            "size",
            Group::Form,
            (Unit::Metres, 1.0, 1e-3, 1e5),
            "How wide its bends are, about.",
        ),
        octaves: u32 = Param::whole(
            "layers",
            Group::Form,
            (1, 1, 6),
            "Each further layer of noise is half as wide and half as strong.",
        ),
        pace: f64 = Param::number(
            "wanders on",
            Group::Time,
            (Unit::None, 0.0, 0.0, 100.0),
            "How many bends pass in one loop; 0 stands still. It always loops.",
        ),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives other bends."),
    }
}

impl Maker for MeanderNode {
    type Own = MeanderFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "meander",
            title: "Meander",
            group: "Paths",
            help: "Makes a path wander by noise; closed paths stay closed, and what met still meets.",
            inputs: vec![Port::new("path", PortKind::Path, "What wanders.")],
            output: Some(PortKind::Path),
            params: MeanderFields::params(),
            uses_timing: true,
        }
        .remade_over_time()
    }

    fn moves(&self, own: &Own<'_, MeanderFields>) -> bool {
        own.pace != 0.0
    }

    fn evaluate(&self, own: &MeanderFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let noise = LoopingNoise { seed: own.seed, size: own.size, pace: own.pace, octaves: own.octaves };
        let flat = is_flat(context);
        let amount = own.amount / noise.reach(flat);
        let meander = Meander {
            amount: if flat { DVec3::new(amount, amount, 0.0) } else { DVec3::splat(amount) },
            noise,
            part: context.frame / context.timing.frames,
        };
        Ok(Outcome::of_curve(meandered(&curve, &meander).map_err(|error| sentence(&error.to_string()))?))
    }
}
