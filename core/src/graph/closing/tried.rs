//! What offers leave open: each is taken in a copy of the scene, and the seam is measured there.

use super::offers::Offer;
use crate::graph::compile::{Workshop, compile};
use crate::graph::telling::report::{EndReport, SeamReport};
use crate::motion::MotionError;
use crate::scene::{Scene, check};
use crate::seam::measure;

/// By this part of it something has to be less for an offer to be worth making.
const BETTER: f64 = 1e-3;
/// With more things an offer is not tried.
const MOST_THINGS: usize = 2000;

/// Says of every offer of an end what it leaves open by itself; empty where it closes the loop. Those that better
/// nothing are taken out.
///
/// # Errors
/// Where it is cancelled, or takes too many looks.
pub fn try_offers(scene: &Scene, report: &mut EndReport, workshop: &Workshop<'_>) -> Result<(), MotionError> {
    if report.things > MOST_THINGS {
        return Ok(());
    }
    let node = report.node.clone();
    let mut kept = Vec::with_capacity(report.offers.len());
    for mut offer in std::mem::take(&mut report.offers) {
        if let Some(seam) = seam_after(scene, &offer, &node, workshop)? {
            if !betters(&report.seam, &seam) {
                continue;
            }
            offer.left = Some(left(&seam));
        }
        kept.push(offer);
    }
    report.offers = kept;
    Ok(())
}

/// True when something is less open, or leaps less often or less far, than it did.
fn betters(now: &SeamReport, then: &SeamReport) -> bool {
    let parts = |seam: &SeamReport| [seam.position, seam.velocity, seam.orientation, seam.spin];
    let farthest = |seam: &SeamReport| seam.leaps.first().map_or(0.0, |leap| leap.metres);
    let less = |(now, then): (f64, f64)| then < now - BETTER * now.max(1e-6);
    then.leap_count < now.leap_count
        || less((farthest(now), farthest(then)))
        || parts(now).into_iter().zip(parts(then)).any(less)
}

fn seam_after(
    scene: &Scene,
    offer: &Offer,
    node: &str,
    workshop: &Workshop<'_>,
) -> Result<Option<SeamReport>, MotionError> {
    let mut taken = scene.clone();
    if offer.node.is_empty() {
        let Some(frames) = offer.value.as_u64().and_then(|frames| u32::try_from(frames).ok()) else { return Ok(None) };
        taken.frames = frames;
    } else if let Some(of) = taken.node_mut(&offer.node) {
        of.params.insert(offer.param.clone(), offer.value.clone());
    }
    if check(&taken, workshop.schemas).is_err() {
        return Ok(None);
    }
    let compiled = compile(&taken, workshop);
    let Some(end) = compiled.ends.iter().find(|end| end.node == node) else { return Ok(None) };
    let timing = compiled.timing;
    match measure(&end.motion, timing.frames, timing.fps, workshop.cancel) {
        Ok(seam) => Ok(Some(SeamReport::from(&seam))),
        // What takes too much is not tried.
        Err(MotionError::TooMuch(_)) => Ok(None),
        Err(stopped) => Err(stopped),
    }
}

fn left(seam: &SeamReport) -> String {
    if seam.closes {
        return String::new();
    }
    if let Some(leap) = seam.leaps.first() {
        return format!("a leap of {:.3} m", leap.metres);
    }
    let parts = [
        (seam.position, 1e-6, "m"),
        (seam.orientation, 1e-4, "°"),
        (seam.velocity, 1e-6, "m/s"),
        (seam.spin, 1e-4, "°/s"),
    ];
    let open = parts.into_iter().find(|(amount, least, _)| amount > least);
    open.map_or(String::new(), |(amount, _, unit)| format!("{amount:.3} {unit}"))
}
