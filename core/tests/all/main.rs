//! All tests of the core from outside it, in one executable.

mod anything;
mod bodies;
mod cases;
mod coast;
mod common;
mod compare;
mod crowd;
mod curves;
mod driving;
mod facing;
mod following;
mod formula;
mod graph;
mod impacts;
mod keys;
mod launch;
mod launching;
mod onward;
mod ride;
mod riding;
mod rolling;
mod scene;
mod simulated;
mod staying;
mod throwing;
mod workshop;
