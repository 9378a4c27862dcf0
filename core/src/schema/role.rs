//! What a parameter can be taken hold of as.

use serde::Serialize;

/// What a parameter can be taken hold of as, in the picture or on the dial.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[serde(tag = "kind", rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum Role {
    /// A vector: a place in space.
    Place,
    /// A vector: a velocity at the place that parameter `from` gives.
    Aim { from: &'static str },
    /// A number: something's size, that grows when the whole is scaled.
    Size,
    /// A number in degrees: the turn of the whole about the plane it lies in.
    Turn,
    /// A flag: whether the points run round.
    Closed,
    /// A number in laps: where on its path the first thing begins.
    Phase,
    /// Numbers in laps for some things: how far off their even place they begin.
    Shifts,
    /// Numbers in frames for some followers, by their rank as it is shown: how much later than their turn they are.
    Delays,
    /// Looks of single followers, by their rank as it is shown.
    Looks,
    /// A fraction: laps in one loop.
    Laps,
    /// A vector: the point of a thing that is carried, in sizes.
    Pivot,
    /// A number: how far round a thing something reaches, times what parameter `times` gives.
    Reach { times: &'static str },
    /// A number in degrees: the angle about the way of a thing in which it reaches there.
    Opening,
    /// A number: the radius of a tube round the path at the port `path`, times what parameter `times` gives, and what is drawn
    /// along the path in parameter `along`; once where there is none.
    Tube { times: Option<&'static str>, along: Option<&'static str> },
    /// A number: the part of the path at the port `path` over which a front has come, beyond 1 its rear; where it enters says
    /// parameter `from`, at the path's start unless it is the word `end` or `middle`; it goes outline by outline where parameter
    /// `outlines` is the word `turns`.
    Front { from: &'static str, end: &'static str, middle: &'static str, outlines: &'static str, turns: &'static str },
}
