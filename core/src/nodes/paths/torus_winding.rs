use super::placing::Lying;
use crate::curve::{Curve, Plane, torus_winding};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Group, Param, PortKind, Role, Schema, Unit};
use crate::words::sentence;

/// Windings round a ring.
pub struct TorusWinding;

fields! {
    /// What Torus winding is told.
    pub struct TorusWindingFields {
        radius: f64 = Param::number(
            "ring radius",
            Group::Form,
            (Unit::Metres, 2.0, 0.0, 1e5),
            "From the middle of the ring to the middle of its tube.",
        )
        .role(Role::Size),
        tube: f64 = Param::number(
            "tube radius",
            Group::Form,
            (Unit::Metres, 0.6, 0.0, 1e5),
            "How thick the tube is, from its middle.",
        )
        .role(Role::Size),
        long: i64 = Param::whole("long way", Group::Form, (2, -200, 200), "How often it goes round the ring."),
        short: i64 = Param::whole(
            "short way",
            Group::Form,
            (3, -200, 200),
            "How often it goes round the tube; what divides both gives several strands.",
        ),
        begin: f64 = Param::number(
            "begins at",
            Group::Form,
            (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
            "Where on the ring it begins.",
        ),
        lying: Lying => Lying::on(Plane::Ground),
    }
}

impl Maker for TorusWinding {
    type Own = TorusWindingFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "torus-winding",
            title: "Torus winding",
            group: "Paths",
            help: "One closed path round a ring: so often the long way, so often the short way.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: TorusWindingFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &TorusWindingFields, context: &Context<'_>) -> Result<Outcome, String> {
        let (long, short) = (own.long, own.short);
        if (long, short) == (0, 0) {
            return Err(
                "A winding that goes round neither way has no length: give the long or the short way a number."
                    .to_owned(),
            );
        }
        let begin = own.begin.to_radians();
        let strands = torus_winding(own.radius, own.tube, long, short, begin);
        let curve = strands.and_then(Curve::new).map_err(|error| match error {
            crate::curve::CurveError::NoLength => "The winding has no length: make a radius larger than 0.".to_owned(),
            other => sentence(&other.to_string()),
        })?;
        Ok(Outcome::of_curve(own.lying.lay(context, &curve)?))
    }
}
