use crate::graph::{Context, Maker, Mend, Outcome, Product};
use crate::motion::TwoShots;
use crate::nodes::paths::placing::level;
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit};
use glam::DVec3;
use serde_json::json;
use std::sync::Arc;

/// Two motions, cut together.
pub struct TwoShotsNode;

/// What is less than this, in metres, metres a second or frames, makes no difference.
const LEAST: f64 = 1e-6;

fields! {
    /// What Two shots is told.
    pub struct TwoShotsFields {
        cut: f64 = Param::number(
            "cut at",
            Group::Time,
            (Unit::Frames, 60.0, 0.0, 1e5),
            "The frame at which the second shot begins.",
        ),
        shift: f64 = Param::number(
            "second later",
            Group::Time,
            (Unit::Frames, 0.0, -1e5, 1e5),
            "Frames by which the second shot's motion is later.",
        ),
        offset: DVec3 = Param::vector(
            "second moved",
            Group::Form,
            (Unit::Metres, [0.0; 3]),
            "How far the second shot's motion is moved.",
        ),
    }
}

impl Maker for TwoShotsNode {
    type Own = TwoShotsFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "two-shots",
            title: "Two shots",
            group: "On the way",
            help: "Cuts from one motion to another, and says how well place, speed and direction match at the cut.",
            inputs: vec![
                Port::new("first", PortKind::Motion, "What is shown up to the cut."),
                Port::new("second", PortKind::Motion, "What is shown from the cut on."),
            ],
            output: Some(PortKind::Motion),
            params: TwoShotsFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &TwoShotsFields, context: &Context<'_>) -> Result<Outcome, String> {
        let timing = context.timing;
        let (first, second) = (context.motion("first")?, context.motion("second")?);
        if first.len() != second.len() || first.is_empty() {
            return Err(format!(
                "The first shot has {} things and the second {}: let both have as many.",
                first.len(),
                second.len()
            ));
        }
        let cut = own.cut;
        if cut <= 0.0 || cut >= timing.frames {
            return Err(format!("The cut must lie within the loop: choose a frame between 0 and {}.", timing.frames));
        }
        let offset = level(context, own.offset);
        let shots =
            |shift: f64, offset| TwoShots::new(first.clone(), second.clone(), (cut, timing.frames), shift, offset);
        let now = shots(own.shift, offset);
        let told = |shots: &TwoShots| {
            let apart = shots.apart();
            format!(
                "{:.3} m, {:.3} m/s, {:.1}°",
                apart.position,
                apart.speed * timing.fps,
                apart.direction.to_degrees()
            )
        };
        let mut outcome = Outcome::new(Product::Motion(Arc::new(now.clone())));
        outcome.facts = vec![format!("apart at the cut: {}", told(&now))];
        outcome.cut = Some(cut);
        let apart = now.apart();
        if apart.position > LEAST || apart.speed * timing.fps > LEAST {
            let shift = now.best_shift();
            let shifted = shots(shift, offset);
            let (then, later) = (shifted.apart(), own.shift);
            let better = then.position < apart.position - LEAST || then.speed < apart.speed - LEAST;
            if better && (shift - later).abs() > LEAST {
                let text = format!("second later {later:.2} → {shift:.2} frames (then {})", told(&shifted));
                outcome.mends.push(Mend::new(TwoShotsFields::shift(), json!(shift), text));
            }
            let by = level(context, now.best_offset());
            let moved = shots(own.shift, by);
            if moved.apart().position < apart.position - LEAST {
                let text = format!("second moved by {:.2}, {:.2}, {:.2} m (then {})", by.x, by.y, by.z, told(&moved));
                outcome.mends.push(Mend::new(TwoShotsFields::offset(), json!(by.to_array()), text));
            }
        }
        Ok(outcome)
    }
}
