//! A scene with the files that it refers to: read, compiled and handed off. What command line and server share, and
//! what a program of one's own begins with.
//!
//! ```
//! use std::io::Cursor;
//! use std::sync::Arc;
//! use zickzack_core::graph::{AtOnce, Memo};
//! use zickzack_core::keys::Keying;
//! use zickzack_core::motion::{Cancel, Frames};
//! use zickzack_core::nodes::Registry;
//! use zickzack_core::scene::Scene;
//! use zickzack_session::{HandOff, Session};
//!
//! let registry = Arc::new(Registry::default());
//! let document = r#"{
//!     "format": "zickzack-scene", "version": 1, "name": "Round", "space": "deep", "fps": "24", "frames": 48,
//!     "nodes": {
//!         "ring": { "type": "figure", "name": "Ring" },
//!         "ride": { "type": "ride", "name": "Lanterns", "params": { "riders": 3, "laps": "1" } },
//!         "out": { "type": "output", "name": "Out" }
//!     },
//!     "threads": {
//!         "a": { "from": "ring", "to": "ride", "port": "path" },
//!         "b": { "from": "ride", "to": "out", "port": "motion" }
//!     }
//! }"#;
//! let scene = Scene::from_json(document, &registry.schemas)?;
//! let session = Session::new(registry, scene, Arc::default());
//! let cancel = Cancel::default();
//! let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
//!
//! let hand_off = HandOff::of(&session, &compiled, |_| true);
//! let lap = Frames { from: 0.0, to: 47.0 };
//! let mut table = Vec::new();
//! hand_off.write_csv(lap, 1.0, &mut table, &cancel)?;
//! assert_eq!(String::from_utf8(table)?.lines().count(), 1 + 3 * 48, "a heading, and a row for each lantern and frame");
//!
//! let within = Keying::Within { metres: 1e-3, radians: 1e-3 };
//! let mut file = Vec::new();
//! let told = hand_off.write_glb((lap, within), Cursor::new(Vec::new()), &mut file, &cancel)?;
//! assert!(told[0].off.0 <= 1e-3);
//! assert!(file.starts_with(b"glTF"));
//! # Ok::<(), Box<dyn std::error::Error>>(())
//! ```

mod beside;
mod boned;
mod dressed;
mod hand_off;
mod ordered;
mod report;
mod staged;

pub use beside::ReadError;
pub use hand_off::{HandOff, HandOffError};
pub use ordered::Order;
pub use report::{ErrorReport, KeyReport, OutputReport, Report};

use std::sync::Arc;
use std::time::Instant;
use zickzack_core::graph::{Assets, Compiled, Memo, Recorder, Workshop, compile};
use zickzack_core::motion::Cancel;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_formats::files::Files;

/// A scene with the files that it refers to, and the node types that it is made of. Cheap to clone.
#[derive(Clone)]
pub struct Session {
    /// All node types.
    pub registry: Arc<Registry>,
    /// The scene, checked against their schemas.
    pub scene: Arc<Scene>,
    /// What it refers to, or why it is not there.
    pub files: Arc<Files>,
}

impl Session {
    /// Of a scene that was checked against the schemas of these types.
    pub fn new(registry: Arc<Registry>, scene: impl Into<Arc<Scene>>, files: Arc<Files>) -> Self {
        Self { registry, scene: scene.into(), files }
    }

    /// The same with another state of the scene.
    pub fn with_scene(&self, scene: impl Into<Arc<Scene>>) -> Self {
        Self { scene: scene.into(), ..self.clone() }
    }

    /// The scene compiled. It never fails as a whole: a node that cannot be evaluated says why, and what does not hang on
    /// it works. Nodes say how long they took. After `cancel` was asked to stop, what was not reached says so.
    pub fn compile(&self, memo: &Memo, recorder: &dyn Recorder, cancel: &Cancel) -> Compiled {
        self.in_workshop(memo, recorder, cancel, |workshop| compile(&self.scene, workshop))
    }

    /// What `work` makes of what compilation works with.
    pub fn in_workshop<T>(
        &self,
        memo: &Memo,
        recorder: &dyn Recorder,
        cancel: &Cancel,
        work: impl FnOnce(&Workshop<'_>) -> T,
    ) -> T {
        let begun = Instant::now();
        let assets: Arc<dyn Assets> = self.files.clone();
        let clock = || begun.elapsed().as_micros() as u64;
        work(&Workshop { assets: &assets, clock: &clock, recorder, ..self.registry.workshop(memo, cancel) })
    }
}
