//! Words of which one is chosen, as values of an enum.

use super::AXIS_NAMES;
use crate::pose::Axis;

/// An enum each of whose values has a word that stands for it in documents and on screen.
pub trait Choice: Copy + PartialEq + 'static {
    /// Its values, in the order in which they are offered.
    const ALL: &'static [Self];
    /// Their words, in the same order.
    const WORDS: &'static [&'static str];

    /// The value that a word stands for.
    fn from_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().zip(Self::ALL).find(|(own, _)| **own == word).map(|(_, value)| *value)
    }

    /// The word that stands for it.
    fn word(self) -> &'static str {
        let at = Self::ALL.iter().position(|value| *value == self);
        at.and_then(|at| Self::WORDS.get(at)).copied().unwrap_or_default()
    }
}

impl Choice for Axis {
    const ALL: &'static [Self] = &Self::ALL;
    const WORDS: &'static [&'static str] = AXIS_NAMES;
}

/// Makes an enum of words of which one is chosen, or gives words to one that is there.
///
/// ```
/// use zickzack_core::choice;
/// use zickzack_core::schema::Choice;
///
/// choice! {
///     /// Where a lantern hangs.
///     enum Hook { Eaves = "under the eaves", Pole = "on a pole" }
/// }
/// assert_eq!(Hook::WORDS, ["under the eaves", "on a pole"]);
/// assert_eq!(Hook::from_word("on a pole"), Some(Hook::Pole));
/// assert_eq!(Hook::Eaves.word(), "under the eaves");
/// ```
#[macro_export]
macro_rules! choice {
    ($(#[$about:meta])* $vis:vis enum $name:ident { $($(#[$own:meta])* $value:ident = $word:expr),+ $(,)? }) => {
        $(#[$about])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq)]
        $vis enum $name { $($(#[$own])* $value),+ }
        $crate::choice!($name { $($value = $word),+ });
    };
    ($name:ident { $($value:ident = $word:expr),+ $(,)? }) => {
        impl $crate::schema::Choice for $name {
            const ALL: &'static [Self] = &[$(Self::$value),+];
            const WORDS: &'static [&'static str] = &[$($word),+];
        }
    };
}
