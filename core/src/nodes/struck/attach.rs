use crate::graph::{Context, Maker, Outcome, Product};
use crate::motion::{Attached, Columns, Contact, Frames, Motion, MotionError, Sample, Since, prepared};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::words::sentence;
use glam::DVec3;
use std::sync::Arc;

/// Lets things move with another.
pub struct AttachNode;

/// Most pairs of things and things of the target.
const MOST_PAIRS: f64 = 4e6;

choice! {
    /// From when on it moves with the target.
    pub enum When {
        ItsFirstContact = "its first contact",
        AFrame = "a frame",
    }
}

fields! {
    /// What Attach is told.
    pub struct AttachFields {
        when: When = Param::choice("from", Group::Time, When::WORDS, "From when on it moves with the target."),
        frame: f64 = Param::number(
            "frame",
            Group::Time,
            (Unit::Frames, 0.0, -1e6, 1e6),
            "The frame from which on it does.",
        )
        .only_when("when", &["a frame"]),
    }
}

impl Maker for AttachNode {
    type Own = AttachFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "attach",
            title: "Attach",
            group: "On the way",
            help: "Lets things move with a target from a contact on, as they are to it then; before it they go their own way.",
            inputs: vec![
                Port::new("motion", PortKind::Motion, "What is attached."),
                Port::new(
                    "target",
                    PortKind::Motion,
                    "What it moves with: the thing of it that is nearest at the contact.",
                ),
            ],
            output: Some(PortKind::Motion),
            params: AttachFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &AttachFields, context: &Context<'_>) -> Result<Outcome, String> {
        let frames = context.timing.frames;
        let (motion, target) = (context.motion("motion")?, context.motion("target")?);
        if target.is_empty() {
            return Err("The target has no things: give it at least one.".to_owned());
        }
        if motion.len() as f64 * target.len() as f64 > MOST_PAIRS {
            return Err(format!(
                "Looking for the nearest of {} things of the target for each of {} takes too long: use fewer of either.",
                target.len(),
                motion.len()
            ));
        }
        let range = Frames { from: 0.0, to: 2.0 * frames };
        let told = |error: MotionError| sentence(&error.to_string());
        let ready = |motion: &Arc<dyn Motion>| {
            prepared(motion, Frames { from: -frames, to: 3.0 * frames }, context.cancel).map_err(told)
        };
        let (motion, target) = (ready(&motion)?, ready(&target)?);
        let since = if own.when == When::AFrame {
            since_frame(&*motion, own.frame)
        } else {
            Since::new(&*motion, 0, range, frames).map_err(told)?
        };
        let attached = Attached::new(motion.clone(), target, since);
        let tied = attached.things();
        let mut outcome = Outcome::new(Product::Motion(Arc::new(attached)));
        outcome.facts = vec![format!("{tied} of {} attached", motion.len())];
        if tied == 0 {
            outcome.warnings.push(
                "Nothing comes to a contact, so nothing is attached: let it hit something, such as with Launch or Stick.".to_owned(),
            );
        }
        Ok(outcome)
    }
}

/// From a frame on, wherever things are then.
fn since_frame(motion: &dyn Motion, frame: f64) -> Since {
    let mut sample = Sample::default();
    motion.sample(frame, Columns::POSITION, &mut sample);
    Since::from_frame(motion.len(), |object| Contact {
        object,
        other: String::new(),
        frame,
        place: sample.positions[object],
        middle: sample.positions[object],
        normal: DVec3::Y,
        impulse: DVec3::ZERO,
        speed_in: 0.0,
        speed_out: 0.0,
    })
}
