//! How much work something takes: counted where it is done, so that what would go on for ever is given up, and told.
//!
//! The unit is a look: one value of a signal, one pose of a thing, one step of what is thrown or rolls. What is counted
//! hangs on the work alone and never on the time that it takes, so that the same scene is given up on every machine.

use std::cell::{Cell, RefCell};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Why a motion cannot be sampled.
#[derive(Debug, Clone, PartialEq, thiserror::Error)]
pub enum MotionError {
    #[error("stopped before it was ready")]
    Cancelled,
    #[error("{0}")]
    TooMuch(String),
}

/// Most looks of one node while it is worked out.
pub const OF_A_NODE: u64 = 100_000_000;
/// Most looks of all nodes of a scene while they are worked out.
pub const OF_A_SCENE: u64 = 400_000_000;
/// Most looks at a motion while pictures of it are made or it is measured.
pub const OF_A_PICTURE: u64 = 2_000_000_000;
/// Most looks at a motion while it is brought into files.
pub const OF_A_FILE: u64 = 20_000_000_000;

/// Stops long work: when it was asked to from outside, when it takes more looks than it may, and when there is not enough
/// memory for it.
#[derive(Debug, Clone)]
pub struct Cancel {
    asked: Arc<Asked>,
    done: Arc<AtomicU64>,
    most: u64,
    patience: f64,
}

/// What was asked of all that is stopped together, and what it did.
#[derive(Debug, Default)]
struct Asked {
    stopped: AtomicBool,
    starved: AtomicBool,
    all: AtomicU64,
    /// How far it has come, and between what what is worked at now lies: the bits of numbers from 0 to 1.
    reached: AtomicU64,
    span: [AtomicU64; 2],
}

/// What is said of what took more memory than there is.
pub const STARVED: &str = "It was given up, since there is not enough memory left for it: use fewer things, frames or pieces, or thread simpler nodes to it. It is tried again when something of it is changed, or the scene is opened again.";

impl Default for Cancel {
    fn default() -> Self {
        Self::patient(1.0)
    }
}

impl Cancel {
    /// With other limits: so many times as many looks as are usual, above 0.
    pub fn patient(patience: f64) -> Self {
        let asked = Arc::<Asked>::default();
        asked.span[1].store(1f64.to_bits(), Ordering::Relaxed);
        Self { asked, done: Arc::default(), most: u64::MAX, patience }
    }

    /// Stopped together with this one, but counted by itself: `most` looks, by as much patience as there is.
    #[must_use]
    pub fn afresh(&self, most: u64) -> Self {
        self.within_looks(self.limit(most))
    }

    /// As [`afresh`](Self::afresh), with the very number of looks.
    #[must_use]
    pub fn within_looks(&self, most: u64) -> Self {
        Self { asked: self.asked.clone(), done: Arc::default(), most, patience: self.patience }
    }

    /// How many looks `most` are by as much patience as there is.
    pub fn limit(&self, most: u64) -> u64 {
        (most as f64 * self.patience) as u64
    }

    /// Asks the work to stop.
    pub fn cancel(&self) {
        self.asked.stopped.store(true, Ordering::Relaxed);
    }

    /// True once it was asked to stop.
    pub fn stopped(&self) -> bool {
        self.asked.stopped.load(Ordering::Relaxed)
    }

    /// Asks for what is worked at to be given up, since there is not enough memory for it: what it is for is refused, and
    /// the rest goes on after [`go_on`](Self::go_on).
    pub fn starve(&self) {
        self.asked.starved.store(true, Ordering::Relaxed);
    }

    /// True while what is worked at is to be given up for want of memory.
    pub fn starved(&self) -> bool {
        self.asked.starved.load(Ordering::Relaxed)
    }

    /// What there was no memory for was refused: the rest may go on. True where there was such.
    pub fn go_on(&self) -> bool {
        self.asked.starved.swap(false, Ordering::Relaxed)
    }

    /// Looks of all that is stopped together.
    pub fn all_looks(&self) -> u64 {
        self.asked.all.load(Ordering::Relaxed)
    }

    /// What is worked at from now on is that between two parts of all that is stopped together, from 0 to 1.
    pub fn span(&self, from: f64, to: f64) {
        self.asked.span.iter().zip([from, to]).for_each(|(end, part)| end.store(part.to_bits(), Ordering::Relaxed));
        self.asked.reached.store(from.to_bits(), Ordering::Relaxed);
    }

    /// Says how far what is worked at has come, in parts of it, from 0 to 1; less than was said already counts for nothing.
    pub fn reach(&self, part: f64) {
        let [from, to] = [0, 1].map(|end| f64::from_bits(self.asked.span[end].load(Ordering::Relaxed)));
        let reached = from + part.clamp(0.0, 1.0) * (to - from);
        // Bits of numbers above 0 are in the order of the numbers.
        self.asked.reached.fetch_max(reached.to_bits(), Ordering::Relaxed);
    }

    /// How far all that is stopped together has come, as was said last: from 0 to 1.
    pub fn reached(&self) -> f64 {
        f64::from_bits(self.asked.reached.load(Ordering::Relaxed))
    }

    /// True once it took more looks than it may.
    pub fn overworked(&self) -> bool {
        self.done.load(Ordering::Relaxed) > self.most
    }

    /// True where it is to end, for whatever reason.
    pub fn cancelled(&self) -> bool {
        self.stopped() || self.starved() || self.overworked()
    }

    /// True where both are stopped together.
    pub fn same(&self, other: &Self) -> bool {
        Arc::ptr_eq(&self.asked, &other.asked)
    }

    /// Looks so far.
    pub fn looks(&self) -> u64 {
        self.done.load(Ordering::Relaxed)
    }

    /// Does `work` in at most so many looks, by as much patience as there is, and in no more than are left here; they
    /// count here as well.
    ///
    /// # Errors
    /// What `work` says.
    pub fn within<T, E: From<MotionError>>(&self, most: u64, work: impl FnOnce(&Self) -> Result<T, E>) -> Result<T, E> {
        let mut own = self.afresh(most);
        own.most = own.most.min(self.most.saturating_sub(self.looks()));
        let done = own.watched(|| work(&own));
        self.done.fetch_add(own.looks(), Ordering::Relaxed);
        self.going()?;
        own.going()?;
        done
    }

    /// Errors once it is to end, with why.
    ///
    /// # Errors
    /// Cancelled, or too much, with why.
    pub fn going(&self) -> Result<(), MotionError> {
        if self.stopped() {
            Err(MotionError::Cancelled)
        } else if self.starved() {
            Err(MotionError::TooMuch(STARVED.to_owned()))
        } else if self.overworked() {
            Err(MotionError::TooMuch(format!(
                "It asks what it is made from more than {} times: use fewer things or frames, or fewer nodes before it.",
                count(self.most)
            )))
        } else {
            Ok(())
        }
    }

    /// Counts what `work` does on this thread. What it gives counts only where this is not [`cancelled`](Self::cancelled)
    /// afterwards.
    pub fn watched<T>(&self, work: impl FnOnce() -> T) -> T {
        let before = WATCH.with(|watch| watch.replace(Some(self.clone())));
        let _restore = Restore { before, left: LEFT.replace(0), granted: GRANTED.replace(0) };
        work()
    }
}

/// A large number in words.
pub fn count(looks: u64) -> String {
    if looks >= 1_000_000 {
        format!("{:.1} million", looks as f64 / 1e6).replace(".0 ", " ")
    } else {
        looks.to_string()
    }
}

/// Looks that are counted before they are reckoned up with those of other threads.
const GRANT: u64 = 1024;

thread_local! {
    /// Looks until the next reckoning; without end where nothing is counted.
    static LEFT: Cell<u64> = const { Cell::new(u64::MAX) };
    /// Of how many these are left.
    static GRANTED: Cell<u64> = const { Cell::new(u64::MAX) };
    /// True while nothing may be given up half way.
    static WHOLE: Cell<bool> = const { Cell::new(false) };
    static WATCH: RefCell<Option<Cancel>> = const { RefCell::new(None) };
}

/// Puts back what was counted for before.
struct Restore {
    before: Option<Cancel>,
    left: u64,
    granted: u64,
}

impl Drop for Restore {
    fn drop(&mut self) {
        let done = GRANTED.get() - LEFT.get();
        let watch = WATCH.with(|watch| watch.replace(self.before.take()));
        if let Some(watch) = watch {
            watch.done.fetch_add(done, Ordering::Relaxed);
        }
        LEFT.set(self.left);
        GRANTED.set(self.granted);
    }
}

/// Counts looks. False where the work is to end: whatever is given then is not used.
#[inline]
pub fn spend(looks: u64) -> bool {
    let left = LEFT.get();
    if looks <= left {
        LEFT.set(left - looks);
        return true;
    }
    reckon(looks)
}

#[cold]
fn reckon(looks: u64) -> bool {
    WATCH.with(|watch| {
        let watch = watch.borrow();
        let Some(watch) = &*watch else {
            LEFT.set(u64::MAX);
            GRANTED.set(u64::MAX);
            return true;
        };
        let taken = GRANTED.get() - LEFT.get() + looks;
        watch.done.fetch_add(taken, Ordering::Relaxed);
        watch.asked.all.fetch_add(taken, Ordering::Relaxed);
        let goes_on = WHOLE.get() || !watch.cancelled();
        let grant = if goes_on { GRANT } else { 0 };
        LEFT.set(grant);
        GRANTED.set(grant);
        goes_on
    })
}

/// True where what was just made may be wrong, since the work was to end.
pub fn given_up() -> bool {
    WATCH.with(|watch| watch.borrow().as_ref().is_some_and(Cancel::cancelled)) && !WHOLE.get()
}

/// Does `work` to its end, whatever it takes: for what is made once and kept.
pub fn whole<T>(work: impl FnOnce() -> T) -> T {
    struct Back(bool);
    impl Drop for Back {
        fn drop(&mut self) {
            WHOLE.set(self.0);
            // What was granted meanwhile is reckoned up.
            WATCH.with(|watch| {
                if let Some(watch) = &*watch.borrow() {
                    watch.done.fetch_add(GRANTED.replace(0) - LEFT.replace(0), Ordering::Relaxed);
                }
            });
        }
    }
    let _back = Back(WHOLE.replace(true));
    work()
}

/// What counts on this thread, for others that do a part of the work.
#[derive(Debug, Clone)]
pub struct Carried(Option<Cancel>);

/// What counts on this thread.
pub fn here() -> Carried {
    Carried(WATCH.with(|watch| watch.borrow().clone()))
}

impl Carried {
    /// Does a part of the work on this thread.
    pub fn on<T>(&self, work: impl FnOnce() -> T) -> T {
        match &self.0 {
            Some(watch) => watch.watched(work),
            None => work(),
        }
    }
}
