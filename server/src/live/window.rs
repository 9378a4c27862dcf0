//! Which frames of a motion a page holds, so that all of it takes no more than the page can spare.

use serde::Serialize;
use utoipa::ToSchema;

/// Part of the frames that lie before the one on screen: it plays onwards, but is drawn back as well.
const BEHIND: usize = 4;

/// A part of a loop, which may go on from its end to its beginning.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, ToSchema)]
pub struct Window {
    /// Its first frame.
    pub from: usize,
    /// How many there are.
    pub count: usize,
}

impl Window {
    /// As many of `total` frames of `row` bytes each as `bytes` allow for round the frame `now`; that one at least, and all
    /// where nothing is in them.
    pub fn round(now: usize, total: usize, row: usize, bytes: u64) -> Self {
        let fit = bytes.checked_div(row as u64).and_then(|most| usize::try_from(most).ok());
        let count = fit.map_or(total, |most| most.clamp(1, total));
        if count == total {
            return Self { from: 0, count };
        }
        Self { from: (now + total - count / BEHIND) % total, count }
    }

    /// Whether a frame of `total` is a part of it.
    pub const fn holds(&self, frame: usize, total: usize) -> bool {
        (frame + total - self.from) % total < self.count
    }

    /// From `now` onwards, then what is before it: first frames and numbers of frames that follow each other without the
    /// step from the end to the beginning.
    pub fn runs(&self, now: usize, total: usize) -> Vec<(usize, usize)> {
        let behind = (now + total - self.from) % total;
        let mut runs = Vec::new();
        for (from, count) in [(now, self.count - behind), (self.from, behind)] {
            let first = count.min(total - from);
            runs.extend([(from, first), (0, count - first)]);
        }
        runs.retain(|(_, count)| *count > 0);
        runs
    }
}

/// What each of several motions may take of `bytes`, when they want so much: what they want where it is no more than
/// an even share of what the smaller ones leave, or that share.
pub fn shares(wanted: &[u64], bytes: u64) -> Vec<u64> {
    let mut order: Vec<usize> = (0..wanted.len()).collect();
    order.sort_by_key(|&i| wanted[i]);
    let (mut shares, mut left) = (vec![0; wanted.len()], bytes);
    for (done, &i) in order.iter().enumerate() {
        shares[i] = wanted[i].min(left / (wanted.len() - done) as u64);
        left -= shares[i];
    }
    shares
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn a_window_has_the_frame_on_screen_and_as_many_others_as_fit(
            total in 1_usize..500, at in 0.0..1.0, row in 0_usize..1000, bytes in 0_u64..200_000,
        ) {
            let now = (at * total as f64) as usize;
            let window = Window::round(now, total, row, bytes);
            prop_assert!(window.holds(now, total));
            let most = (1..=total).rev().find(|&count| (count * row) as u64 <= bytes);
            prop_assert_eq!(window.count, most.unwrap_or(1));
            let held = (0..total).filter(|&frame| window.holds(frame, total));
            prop_assert_eq!(held.count(), window.count);
            // In order, the one on screen first, each once.
            let runs = window.runs(now, total);
            let frames: Vec<usize> = runs.iter().flat_map(|&(from, count)| from..from + count).collect();
            prop_assert_eq!(frames[0], now);
            let mut once = frames.clone();
            once.sort_unstable();
            once.dedup();
            prop_assert_eq!((once.len(), frames.len()), (window.count, window.count));
            prop_assert!(frames.iter().all(|&frame| frame < total && window.holds(frame, total)));
        }

        #[test]
        fn shares_are_no_more_than_there_is_and_nobody_has_less_than_another_who_wants_as_much(
            wanted in prop::collection::vec(0_u64..1000, 1..8), bytes in 0_u64..4000,
        ) {
            let got = shares(&wanted, bytes);
            prop_assert!(got.iter().sum::<u64>() <= bytes);
            prop_assert!(got.iter().zip(&wanted).all(|(got, wanted)| got <= wanted));
            let most = got.iter().copied().max().unwrap_or(0);
            for (i, &share) in got.iter().enumerate() {
                // But for what cannot be divided.
                prop_assert!(share == wanted[i] || share + 1 >= most, "{got:?} of {wanted:?}");
            }
            let lacks = got.iter().zip(&wanted).any(|(got, wanted)| got < wanted);
            prop_assert!(!lacks || got.iter().sum::<u64>() + wanted.len() as u64 >= bytes);
        }
    }
}
