use super::*;
use std::sync::atomic::{AtomicUsize, Ordering};
use zickzack_core::motion::{Kept, Row, Stand};

const FRAMES: usize = 40;

/// Lets so many frames pass, and counts those that were worked out.
#[derive(Default)]
struct Gate {
    open: Mutex<usize>,
    opened: Condvar,
    worked: AtomicUsize,
}

impl Gate {
    fn open(&self, frames: usize) {
        *locked(&self.open) = frames;
        self.opened.notify_all();
    }
}

/// Counts up by `step`, from a frame on by one more.
struct Counting {
    gate: Arc<Gate>,
    turns: usize,
    at: f32,
    cancel: Cancel,
}

impl Simulated for Counting {
    fn scales(&self) -> Arc<[f64]> {
        Arc::new([1.0])
    }
    fn size(&self) -> f64 {
        1.0
    }
    fn kind(&self) -> [u8; 32] {
        [1; 32]
    }
    fn facts(&self) -> Vec<String> {
        vec!["counted".to_owned()]
    }
    fn takes_in(&mut self, frame: usize) -> [u8; 32] {
        [u8::from(frame >= self.turns); 32]
    }
    fn begin(&mut self) -> Kept {
        self.at = 0.0;
        Kept { rows: Box::new([Row::from_numbers([0.0; 10])]), contacts: Vec::new(), sound: true }
    }
    fn next(&mut self, frame: usize) -> Kept {
        let mut open = locked(&self.gate.open);
        while *open < frame && !self.cancel.cancelled() {
            open = self.gate.opened.wait_timeout(open, Duration::from_millis(5)).unwrap().0;
        }
        self.gate.worked.fetch_add(1, Ordering::Relaxed);
        self.at += if frame >= self.turns { 2.0 } else { 1.0 };
        Kept { rows: Box::new([Row::from_numbers([self.at; 10])]), contacts: Vec::new(), sound: true }
    }
    fn state(&self) -> Stand {
        Arc::new(self.at)
    }
    fn take_up(&mut self, state: &Stand) -> bool {
        state.downcast_ref().map(|at| self.at = *at).is_some()
    }
}

struct Room {
    studio: Arc<Studio>,
    gate: Arc<Gate>,
    /// Ends whoever still waits at the gate.
    over: Cancel,
    told: Arc<AtomicUsize>,
}

impl Drop for Room {
    fn drop(&mut self) {
        self.over.cancel();
    }
}

fn room() -> Room {
    let told = Arc::new(AtomicUsize::new(0));
    let counted = told.clone();
    let tell = Arc::new(move || {
        counted.fetch_add(1, Ordering::Relaxed);
    });
    let studio = Arc::new(Studio::new(Arc::new(Shelf::nowhere()), (Arc::default(), Uuid::nil()), tell));
    Room { studio, gate: Arc::default(), over: Cancel::default(), told }
}

impl Room {
    /// What a page sees of a scene whose things turn at a frame.
    fn look(&self, page: u64, turns: usize) -> Taken {
        self.look_after(page, turns, &|| ())
    }

    /// The same, when `ready` is done with what comes before a job begins.
    fn look_after(&self, page: u64, turns: usize, ready: &dyn Fn()) -> Taken {
        let make = || -> Result<Box<dyn Simulated>, String> {
            ready();
            Ok(Box::new(Counting { gate: self.gate.clone(), turns, at: 0.0, cancel: self.over.clone() }))
        };
        let key = [u8::try_from(turns).unwrap(); 32];
        let order = Order { node: "heap", key, from: 0.0, of: FRAMES, make: &make, cancel: &self.over };
        self.studio.at((page, false)).take(&order).unwrap()
    }

    fn until(&self, page: u64, turns: usize, fits: impl Fn(&Taken) -> bool) -> Taken {
        let mut found = None;
        waited(|| {
            found = Some(self.look(page, turns)).filter(&fits);
            found.is_some()
        });
        found.unwrap()
    }

    /// Waits until nobody works at a job any more: whoever does has a share in it.
    fn ended(&self, turns: usize) {
        let key = [u8::try_from(turns).unwrap(); 32];
        waited(|| locked(&self.studio.state).jobs.get(&key).is_none_or(|job| Arc::strong_count(job) == 1));
    }
}

/// Looks again and again until something is so, which must be within a minute.
fn waited(mut so: impl FnMut() -> bool) {
    let begun = Instant::now();
    while !so() {
        assert!(begun.elapsed() < Duration::from_secs(60), "it never came");
        std::thread::sleep(Duration::from_millis(2));
    }
}

fn values(taken: &Taken) -> Vec<f32> {
    use zickzack_core::motion::{Columns, Motion, Sample};
    let mut sample = Sample::default();
    let one = |frame: usize| {
        taken.recording.sample(frame as f64, Columns::POSITION, &mut sample);
        sample.positions[0].x as f32
    };
    (0..=taken.recording.frames()).map(one).collect()
}

fn wanted(turns: usize) -> Vec<f32> {
    let mut at = 0.0;
    (0..FRAMES)
        .map(|frame| {
            if frame > 0 {
                at += if frame >= turns { 2.0 } else { 1.0 };
            }
            at
        })
        .collect()
}

#[test]
fn frames_come_as_they_are_worked_out_and_pages_are_told() {
    let room = room();
    assert_eq!(values(&room.look(1, 30)), [0.0], "the first frame is there at once");
    room.gate.open(FRAMES);
    let done = room.until(1, 30, |taken| taken.progress.is_none());
    assert_eq!(values(&done), wanted(30));
    assert_eq!(done.facts, ["counted"]);
    // They are told after the frames are there, by another thread.
    let told = || room.told.load(Ordering::Relaxed) > 0;
    (0..500).take_while(|_| !told()).for_each(|_| std::thread::sleep(Duration::from_millis(10)));
    assert!(told());
    assert_eq!(room.gate.worked.load(Ordering::Relaxed), FRAMES - 1);
}

#[test]
fn what_was_stopped_stays_as_it_is_and_goes_on_from_there() {
    let room = room();
    room.gate.open(12);
    room.look(1, 30);
    waited(|| room.gate.worked.load(Ordering::Relaxed) >= 12);
    assert!(room.studio.hold((1, false), "heap", true));
    // It ends with the frame that it is at.
    room.gate.open(13);
    let held =
        room.until(1, 30, |taken| taken.progress.is_some_and(|progress| progress.stopped && progress.done == 14));
    assert_eq!(values(&held), wanted(30)[..14]);
    room.ended(30);
    room.gate.open(FRAMES);
    assert_eq!(room.look(1, 30).progress.unwrap().done, 14, "nobody works at it");
    assert!(room.studio.hold((1, false), "heap", false));
    let done = room.until(1, 30, |taken| taken.progress.is_none());
    assert_eq!(values(&done), wanted(30));
    assert_eq!(room.gate.worked.load(Ordering::Relaxed), FRAMES - 1, "no frame twice");
    assert!(!room.studio.hold((1, false), "nothing", true));
}

#[test]
fn an_edit_gives_up_what_it_changes_and_begins_from_the_first_frame_that_is_another() {
    let room = room();
    room.gate.open(FRAMES);
    room.until(1, 30, |taken| taken.progress.is_none());
    let before = room.gate.worked.load(Ordering::Relaxed);
    let done = room.until(1, 20, |taken| taken.progress.is_none());
    assert_eq!(values(&done), wanted(20));
    let worked = room.gate.worked.load(Ordering::Relaxed) - before;
    assert!((FRAMES - 20..=FRAMES - 20 + 5).contains(&worked), "{worked}");
}

#[test]
fn two_pages_that_ask_in_the_same_moment_share_one_job() {
    let room = room();
    let both = std::sync::Barrier::new(2);
    std::thread::scope(|scope| {
        for page in [1, 2] {
            let (room, both) = (&room, &both);
            scope.spawn(move || {
                room.look_after(page, 30, &|| {
                    both.wait();
                })
            });
        }
    });
    assert_eq!(locked(&room.studio.state).jobs.len(), 1);
    room.gate.open(FRAMES);
    for page in [1, 2] {
        assert_eq!(values(&room.until(page, 30, |taken| taken.progress.is_none())), wanted(30));
    }
    assert_eq!(room.gate.worked.load(Ordering::Relaxed), FRAMES - 1, "no frame twice");
}

#[test]
fn what_two_pages_want_goes_on_until_both_are_gone() {
    let room = room();
    room.look(1, 30);
    room.look(2, 30);
    room.look(1, 20);
    let jobs = |room: &Room| locked(&room.studio.state).jobs.len();
    assert_eq!(jobs(&room), 2);
    room.studio.leave(1);
    assert_eq!(jobs(&room), 1);
    room.gate.open(FRAMES);
    assert_eq!(values(&room.until(2, 30, |taken| taken.progress.is_none())), wanted(30));
    room.studio.keep_only((2, false), &HashSet::new());
    assert_eq!(jobs(&room), 0);
}
