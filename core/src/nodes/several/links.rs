use crate::curve::UpRule;
use crate::graph::{Context, Maker, Mend, Outcome, Product};
use crate::motion::Links;
use crate::pose::Axis;
use crate::scene::{Fields, Space, fields};
use crate::schema::{AXIS_NAMES, Choice, Group, Param, Port, PortKind, Schema, Unit, Values, choice};
use glam::DVec3;
use serde_json::json;
use std::sync::Arc;

/// The links of a chain.
pub struct LinksNode;

const MOST_LINKS: f64 = 100_000.0;

choice! {
    /// Whether their number is set, or how far they are apart.
    pub enum SizedBy {
        Count = "count",
        Pitch = "pitch",
    }
}

choice! {
    /// Whether links keep their length in bends, or reach from joint to joint.
    pub enum Bends {
        StayStraight = "stay straight",
        Stretch = "stretch",
    }
}

fields! {
    /// What Links is told.
    pub struct LinksFields {
        given: SizedBy = Param::choice(
            "given by",
            Group::Form,
            SizedBy::WORDS,
            "Whether their number is set, or how far they are apart.",
        ),
        count: i64 = Param::whole("links", Group::Form, (60, 1, 100_000), "How many links go round.")
            .only_when("given", &["count"]),
        pitch: f64 = Param::number(
            "pitch",
            Group::Form,
            (Unit::Metres, 0.25, 1e-4, 1e5),
            "From one link to the next along the path.",
        )
        .only_when("given", &["pitch"]),
        bends: Bends = Param::choice(
            "in bends",
            Group::Form,
            Bends::WORDS,
            "Whether links keep their length in bends, or reach from joint to joint.",
        ),
        nose: Axis = Param::new(
            "nose",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: "+x" },
            "The side of a link that goes ahead.",
        ),
        top: Axis = Param::new(
            "top",
            Group::Look,
            Values::Choice { options: AXIS_NAMES, default: "+y" },
            "The side of a link that is up.",
        ),
    }
}

impl Maker for LinksNode {
    type Own = LinksFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "links",
            title: "Links",
            group: "On the way",
            help: "The links of a chain or rope round a closed path, carried along by what travels there.",
            inputs: vec![Port::new("motion", PortKind::Motion, "What carries them, on a closed path.")],
            output: Some(PortKind::Motion),
            params: LinksFields::params(),
            uses_timing: true,
        }
    }

    fn evaluate(&self, own: &LinksFields, context: &Context<'_>) -> Result<Outcome, String> {
        let inner = context.motion("motion")?;
        let path = inner.path().ok_or("Links need what travels on a path: thread a Ride or a Coast to them.")?;
        let curve = path.at(0.0);
        let strand = &curve.strands()[0];
        let length = strand.length();
        let by_pitch = own.given == SizedBy::Pitch;
        let fit = if by_pitch { length / own.pitch } else { own.count as f64 };
        if fit > MOST_LINKS {
            return Err(format!("{fit:.0} links are too many: make the pitch longer, for at most {MOST_LINKS}."));
        }
        let count = (fit.floor() as usize).max(1);
        let pitch = if by_pitch { own.pitch } else { length / count as f64 };
        let flat = context.timing.space == Space::Flat;
        let (nose, top) = (own.nose, if flat { Axis::PlusZ } else { own.top });
        if nose.parallel_to(top) {
            return Err("Nose and top lie on one line: choose another axis for one of them.".to_owned());
        }
        let up = if flat { UpRule::Towards(DVec3::Z) } else { UpRule::Steady };
        let stretch = own.bends == Bends::Stretch;
        let links = Links::new(inner.clone(), path, (count, pitch, stretch), (nose, top), up);
        let mut outcome = Outcome::new(Product::Motion(Arc::new(links.clone())));
        outcome.facts = vec![format!("{count} links, {:.2} mm apart", pitch * 1000.0)];
        let slack = links.slack() * 1000.0;
        if slack > 1e-3 {
            outcome.facts.push(match stretch {
                true => format!("up to {slack:.2} mm shorter in bends"),
                false => format!("up to {slack:.2} mm over each other in bends"),
            });
        }
        if !strand.closed() {
            outcome
                .warnings
                .push("The path is open, so its ends do not meet: close it for links that go round.".to_owned());
        }
        let left = length - count as f64 * pitch;
        if by_pitch && (fit - fit.round()).abs() > 1e-9 {
            outcome.warnings.push(format!(
                "{fit:.3} links fit, so {:.1} mm are left over at the join: change the pitch, or the path's length by as much.",
                left * 1000.0
            ));
            for count in [fit.round().max(1.0), fit.floor().max(1.0), fit.ceil()] {
                let pitch = length / count;
                let text = format!("pitch {:.4} → {pitch:.4} m ({count} links)", own.pitch);
                if outcome.mends.iter().all(|mend| mend.text != text) {
                    outcome.mends.push(Mend::new(LinksFields::pitch(), json!(pitch), text));
                    outcome.lengths.push((count * own.pitch, format!("{count} links")));
                }
            }
        }
        Ok(outcome)
    }
}
