use super::placing::{self, lay};
use crate::curve::{Curve, torus_winding};
use crate::graph::{Context, NodeType, Outcome};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit};
use crate::words::sentence;

/// Windings round a ring.
pub struct TorusWinding;

impl NodeType for TorusWinding {
    fn schema(&self) -> Schema {
        let mut params = vec![
            Param::number(
                "radius",
                "ring radius",
                Group::Form,
                (Unit::Metres, 2.0, 0.0, 1e5),
                "From the middle of the ring to the middle of its tube.",
            )
            .role(Role::Size),
            Param::number(
                "tube",
                "tube radius",
                Group::Form,
                (Unit::Metres, 0.6, 0.0, 1e5),
                "How thick the tube is, from its middle.",
            )
            .role(Role::Size),
            Param::whole("long", "long way", Group::Form, (2, -200, 200), "How often it goes round the ring."),
            Param::whole(
                "short",
                "short way",
                Group::Form,
                (3, -200, 200),
                "How often it goes round the tube; what divides both gives several strands.",
            ),
            Param::number(
                "begin",
                "begins at",
                Group::Form,
                (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
                "Where on the ring it begins.",
            ),
        ];
        params.extend(placing::params("ground"));
        Schema {
            name: "torus-winding",
            title: "Torus winding",
            group: "Paths",
            help: "One closed path round a ring: so often the long way, so often the short way.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params,
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let params = &context.params;
        let (long, short) = (params.whole("long"), params.whole("short"));
        if (long, short) == (0, 0) {
            return Err(
                "A winding that goes round neither way has no length: give the long or the short way a number."
                    .to_owned(),
            );
        }
        let begin = params.number("begin").to_radians();
        let strands = torus_winding(params.number("radius"), params.number("tube"), long, short, begin);
        let curve = strands.and_then(Curve::new).map_err(|error| match error {
            crate::curve::CurveError::NoLength => "The winding has no length: make a radius larger than 0.".to_owned(),
            other => sentence(&other.to_string()),
        })?;
        Ok(Outcome::of_curve(lay(context, &curve)?))
    }
}
