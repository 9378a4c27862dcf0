//! What the nodes that make figures share: the plane they are laid in, their place and turn.

use crate::curve::{Curve, Placement, Plane, placed};
use crate::graph::Context;
use crate::scene::Space;
use crate::schema::{Group, Param, Role, Spaces, Unit, Values};
use crate::words::sentence;
use glam::{DQuat, DVec3};

/// Plane, place and turn.
pub(in crate::nodes) fn params(plane: &'static str) -> [Param; 3] {
    [
        Param::new(
            "plane",
            "laid on",
            Group::Form,
            Values::Choice { options: Plane::NAMES, default: plane },
            "The plane in which it lies.",
        )
        .only_in(Spaces::Deep),
        Param::vector("at", "place", Group::Form, (Unit::Metres, [0.0; 3]), "Where it goes.").role(Role::Place),
        Param::number(
            "turn",
            "turn",
            Group::Form,
            (Unit::Degrees, 0.0, -36_000.0, 36_000.0),
            "How far it is turned within its plane, counterclockwise.",
        )
        .role(Role::Turn),
    ]
}

/// True in scenes that lie in z = 0.
pub(in crate::nodes) fn is_flat(context: &Context<'_>) -> bool {
    context.timing.space == Space::Flat
}

/// In z = 0 in flat scenes.
pub(in crate::nodes) fn level(context: &Context<'_>, place: DVec3) -> DVec3 {
    if is_flat(context) { place.with_z(0.0) } else { place }
}

/// The plane that was chosen; flat scenes have but one.
pub(in crate::nodes) fn plane(context: &Context<'_>) -> Plane {
    match context.timing.space {
        Space::Flat => Plane::Front,
        Space::Deep => Plane::from_name(&context.params.text("plane")).unwrap_or(Plane::Ground),
    }
}

/// The curve, made in z = 0, where it was asked to be.
pub(in crate::nodes) fn lay(context: &Context<'_>, curve: &Curve) -> Result<Curve, String> {
    let orientation = plane(context).turn() * DQuat::from_rotation_z(context.params.number("turn").to_radians());
    let position = level(context, context.params.vector("at"));
    placed(curve, &Placement { position, orientation, scale: 1.0 }).map_err(|error| sentence(&error.to_string()))
}
