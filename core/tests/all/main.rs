//! All tests of the core from outside it, in one executable.

mod anything;
mod axes;
mod cases;
mod common;
mod crowds;
mod curves;
mod forces;
mod forms;
mod formula;
mod keys;
mod meshes;
mod moving;
mod random;
mod rooms;
mod scenes;
mod sizes;
