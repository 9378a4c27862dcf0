use super::{outcome, schema};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, KeysBeyond, fields};
use crate::schema::{Choice, Group, Param, Schema, Values};
use crate::signal::{Key, keyed};

/// Keys as a signal.
pub struct KeysNode;

fields! {
    /// What Keys is told.
    pub struct KeysFields {
        keys: Vec<Key> = Param::new("keys", Group::Time, Values::Keys, "Its keys: move them in the Traces."),
        beyond: KeysBeyond = Param::choice(
            "beyond",
            Group::Time,
            KeysBeyond::WORDS,
            "What happens before the first key and after the last.",
        ),
    }
}

impl Maker for KeysNode {
    type Own = KeysFields;

    fn schema(&self) -> Schema {
        schema(
            "keys",
            "Keys",
            "Values at frames that you set, with a curve between them; draw it in the Traces.",
            KeysFields::params(),
        )
    }

    fn evaluate(&self, own: &KeysFields, context: &Context<'_>) -> Result<Outcome, String> {
        let keys = &own.keys;
        let beyond = own.beyond.within(context.timing.frames);
        let mut outcome = outcome(keyed(keys, beyond), context);
        let frames = || keys.iter().map(|key| key.frame);
        outcome.span = frames().reduce(f64::min).zip(frames().reduce(f64::max)).filter(|(from, to)| from < to);
        if keys.is_empty() {
            outcome.warnings.push("It has no keys yet, so it is 0: press K, or double-click in the Traces.".to_owned());
        }
        Ok(outcome)
    }
}
