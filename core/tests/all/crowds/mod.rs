//! Many things with lives of their own.

mod emitting;
mod looking;
mod refusing;
mod swarming;
