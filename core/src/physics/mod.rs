//! Motion that comes from forces.
//!
//! ```
//! use glam::DVec3;
//! use zickzack_core::motion::{Columns, Motion, Sample};
//! use zickzack_core::physics::{Air, Launch, LaunchSetup};
//!
//! // Thrown straight up at 9.81 m/s, 24 frames to a second: back after two seconds, as fast.
//! let air = Air::still(DVec3::NEG_Y * 9.81);
//! let setup = LaunchSetup { fps: 24.0, ..LaunchSetup::free(DVec3::ZERO, DVec3::Y * 9.81, air) };
//! let launch = Launch::solve(setup, 96.0);
//! let mut sample = Sample::default();
//! launch.sample(48.0, Columns::POSITION | Columns::VELOCITY, &mut sample);
//! assert!(sample.positions[0].length() < 1e-9);
//! ```

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
pub use ground::laid::{Laid, Lying};
pub use ground::rolling::{Prism, Roller, Standing};
pub use ground::settle::{Settle, SettleSetup};
pub use ground::trundle::{Trundle, Trundling};
pub use rigid::bodies::{Bodies, BodiesChange, BodiesSetup};
pub use rigid::solid::{BodyForm, Hull};
