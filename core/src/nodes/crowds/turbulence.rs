use crate::crowd::{Blowing, Blown};
use crate::graph::{Context, Maker, Outcome, Product};
use crate::noise::LoopingNoise;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use crate::signal::Driven;
use std::sync::Arc;

/// Uneven air on top of a motion.
pub struct TurbulenceNode;

fields! {
    /// What Turbulence is told.
    pub struct TurbulenceFields {
        strength: Driven = Param::number("strength", Group::Form, (Unit::Metres, 0.3, 0.0, 1e4), "How far things are blown off their way, about.")
            .per_thing(),
        size: f64 = Param::number("gust", Group::Form, (Unit::Metres, 1.0, 1e-3, 1e6), "How wide a gust is: what is nearer to each other than that is blown alike."),
        octaves: u32 = Param::whole("octaves", Group::Form, (1, 1, 8), "How many layers, each finer than the one before it."),
        pace: f64 = Param::number("changes", Group::Time, (Unit::None, 3.0, 0.0, 1e4), "How many times the air becomes another in a loop; 0 stands still."),
        grows: f64 = Param::number("takes hold in", Group::Time, (Unit::Frames, 12.0, 0.0, 1e6), "Frames from its birth until what begins anew is blown its whole way; what is always there always is."),
        seed: u64 = Param::whole("seed", Group::Spread, (1, 0, 1_000_000_000), "Another number gives other air."),
    }
}

impl Maker for TurbulenceNode {
    type Own = TurbulenceFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "turbulence",
            title: "Turbulence",
            group: "Crowds",
            help: "Blows things about as gusty air does (curl noise), those near each other alike; it loops.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What is blown about.")],
            output: Some(PortKind::Motion),
            params: TurbulenceFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &TurbulenceFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let how = Blowing {
            strength: own.strength.clone(),
            noise: LoopingNoise { seed: own.seed, size: own.size, pace: own.pace, octaves: own.octaves },
            frames: timing.frames,
            grows: own.grows,
            flat: timing.space == Space::Flat,
        };
        Ok(Outcome::new(Product::Motion(Arc::new(Blown::new(context.motion("motion")?, how)))))
    }
}
