//! The scene document: what is stored, exchanged, edited and checked.

mod check;
mod difference;
mod document;
mod edit;
mod keyed;
mod kinds;
mod rate;
mod resolve;
mod values;

pub use check::{SceneError, check};
pub use difference::{Difference, differences, edit_between};
pub use document::{
    Asset, Backdrop, BakedFrom, Camera, FORMAT, Node, NodeGroup, Picture, Scene, Space, Thread, VERSION,
};
pub use edit::{Edit, EditError, Op, apply, part_at, replay, value_at};
pub use keyed::{BEYOND, beyond_of, keyed_number, scaled};
pub use kinds::{Kind, OwnLook};
pub use rate::{Keep, with_rate};
pub use resolve::{Mark, Resolved, resolve};
pub use values::{Params, Point, Signals, check_value};
