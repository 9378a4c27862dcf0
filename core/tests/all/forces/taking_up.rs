//! What was worked out before is taken up again, and what an edit changes is not.

use super::bodies::{floor, heap, setup};
use crate::cases::cases;
use glam::DVec3;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{Cancel, Columns, Earlier, Frames, Kept, Motion, Sample, Simulated, Take, record};
use zickzack_core::physics::{Bodies, BodiesSetup, BodyForm};

/// Boxes on a floor, pushed by one that goes its own way and turns off at a frame; pulled along, where they are.
fn pushed(turns_off: f64, pulled: bool) -> Bodies {
    let setup =
        BodiesSetup { pulled: pulled.then_some(0.3), steps: Some(4), ..setup(BodyForm::Box(DVec3::splat(0.25))) };
    let pusher = move |frame: f64| DVec3::new(-2.0 + 0.05 * frame, 0.3, 0.02 * (frame - turns_off).max(0.0));
    let moved: Arc<dyn Motion> = Arc::new(Told { frame: Box::new(pusher) });
    Bodies::new(setup, heap(5), Some(moved), &[floor()])
}

/// A thing that is where a function says.
struct Told {
    frame: Box<dyn Fn(f64) -> DVec3 + Send + Sync>,
}

impl Motion for Told {
    fn len(&self) -> usize {
        1
    }

    fn extent(&self) -> zickzack_core::motion::Extent {
        zickzack_core::motion::Extent { from: 0.0, to: 0.0, outside: zickzack_core::motion::Outside::RunsOn }
    }

    fn sample_at(&self, rows: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        out.reset(rows.len(), columns);
        for (row, &(_, frame)) in rows.iter().enumerate() {
            out.positions[row] = (self.frame)(frame);
        }
    }

    fn breaks(
        &self,
        _: usize,
        _: Frames,
    ) -> Result<Vec<zickzack_core::motion::Break>, zickzack_core::motion::MotionError> {
        Ok(Vec::new())
    }
}

const LONG: usize = 90;

fn whole(turns_off: f64, pulled: bool) -> Take {
    record(&mut pushed(turns_off, pulled), (0.0, LONG), &[], &Cancel::default(), &mut |_| ())
}

/// Counts the frames that are worked out.
struct Counted(Bodies, usize);

impl Simulated for Counted {
    fn scales(&self) -> Arc<[f64]> {
        self.0.scales()
    }
    fn size(&self) -> f64 {
        self.0.size()
    }
    fn kind(&self) -> [u8; 32] {
        self.0.kind()
    }
    fn facts(&self) -> Vec<String> {
        self.0.facts()
    }
    fn takes_in(&mut self, frame: usize) -> [u8; 32] {
        self.0.takes_in(frame)
    }
    fn begin(&mut self) -> Kept {
        self.0.begin()
    }
    fn next(&mut self, frame: usize) -> Kept {
        self.1 += 1;
        self.0.next(frame)
    }
    fn state(&self) -> zickzack_core::motion::Stand {
        self.0.state()
    }
    fn take_up(&mut self, state: &zickzack_core::motion::Stand) -> bool {
        self.0.take_up(state)
    }
}

proptest! {
    #![proptest_config(cases(12))]

    /// From the first frame that an edit changes on it is worked out anew, and the bits are those of a run from the
    /// beginning.
    #[test]
    fn what_an_edit_does_not_reach_is_not_worked_out_again(first in 5.0..80.0f64, second in 5.0..80.0f64, pulled: bool) {
        let before = Arc::new(whole(first, pulled));
        let mut counted = Counted(pushed(second, pulled), 0);
        let mut seen = Vec::new();
        let after = record(&mut counted, (0.0, LONG), &[Earlier { take: before, same: false }], &Cancel::default(), &mut |take| seen.push(take.frames.len()));
        prop_assert_eq!(&after.frames, &whole(second, pulled).frames);
        let same = (first.min(second).floor() as usize).min(LONG);
        // A state is kept every eleventh frame.
        prop_assert!(counted.1 <= LONG - same + 11, "{} of {LONG} frames, {same} the same", counted.1);
        prop_assert!(seen[0] >= same && seen.windows(2).all(|pair| pair[1] == pair[0] + 1) && seen.last() == Some(&LONG));
    }

    /// Cancelled and begun again, as often as one likes, it is what it would have been.
    #[test]
    fn what_was_stopped_goes_on_from_where_it_was(stops in prop::collection::vec(1..LONG, 1..4), pulled: bool) {
        let mut take: Option<Earlier> = None;
        let mut worked = 0;
        for (round, stop) in stops.into_iter().enumerate() {
            let (cancel, earlier) = (Cancel::default(), take.clone());
            let mut counted = Counted(pushed(30.0, pulled), 0);
            let stopping = cancel.clone();
            let done = record(&mut counted, (0.0, LONG), earlier.as_slice(), &cancel, &mut |take| if take.frames.len() >= stop { stopping.cancel() });
            prop_assert_eq!(done.is_complete(), done.frames.len() == LONG);
            prop_assert!(!done.is_complete() || done.progress(false).done == LONG);
            worked += counted.1;
            take = Some(Earlier { take: Arc::new(done), same: round % 2 == 0 });
        }
        let mut counted = Counted(pushed(30.0, pulled), 0);
        let done = record(&mut counted, (0.0, LONG), take.as_slice(), &Cancel::default(), &mut |_| ());
        prop_assert_eq!(&done.frames, &whole(30.0, pulled).frames);
        prop_assert_eq!(worked + counted.1, LONG - 1, "no frame is worked out twice");
    }
}

#[test]
fn what_is_of_another_kind_is_not_taken_up() {
    let before = Arc::new(whole(30.0, false));
    let heavy = BodiesSetup { bounciness: 0.9, steps: Some(4), ..setup(BodyForm::Box(DVec3::splat(0.25))) };
    let mut counted = Counted(Bodies::new(heavy, heap(5), None, &[floor()]), 0);
    record(&mut counted, (0.0, LONG), &[Earlier { take: before, same: true }], &Cancel::default(), &mut |_| ());
    assert_eq!(counted.1, LONG - 1);
}
