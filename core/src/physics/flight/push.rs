//! The push that gives a coast a wanted period.

use crate::curve::Path;
use crate::physics::{Coast, CoastFate, CoastSetup};
use crate::roots::{middle, try_halved};

/// The push, in metres per second, with which the period is `wanted` seconds, near the one there is; nothing where none
/// within twice its size is found. By halving.
pub fn push_for(path: &Path, setup: CoastSetup, wanted: f64) -> Option<f64> {
    let round = |coast: &Coast| matches!(coast.fate(), CoastFate::Round { .. });
    let now = round(&Coast::new(path.clone(), setup, 1.0));
    // To and fro is another motion than round, whatever their periods.
    let off = |push: f64| {
        let coast = Coast::new(path.clone(), CoastSetup { push, ..setup }, 1.0);
        coast.period().filter(|_| round(&coast) == now).map(|period| period - wanted)
    };
    let here = off(setup.push)?;
    // The nearest push on either side that is off the other way.
    const STEPS: i32 = 24;
    let other = (1..=STEPS).flat_map(|i| {
        let part = 0.04 * f64::from(i);
        [setup.push * (1.0 + part), setup.push * (1.0 - part)]
    });
    let other = other.into_iter().find(|push| off(*push).is_some_and(|there| there * here < 0.0))?;
    let found = middle(try_halved((setup.push, other), 60, |push| Some(off(push)? * here > 0.0))?);
    off(found).filter(|there| there.abs() < 1e-9 * wanted).map(|_| found)
}
