//! The functions of GLSL that take and give single floats, by its definitions.

use std::f64::consts::{LN_2, PI};

/// A function of one to three numbers.
#[derive(Debug, Clone, Copy)]
pub enum Function {
    /// Of one number.
    One(fn(f64) -> f64),
    /// Of two numbers.
    Two(fn(f64, f64) -> f64),
    /// Of three numbers.
    Three(fn(f64, f64, f64) -> f64),
}

impl Function {
    /// How many numbers it takes.
    pub const fn takes(self) -> usize {
        match self {
            Self::One(_) => 1,
            Self::Two(_) => 2,
            Self::Three(_) => 3,
        }
    }
}

use Function::{One, Three, Two};

/// Names in formulas; `atan` takes one number or two.
pub const FUNCTIONS: &[(&str, Function)] = &[
    ("radians", One(|x| x * (PI / 180.0))),
    ("degrees", One(|x| x * (180.0 / PI))),
    ("sin", One(libm::sin)),
    ("cos", One(libm::cos)),
    ("tan", One(libm::tan)),
    ("asin", One(libm::asin)),
    ("acos", One(libm::acos)),
    ("atan", One(libm::atan)),
    ("atan", Two(libm::atan2)),
    ("sinh", One(libm::sinh)),
    ("cosh", One(libm::cosh)),
    ("tanh", One(libm::tanh)),
    ("asinh", One(libm::asinh)),
    ("acosh", One(libm::acosh)),
    ("atanh", One(libm::atanh)),
    ("pow", Two(libm::pow)),
    ("exp", One(libm::exp)),
    ("log", One(libm::log)),
    ("exp2", One(libm::exp2)),
    ("log2", One(|x| libm::log(x) / LN_2)),
    ("sqrt", One(f64::sqrt)),
    ("inversesqrt", One(|x| 1.0 / x.sqrt())),
    ("abs", One(f64::abs)),
    ("sign", One(sign)),
    ("floor", One(f64::floor)),
    ("trunc", One(f64::trunc)),
    ("round", One(f64::round)),
    ("roundEven", One(f64::round_ties_even)),
    ("ceil", One(f64::ceil)),
    ("fract", One(|x| x - x.floor())),
    ("mod", Two(|x, y| x - y * (x / y).floor())),
    ("min", Two(least)),
    ("max", Two(most)),
    ("clamp", Three(|x, low, high| least(most(x, low), high))),
    ("mix", Three(|a, b, t| a * (1.0 - t) + b * t)),
    ("step", Two(|edge, x| if x < edge { 0.0 } else { 1.0 })),
    ("smoothstep", Three(smoothstep)),
];

fn sign(x: f64) -> f64 {
    if x > 0.0 {
        1.0
    } else if x < 0.0 {
        -1.0
    } else {
        x
    }
}

/// y where y < x, as GLSL has it.
fn least(x: f64, y: f64) -> f64 {
    if y < x { y } else { x }
}

fn most(x: f64, y: f64) -> f64 {
    if x < y { y } else { x }
}

fn smoothstep(from: f64, to: f64, x: f64) -> f64 {
    let t = least(most((x - from) / (to - from), 0.0), 1.0);
    t * t * (3.0 - 2.0 * t)
}
