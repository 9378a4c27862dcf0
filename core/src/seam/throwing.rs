//! What would close a throw.

use crate::fraction::Fraction;
use crate::motion::{Frames, Motion};
use crate::physics::{Launch, Toss, apex};

/// A value that would close it.
#[derive(Debug, Clone, PartialEq)]
pub enum ThrowOffer {
    /// Seconds in flight.
    Flight(f64),
    /// Metres that it rises over its start.
    Height(f64),
    /// Metres per second straight up; below 0 downwards.
    Speed(f64),
    /// Gravity, metres per second squared.
    Gravity(f64),
    /// Speed after a bounce by speed before.
    Bounciness(f64),
    /// It closes in loops of a whole multiple of so many frames.
    Period(Fraction),
}

/// How far from a whole number of rounds a loop may be and still close.
const WHOLE: f64 = 1e-9;

/// What would close things that are thrown to and fro in loops of so many frames; where they look alike, they may end
/// where another began.
pub fn toss_offers(toss: &Toss, frames: f64, alike: bool) -> Vec<ThrowOffer> {
    let setup = toss.setup();
    // In turns, evenly, one is where the next was after a part of the round.
    let even = setup.later.is_none_or(|later| (later * setup.things as f64 - setup.round() * setup.fps).abs() < WHOLE);
    let share = if alike && even { setup.things as f64 } else { 1.0 };
    let round = setup.round() * setup.fps / share;
    let times = frames / round;
    let near = times.round().max(1.0);
    if (times - near).abs() < WHOLE {
        return vec![ThrowOffer::Period(Fraction::near(round))];
    }
    let flights = if setup.is_upright() { 1.0 } else { 2.0 };
    let mut offers = Vec::new();
    for times in [near, near + 1.0, near - 1.0] {
        let flight = frames / times * share / setup.fps / flights - setup.held;
        if times < 1.0 || flight <= 0.0 {
            continue;
        }
        offers.push(ThrowOffer::Flight(flight));
        if let Some(velocity) = setup.air.thrown(setup.by(0), flight) {
            offers.push(ThrowOffer::Height(apex(&setup.air, velocity, -setup.air.gravity.normalize_or_zero())));
        }
        break;
    }
    offers.push(ThrowOffer::Period(Fraction::near(round)));
    offers
}

/// What would let a thing that is thrown straight up, or dropped, bounce in one place for ever, in loops of so many
/// frames; nothing where it does other things than that.
pub fn bounce_offers(launch: &Launch, frames: f64) -> Vec<ThrowOffer> {
    let setup = launch.setup(0);
    let pull = setup.air.gravity.length();
    let up = -setup.air.gravity.normalize_or_zero();
    let rising = setup.velocity.dot(up);
    let upright = (setup.velocity - up * rising).length() <= 1e-12 * setup.velocity.length();
    let calm = setup.air.linear == 0.0 && setup.air.quadratic == 0.0 && setup.changing.is_none();
    let touches = launch.contacts(Frames { from: setup.start_frame, to: setup.start_frame + frames.max(1.0) * 8.0 });
    let Some(first) =
        touches.first().filter(|touch| upright && calm && pull > 0.0 && touch.normal.dot(up) > 1.0 - 1e-12)
    else {
        return Vec::new();
    };
    if launch.len() > 1 {
        return Vec::new();
    }
    let mut offers = Vec::new();
    if setup.bounciness < 1.0 {
        offers.push(ThrowOffer::Bounciness(1.0));
    }
    // From one bounce to the next, when it bounces as high again: up and down at the speed of the first.
    let round = 2.0 * first.speed_in / pull * setup.fps;
    let times = (frames / round).round().max(1.0);
    if (frames / round - times).abs() > WHOLE {
        let wanted = frames / times / setup.fps;
        // What falling to the ground adds to the square of the speed: 2·g·h.
        let fallen = first.speed_in * first.speed_in - rising * rising;
        // The speed at the ground that is wanted, less what falling there gives.
        let ground = 0.5 * pull * wanted;
        let left = ground * ground - fallen;
        if rising != 0.0 && left > 0.0 {
            offers.push(ThrowOffer::Speed(left.sqrt() * rising.signum()));
        } else {
            // From T = 2·√(v² + 2·g·h) / g.
            let high = 2.0 * fallen / pull;
            let root = (high * high + 4.0 * wanted * wanted * rising * rising).sqrt();
            offers.push(ThrowOffer::Gravity((high + root) / (wanted * wanted)));
        }
    }
    offers.push(ThrowOffer::Period(Fraction::near(round)));
    offers
}
