//! What corners hang on.

use super::Writer;
use super::skeleton::JOINTS;
use super::values::{List, Matrix, Single};
use glam::DMat4;
use std::io::{self, Write};

/// What the corners of a mesh hang on: joints of a skeleton, by their numbers in it.
#[derive(Debug, Clone)]
pub(super) enum Carried {
    /// All on one, and how that lies where it carries nothing elsewhere.
    Whole(usize, DMat4),
    /// Each on four, with their weights.
    Each(Vec<([usize; 4], [f32; 4])>),
}

impl<W: Write> Writer<W> {
    /// Of the mesh that is open, beside its skeleton.
    pub(super) fn put_carried(&mut self, carried: &Carried) -> io::Result<()> {
        let path = self.stage.path();
        let beside = path.rsplit_once('/').map_or("", |(above, _)| above);
        self.stage.set("rel skel:skeleton", format!("<{beside}/{JOINTS}>"), &[])?;
        let (many, interpolation, bind, numbers, weights) = match carried {
            Carried::Whole(joint, bind) => (1, "constant", *bind, List([*joint].iter()).to_string(), "[1]".to_owned()),
            Carried::Each(all) => {
                let weights = all.iter().flat_map(|(_, weights)| weights).map(|weight| Single(f64::from(*weight)));
                let numbers = List(all.iter().flat_map(|(joints, _)| joints)).to_string();
                (4, "vertex", DMat4::IDENTITY, numbers, List(weights).to_string())
            }
        };
        let more = [format!("elementSize = {many}"), format!("interpolation = \"{interpolation}\"")];
        let more: Vec<&str> = more.iter().map(String::as_str).collect();
        self.stage.set("matrix4d primvars:skel:geomBindTransform", Matrix(bind), &[])?;
        self.stage.set("int[] primvars:skel:jointIndices", numbers, &more)?;
        self.stage.set("float[] primvars:skel:jointWeights", weights, &more)
    }
}
