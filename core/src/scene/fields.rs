//! The parameters of a node as fields of a struct: declared once, read as what they are.

use super::kinds::{Kind, OwnLook};
use super::values::{Params, Point};
use crate::fraction::Fraction;
use crate::schema::{Choice, Param, Values};
use crate::signal::{Driven, Key, Progression};
use glam::DVec3;
use serde_json::Value;
use std::collections::BTreeMap;

/// All parameters of a node, or some that several nodes share. Made by [`fields!`](crate::fields).
pub trait Fields: Sized {
    /// What they declare, in the order of the Card.
    fn params() -> Vec<Param>;

    /// What a node of a checked scene gives for them.
    fn read(params: &Params<'_>) -> Self;
}

impl Fields for () {
    fn params() -> Vec<Param> {
        Vec::new()
    }

    fn read(_: &Params<'_>) -> Self {}
}

/// What a parameter is read as.
pub trait Field: Sized {
    /// True for values that it can be read from.
    fn takes(values: &Values) -> bool;

    /// What a node of a checked scene gives for the parameter of that name.
    fn of(params: &Params<'_>, name: &str) -> Self;
}

/// Reads a kind of values by a method of the parameters.
macro_rules! read {
    ($($type:ty: $values:pat => |$params:ident, $name:ident| $how:expr;)+) => {
        $(impl Field for $type {
            fn takes(values: &Values) -> bool {
                matches!(values, $values)
            }

            fn of($params: &Params<'_>, $name: &str) -> Self {
                $how
            }
        })+
    };
}

read! {
    f64: Values::Number { .. } => |params, name| params.number(name);
    Driven: Values::Number { .. } | Values::Fraction { .. } => |params, name| params.driven(name);
    i64: Values::Whole { .. } => |params, name| params.whole(name);
    u32: Values::Whole { min: 0.., max: ..=0xFFFF_FFFF, .. } => |params, name| params.whole(name).unsigned_abs() as Self;
    u64: Values::Whole { min: 0.., .. } => |params, name| params.whole(name).unsigned_abs();
    usize: Values::Whole { min: 0.., .. } => |params, name| params.whole(name).unsigned_abs() as Self;
    Fraction: Values::Fraction { .. } => |params, name| params.fraction(name);
    bool: Values::Flag { .. } => |params, name| params.flag(name);
    DVec3: Values::Vector { .. } => |params, name| params.vector(name);
    [Driven; 3]: Values::Vector { .. } => |params, name| params.driven_vector(name);
    String: Values::Text { .. } | Values::Asset { .. } | Values::Formula { .. } | Values::Colour { .. }
        | Values::Fraction { .. } => |params, name| params.text(name);
    Numbers: Values::Text { .. } => |params, name| params.listed(name);
    Vec<Point>: Values::Points | Values::MovedPoints => |params, name| params.points(name);
    Vec<Key>: Values::Keys => |params, name| params.keys(name);
    Vec<Kind>: Values::Kinds { .. } => |params, name| params.kinds(name);
    BTreeMap<usize, OwnLook>: Values::Looks { .. } => |params, name| params.looks(name);
    BTreeMap<usize, f64>: Values::PerThing { .. } => |params, name| params.per_thing(name);
    Progression: Values::Drawn { .. } => |params, name| params.drawn(name);
    Given: _ => |params, name| Self(params.given(name).cloned());
}

/// A word of which nothing is known is read as the first: the checks let none pass.
impl<C: Choice> Field for C {
    fn takes(values: &Values) -> bool {
        matches!(values, Values::Choice { options, .. } if *options == C::WORDS)
    }

    fn of(params: &Params<'_>, name: &str) -> Self {
        C::from_word(&params.text(name)).unwrap_or(C::ALL[0])
    }
}

impl<C: Choice> Field for Vec<C> {
    fn takes(values: &Values) -> bool {
        matches!(values, Values::Several { options, .. } if *options == C::WORDS)
    }

    fn of(params: &Params<'_>, name: &str) -> Self {
        let chosen = params.several(name);
        C::ALL.iter().copied().filter(|value| chosen.iter().any(|word| word == value.word())).collect()
    }
}

/// One parameter, read in two ways.
impl<A: Field, B: Field> Field for (A, B) {
    fn takes(values: &Values) -> bool {
        A::takes(values) && B::takes(values)
    }

    fn of(params: &Params<'_>, name: &str) -> Self {
        (A::of(params, name), B::of(params, name))
    }
}

/// What stands in the document for a parameter, unless it says nothing or a thread comes before it.
pub struct Given(pub Option<Value>);

/// A text with numbers.
pub struct Numbers {
    pub(super) text: String,
    pub(super) label: &'static str,
}

impl Numbers {
    /// The numbers, with spaces, commas or semicolons between them, at least one, each within ±`most`; or a sentence
    /// that names the first that is none.
    ///
    /// # Errors
    /// A sentence that names the first that is none.
    pub fn within(&self, most: f64) -> Result<Vec<f64>, String> {
        let label = self.label;
        let number = |word: &str| {
            let number = word.parse::<f64>().ok().filter(|number| number.is_finite() && number.abs() <= most);
            number.ok_or_else(|| format!("There is \"{word}\" in {label}: write numbers within ±{most}, such as 0.25."))
        };
        let words = self.text.split([' ', ',', ';']).filter(|word| !word.is_empty());
        let numbers: Vec<f64> = words.map(number).collect::<Result<_, _>>()?;
        if numbers.is_empty() {
            Err(format!("There is no number in {label}: write at least one, such as 0.25."))
        } else {
            Ok(numbers)
        }
    }
}

/// The name in documents of a field: `-` where Rust has `_`.
pub const fn named<const N: usize>(field: &str) -> [u8; N] {
    let (bytes, mut name, mut at) = (field.as_bytes(), [0; N], 0);
    while at < N {
        name[at] = if bytes[at] == b'_' { b'-' } else { bytes[at] };
        at += 1;
    }
    name
}

/// Declares the parameters of a node as a struct. Each field says how it is read and, after `=`, what it declares; its
/// name in documents is its own, with `-` for `_`. After `=>` stand the parameters of fields that several nodes share.
/// For each field there is a function of the same name that gives its name in documents.
///
/// ```
/// use zickzack_core::scene::Fields;
/// use zickzack_core::schema::{Choice, Group, Param, Unit};
/// use zickzack_core::{choice, fields};
///
/// choice! {
///     enum Hook { Eaves = "under the eaves", Pole = "on a pole" }
/// }
/// fields! {
///     /// What a lantern is told.
///     struct Lantern {
///         hook: Hook = Param::choice("hangs", Group::Form, Hook::WORDS, "Where it hangs."),
///         pole_height: f64 = Param::number("pole", Group::Form, (Unit::Metres, 3.0, 0.0, 20.0), "How high that is."),
///     }
/// }
/// assert_eq!(Lantern::params().iter().map(|param| param.name).collect::<Vec<_>>(), ["hook", "pole-height"]);
/// assert_eq!(Lantern::pole_height(), "pole-height");
/// ```
#[macro_export]
macro_rules! fields {
    ($(#[$about:meta])* $vis:vis struct $name:ident {
        $($(#[$own:meta])* $field:ident: $type:ty $(= $param:expr)? $(=> $shared:expr)?),* $(,)?
    }) => {
        $(#[$about])*
        $vis struct $name {
            $($(#[$own])* pub $field: $type),*
        }

        // Not each name is asked for.
        #[allow(dead_code)]
        impl $name {
            $(
                /// Its name in documents.
                $vis const fn $field() -> &'static str {
                    const FIELD: &str = stringify!($field);
                    const NAME: [u8; FIELD.len()] = $crate::scene::named(FIELD);
                    match core::str::from_utf8(&NAME) {
                        Ok(name) => name,
                        Err(_) => FIELD,
                    }
                }
            )*
        }

        impl $crate::scene::Fields for $name {
            fn params() -> Vec<$crate::schema::Param> {
                let mut params = Vec::new();
                $(
                    $(
                        let param = $param.named(Self::$field());
                        debug_assert!(<$type as $crate::scene::Field>::takes(&param.values), "{param:?}");
                        params.push(param);
                    )?
                    $(params.extend($shared);)?
                )*
                params
            }

            fn read(params: &$crate::scene::Params<'_>) -> Self {
                Self { $($field: <$type as $crate::scene::Field>::of(params, Self::$field())),* }
            }
        }

        // Where they are shared, the names are theirs and not that of the field that holds them.
        impl $crate::scene::Field for $name {
            fn takes(_: &$crate::schema::Values) -> bool {
                false
            }

            fn of(params: &$crate::scene::Params<'_>, _: &str) -> Self {
                <Self as $crate::scene::Fields>::read(params)
            }
        }
    };
}
