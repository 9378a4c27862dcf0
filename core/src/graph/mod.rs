//! From a scene to functions of time: evaluation in order, remembered by content, within budgets.

mod assets;
mod budget;
mod closing;
mod compile;
mod maker;
mod memo;
mod moving;
mod node;
mod product;
mod recalled;
mod recorder;
mod telling;

pub use assets::{Assets, no_assets};
pub use closing::offers::{Closing, Looks, Offer, OfferMaker};
pub use closing::tried::try_offers;
pub use compile::{Compiled, End, NodeResult, Workshop, compile};
pub use maker::{Maker, Own};
pub use memo::{Key, Memo};
pub use node::{Context, Mend, NodeType, OUTPUT, Outcome, Recorded, Timing};
pub use product::{PathProduct, Product, curve_facts};
pub use recorder::{AtOnce, Order, Recorder, Taken};
pub use telling::channels::Channel;
pub use telling::looks::KindReport;
pub use telling::miniature::{LivingMiniature, Miniature};
pub use telling::report::{EndReport, LONGEST_ORBIT, LivesReport, NodeReport, SeamReport, report};
