//! The node types: each file holds a schema and the call into the room that does the work.

mod crowds;
mod on_the_way;
mod out;
mod paths;
mod reshaped;
mod several;
mod signals;
mod struck;
mod surfaces;
mod travel;

pub use out::appearance::{Appearance, Form, Jointed, Solid};
pub use out::model::{ModelPlace, upright};
pub use out::output::Shown;

use crate::graph::{AtOnce, Memo, NodeType, Workshop, no_assets};
use crate::motion::Cancel;
use crate::schema::Schema;
use std::sync::Arc;

/// All node types, in the order in which they are offered.
pub fn all() -> Vec<Arc<dyn NodeType>> {
    vec![
        Arc::new(paths::drawn_path::DrawnPath),
        Arc::new(paths::svg_path::SvgPath),
        Arc::new(paths::point_table::PointTable),
        Arc::new(paths::figure::FigureNode),
        Arc::new(paths::torus_winding::TorusWinding),
        Arc::new(paths::lettering::Lettering),
        Arc::new(paths::formula_path::FormulaPath),
        Arc::new(paths::wake::Wake),
        Arc::new(surfaces::Rim),
        Arc::new(paths::sheaf::Sheaf),
        Arc::new(reshaped::resample::Resample),
        Arc::new(reshaped::smooth::Smooth),
        Arc::new(reshaped::meander::MeanderNode),
        Arc::new(reshaped::press_onto::PressOnto),
        Arc::new(reshaped::trim::Trim),
        Arc::new(reshaped::reverse::Reverse),
        Arc::new(reshaped::join::Join),
        Arc::new(reshaped::move_path::MovePath),
        Arc::new(travel::ride::RideNode),
        Arc::new(travel::coast::CoastNode),
        Arc::new(travel::launch::LaunchNode),
        Arc::new(travel::settle::SettleNode),
        Arc::new(travel::bodies::BodiesNode),
        Arc::new(travel::keyed_travel::KeyedTravel),
        Arc::new(crowds::swarm::SwarmNode),
        Arc::new(crowds::emit::EmitNode),
        Arc::new(crowds::flock::FlockNode),
        Arc::new(crowds::turbulence::TurbulenceNode),
        Arc::new(crowds::look_by::LookByNode),
        Arc::new(on_the_way::walk::WalkNode),
        Arc::new(travel::pose::PoseNode),
        Arc::new(on_the_way::face_travel::FaceTravelNode),
        Arc::new(several::followers::FollowersNode),
        Arc::new(struck::trundle::TrundleNode),
        Arc::new(struck::stick::StickNode),
        Arc::new(struck::ring_down::RingDownNode),
        Arc::new(struck::recoil::RecoilNode),
        Arc::new(struck::attach::AttachNode),
        Arc::new(on_the_way::shudder::ShudderNode),
        Arc::new(several::mimic::MimicNode),
        Arc::new(on_the_way::waver::WaverNode),
        Arc::new(on_the_way::swell::SwellNode),
        Arc::new(on_the_way::lay_on::LayOnNode),
        Arc::new(on_the_way::retime::Retime),
        Arc::new(on_the_way::kinds::KindsNode),
        Arc::new(on_the_way::clip::ClipNode),
        Arc::new(on_the_way::bend_along::BendAlong),
        Arc::new(on_the_way::letters::LettersNode),
        Arc::new(on_the_way::dent::DentNode),
        Arc::new(on_the_way::head_count::HeadCountNode),
        Arc::new(several::wheel::WheelNode),
        Arc::new(several::links::LinksNode),
        Arc::new(several::tether::TetherNode),
        Arc::new(several::two_shots::TwoShotsNode),
        Arc::new(several::together::TogetherNode),
        Arc::new(signals::KeysNode),
        Arc::new(signals::WaveNode),
        Arc::new(signals::NoiseNode),
        Arc::new(signals::DecayNode),
        Arc::new(signals::RampNode),
        Arc::new(signals::PolynomialNode),
        Arc::new(signals::FormulaNode),
        Arc::new(signals::StepsNode),
        Arc::new(signals::RepeatNode),
        Arc::new(signals::SpanNode),
        Arc::new(signals::CombineNode),
        Arc::new(signals::RescaleNode),
        Arc::new(signals::LimitNode),
        Arc::new(surfaces::Plane),
        Arc::new(surfaces::Ball),
        Arc::new(surfaces::Cuboid),
        Arc::new(surfaces::Torus),
        Arc::new(surfaces::Lathe),
        Arc::new(out::close_loop::CloseLoop),
        Arc::new(out::output::Output),
    ]
}

/// Their schemas, in the same order.
pub fn schemas() -> Vec<Schema> {
    all().iter().map(|kind| kind.schema()).collect()
}

/// All node types with their schemas, made once.
pub struct Registry {
    /// The types.
    pub types: Vec<Arc<dyn NodeType>>,
    /// Their schemas, in the same order.
    pub schemas: Vec<Schema>,
}

impl Default for Registry {
    fn default() -> Self {
        Self { types: all(), schemas: schemas() }
    }
}

impl Registry {
    /// A workshop for scenes without files, that has no clock and works out at once what is worked out frame by frame;
    /// what is otherwise stands in its fields.
    ///
    /// ```
    /// use zickzack_core::graph::{Memo, compile};
    /// use zickzack_core::motion::{Cancel, Columns, Sample};
    /// use zickzack_core::nodes::Registry;
    /// use zickzack_core::scene::Scene;
    ///
    /// let registry = Registry::default();
    /// let document = r#"{
    ///     "format": "zickzack-scene", "version": 1, "name": "Round", "space": "deep", "fps": "24", "frames": 48,
    ///     "nodes": {
    ///         "ring": { "type": "figure", "name": "Ring" },
    ///         "ride": { "type": "ride", "name": "Lantern", "params": { "riders": 1, "laps": "1" } }
    ///     },
    ///     "threads": { "t": { "from": "ring", "to": "ride", "port": "path" } }
    /// }"#;
    /// let scene = Scene::from_json(document, &registry.schemas)?;
    /// let compiled = compile(&scene, &registry.workshop(&Memo::default(), &Cancel::default()));
    /// let mut seen = [Sample::default(), Sample::default()];
    /// for (frame, sample) in [0.0, 48.0].into_iter().zip(&mut seen) {
    ///     compiled.ends[0].motion.sample(frame, Columns::POSITION, sample);
    /// }
    /// assert!(seen[0].positions[0].distance(seen[1].positions[0]) < 1e-12, "after a whole lap it is where it was");
    /// # Ok::<(), zickzack_core::scene::SceneError>(())
    /// ```
    pub fn workshop<'a>(&'a self, memo: &'a Memo, cancel: &'a Cancel) -> Workshop<'a> {
        Workshop {
            types: &self.types,
            schemas: &self.schemas,
            memo,
            assets: no_assets(),
            clock: &|| 0,
            cancel,
            recorder: &AtOnce,
        }
    }
}
