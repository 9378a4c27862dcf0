//! Motion that comes from forces.

mod flight;
mod ground;
mod rigid;

pub use flight::aim::{Aimed, Wanted, aimed, apex};
pub use flight::air::Air;
pub use flight::changing::{Changing, Weather, thrown_while_changing};
pub use flight::launch::Launch;
pub use flight::obstacle::{Bounds, Obstacle, Side};
pub use flight::push::push_for;
pub use flight::scatter::{Scatter, scattered};
pub use flight::throw::LaunchSetup;
pub use flight::toss::{Toss, TossSetup};
pub use ground::coast::{Coast, CoastEnd, CoastFate, CoastSetup};
pub use ground::rolling::{Prism, Roller, Standing};
pub use ground::settle::{Settle, SettleSetup};
pub use ground::trundle::{Trundle, Trundling};
pub use rigid::bodies::{Bodies, BodiesChange, BodiesSetup};
pub use rigid::solid::{BodyForm, Hull};
