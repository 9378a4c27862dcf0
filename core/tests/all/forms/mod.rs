//! Things that change their form along a path.

mod bending;
mod lettering;
mod refusing;
