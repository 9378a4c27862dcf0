//! All tests of the interface, in one executable.

mod baking;
mod bench;
mod crowding;
mod day;
mod driving;
mod forming;
mod handing;
mod planes;
mod standing;
mod surface;
mod throwing;
mod turning;
mod weave;
mod workshop;
