//! Motion that comes from forces.

mod aim;
mod air;
mod bodies;
mod changing;
mod coast;
mod dormand_prince;
mod launch;
mod obstacle;
mod push;
mod rolling;
mod scatter;
mod settle;
mod solid;
mod steps;
mod things;
mod throw;
mod toss;
mod trundle;

pub use aim::{Aimed, Wanted, aimed, apex};
pub use air::Air;
pub use bodies::{Bodies, BodiesChange, BodiesSetup};
pub use changing::{Changing, Weather, thrown_while_changing};
pub use coast::{Coast, CoastEnd, CoastFate, CoastSetup};
pub use launch::Launch;
pub use obstacle::{Bounds, Obstacle, Side};
pub use push::push_for;
pub use rolling::{Prism, Roller, Standing};
pub use scatter::{Scatter, scattered};
pub use settle::{Settle, SettleSetup};
pub use solid::{BodyForm, Hull};
pub use throw::LaunchSetup;
pub use toss::{Toss, TossSetup};
pub use trundle::{Trundle, Trundling};
