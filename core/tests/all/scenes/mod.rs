//! Documents, and what is made of them.

mod amounts;
mod costs;
mod driving;
mod fields;
mod graph;
mod keyed;
mod saying;
mod scene;
mod work;
mod workshop;
