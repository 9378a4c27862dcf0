//! What is worked out frame by frame, each from the one before: begun anew only from where it is not the same any more.

use crate::motion::{Cancel, Kept, Recording};
use serde::Serialize;
use std::any::Any;
use std::collections::BTreeMap;
use std::sync::Arc;

/// A state to go on from.
pub type Stand = Arc<dyn Any + Send + Sync>;

/// Something whose every frame hangs on the frame before and on what it takes in meanwhile. Equal in kind and in all that
/// was taken in, two of them give equal frames, bit for bit.
pub trait Simulated: Send {
    /// A uniform scale for each of its things, at least one.
    fn scales(&self) -> Arc<[f64]>;

    /// Metres from end to end of the smallest of them.
    fn size(&self) -> f64;

    /// Equal where everything is that does not change over time.
    fn kind(&self) -> [u8; 32];

    /// Derived figures worth reading.
    fn facts(&self) -> Vec<String>;

    /// What is taken in on the way to a frame, as a digest; that of frame 0 holds what it begins from.
    fn takes_in(&mut self, frame: usize) -> [u8; 32];

    /// How things begin, the state after it being that of frame 0.
    fn begin(&mut self) -> Kept;

    /// The next frame, from the state of the frame before; `takes_in` of that frame was asked before.
    fn next(&mut self, frame: usize) -> Kept;

    /// The state it is in.
    fn state(&self) -> Stand;

    /// Takes up a state that `state` of its like has given; false when that is none of its own.
    fn take_up(&mut self, state: &Stand) -> bool;
}

/// How far it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Progress {
    /// Frames that are there.
    pub done: usize,
    /// Frames that are wanted.
    pub of: usize,
    /// True where nobody works at it any more.
    pub stopped: bool,
}

/// What was worked out so far, and what it takes to go on from there or from before.
#[derive(Clone)]
pub struct Take {
    /// Of the first frame.
    pub from: f64,
    /// Frames that are wanted, the first included.
    pub of: usize,
    /// A scale for each thing.
    pub scales: Arc<[f64]>,
    /// Metres from end to end of the smallest thing.
    pub size: f64,
    /// Figures worth reading.
    pub facts: Vec<String>,
    /// As many frames as there are so far.
    pub frames: Vec<Arc<Kept>>,
    kind: [u8; 32],
    taken: Vec<[u8; 32]>,
    stands: BTreeMap<usize, Stand>,
}

/// States that are kept of a take.
const STANDS: usize = 8;

impl Take {
    /// One that was kept elsewhere, complete.
    pub fn known(from: f64, (scales, size): (Arc<[f64]>, f64), facts: Vec<String>, frames: Vec<Arc<Kept>>) -> Self {
        let (taken, stands) = (Vec::new(), BTreeMap::new());
        Self { from, of: frames.len(), scales, size, facts, frames, kind: [0; 32], taken, stands }
    }

    /// True when all that is wanted is there.
    pub fn is_complete(&self) -> bool {
        self.frames.len() >= self.of
    }

    /// How far it is.
    pub fn progress(&self, stopped: bool) -> Progress {
        Progress { done: self.frames.len(), of: self.of, stopped }
    }

    /// What is there, to be looked at; nothing before the first frame.
    pub fn recording(&self) -> Option<Recording> {
        let some = !self.frames.is_empty();
        some.then(|| Recording::new(self.from, self.frames.clone(), self.scales.clone(), self.size))
    }

    /// How many of its first frames another of this kind has too.
    fn shared(&self, kind: &[u8; 32], of: usize, mut takes_in: impl FnMut(usize) -> [u8; 32]) -> usize {
        if self.kind != *kind {
            return 0;
        }
        let most = self.frames.len().min(self.taken.len()).min(of);
        (0..most).take_while(|&frame| self.taken[frame] == takes_in(frame)).count()
    }
}

/// What was worked out before.
#[derive(Clone)]
pub struct Earlier {
    /// What there is of it.
    pub take: Arc<Take>,
    /// True where it is known to be of the very same, so that what it has need not be compared.
    pub same: bool,
}

/// Works `of` frames out, the first included, at least 1. Those that one of the `earlier` takes has too are taken from it;
/// the first other one is worked out from the nearest state before it. `each` sees the take after every new frame, and
/// with the frames that are known. A cancelled one ends early and can be gone on from.
pub fn record(
    simulated: &mut dyn Simulated,
    (from, of): (f64, usize),
    earlier: &[Earlier],
    cancel: &Cancel,
    each: &mut dyn FnMut(&Take),
) -> Take {
    let kind = simulated.kind();
    let (scales, size, facts) = (simulated.scales(), simulated.size(), simulated.facts());
    let mut take = Take {
        from,
        of,
        scales,
        size,
        facts,
        kind,
        frames: Vec::with_capacity(of),
        taken: Vec::with_capacity(of),
        stands: BTreeMap::new(),
    };
    let mut taken: Vec<[u8; 32]> = Vec::new();
    let mut takes_in = |frame: usize| {
        while taken.len() <= frame {
            taken.push(simulated.takes_in(taken.len()));
        }
        taken[frame]
    };
    let mut best: Option<(usize, &Take)> = None;
    for Earlier { take: known, same } in earlier {
        let shared = known.shared(&kind, of, |frame| if *same { known.taken[frame] } else { takes_in(frame) });
        if shared > best.map_or(0, |(most, _)| most) {
            best = Some((shared, known));
        }
    }
    let mut at = None;
    if let Some((shared, known)) = best {
        take.frames.extend_from_slice(&known.frames[..shared]);
        take.taken.extend_from_slice(&known.taken[..shared]);
        take.stands = known.stands.range(..shared).map(|(&frame, stand)| (frame, stand.clone())).collect();
        each(&take);
        let nearest = take.stands.iter().next_back();
        at = nearest.filter(|(_, stand)| simulated.take_up(stand)).map(|(&frame, _)| frame);
    }
    let apart = (of / STANDS).max(4);
    while take.frames.len() < of && !cancel.cancelled() {
        let frame = at.map_or(0, |at: usize| at + 1);
        // Asked for again where it was known: what is taken in is then at hand.
        let takes = simulated.takes_in(frame);
        let kept = if frame == 0 { simulated.begin() } else { simulated.next(frame) };
        at = Some(frame);
        if frame < take.frames.len() {
            continue;
        }
        take.frames.push(Arc::new(kept));
        take.taken.push(takes);
        if frame % apart == apart - 1 {
            take.stands.insert(frame, simulated.state());
        }
        each(&take);
    }
    // Whoever goes on does so from here; where others begin is not known.
    if let Some(at) = at.filter(|&at| at + 1 == take.frames.len()) {
        take.stands.insert(at, simulated.state());
    }
    take
}
