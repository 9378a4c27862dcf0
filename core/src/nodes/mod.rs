//! The node types: each file holds a schema and the call into the room that does the work.

mod attach;
mod bodies;
mod close_loop;
mod coast;
mod drawn_path;
mod face_travel;
mod figure;
mod followers;
mod formula_path;
mod head_count;
mod hits;
mod join;
mod keyed_travel;
mod kinds;
mod launch;
mod lettering;
mod links;
mod meander;
mod mimic;
mod model;
mod move_path;
mod output;
mod placing;
mod point_table;
mod pose;
mod press_onto;
mod recoil;
mod resample;
mod retime;
mod reverse;
mod ride;
mod ring_down;
mod settle;
mod sheaf;
mod shudder;
mod signals;
mod smooth;
mod stick;
mod surfaces;
mod svg_path;
mod swell;
mod tether;
mod together;
mod torus_winding;
mod trim;
mod trundle;
mod two_shots;
mod wake;
mod waver;
mod wheel;

pub use model::{ModelPlace, model_place};

use crate::graph::{AtOnce, Memo, NodeType, Workshop, no_assets};
use crate::motion::Cancel;
use crate::pose::Axis;
use crate::scene::Params;
use crate::schema::Schema;
use std::sync::Arc;

/// The axis that a parameter names, or another.
fn axis_of(params: &Params<'_>, name: &str, or: Axis) -> Axis {
    Axis::from_name(&params.text(name)).unwrap_or(or)
}

/// All node types, in the order in which they are offered.
pub fn all() -> Vec<Arc<dyn NodeType>> {
    vec![
        Arc::new(drawn_path::DrawnPath),
        Arc::new(svg_path::SvgPath),
        Arc::new(point_table::PointTable),
        Arc::new(figure::FigureNode),
        Arc::new(torus_winding::TorusWinding),
        Arc::new(lettering::Lettering),
        Arc::new(formula_path::FormulaPath),
        Arc::new(wake::Wake),
        Arc::new(surfaces::Rim),
        Arc::new(sheaf::Sheaf),
        Arc::new(resample::Resample),
        Arc::new(smooth::Smooth),
        Arc::new(meander::MeanderNode),
        Arc::new(press_onto::PressOnto),
        Arc::new(trim::Trim),
        Arc::new(reverse::Reverse),
        Arc::new(join::Join),
        Arc::new(move_path::MovePath),
        Arc::new(ride::RideNode),
        Arc::new(coast::CoastNode),
        Arc::new(launch::LaunchNode),
        Arc::new(settle::SettleNode),
        Arc::new(bodies::BodiesNode),
        Arc::new(keyed_travel::KeyedTravel),
        Arc::new(pose::PoseNode),
        Arc::new(face_travel::FaceTravelNode),
        Arc::new(followers::FollowersNode),
        Arc::new(trundle::TrundleNode),
        Arc::new(stick::StickNode),
        Arc::new(ring_down::RingDownNode),
        Arc::new(recoil::RecoilNode),
        Arc::new(attach::AttachNode),
        Arc::new(shudder::ShudderNode),
        Arc::new(mimic::MimicNode),
        Arc::new(waver::WaverNode),
        Arc::new(swell::SwellNode),
        Arc::new(retime::Retime),
        Arc::new(kinds::KindsNode),
        Arc::new(head_count::HeadCountNode),
        Arc::new(wheel::WheelNode),
        Arc::new(links::LinksNode),
        Arc::new(tether::TetherNode),
        Arc::new(two_shots::TwoShotsNode),
        Arc::new(together::TogetherNode),
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
        Arc::new(close_loop::CloseLoop),
        Arc::new(output::Output),
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
