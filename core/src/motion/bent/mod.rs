//! Things whose form is bent along a path: a strip, or a model of one's own.
//!
//! A point (x, y, z) of the thing at rest, x from 0 at its tail to its length, goes to P(s) + size(s)·R(s)·(0, y, z), where s
//! goes evenly with x and R are the path's axes with a roll. It is carried there by a chain of joints, evenly apart along x:
//! each corner of its mesh hangs on the two joints beside it, by how near they are. What a thing's joints are follows from
//! where it lies on the path ([`Lying`]), which is a column of a sample; so it goes along through whatever shows things
//! later, elsewhere, or among others.

mod along;
mod banking;
mod chain;
mod cloth;
mod form;
mod lying;

pub use along::{BentAlong, Placing, Reach};
pub use banking::Banking;
pub use chain::{Bend, Sections, Tight};
pub use cloth::Cloth;
pub use form::{BentForm, Strip, StripEnd};
pub use lying::Lying;
