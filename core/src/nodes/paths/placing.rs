//! What the nodes that make figures share: the plane they are laid in, their place and turn.

use crate::curve::{Curve, Placement, Plane, placed};
use crate::graph::Context;
use crate::scene::{Fields, Space, fields};
use crate::schema::{Choice, Group, Param, Role, Spaces, Unit, Values, choice};
use crate::words::sentence;
use glam::{DQuat, DVec3};

choice!(Plane { Ground = "ground", Front = "front", Side = "side" });

impl Plane {
    /// The plane that was chosen; flat scenes have but one.
    pub(in crate::nodes) fn laid(self, context: &Context<'_>) -> Self {
        if is_flat(context) { Self::Front } else { self }
    }
}

/// On which plane it is laid.
pub(in crate::nodes) fn plane_param(default: Plane) -> Param {
    let values = Values::Choice { options: Plane::WORDS, default: default.word() };
    Param::new("laid on", Group::Form, values, "The plane in which it lies.").only_in(Spaces::Deep)
}

/// Where it is laid.
pub(in crate::nodes) const fn at_param() -> Param {
    Param::vector("place", Group::Form, (Unit::Metres, [0.0; 3]), "Where it goes.").role(Role::Place)
}

/// How it is turned there.
pub(in crate::nodes) const fn turn_param() -> Param {
    Param::number(
        "turn",
        Group::Form,
        (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
        "How far it is turned within its plane, counterclockwise.",
    )
    .role(Role::Turn)
}

fields! {
    /// Plane, place and turn.
    pub struct Lying {
        plane: Plane = plane_param(Plane::Ground),
        at: DVec3 = at_param(),
        turn: f64 = turn_param(),
    }
}

impl Lying {
    /// What they declare, on another plane by default.
    pub(in crate::nodes) fn on(plane: Plane) -> Vec<Param> {
        let mut params = Self::params();
        params[0] = plane_param(plane).named(Self::plane());
        params
    }

    /// The curve, made in z = 0, where it was asked to be.
    pub(in crate::nodes) fn lay(&self, context: &Context<'_>, curve: &Curve) -> Result<Curve, String> {
        let orientation = self.plane.laid(context).turn() * DQuat::from_rotation_z(self.turn.to_radians());
        let position = level(context, self.at);
        placed(curve, &Placement { position, orientation, scale: 1.0 }).map_err(|error| sentence(&error.to_string()))
    }
}

/// True in scenes that lie in z = 0.
pub(in crate::nodes) fn is_flat(context: &Context<'_>) -> bool {
    context.timing.space == Space::Flat
}

/// In z = 0 in flat scenes.
pub(in crate::nodes) fn level(context: &Context<'_>, place: DVec3) -> DVec3 {
    if is_flat(context) { place.with_z(0.0) } else { place }
}
