//! The scene document: what is stored, exchanged, edited and checked.

mod check;
mod document;
mod edit;
mod values;

pub use check::{SceneError, check};
pub use document::{Asset, FORMAT, Node, Picture, Scene, Space, Thread, VERSION};
pub use edit::{Edit, EditError, Op, apply, value_at};
pub use values::{Params, Point, check_value};
