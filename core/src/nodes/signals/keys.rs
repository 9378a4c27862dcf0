use super::{outcome, schema};
use crate::graph::{Context, NodeType, Outcome};
use crate::scene::{BEYOND, beyond_of};
use crate::schema::{Group, Param, Schema, Values};
use crate::signal::keyed;

/// Keys as a signal.
pub struct KeysNode;

impl NodeType for KeysNode {
    fn schema(&self) -> Schema {
        schema(
            "keys",
            "Keys",
            "Values at frames that you set, with a curve between them; draw it in the Traces.",
            vec![
                Param::new("keys", "keys", Group::Time, Values::Keys, "Its keys: move them in the Traces."),
                Param::choice(
                    "beyond",
                    "beyond",
                    Group::Time,
                    BEYOND,
                    "What happens before the first key and after the last.",
                ),
            ],
        )
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let keys = params.keys("keys");
        let beyond = beyond_of(&params.text("beyond"), context.timing.frames);
        let mut outcome = outcome(keyed(&keys, beyond), context);
        let frames = || keys.iter().map(|key| key.frame);
        outcome.span = frames().reduce(f64::min).zip(frames().reduce(f64::max)).filter(|(from, to)| from < to);
        if keys.is_empty() {
            outcome.warnings.push("It has no keys yet, so it is 0: press K, or double-click in the Traces.".to_owned());
        }
        Ok(outcome)
    }
}
