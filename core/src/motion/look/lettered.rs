//! Things on a path that are letters of a text.

use super::kinds::laid_over;
use crate::curve::{AxesTable, Curve, Path};
use crate::motion::layer::face_up::FaceUp;
use crate::motion::layer::{Layer, Layered, Rows, put_pose};
use crate::motion::{Columns, Kind, Motion, Place, Sample};
use crate::pose::{Pose, basis};
use crate::random;
use crate::remembered::Remembered;
use glam::{DQuat, DVec2, DVec3};
use std::sync::Arc;

/// The form of a letter: a flat one with a thickness, x along its line, y up, its face towards +z.
#[derive(Debug, Clone, PartialEq)]
pub struct Glyph {
    /// What it is, as it is written.
    pub sign: String,
    /// Its contours as closed lines, metres: those round what is filled one way, those round holes the other.
    pub contours: Vec<Vec<DVec2>>,
    /// Metres, half of it to each side.
    pub thickness: f64,
}

/// How letters stand on a path.
#[derive(Clone)]
pub enum Standing {
    /// Their tops up as this says, as far as the path allows.
    Tops(FaceUp),
    /// Their faces towards a direction, as far as the path allows.
    Faces(DVec3),
    /// As they are, wherever they are.
    Unturned,
}

/// A path at a frame, with the axes of its strands where letters are turned.
#[derive(Clone)]
struct Laid {
    curve: Arc<Curve>,
    axes: Arc<Vec<AxesTable>>,
}

/// Angle in radians by which the direction turns at most between nodes of the axes.
const AXES_STEP: f64 = 0.02;

/// Letters on a path, and how they stand.
pub struct Lettered {
    path: Path,
    standing: Standing,
    /// On the other side of the path they run against it.
    other_side: bool,
    /// Metres that they are off the path, upwards in themselves.
    lift: f64,
    kinds: Vec<Kind>,
    of: Vec<u32>,
    /// Which letter each thing is.
    own: Vec<u32>,
    made: Remembered<Laid>,
}

/// A motion whose things ride on a path, each as a letter.
pub type Letters = Layered<Lettered>;

const LOOK: u64 = 44;

impl Letters {
    /// Each thing of `inner`, which rides on `path`, as the glyph with its number.
    pub fn new(
        inner: Arc<dyn Motion>,
        path: Path,
        (glyphs, own): (Vec<Glyph>, Vec<u32>),
        (standing, other_side, lift): (Standing, bool, f64),
    ) -> Self {
        let kinds: Vec<Kind> =
            glyphs.into_iter().map(|glyph| Kind { glyph: Some(Arc::new(glyph)), ..Kind::PLAIN }).collect();
        let (kinds, of) = laid_over(&*inner, &kinds, &own);
        let made = Remembered::default();
        Self::over(inner, Lettered { path, standing, other_side, lift, kinds, of, own, made })
    }
}

impl Lettered {
    fn laid(&self, frame: f64) -> Laid {
        let frame = if self.path.unmoving().is_some() { 0.0 } else { frame };
        self.made.at(frame, || {
            let curve = self.path.at(frame);
            let along = |up: &FaceUp| up.along_at(&curve, frame, AXES_STEP);
            let axes = match &self.standing {
                Standing::Tops(up) => along(up),
                Standing::Faces(face) => along(&FaceUp::Towards(*face)),
                Standing::Unturned => Vec::new(),
            };
            Laid { axes: Arc::new(axes), curve }
        })
    }

    /// How a letter stands that was at a place so many frames before.
    fn pose(&self, frame: f64, later: f64, place: &Place) -> Pose {
        let laid = self.laid(frame + later);
        let strand = place.strand % laid.curve.strands().len();
        let (strand, axes) = (&laid.curve.strands()[strand], laid.axes.get(strand));
        let s = place.later(later, strand.length());
        let on = strand.normalise(s);
        let here = strand.at_normalised(on);
        let beyond = if strand.closed() { 0.0 } else { s - on };
        let along = if self.other_side { -here.tangent } else { here.tangent };
        let orientation = axes.map_or(DQuat::IDENTITY, |axes| {
            let found = axes.up(on, here.point, here.tangent);
            let up = if matches!(self.standing, Standing::Faces(_)) { found.cross(along) } else { found };
            basis(along, up).normalize()
        });
        let position = here.point + here.tangent * beyond + orientation * DVec3::Y * self.lift;
        Pose { position, orientation, scale: DVec3::ONE }
    }
}

impl Layer for Lettered {
    fn changes(&self) -> Columns {
        let turns = if matches!(self.standing, Standing::Unturned) { Columns::NONE } else { Columns::ORIENTATION };
        Columns::POSITION | turns
    }

    fn needs(&self, _: &dyn Motion, columns: Columns) -> Columns {
        columns | Columns::PLACE
    }

    fn change(&self, _: &dyn Motion, rows: Rows<'_>, _: Columns, out: &mut Sample) {
        for row in 0..rows.count() {
            let (frame, place) = (rows.get(row).1, out.places[row]);
            put_pose(out, row, |later| self.pose(frame, later, &place));
        }
    }

    fn look(&self, inner: &dyn Motion, object: usize) -> u64 {
        random::bits(inner.look(object), u64::from(self.own[object]), LOOK)
    }

    fn over_shared(self: &Arc<Self>, _: &dyn Motion) -> Option<Arc<Self>> {
        None
    }

    fn kinds<'a>(&'a self, _: &'a dyn Motion) -> &'a [Kind] {
        &self.kinds
    }

    fn kind(&self, _: &dyn Motion, object: usize) -> usize {
        self.of[object] as usize
    }
}
