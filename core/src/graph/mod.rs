//! From a scene to functions of time: evaluation in order, remembered by content, within budgets.

mod channels;
mod compile;
mod fitting;
mod memo;
mod miniature;
mod moving;
mod node;
mod recalled;
mod recorder;
mod report;
mod shown;
mod tried;
mod watched;

pub use channels::Channel;
pub use compile::{Compiled, End, NodeResult, Workshop, compile};
pub use memo::{Key, Memo};
pub use miniature::{LivingMiniature, Miniature};
pub use node::{
    Assets, Closing, Context, Looks, Mend, NodeType, Offer, OfferMaker, Outcome, PathProduct, Product, Timing,
    curve_facts, no_assets,
};
pub use recorder::{AtOnce, Order, Recorder, Taken};
pub use report::{EndReport, KindReport, LONGEST_ORBIT, NodeReport, SeamReport, report};
pub use tried::try_offers;
