//! The camera.

use super::Writer;
use glam::{DMat3, DQuat, DVec3};
use gltf_json as json;
use json::validation::Checked::Valid;
use std::io::Write;

/// A camera that stands still.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Eye {
    /// Where it stands, metres.
    pub place: DVec3,
    /// What it looks at, metres: another place.
    pub target: DVec3,
    /// Width of what it sees by its distance.
    pub wide: f64,
    /// Width of the picture by its height.
    pub aspect: f64,
}

/// Nearest and farthest that it sees, by how far it is from what it looks at.
const SEES: [f64; 2] = [1e-3, 1e3];

impl<S: Write> Writer<S> {
    /// A camera, upright.
    pub fn camera(&mut self, eye: Eye) {
        // It looks along −z.
        let (back, far) = ((eye.place - eye.target).normalize(), eye.place.distance(eye.target));
        let right = DVec3::Y.cross(back).normalize_or(DVec3::X);
        let turn = DQuat::from_mat3(&DMat3::from_cols(right, back.cross(right), back));
        let perspective = json::camera::Perspective {
            aspect_ratio: Some(eye.aspect as f32),
            yfov: (2.0 * libm::atan(0.5 * eye.wide / eye.aspect)) as f32,
            znear: (far * SEES[0]) as f32,
            zfar: Some((far * SEES[1]) as f32),
            extensions: None,
            extras: Default::default(),
        };
        let camera = self.root.push(json::Camera {
            name: Some("camera".to_owned()),
            orthographic: None,
            perspective: Some(perspective),
            type_: Valid(json::camera::Type::Perspective),
            extensions: None,
            extras: Default::default(),
        });
        let rest = (eye.place.to_array(), turn.to_array(), [1.0; 3]);
        let node = self.node("camera", rest, (None, Vec::new()));
        self.root.nodes[node.value()].camera = Some(camera);
        self.roots.push(node);
    }
}
