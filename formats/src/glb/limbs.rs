//! Joints as nodes, and skins that hang on them.

use super::embedded::Embedded;
use super::form::Hanging;
use super::tracks::unit;
use super::{GlbError, Writer};
use gltf_json as json;
use json::Index;
use json::animation::Property;
use std::io::Write;
use zickzack_core::keys::{JointKeys, LimbKeys};
use zickzack_core::nodes::ModelPlace;

/// How a joint lies where its keys begin.
pub(super) fn begun(keys: &JointKeys) -> ([f64; 3], [f64; 4], [f64; 3]) {
    (keys.translation.keys[0].value, keys.rotation.keys[0].value, keys.scale.keys[0].value)
}

impl<S: Write> Writer<S> {
    /// A thing with a model whose nodes are moved as joints, by their numbers in its file.
    pub(super) fn rigged_thing(
        &mut self,
        name: &str,
        (model, place): (&Embedded, ModelPlace),
        (limbs, start): (Option<&LimbKeys>, f64),
    ) -> Result<Hanging, GlbError> {
        let planted = self.planted(model);
        for (number, node) in planted.numbers.iter().enumerate() {
            let keys = limbs.and_then(|limbs| limbs.joints.get(number));
            if let (Some(node), Some(keys)) = (*node, keys) {
                let (t, r, s) = begun(keys);
                let own = &mut self.root.nodes[node.value()];
                own.matrix = None;
                own.translation = Some(t.map(|x| x as f32));
                own.rotation = Some(json::scene::UnitQuaternion(r.map(|x| x as f32)));
                own.scale = Some(s.map(|x| x as f32));
                self.move_joint(node, keys, start)?;
            }
        }
        let mut beside = Vec::new();
        for (number, own) in model.nodes.iter().enumerate() {
            let (Some(node), Some(skin)) = (planted.numbers[number], own.skin) else { continue };
            let mut skin = model.skins[skin.value()].clone();
            let joint = |joint: &Index<json::Node>| planted.numbers[joint.value()];
            let why = || GlbError::Model { name: name.to_owned(), why: "a joint of it is not in its scene".to_owned() };
            skin.joints = skin.joints.iter().map(joint).collect::<Option<_>>().ok_or_else(why)?;
            skin.skeleton = None;
            let skin = self.root.push(skin);
            // What a skin carries has no place of its own.
            let mesh = self.root.nodes[node.value()].mesh.take();
            beside.push(self.carried(name, mesh, skin));
        }
        Ok(Hanging { below: vec![self.lying(name, place, planted.roots)], beside, ..Hanging::default() })
    }

    /// A mesh that a skin carries.
    pub(super) fn carried(
        &mut self,
        name: &str,
        mesh: Option<Index<json::Mesh>>,
        skin: Index<json::Skin>,
    ) -> Index<json::Node> {
        self.root.push(json::Node { name: Some(format!("{name} mesh")), mesh, skin: Some(skin), ..Default::default() })
    }

    /// A node is moved by the keys of a joint, which start at a frame.
    pub(super) fn move_joint(&mut self, node: Index<json::Node>, keys: &JointKeys, start: f64) -> Result<(), GlbError> {
        self.channel(node, Property::Translation, &keys.translation, start)?;
        self.channel(node, Property::Rotation, &unit(&keys.rotation), start)?;
        self.channel(node, Property::Scale, &keys.scale, start)
    }
}
