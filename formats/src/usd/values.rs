//! Names, texts and numbers as USD writes them.

use std::collections::BTreeMap;
use std::fmt::{self, Display, Formatter};

/// A name of a prim: letters of any kind are shown, ASCII stands in paths.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Name {
    /// An identifier, different from all others of one `Names`.
    pub identifier: String,
    /// As it was given.
    pub shown: String,
}

/// Identifiers that are in use, side by side.
#[derive(Debug, Default)]
pub(super) struct Names(BTreeMap<String, usize>);

impl Names {
    /// An identifier for a name that none has yet.
    pub fn name(&mut self, shown: &str) -> Name {
        let kept = shown.chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '_' });
        let mut identifier: String = kept.collect();
        if !identifier.starts_with(|c: char| c.is_ascii_alphabetic() || c == '_') {
            identifier.insert(0, '_');
        }
        let wanted = identifier.clone();
        while self.0.contains_key(&identifier) {
            let count = self.0.entry(wanted.clone()).or_insert(1);
            *count += 1;
            identifier = format!("{wanted}_{count}");
        }
        self.0.insert(identifier.clone(), 1);
        Name { identifier, shown: shown.to_owned() }
    }
}

/// A text in quotes.
pub(super) fn text(text: &str) -> String {
    let mut quoted = String::from("\"");
    for c in text.chars() {
        match c {
            '"' => quoted.push_str("\\\""),
            '\\' => quoted.push_str("\\\\"),
            '\n' => quoted.push_str("\\n"),
            '\r' => quoted.push_str("\\r"),
            '\t' => quoted.push_str("\\t"),
            c if c.is_control() => quoted.push(' '),
            c => quoted.push(c),
        }
    }
    quoted.push('"');
    quoted
}

/// A number in double precision, as short as it is exact.
pub(super) struct Number(pub f64);

impl Display for Number {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let size = self.0.abs();
        if size != 0.0 && !(1e-5..1e15).contains(&size) { write!(f, "{:e}", self.0) } else { write!(f, "{}", self.0) }
    }
}

/// What is less than this in single precision is written as 0.
const NOTHING: f64 = 1e-12;

/// The same in single precision.
pub(super) struct Single(pub f64);

impl Display for Single {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        // What is less is rounding.
        let single = if self.0.abs() < NOTHING { 0.0 } else { self.0 as f32 };
        let size = single.abs();
        if size != 0.0 && !(1e-5..1e9).contains(&size) { write!(f, "{single:e}") } else { write!(f, "{single}") }
    }
}

/// A few numbers in single precision.
pub(super) struct Tuple<const N: usize>(pub [f64; N]);

impl<const N: usize> Display for Tuple<N> {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str("(")?;
        for (i, number) in self.0.iter().enumerate() {
            write!(f, "{}{}", if i > 0 { ", " } else { "" }, Single(*number))?;
        }
        f.write_str(")")
    }
}

/// A place in double precision.
pub(super) struct Place(pub [f64; 3]);

impl Display for Place {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let [x, y, z] = self.0;
        write!(f, "({}, {}, {})", Number(x), Number(y), Number(z))
    }
}

/// A turn of x, y, z, w, as a unit with w in front.
pub(super) struct Turn(pub [f64; 4]);

impl Display for Turn {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let [x, y, z, w] = unit(self.0);
        Tuple([w, x, y, z]).fmt(f)
    }
}

/// A quaternion of length 1 along another.
fn unit(turn: [f64; 4]) -> [f64; 4] {
    let length = turn.iter().map(|x| x * x).sum::<f64>().sqrt();
    if length > 0.0 { turn.map(|x| x / length) } else { [0.0, 0.0, 0.0, 1.0] }
}

/// The same in half precision, as older readers want it.
pub(super) struct HalfTurn(pub [f64; 4]);

impl Display for HalfTurn {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        let [x, y, z, w] = unit(self.0);
        write!(f, "({w:.4}, {x:.4}, {y:.4}, {z:.4})")
    }
}

/// A matrix of columns in double precision: rows are written, and vectors stand in front of it.
pub(super) struct Matrix(pub glam::DMat4);

impl Display for Matrix {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str("(")?;
        for (i, [a, b, c, d]) in self.0.to_cols_array_2d().into_iter().enumerate() {
            let between = if i > 0 { ", " } else { "" };
            write!(f, "{between}({}, {}, {}, {})", Number(a), Number(b), Number(c), Number(d))?;
        }
        f.write_str(")")
    }
}

/// A list of what each is written as.
pub(super) struct List<I>(pub I);

impl<I: Iterator<Item: Display> + Clone> Display for List<I> {
    fn fmt(&self, f: &mut Formatter<'_>) -> fmt::Result {
        f.write_str("[")?;
        for (i, item) in self.0.clone().enumerate() {
            write!(f, "{}{item}", if i > 0 { ", " } else { "" })?;
        }
        f.write_str("]")
    }
}
