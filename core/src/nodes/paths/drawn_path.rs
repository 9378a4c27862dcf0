use crate::curve::{Curve, Joint, Path, PathPoint, handles_of, through};
use crate::graph::{Context, Maker, Outcome, PathProduct};
use crate::scene::{Fields, Point, Space, fields};
use crate::schema::{Group, Param, PortKind, Role, Schema, Values};
use crate::words::sentence;

/// A path drawn by hand.
pub struct DrawnPath;

fields! {
    /// What Drawn path is told.
    pub struct DrawnPathFields {
        points: Vec<Point> = Param::new(
            "points",
            Group::Form,
            Values::Points,
            "The points in order; draw and drag them in the View.",
        ),
        closed: bool = Param::new(
            "closed",
            Group::Form,
            Values::Flag { default: false },
            "Whether the end runs into the start.",
        )
        .role(Role::Closed),
    }
}

impl Maker for DrawnPath {
    type Own = DrawnPathFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "drawn-path",
            title: "Drawn path",
            group: "Paths",
            help: "A path through points that you place in the View.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: DrawnPathFields::params(),
            uses_timing: false,
        }
    }

    fn evaluate(&self, own: &DrawnPathFields, context: &Context<'_>) -> Result<Outcome, String> {
        let mut points = own.points.clone();
        if context.timing.space == Space::Flat {
            points.iter_mut().for_each(|point| point.point = point.point.flattened());
        }
        let list: Vec<_> = points.iter().map(|point| point.point).collect();
        let closed = own.closed;
        let strand = through(&list, closed).map_err(|error| sentence(&error.to_string()))?;
        let handles = handles_of(&list, closed);
        let joint = |(point, handles): (Point, _)| Joint {
            id: point.id,
            point: PathPoint { handles: Some(handles), ..point.point },
        };
        let joints = points.into_iter().zip(handles).map(joint).collect();
        let fact = format!("{:.2} m long", strand.length());
        let path = Path::still(Curve::from(strand));
        let product = PathProduct { path, joints, points_param: DrawnPathFields::points() };
        let closed_by = (!closed).then_some(DrawnPathFields::closed());
        Ok(Outcome { facts: vec![fact], closed_by, ..Outcome::new(product) })
    }
}
