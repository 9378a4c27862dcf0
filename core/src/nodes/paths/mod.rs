//! Where paths come from.

pub mod drawn_path;
pub mod figure;
pub mod formula_path;
pub mod lettering;
pub mod placing;
pub mod point_table;
pub mod sheaf;
pub mod svg_path;
pub mod torus_winding;
pub mod wake;
