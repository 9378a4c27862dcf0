//! What goes along threads.

use crate::curve::{Curve, Joint, Path, flattened};
use crate::motion::Motion;
use crate::schema::PortKind;
use crate::signal::Signal;
use crate::surface::{Ground, Surface};
use crate::words::counted;
use std::sync::Arc;

/// What a node gives.
#[derive(Clone)]
pub enum Product {
    /// A path.
    Path(PathProduct),
    /// A motion.
    Motion(Arc<dyn Motion>),
    /// A surface.
    Surface(Ground),
    /// A signal.
    Signal(Arc<dyn Signal>),
}

/// A path and what can be taken hold of on it.
#[derive(Clone)]
pub struct PathProduct {
    /// The path.
    pub path: Path,
    /// Its points.
    pub joints: Vec<Joint>,
    /// The parameter that holds points that were moved, by id; empty where there are none to take hold of.
    pub points_param: &'static str,
}

impl From<Curve> for Product {
    /// A path that was made, without points to take hold of.
    fn from(curve: Curve) -> Self {
        Self::Path(PathProduct { path: Path::still(curve), joints: Vec::new(), points_param: "" })
    }
}

impl From<Surface> for Product {
    fn from(surface: Surface) -> Self {
        Self::Surface(Ground::Still(surface))
    }
}

impl Product {
    /// What a thread from it carries.
    pub const fn kind(&self) -> PortKind {
        match self {
            Self::Path(_) => PortKind::Path,
            Self::Motion(_) => PortKind::Motion,
            Self::Surface(_) => PortKind::Surface,
            Self::Signal(_) => PortKind::Signal,
        }
    }

    /// A path that does not move with all its places in z = 0; anything else as it is.
    pub(super) fn flattened(self) -> Self {
        let Self::Path(product) = self else { return self };
        let flat = product.path.unmoving().and_then(|curve| flattened(curve).ok());
        Self::Path(match flat {
            Some(curve) => PathProduct { path: Path::still(curve), ..product },
            None => product,
        })
    }
}

/// How long a curve is, and how many strands it has where it is more than one.
pub fn curve_facts(curve: &Curve) -> Vec<String> {
    let mut facts = vec![format!("{:.2} m long", curve.length())];
    if curve.strands().len() > 1 {
        facts.push(counted(curve.strands().len(), "strand"));
    }
    facts
}

impl From<Arc<dyn Motion>> for Product {
    fn from(motion: Arc<dyn Motion>) -> Self {
        Self::Motion(motion)
    }
}

impl From<Arc<dyn Signal>> for Product {
    fn from(signal: Arc<dyn Signal>) -> Self {
        Self::Signal(signal)
    }
}

impl From<PathProduct> for Product {
    fn from(path: PathProduct) -> Self {
        Self::Path(path)
    }
}
