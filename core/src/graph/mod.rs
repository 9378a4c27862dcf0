//! From a scene to functions of time: evaluation in order, remembered by content, within budgets.

mod assets;
mod budget;
mod channels;
mod compile;
mod fitting;
mod memo;
mod miniature;
mod moving;
mod node;
mod offers;
mod product;
mod recalled;
mod recorder;
mod report;
mod shown;
mod tried;
mod watched;

pub use assets::{Assets, no_assets};
pub use channels::Channel;
pub use compile::{Compiled, End, NodeResult, Workshop, compile};
pub use memo::{Key, Memo};
pub use miniature::{LivingMiniature, Miniature};
pub use node::{Context, Mend, NodeType, OUTPUT, Outcome, Timing};
pub use offers::{Closing, Looks, Offer, OfferMaker};
pub use product::{PathProduct, Product, curve_facts};
pub use recorder::{AtOnce, Order, Recorder, Taken};
pub use report::{EndReport, KindReport, LONGEST_ORBIT, NodeReport, SeamReport, report};
pub use tried::try_offers;
