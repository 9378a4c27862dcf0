//! All tests of the server, in one executable.

mod api;
mod backup;
mod bodies;
mod common;
mod live;
mod purging;
mod safety;
mod showing;
mod steady;
mod telling;
mod trials;
mod versions;
mod writing;
