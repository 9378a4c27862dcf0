//! Many things with lives of their own.

mod beginning;
mod blowing;
mod clips;
mod emitting;
mod flocking;
mod looking;
mod refusing;
mod rigs;
mod swarming;
mod telling;
