use crate::graph::{Context, NodeType, Outcome, Product};
use crate::motion::{Follower, Followers, Motion};
use crate::random;
use crate::scene::{Params, Space};
use crate::schema::{Group, Param, Port, PortKind, Schema, Unit, Values};
use std::sync::Arc;

/// Things behind a lead.
pub struct FollowersNode;

const DELAYS: &[&str] = &["even", "given", "spread"];
const AXES: &[&str] = &["lead's axes", "world"];
const DELAY: u64 = 51;

impl NodeType for FollowersNode {
    fn schema(&self) -> Schema {
        Schema {
            name: "followers",
            title: "Followers",
            group: "On the way",
            help: "Lets things follow every thing of a motion, each some frames behind.",
            inputs: vec![Port::new("motion", PortKind::Motion, "The lead.")],
            output: Some(PortKind::Motion),
            params: vec![
                Param::whole("followers", "followers", Group::Form, (8, 0, 10_000), "How many follow each lead."),
                Param::flag("lead", "with the lead", Group::Form, true, "Whether the lead itself is there."),
                Param::vector(
                    "offset",
                    "offset",
                    Group::Form,
                    (Unit::Metres, [0.0; 3]),
                    "How far each stands off the one before it.",
                ),
                Param::choice("axes", "offset in", Group::Form, AXES, "Whose axes the offset is in."),
                Param::number(
                    "grow",
                    "grow each",
                    Group::Form,
                    (Unit::None, 1.0, 1e-3, 1e3),
                    "How many times as large each is as the one before it.",
                ),
                Param::choice("delays", "delays", Group::Time, DELAYS, "How far behind they are."),
                Param::number(
                    "delay",
                    "delay",
                    Group::Time,
                    (Unit::Frames, 6.0, -1e5, 1e5),
                    "Frames that each is behind the one before it; negative goes ahead.",
                ),
                Param::new(
                    "given",
                    "frames behind",
                    Group::Time,
                    Values::Text { default: "4 8 16" },
                    "Frames behind the lead, with spaces between; the last step goes on for more followers.",
                )
                .only_when("delays", &["given"]),
                Param::number(
                    "spread",
                    "delay",
                    Group::Spread,
                    (Unit::Frames, 3.0, 0.0, 1e5),
                    "By how many frames each may be earlier or later.",
                )
                .only_when("delays", &["spread"]),
                Param::whole(
                    "seed",
                    "seed",
                    Group::Spread,
                    (1, 0, 1_000_000_000),
                    "Another number gives other delays.",
                )
                .only_when("delays", &["spread"]),
            ],
            uses_timing: true,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let count = usize::try_from(params.whole("followers")).unwrap_or(0);
        let delays = delays(params, count)?;
        let flat = context.timing.space == Space::Flat;
        let offset = params.vector("offset");
        let offset = if flat { offset.with_z(0.0) } else { offset };
        let grow = params.number("grow");
        let rank = |(index, delay): (usize, f64)| {
            let steps = index as f64 + 1.0;
            Follower { delay, offset: offset * steps, scale: libm::pow(grow, steps) }
        };
        let mut followers: Vec<Follower> = delays.into_iter().enumerate().map(rank).collect();
        if followers.iter().any(|follower| !follower.scale.is_finite() || follower.scale > 1e6) {
            return Err("The last followers would be too large: let each grow less, or use fewer.".to_owned());
        }
        if params.flag("lead") {
            followers.insert(0, Follower::LEAD);
        }
        if followers.is_empty() {
            return Err("Nobody is left: ask for at least one follower, or for the lead.".to_owned());
        }
        let motion = Followers::new(context.motion("motion")?, followers, params.text("axes") == AXES[0]);
        let facts = vec![format!("{} things", motion.len())];
        Ok(Outcome { facts, ..Outcome::new(Product::Motion(Arc::new(motion))) })
    }
}

/// Frames behind the lead, for each follower in order.
fn delays(params: &Params<'_>, count: usize) -> Result<Vec<f64>, String> {
    let even = |index: usize| params.number("delay") * (index as f64 + 1.0);
    Ok(match params.text("delays").as_str() {
        "given" => {
            let given = numbers(&params.text("given"))?;
            let last = given[given.len() - 1];
            let step = if given.len() > 1 { last - given[given.len() - 2] } else { last };
            let more = |index: usize| last + step * (index + 1 - given.len()) as f64;
            (0..count).map(|index| given.get(index).copied().unwrap_or_else(|| more(index))).collect()
        }
        "spread" => {
            let (seed, spread) = (params.whole("seed").unsigned_abs(), params.number("spread"));
            (0..count).map(|index| even(index) + spread * random::signed(seed, index as u64, DELAY)).collect()
        }
        _ => (0..count).map(even).collect(),
    })
}

fn numbers(text: &str) -> Result<Vec<f64>, String> {
    let words = text.split([' ', ',', ';']).filter(|word| !word.is_empty());
    let numbers = words.map(|word| {
        let number = word.parse::<f64>().ok().filter(|number| number.is_finite() && number.abs() <= 1e5);
        number.ok_or_else(|| format!("Frames behind: \"{word}\" is not a number of frames such as 12.5."))
    });
    let numbers: Vec<f64> = numbers.collect::<Result<_, _>>()?;
    if numbers.is_empty() { Err("Frames behind: write at least one, such as 6.".to_owned()) } else { Ok(numbers) }
}
