//! The scene document: what is stored, exchanged, edited and checked.

mod check;
mod difference;
mod document;
mod edit;
mod fields;
mod keyed;
mod kinds;
mod rate;
mod resolve;
mod values;

pub use crate::fields;
pub use check::{SceneError, check};
pub use difference::{Difference, differences, edit_between};
pub use document::{
    Asset, Backdrop, BakedFrom, Camera, FORMAT, Node, NodeGroup, Picture, Scene, Space, Thread, VERSION,
};
pub use edit::{Edit, EditError, Op, apply, part_at, replay, value_at};
pub use fields::{Field, Fields, Given, Numbers, named};
pub use keyed::{KeysBeyond, keyed_number, scaled};
pub use kinds::{Kind, OwnLook};
pub use rate::{Keep, with_rate};
pub use resolve::{Mark, Resolved, resolve, sentences};
pub use values::{Params, Point, Signals, check_value};
