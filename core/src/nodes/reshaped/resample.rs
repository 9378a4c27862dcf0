use crate::curve::{Between, Spacing, resampled};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, Port, PortKind, Schema, Unit, choice};
use crate::words::{counted, sentence};

/// Points at even distances.
pub struct Resample;

choice! {
    /// How many points there are.
    pub enum By {
        Count = "count",
        Distance = "distance",
    }
}

choice! {
    /// How the path runs from point to point.
    pub enum Joined {
        Smooth = "smooth",
        Straight = "straight",
    }
}

fields! {
    /// What Resample is told.
    pub struct ResampleFields {
        by: By = Param::choice("points by", Group::Form, By::WORDS, "How many points there are."),
        count: usize = Param::whole("points", Group::Form, (24, 2, 100_000), "How many points each strand gets.")
            .only_when("by", &["count"]),
        distance: f64 = Param::number(
            "distance",
            Group::Form,
            (Unit::Metres, 0.25, 1e-4, 1e5),
            "Metres from point to point, or a little less so that they come out even.",
        )
        .only_when("by", &["distance"]),
        joined: Joined = Param::choice(
            "joined",
            Group::Form,
            Joined::WORDS,
            "How the path runs from point to point.",
        ),
    }
}

impl Maker for Resample {
    type Own = ResampleFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "resample",
            title: "Resample",
            group: "Paths",
            help: "Puts new points on a path, exactly evenly by length.",
            inputs: vec![Port::new("path", PortKind::Path, "What is resampled.")],
            output: Some(PortKind::Path),
            params: ResampleFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &ResampleFields, context: &Context<'_>) -> Result<Outcome, String> {
        let curve = context.curve("path")?;
        let spacing = if own.by == By::Distance { Spacing::Distance(own.distance) } else { Spacing::Count(own.count) };
        let between = if own.joined == Joined::Straight { Between::Straight } else { Between::Smooth };
        let made = resampled(&curve, spacing, between).map_err(|error| sentence(&error.to_string()))?;
        let points: usize =
            made.strands().iter().map(|strand| strand.segments().len() + usize::from(!strand.closed())).sum();
        let mut outcome = Outcome::of_curve(made);
        outcome.facts.push(counted(points, "point"));
        Ok(outcome)
    }
}
