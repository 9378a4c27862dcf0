//! Which rider belongs on which strand, where it begins there, and how far it travels in a loop.

use crate::curve::{Curve, Strand};
use crate::fraction::Fraction;
use crate::random;
use std::cmp::Reverse;
use std::collections::{BTreeMap, BinaryHeap};

/// Where riders begin.
#[derive(Debug, Clone, PartialEq)]
pub enum RideSpacing {
    /// At even distances by length over the whole strand.
    Even,
    /// So many metres from one to the next.
    Distance(f64),
    /// At these phases in laps, over again where there are more riders; at least one.
    Given(Vec<f64>),
    /// Anywhere, from the seed.
    Random,
}

/// How riders are shared among strands.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sharing {
    /// By turns.
    ByTurns,
    /// Any strand, from the seed.
    AtRandom,
    /// The longer the strand the more of them; a rider keeps its strand when others come and go.
    ByLength,
}

/// How fast riders go.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Pace {
    /// Laps in one loop, exactly.
    Laps(Fraction),
    /// Frames for one lap; negative backwards, not 0.
    FramesPerLap(f64),
    /// Metres per frame.
    Speed(f64),
}

impl Pace {
    /// Laps in a loop of so many frames on a strand of so many metres.
    pub fn laps(self, frames: f64, length: f64) -> f64 {
        match self {
            Self::Laps(laps) => laps.value(),
            Self::FramesPerLap(lap) => frames / lap,
            Self::Speed(speed) => speed * frames / length,
        }
    }
}

/// Where a rider belongs.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Seat {
    /// Which strand.
    pub strand: usize,
    /// Laps at frame 0.
    pub phase: f64,
    /// Laps in one loop.
    pub laps: f64,
}

/// All that seats hang on.
#[derive(Debug, Clone)]
pub(in crate::motion) struct Seating {
    pub riders: usize,
    pub spacing: RideSpacing,
    pub sharing: Sharing,
    pub pace: Pace,
    /// Most by which a rider's laps in a loop differ from the others', to either side.
    pub pace_spread: f64,
    /// Riders' laps are rounded to a multiple of this; 0 leaves them.
    pub whole_laps: f64,
    pub spread: f64,
    pub seed: u64,
    /// How far some riders are moved off their place, laps.
    pub shifts: BTreeMap<usize, f64>,
    pub frames: f64,
}

/// Channels of the random numbers of a rider.
const SPREAD_CHANNEL: u64 = 1;
const STRAND_CHANNEL: u64 = 2;
const PHASE_CHANNEL: u64 = 3;
const PACE_CHANNEL: u64 = 4;

impl Seating {
    /// A seat for every rider.
    pub fn seats(&self, curve: &Curve) -> Vec<Seat> {
        let strands = curve.strands();
        let shared = self.strands(strands);
        let mut on_strand = vec![0_usize; strands.len()];
        shared.iter().for_each(|strand| on_strand[*strand] += 1);
        let mut seated = vec![0_usize; strands.len()];
        shared
            .into_iter()
            .enumerate()
            .map(|(rider, strand)| {
                let place = seated[strand];
                seated[strand] += 1;
                let length = strands[strand].length();
                let phase = match &self.spacing {
                    RideSpacing::Even => place as f64 / on_strand[strand] as f64,
                    RideSpacing::Distance(distance) => place as f64 * distance / length,
                    RideSpacing::Given(phases) => phases[place % phases.len()],
                    RideSpacing::Random => random::unit(self.seed, rider as u64, PHASE_CHANNEL),
                };
                let moved = self.spread * random::signed(self.seed, rider as u64, SPREAD_CHANNEL);
                let own = self.shifts.get(&rider).copied().unwrap_or(0.0);
                Seat { strand, phase: phase + moved + own, laps: self.laps(rider, length) }
            })
            .collect()
    }

    fn laps(&self, rider: usize, length: f64) -> f64 {
        let laps = self.pace.laps(self.frames, length);
        if self.pace_spread == 0.0 {
            return laps;
        }
        let laps = laps + self.pace_spread * random::signed(self.seed, rider as u64, PACE_CHANNEL);
        if self.whole_laps == 0.0 {
            return laps;
        }
        // None is to stand still only because it was slow.
        let steps = (laps / self.whole_laps).round();
        if steps == 0.0 { self.whole_laps * 1.0_f64.copysign(laps) } else { steps * self.whole_laps }
    }

    fn strands(&self, strands: &[Strand]) -> Vec<usize> {
        let count = strands.len();
        match self.sharing {
            Sharing::ByTurns => (0..self.riders).map(|rider| rider % count).collect(),
            Sharing::AtRandom => {
                (0..self.riders).map(|rider| random::index(self.seed, rider as u64, STRAND_CHANNEL, count)).collect()
            }
            Sharing::ByLength => by_length(strands, self.riders),
        }
    }
}

/// A length that can be compared.
#[derive(PartialEq)]
struct Claim(f64);

impl Eq for Claim {}

impl PartialOrd for Claim {
    fn partial_cmp(&self, other: &Self) -> Option<std::cmp::Ordering> {
        Some(self.cmp(other))
    }
}

impl Ord for Claim {
    fn cmp(&self, other: &Self) -> std::cmp::Ordering {
        self.0.total_cmp(&other.0)
    }
}

/// One after the other to the strand with most length for each that it would then have (Webster's method), so
/// that who comes later moves nobody.
fn by_length(strands: &[Strand], riders: usize) -> Vec<usize> {
    let mut given = vec![0_usize; strands.len()];
    let mut claims: BinaryHeap<(Claim, Reverse<usize>)> =
        strands.iter().enumerate().map(|(index, strand)| (Claim(strand.length()), Reverse(index))).collect();
    (0..riders)
        .map(|_| {
            let Some((_, Reverse(index))) = claims.pop() else { return 0 };
            given[index] += 1;
            let claim = strands[index].length() / (2 * given[index] + 1) as f64;
            claims.push((Claim(claim), Reverse(index)));
            index
        })
        .collect()
}
