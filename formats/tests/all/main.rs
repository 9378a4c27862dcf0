//! All tests of the formats from outside, in one executable.

mod animated;
mod bvh;
#[path = "../../../core/tests/all/cases.rs"]
mod cases;
mod csv;
mod demo;
mod forms;
mod glb;
mod model;
mod player;
mod recording;
mod svg;
mod table;
mod walkers;
mod walking;
