//! All tests of the server, in one executable.

mod api;
mod backup;
mod bodies;
mod common;
mod files;
mod live;
mod purging;
mod safety;
mod showing;
mod steady;
mod store;
mod telling;
mod trials;
mod versions;
mod writing;
