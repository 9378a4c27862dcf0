//! Things that are thrown.

mod params;
mod setup;

use crate::graph::{Closing, Context, Looks, Maker, Outcome, Own, Timing};
use crate::motion::Motion;
use crate::physics::{Launch, LaunchSetup, Toss, TossSetup};
use crate::scene::Fields;
use crate::schema::{Port, PortKind, Schema};
use crate::seam::{ThrowOffer, bounce_offers, toss_offers};
use crate::words::counted;
use glam::DVec3;
use params::{Aim, LaunchFields};
use serde_json::json;
use setup::{Thrown, thrown};
use std::sync::Arc;

/// Things that are thrown.
pub struct LaunchNode;

/// The ports of surfaces that things bounce off.
const OFF: [&str; 3] = ["surface", "second", "third"];

impl Maker for LaunchNode {
    type Own = LaunchFields;

    fn schema(&self) -> Schema {
        let off = |name| Port::optional(name, PortKind::Surface, "What else it bounces off; it must not move.");
        Schema {
            name: "launch",
            title: "Launch",
            group: "Travel",
            help: "Throws things and lets them bounce; pull the tip in the View to aim, or choose where they land.",
            inputs: vec![
                Port::optional(
                    "path",
                    PortKind::Path,
                    "Along which things start; their start is then off their place on it.",
                ),
                Port::optional(
                    "field",
                    PortKind::Surface,
                    "Over which things start, scattered evenly by the seed; their start is then off their place on it.",
                ),
            ]
            .into_iter()
            .chain(OFF.map(off))
            .collect(),
            output: Some(PortKind::Motion),
            params: LaunchFields::params(),
            uses_timing: true,
        }
    }

    fn sized_by(&self, own: &Own<'_, LaunchFields>, threaded: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        // What is thrown to and fro, or where there is nothing, meets nothing that it could bounce off.
        let meets = !own.sides.is_empty() || OFF.into_iter().any(threaded);
        (meets && !own.comes_back()).then_some((LaunchFields::size(), 0.5))
    }

    fn evaluate(&self, own: &LaunchFields, context: &Context<'_>) -> Result<Outcome, String> {
        match thrown(own, context)? {
            Thrown::On(setups, warnings) => Ok(thrown_on(own, context, setups, warnings)),
            Thrown::ToAndFro(setup) => Ok(to_and_fro(own, *setup, context)),
        }
    }
}

fn thrown_on(
    own: &LaunchFields,
    context: &Context<'_>,
    setups: Vec<LaunchSetup>,
    mut warnings: Vec<String>,
) -> Outcome {
    let timing = context.timing;
    let launch = Launch::solve_all(setups, 2.0 * timing.frames);
    if let Some(frame) = launch.capped() {
        warnings.push(format!(
            "From frame {frame:.1} on it bounces too often to be followed and is held: lower the bounciness."
        ));
    }
    let first = launch.setup(0);
    let mut facts = Vec::new();
    if launch.len() > 1 {
        facts.push(counted(launch.len(), "thing"));
    }
    facts.push(format!("let go at {:.2} m/s", first.velocity.length()));
    facts.push(counted(launch.touches(), "contact"));
    let motion = Arc::new(launch);
    let kept = motion.clone();
    let up = -first_pull(&kept);
    let (aim, sign) = (own.aim, own.gravity.0.signum());
    let offers = Arc::new(move |_: &_| {
        let mut offers = bounce_offers(&kept, timing.frames);
        offers.retain(|offer| !matches!(offer, ThrowOffer::Speed(_)) || aim == Aim::Throw);
        // A pull that is given as negative stays so.
        for offer in &mut offers {
            if let ThrowOffer::Gravity(to) = offer {
                *to *= sign;
            }
        }
        offers.into_iter().map(|offer| closing(&offer, kept.setup(0), up, timing)).collect()
    });
    let motion: Arc<dyn Motion> = motion;
    Outcome { warnings, facts, offers: Some(offers), ..Outcome::new(motion) }
}

/// Which way gravity pulls the first thing.
fn first_pull(launch: &Launch) -> DVec3 {
    launch.setup(0).air.gravity.normalize_or_zero()
}

/// An offer as a value of a parameter.
fn closing(offer: &ThrowOffer, setup: &LaunchSetup, up: DVec3, timing: Timing) -> Closing {
    match *offer {
        ThrowOffer::Bounciness(to) => {
            let text = format!("bounciness {:.2} → {to} (bounces as high for ever)", setup.bounciness);
            Closing::Value(LaunchFields::bounciness(), json!(to), text)
        }
        ThrowOffer::Gravity(to) => {
            let text = format!("gravity {:.2} → {to:.3} m/s² (whole bounces in the loop)", setup.air.gravity.length());
            Closing::Value(LaunchFields::gravity(), json!(to), text)
        }
        ThrowOffer::Speed(to) => {
            let text =
                format!("let go at {:.2} → {:.3} m/s (whole bounces in the loop)", setup.velocity.length(), to.abs());
            Closing::Value(LaunchFields::velocity(), json!((up * to).to_array()), text)
        }
        ThrowOffer::Flight(to) => {
            let frames = to * timing.fps;
            Closing::Value(
                LaunchFields::time(),
                json!(frames),
                format!("in flight {frames:.2} frames (whole rounds in the loop)"),
            )
        }
        ThrowOffer::Height(to) => {
            Closing::Value(LaunchFields::height(), json!(to), format!("rises by {to:.3} m (whole rounds in the loop)"))
        }
        ThrowOffer::Period(period) => Closing::Period(period),
    }
}

fn to_and_fro(own: &LaunchFields, setup: TossSetup, context: &Context<'_>) -> Outcome {
    let (timing, aim) = (context.timing, own.aim);
    let toss = Arc::new(Toss::new(setup));
    let mut facts = vec![
        format!("let go at {:.2} m/s", setup.velocities[0].length()),
        format!("{:.2} frames in flight", setup.flight * timing.fps),
        format!("a round in {:.2} frames", setup.round() * timing.fps),
    ];
    if setup.things > 1 {
        facts.push(format!("{:.2} frames from one to the next", setup.later()));
    }
    let kept = toss.clone();
    let offers = Arc::new(move |looks: &Looks| {
        let alike = looks.alike.windows(2).all(|pair| pair[0] == pair[1]);
        let nothing = LaunchSetup::free(setup.places[0], setup.velocities[0], setup.air);
        let mut offers = toss_offers(&kept, timing.frames, alike);
        // Only what the throw is aimed by changes it.
        offers.retain(|offer| match offer {
            ThrowOffer::Flight(_) => aim == Aim::Time,
            ThrowOffer::Height(_) => aim == Aim::Height,
            _ => true,
        });
        offers.into_iter().map(|offer| closing(&offer, &nothing, DVec3::Y, timing)).collect()
    });
    let closest = toss.closest();
    let toss: Arc<dyn Motion> = toss;
    Outcome { facts, offers: Some(offers), closest, ..Outcome::new(toss) }
}
