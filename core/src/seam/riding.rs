//! What would close a ride.

use super::closing::{lap_offers, symmetry_order};
use crate::fraction::{Fraction, greatest_common_divisor};
use crate::motion::{Pace, Ride, RideEnd, RideSpacing};
use std::collections::BTreeMap;

/// A change of a ride that would close it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum RideOffer {
    /// The laps of each rounded to whole ones.
    Rounded,
    /// Another pace, in the unit of the ride's: so many laps in a loop, after which so many riders trade places; 0 where
    /// each is back in its own, 1 where there is but one.
    Pace { pace: Pace, laps: Fraction, trading: usize },
    /// So many riders.
    Riders(usize),
    /// No spread of their places.
    NoSpread,
    /// No places of their own.
    NoShifts,
    /// Places as far from each other all the way.
    Even,
}

/// A ride with what it takes to find values that close it.
pub struct RideClosing {
    ride: Ride,
    pace: Pace,
    frames: f64,
}

/// Riders beyond which no count is offered.
const MOST_RIDERS: i64 = 10_000;

impl RideClosing {
    /// `pace` is that of the ride, in loops of `frames` frames.
    pub fn new(ride: &Ride, pace: Pace, frames: f64) -> Self {
        Self { ride: ride.clone(), pace, frames }
    }

    /// There and back is one round for riders that turn back.
    fn round(&self) -> i64 {
        if self.ride.end() == RideEnd::TurnBack { 2 } else { 1 }
    }

    /// Phases in rounds, by strand and look.
    fn groups(&self, ride: &Ride, looks: &[u64]) -> Vec<Vec<f64>> {
        let riders = ride.seats().len();
        let mut groups: BTreeMap<(usize, Vec<u64>), Vec<f64>> = BTreeMap::new();
        for (object, (strand, phase)) in ride.phases().into_iter().enumerate() {
            // A rider looks as it and all that follow it do.
            let whole = looks.len() >= riders && looks.len().is_multiple_of(riders);
            let look = if whole { looks[object..].iter().step_by(riders).copied().collect() } else { Vec::new() };
            groups.entry((strand, look)).or_default().push(phase / self.round() as f64);
        }
        groups.into_values().collect()
    }

    fn order(groups: &[Vec<f64>]) -> i64 {
        groups.iter().map(|phases| symmetry_order(phases) as u64).fold(0, greatest_common_divisor).max(1) as i64
    }

    /// The laps that all riders have, when they have the same; in rounds.
    fn laps(&self) -> Option<Fraction> {
        let seats = self.ride.seats();
        let first = seats.first()?.laps;
        let same = seats.iter().all(|seat| (seat.laps - first).abs() <= 1e-12 * first.abs());
        let laps = if let Pace::Laps(laps) = self.pace { laps } else { Fraction::near(first) };
        same.then(|| Fraction::new(laps.numerator(), laps.denominator() * self.round()))?
    }

    /// Laps near those that driven riders cover, after which they look as they began; none where they do already.
    pub fn laps_near(&self, covered: f64, looks: &[u64]) -> Vec<Fraction> {
        let groups = self.groups(&self.ride, looks);
        let rounds = covered / self.round() as f64;
        let steps = rounds * Self::order(&groups) as f64;
        if rounds == 0.0 || (steps - steps.round()).abs() < 1e-9 {
            return Vec::new();
        }
        let found = lap_offers(Fraction::near(rounds), &groups).into_iter();
        found.filter_map(|offer| offer.laps.times(self.round())).collect()
    }

    /// Changes that close it, each by itself; nearest first. Other counts only where all riders, and more of them,
    /// look the `same`.
    pub fn offers(&self, looks: &[u64], same: bool) -> Vec<RideOffer> {
        if self.ride.wanders() {
            return vec![RideOffer::Rounded];
        }
        let Some(laps) = self.laps().filter(|_| !self.ride.rounded()) else { return Vec::new() };
        let groups = self.groups(&self.ride, looks);
        if laps.times(Self::order(&groups)).is_none_or(Fraction::is_whole) {
            return Vec::new();
        }
        let paces =
            lap_offers(laps, &groups).into_iter().filter_map(|offer| self.pace_offer(offer.laps, offer.trading));
        let count = if same { self.count_offer(laps) } else { None };
        paces.chain(count).chain(self.place_offers(laps, looks)).collect()
    }

    fn pace_offer(&self, rounds: Fraction, trading: usize) -> Option<RideOffer> {
        let laps = rounds.times(self.round())?;
        let pace = match self.pace {
            Pace::Laps(_) => Pace::Laps(laps),
            Pace::FramesPerLap(_) => Pace::FramesPerLap(self.frames / laps.value()),
            Pace::Speed(now) => {
                let length = now * self.frames / self.ride.seats().first()?.laps;
                Pace::Speed(laps.value() * length / self.frames)
            }
        };
        Some(RideOffer::Pace { pace, laps, trading })
    }

    /// Evenly spaced riders close at these laps when they are a multiple of their denominator.
    fn count_offer(&self, laps: Fraction) -> Option<RideOffer> {
        let riders = self.ride.seats().len() as i64;
        let below = riders / laps.denominator() * laps.denominator();
        let near = if below > 0 && riders - below < below + laps.denominator() - riders {
            below
        } else {
            below + laps.denominator()
        };
        let other = Ride::clone(&self.ride).with_riders(usize::try_from(near).ok()?);
        let closes = near != riders && near <= MOST_RIDERS && self.closes(&other, laps, &[]);
        closes.then_some(RideOffer::Riders(near as usize))
    }

    /// What makes the places even again, where that closes it.
    fn place_offers(&self, laps: Fraction, looks: &[u64]) -> Vec<RideOffer> {
        let ride = || self.ride.clone();
        let (spread, shifts) = (ride().spread(0.0), ride().shifted(BTreeMap::new()));
        let even = ride().spaced(RideSpacing::Even);
        let ways = [(RideOffer::NoSpread, spread), (RideOffer::NoShifts, shifts), (RideOffer::Even, even)];
        let found = ways.into_iter().filter(|(_, other)| self.closes(other, laps, looks));
        found.map(|(offer, _)| offer).collect()
    }

    fn closes(&self, ride: &Ride, laps: Fraction, looks: &[u64]) -> bool {
        laps.times(Self::order(&self.groups(ride, looks))).is_some_and(Fraction::is_whole)
    }

    /// The frames after which it looks as it began, where that does not hang on the loop's length.
    pub fn periods(&self, looks: &[u64]) -> Vec<Fraction> {
        let Pace::FramesPerLap(lap) = self.pace else { return Vec::new() };
        if self.ride.wanders() || self.ride.rounded() {
            return Vec::new();
        }
        let order = Self::order(&self.groups(&self.ride, looks));
        let lap = Fraction::near(lap.abs());
        Fraction::new(lap.numerator() * self.round(), lap.denominator() * order).into_iter().collect()
    }
}
