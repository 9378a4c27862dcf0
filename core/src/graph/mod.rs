//! From a scene to functions of time: evaluation in order, remembered by content, within budgets.

mod compile;
mod memo;
mod miniature;
mod node;
mod report;

pub use compile::{Compiled, End, NodeResult, Workshop, compile};
pub use memo::Memo;
pub use miniature::{LivingMiniature, Miniature};
pub use node::{Assets, Context, NoAssets, NodeType, Offer, Outcome, PathProduct, Product, Timing};
pub use report::{EndReport, NodeReport, SeamReport, report};
