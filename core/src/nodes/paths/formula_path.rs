use super::placing::is_flat;
use crate::curve::{Curve, Strand, follow_formula};
use crate::formula::{Formula, Inputs, Variable};
use crate::graph::{Context, Maker, Outcome, Own};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::signal::{Thing, moment};
use crate::words::sentence;
use glam::DVec3;

/// A path from formulas.
pub struct FormulaPath;

choice! {
    /// Whether the end runs into the start.
    pub enum Closed {
        WhereItMeets = "where it meets",
        Yes = "yes",
        No = "no",
    }
}

fields! {
    /// What Formula path is told.
    pub struct FormulaPathFields {
        x: String = formula("x", "2.0 * cos(tau * along)", "Metres to the right; may use along, frame, time and loop."),
        y: String = formula("y", "0.5 * sin(3.0 * tau * along)", "Metres up; may use along, frame, time and loop."),
        z: String = formula(
            "z",
            "2.0 * sin(tau * along)",
            "Metres towards the viewer; may use along, frame, time and loop.",
        )
        .only_in(Spaces::Deep),
        closed: Closed = Param::choice(
            "closed",
            Group::Form,
            Closed::WORDS,
            "Whether the end runs into the start.",
        ),
        at: DVec3 = Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Where its origin goes.")
            .role(Role::Place),
    }
}

const fn formula(label: &'static str, default: &'static str, help: &'static str) -> Param {
    Param::new(label, Group::Form, Values::Formula { unit: Unit::Metres, default }, help)
}

impl Maker for FormulaPath {
    type Own = FormulaPathFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "formula-path",
            title: "Formula path",
            group: "Paths",
            help: "A path whose x, y and z are formulas of along, which runs from 0 to 1.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: FormulaPathFields::params(),
            uses_timing: true,
        }
        .remade_over_time()
    }

    fn moves(&self, own: &Own<'_, FormulaPathFields>) -> bool {
        let of_time = |text: &String| Formula::parse(text).is_ok_and(|f| f.uses().iter().any(|v| v.of_time()));
        [&own.x, &own.y, &own.z].into_iter().any(of_time)
    }

    fn evaluate(&self, own: &FormulaPathFields, context: &Context<'_>) -> Result<Outcome, String> {
        let formula =
            |axis: &str, text: &str| Formula::parse(text).map_err(|error| format!("In {axis}: {}", error.message));
        let z = if is_flat(context) { "0.0" } else { &own.z };
        let formulas = [formula("x", &own.x)?, formula("y", &own.y)?, formula("z", z)?];
        let there = [Variable::Along, Variable::Frame, Variable::Time, Variable::Loop];
        if let Some(asked) = formulas.iter().find_map(|formula| formula.asks_beyond(&there)) {
            return Err(format!("A path is the same for all things: {} means nothing here.", asked.name()));
        }
        let now = moment(context.timing.clock(), context.frame, Thing { index: 0, count: 1 });
        let at = super::placing::level(context, own.at);
        let place = |along: f64| {
            let inputs: Inputs<'_> = now.with(Variable::Along, along);
            let [x, y, z] = [0, 1, 2].map(|axis| formulas[axis].value(&inputs));
            DVec3::new(x, y, z) + at
        };
        let segments = follow_formula(&place).map_err(|along| {
            format!("The formulas give no place where along is {along:.4}: look for a root or a division there.")
        })?;
        let meets = |size: f64| place(0.0).distance(place(1.0)) <= 1e-9 * size;
        let size: f64 = segments.iter().map(crate::curve::Segment::size).sum();
        let closed = match own.closed {
            Closed::Yes => true,
            Closed::No => false,
            Closed::WhereItMeets => meets(size),
        };
        let strand = Strand::new(segments, closed).map_err(|error| sentence(&error.to_string()))?;
        Ok(Outcome::of_curve(Curve::from(strand)))
    }
}
