//! Lines, and the camera.

use super::forms::extent;
use super::values::{List, Place, Tuple, Turn, text};
use super::{UsdError, Writer};
use crate::eye::Eye;
use glam::DVec3;
use std::io::Write;
use zickzack_core::colour::Light;
use zickzack_core::curve::Traced;

/// How wide lines are, by how far they go from one end of the box around them to the other.
const WIDE: f64 = 0.002;

impl<W: Write> Writer<W> {
    /// Lines in a colour along the strands of a path that was traced at these frames.
    ///
    /// # Errors
    /// Where they cannot be written.
    pub fn lines(&mut self, name: &str, (traced, frames): (&Traced, &[f64]), colour: Light) -> Result<(), UsdError> {
        let name = self.names.name(name);
        // Closed ones come back to where they begin.
        let whole = |strands: &Vec<Vec<DVec3>>| -> Vec<DVec3> {
            let strand = |(places, closed): (&Vec<DVec3>, &bool)| {
                let back = closed.then(|| places[0]);
                places.iter().copied().chain(back).collect::<Vec<_>>()
            };
            strands.iter().zip(&traced.closed).flat_map(strand).collect()
        };
        let counts =
            traced.places[0].iter().zip(&traced.closed).map(|(places, closed)| places.len() + usize::from(*closed));
        let first = whole(&traced.places[0]);
        let low = first.iter().copied().reduce(DVec3::min).unwrap_or_default();
        let high = first.iter().copied().reduce(DVec3::max).unwrap_or_default();
        self.stage.begin("def BasisCurves", &name, &[])?;
        self.stage.set("uniform token type", text("linear"), &[])?;
        self.stage.set("int[] curveVertexCounts", List(counts), &[])?;
        self.stage.set(
            "float[] widths",
            format!("[{}]", WIDE * low.distance(high)),
            &["interpolation = \"constant\""],
        )?;
        self.stage.set(
            "color3f[] primvars:displayColor",
            List([Tuple(colour)].iter()),
            &["interpolation = \"constant\""],
        )?;
        let moving = traced.places.len() > 1;
        if moving {
            let times = || frames.iter().map(|frame| frame + self.first).zip(&traced.places).collect::<Vec<_>>();
            let (boxes, places) = (times(), times());
            self.stage.over_time("float3[] extent", boxes, |out, strands| {
                Ok::<(), UsdError>(write!(out, "{}", extent(&whole(strands)))?)
            })?;
            self.stage.over_time("point3f[] points", places, |out, strands| {
                Ok::<(), UsdError>(write!(out, "{}", List(whole(strands).iter().map(|at| Tuple(at.to_array()))))?)
            })?;
        } else {
            self.stage.set("float3[] extent", extent(&first), &[])?;
            self.stage.set("point3f[] points", List(first.iter().map(|at| Tuple(at.to_array()))), &[])?;
        }
        Ok(self.stage.end()?)
    }

    /// A camera that stands still, upright, of a lens in millimetres on a film so wide.
    ///
    /// # Errors
    /// Where it cannot be written.
    pub fn camera(&mut self, eye: Eye, (lens, film): (f64, f64)) -> Result<(), UsdError> {
        let name = self.names.name("camera");
        self.stage.begin("def Camera", &name, &[])?;
        self.stage.set("token projection", text("perspective"), &[])?;
        self.stage.set("float focalLength", lens, &[])?;
        self.stage.set("float horizontalAperture", film, &[])?;
        self.stage.set("float verticalAperture", film / eye.aspect, &[])?;
        self.stage.set("float2 clippingRange", Tuple(eye.sees()), &[])?;
        self.stage.set("double3 xformOp:translate", Place(eye.place.to_array()), &[])?;
        self.stage.set("quatf xformOp:orient", Turn(eye.turn().to_array()), &[])?;
        self.stage.set("uniform token[] xformOpOrder", "[\"xformOp:translate\", \"xformOp:orient\"]", &[])?;
        Ok(self.stage.end()?)
    }
}
