use super::placing::level;
use crate::curve::{Curve, PathPoint, PointKind, through};
use crate::graph::{Context, Maker, Outcome};
use crate::scene::{Fields, fields};
use crate::schema::{Choice, Group, Param, PortKind, Role, Schema, Spaces, Unit, Values, choice};
use crate::words::sentence;
use glam::DVec3;

/// A path through places from a table.
pub struct PointTable;

choice! {
    /// Which of the file's axes points up.
    pub enum Up {
        Y = "y",
        Z = "z",
    }
}

choice! {
    /// How the path runs from place to place.
    pub enum Joined {
        Smooth = "smooth",
        Straight = "straight",
    }
}

fields! {
    /// What Point table is told.
    pub struct PointTableFields {
        file: String = Param::new(
            "file",
            Group::Form,
            Values::Asset { media: "text/csv" },
            "The CSV file: two or three numbers a row; a row of names at the top is left out.",
        ),
        scale: f64 = Param::number(
            "metres per unit",
            Group::Form,
            (Unit::Metres, 1.0, 1e-6, 1e4),
            "How many metres one unit of the file becomes.",
        )
        .role(Role::Size),
        up: Up = Param::choice("up in file", Group::Form, Up::WORDS, "Which of the file's axes points up.")
            .only_in(Spaces::Deep),
        joined: Joined = Param::choice(
            "joined",
            Group::Form,
            Joined::WORDS,
            "How the path runs from place to place.",
        ),
        closed: bool = Param::flag("closed", Group::Form, false, "Whether the end runs into the start.")
            .role(Role::Closed),
        at: DVec3 = Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Where the file's origin goes.")
            .role(Role::Place),
    }
}

impl Maker for PointTable {
    type Own = PointTableFields;

    fn schema(&self) -> Schema {
        Schema {
            name: "point-table",
            title: "Point table",
            group: "Paths",
            help: "A path through the places that a CSV file lists, x, y and z in each row.",
            inputs: vec![],
            output: Some(PortKind::Path),
            params: PointTableFields::params(),
            uses_timing: false,
        }
        .remade_over_time()
    }

    fn evaluate(&self, own: &PointTableFields, context: &Context<'_>) -> Result<Outcome, String> {
        let file = &own.file;
        if file.is_empty() {
            return Err("Point table needs a file: choose one in the Card.".to_owned());
        }
        let places = context.assets.places(file).map_err(|why| sentence(&why))?;
        let upright = |p: DVec3| if own.up == Up::Z { DVec3::new(p.x, p.z, -p.y) } else { p };
        let kind = if own.joined == Joined::Straight { PointKind::Corner } else { PointKind::Smooth };
        let (scale, at) = (own.scale, own.at);
        let point = |p: &DVec3| PathPoint { position: level(context, upright(*p) * scale + at), kind, handles: None };
        let mut points: Vec<PathPoint> = places.iter().map(point).collect();
        // The same place twice in a row, as recordings have it, is one.
        points.dedup_by(|a, b| a.position == b.position);
        let closed = own.closed;
        if closed && points.len() > 2 && points[0].position == points[points.len() - 1].position {
            points.pop();
        }
        let strand = through(&points, closed).map_err(|error| sentence(&error.to_string()))?;
        let closed_by = (!closed).then_some(PointTableFields::closed());
        Ok(Outcome { closed_by, ..Outcome::of_curve(Curve::from(strand)) })
    }
}
