//! What is said of how things look.

use crate::motion::{Bend, BentForm, Dents, Glyph, Kind, Strip, Walk};
use crate::rig::{Animated, Cycle};
use crate::schema::Choice;
use glam::DVec2;
use serde::Serialize;

/// How pictures show a kind.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct KindReport {
    /// What it is shown as; empty for as the Output says.
    pub thing: String,
    /// The letter that it is, where it is one.
    pub letter: String,
    /// `#rrggbb`; empty for the Output's.
    pub colour: String,
    /// The colour at the other end of its scale; empty where it has none.
    pub last: String,
    /// The model whose clips it plays, instead of all that.
    pub animated: Option<AnimatedReport>,
    /// What is bent, instead of all that.
    pub bent: Option<BentReport>,
    /// What is dented, instead of all that.
    pub dented: Option<DentedReport>,
    /// What walks, instead of all that.
    pub walked: Option<WalkedReport>,
    /// Its form as a letter with a size of its own, instead of all that.
    pub glyph: Option<GlyphReport>,
}

/// A model whose clips are played.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct AnimatedReport {
    /// Name of the file in the scene.
    pub file: String,
    /// The side of it that goes ahead: `+x`, `-x`, `+y`, `-y`, `+z` or `-z`.
    pub nose: &'static str,
    /// The side of it that is up.
    pub top: &'static str,
    /// Numbers of the clips that are mixed, and the seconds at the end of each that are blended into its start, as the
    /// request for their poses takes them: `0:0.2,1:0`.
    pub clips: String,
}

impl From<&Animated> for AnimatedReport {
    fn from(animated: &Animated) -> Self {
        let clip = |cycle: Cycle| format!("{}:{}", cycle.clip, cycle.blend);
        let clips: Vec<String> = animated.repertoire.cycles().map(|(_, cycle)| clip(cycle)).collect();
        let (nose, top) = (animated.nose.name(), animated.top.name());
        Self { file: animated.file.clone(), nose, top, clips: clips.join(",") }
    }
}

impl From<&Kind> for KindReport {
    fn from(kind: &Kind) -> Self {
        Self {
            thing: kind.thing.clone(),
            letter: kind.letter.clone(),
            colour: kind.colour.clone(),
            last: kind.last.clone(),
            animated: kind.animated.as_deref().map(AnimatedReport::from),
            bent: kind.bent.as_deref().map(BentReport::from),
            dented: kind.dented.as_deref().map(DentedReport::from),
            walked: kind.walked.as_deref().map(WalkedReport::from),
            glyph: kind.glyph.as_deref().map(GlyphReport::from),
        }
    }
}

/// What is bent along a path.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BentReport {
    /// Metres at rest, along x from its tail.
    pub length: f64,
    /// How many joints it has, evenly along that.
    pub joints: usize,
    /// What it is, where it is a strip.
    pub strip: Option<StripReport>,
    /// What it is, where it is a model.
    pub model: Option<BentModelReport>,
}

/// What is dented. Its body comes as a block of its own.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DentedReport {
    /// How many corners its body has.
    pub corners: usize,
    /// The most metres that a single thing presses.
    pub deepest: f64,
}

impl From<&Dents> for DentedReport {
    fn from(dents: &Dents) -> Self {
        Self { corners: dents.corners(), deepest: dents.deepest() }
    }
}

/// What walks. Its bones come with its poses: they take corners as they are written in the file into the walker.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct WalkedReport {
    /// Name of the file in the scene.
    pub file: String,
    /// How many bones it has.
    pub bones: usize,
}

impl From<&Walk> for WalkedReport {
    fn from(walk: &Walk) -> Self {
        Self { file: walk.file().to_owned(), bones: walk.bones() }
    }
}

/// A strip.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct StripReport {
    /// Metres along z.
    pub width: f64,
    /// Metres along y.
    pub thickness: f64,
    /// How it ends at its tail: `straight`, `pointed` or `swallow-tailed`.
    pub end: &'static str,
    /// Stripes across it in turn of two colours.
    pub stripes: usize,
    /// `#rrggbb` each.
    pub colours: [String; 2],
    /// Name of a picture in the scene that is on it in place of its stripes; empty where there is none.
    pub picture: String,
}

/// A model that is bent.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BentModelReport {
    /// Name of the file in the scene.
    pub file: String,
    /// The side of it that lies ahead: `+x`, `-x`, `+y`, `-y`, `+z` or `-z`.
    pub nose: &'static str,
    /// The side of it that is up.
    pub top: &'static str,
}

impl From<&Bend> for BentReport {
    fn from(bend: &Bend) -> Self {
        let (strip, model) = match bend.form() {
            BentForm::Strip(strip) => (Some(StripReport::from(strip)), None),
            BentForm::Model { file, nose, top, .. } => {
                (None, Some(BentModelReport { file: file.clone(), nose: nose.name(), top: top.name() }))
            }
        };
        Self { length: bend.length(), joints: bend.joints(), strip, model }
    }
}

impl From<&Strip> for StripReport {
    fn from(strip: &Strip) -> Self {
        let Strip { width, thickness, end, stripes, colours, picture } = strip.clone();
        Self { width, thickness, end: end.word(), stripes, colours, picture }
    }
}

/// The form of a letter: x along its line, y up, its face towards +z.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct GlyphReport {
    /// What it is, as it is written.
    pub sign: String,
    /// Its contours as closed lines, metres, each x, y, x, y and so on: those round what is filled one way, those round holes the
    /// other.
    pub contours: Vec<Vec<f32>>,
    /// Metres, half of it to each side.
    pub thickness: f64,
}

impl From<&Glyph> for GlyphReport {
    fn from(glyph: &Glyph) -> Self {
        let numbers = |contour: &Vec<DVec2>| contour.iter().flat_map(|corner| corner.as_vec2().to_array()).collect();
        let contours = glyph.contours.iter().map(numbers).collect();
        Self { sign: glyph.sign.clone(), contours, thickness: glyph.thickness }
    }
}
