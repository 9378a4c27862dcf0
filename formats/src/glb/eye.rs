//! The camera.

use super::Writer;
use crate::eye::Eye;
use gltf_json as json;
use json::validation::Checked::Valid;
use std::io::Write;

impl<S: Write> Writer<S> {
    /// A camera, upright.
    pub fn camera(&mut self, eye: Eye) {
        let [near, far] = eye.sees();
        let perspective = json::camera::Perspective {
            aspect_ratio: Some(eye.aspect as f32),
            yfov: (2.0 * libm::atan(0.5 * eye.wide / eye.aspect)) as f32,
            znear: near as f32,
            zfar: Some(far as f32),
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
        let rest = (eye.place.to_array(), eye.turn().to_array(), [1.0; 3]);
        let node = self.node("camera", rest, (None, Vec::new()));
        self.root.nodes[node.value()].camera = Some(camera);
        self.roots.push(node);
    }
}
