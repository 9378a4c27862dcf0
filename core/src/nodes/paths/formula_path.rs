use super::placing::is_flat;
use crate::curve::{Curve, Strand, follow_formula};
use crate::formula::{Formula, Inputs, Variable};
use crate::graph::{Context, NodeType, Outcome};
use crate::scene::Params;
use crate::schema::{Group, Param, PortKind, Role, Schema, Spaces, Unit, Values};
use crate::signal::{Thing, moment};
use crate::words::sentence;
use glam::DVec3;

/// A path from formulas.
pub struct FormulaPath;

const AXES: [&str; 3] = ["x", "y", "z"];

impl NodeType for FormulaPath {
    fn schema(&self) -> Schema {
        let formula = |name, default, help| {
            Param::new(name, name, Group::Form, Values::Formula { unit: Unit::Metres, default }, help)
        };
        Schema {
            name: "formula-path",
            title: "Formula path",
            group: "Paths",
            help: "A path whose x, y and z are formulas of along, which runs from 0 to 1.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: vec![
                formula("x", "2.0 * cos(tau * along)", "Metres to the right; may use along, frame, time and loop."),
                formula("y", "0.5 * sin(3.0 * tau * along)", "Metres up; may use along, frame, time and loop."),
                formula(
                    "z",
                    "2.0 * sin(tau * along)",
                    "Metres towards the viewer; may use along, frame, time and loop.",
                )
                .only_in(Spaces::Deep),
                Param::choice(
                    "closed",
                    "closed",
                    Group::Form,
                    &["where it meets", "yes", "no"],
                    "Whether the end runs into the start.",
                ),
                Param::vector("at", "place", Group::Form, (Unit::Metres, [0.0; 3]), "Where its origin goes.")
                    .role(Role::Place),
            ],
            uses_timing: true,
        }
        .remade_over_time()
    }

    fn moves(&self, params: &Params<'_>) -> bool {
        let of_time =
            |name: &str| Formula::parse(&params.text(name)).is_ok_and(|f| f.uses().iter().any(|v| v.of_time()));
        AXES.into_iter().any(of_time)
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let formulas = AXES.map(|axis| {
            if axis == "z" && is_flat(context) { Formula::parse("0.0") } else { Formula::parse(&params.text(axis)) }
                .map_err(|error| format!("In {axis}: {}", error.message))
        });
        let [x, y, z] = formulas;
        let formulas = [x?, y?, z?];
        let there = [Variable::Along, Variable::Frame, Variable::Time, Variable::Loop];
        if let Some(asked) = formulas.iter().find_map(|formula| formula.asks_beyond(&there)) {
            return Err(format!("A path is the same for all things: {} means nothing here.", asked.name()));
        }
        let now = moment(context.timing.clock(), context.frame, Thing { index: 0, count: 1 });
        let at = super::placing::level(context, params.vector("at"));
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
        let closed = match params.text("closed").as_str() {
            "yes" => true,
            "no" => false,
            _ => meets(size),
        };
        let strand = Strand::new(segments, closed).map_err(|error| sentence(&error.to_string()))?;
        Ok(Outcome::of_curve(Curve::from(strand)))
    }
}
