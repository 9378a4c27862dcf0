use crate::curve::{Curve, Joint, Path, PathPoint, handles_of, through};
use crate::graph::{Context, NodeType, Outcome, PathProduct};
use crate::scene::{Point, Space};
use crate::schema::{Group, Param, PortKind, Role, Schema, Values};
use crate::words::sentence;

/// A path drawn by hand.
pub struct DrawnPath;

impl NodeType for DrawnPath {
    fn schema(&self) -> Schema {
        Schema {
            name: "drawn-path",
            title: "Drawn path",
            group: "Paths",
            help: "A path through points that you place in the View.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: vec![
                Param::new(
                    "points",
                    "points",
                    Group::Form,
                    Values::Points,
                    "The points in order; draw and drag them in the View.",
                ),
                Param::new(
                    "closed",
                    "closed",
                    Group::Form,
                    Values::Flag { default: false },
                    "Whether the end runs into the start.",
                )
                .role(Role::Closed),
            ],
            uses_timing: false,
        }
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        let mut points = context.params.points("points");
        if context.timing.space == Space::Flat {
            points.iter_mut().for_each(|point| point.point = point.point.flattened());
        }
        let list: Vec<_> = points.iter().map(|point| point.point).collect();
        let closed = context.params.flag("closed");
        let strand = through(&list, closed).map_err(|error| sentence(&error.to_string()))?;
        let handles = handles_of(&list, closed);
        let joint = |(point, handles): (Point, _)| Joint {
            id: point.id,
            point: PathPoint { handles: Some(handles), ..point.point },
        };
        let joints = points.into_iter().zip(handles).map(joint).collect();
        let fact = format!("{:.2} m long", strand.length());
        let path = Path::still(Curve::from(strand));
        let product = PathProduct { path, joints, points_param: "points" };
        let closed_by = (!closed).then_some("closed");
        Ok(Outcome { facts: vec![fact], closed_by, ..Outcome::new(product) })
    }
}
