//! Motion that comes from forces.

mod bodies;
mod changing;
mod coast;
mod launch;
mod launching;
mod lying;
mod onward;
mod rolling;
mod simulated;
mod taking_up;
mod throwing;
