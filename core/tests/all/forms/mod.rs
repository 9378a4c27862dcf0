//! Things that change their form along a path.

mod banking;
mod bending;
mod bodies;
mod denting;
mod lettering;
mod refusing;
mod strips;
