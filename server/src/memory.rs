//! How much memory the work for scenes may take. Beyond that the costliest of it is given up and says so at its node,
//! before the machine ends the server.

use crate::told::Told;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use uuid::Uuid;
use zickzack_core::motion::Cancel;

/// The most that may be held, and what tells how much is.
#[derive(Debug, Clone, Copy)]
pub struct Ceiling {
    /// Bytes.
    pub most: usize,
    /// Bytes that are held now.
    pub held: fn() -> usize,
}

/// Between two looks at it.
const EVERY: Duration = Duration::from_millis(10);
/// Looks between two times that the allocator is reminded of what it could give back.
const REMINDED: u32 = 50;
/// Bytes of what it is reminded by: nothing is written there.
const REMINDER: usize = 4 << 20;
/// How long what was asked to give up may take until the next is asked.
const PATIENCE: Duration = Duration::from_millis(500);
/// Part of the most up to which nobody is counted as costly.
const PLENTY: f64 = 0.75;

/// Work that may have to be given up.
#[derive(Default)]
pub struct Memory(Mutex<State>);

#[derive(Default)]
struct State {
    works: Vec<Costs>,
    next: u64,
    /// Who was asked to give up, and when.
    asked: Option<(u64, Instant)>,
}

struct Costs {
    number: u64,
    scene: Uuid,
    cancel: Cancel,
    /// Looks that were done while there was plenty of memory.
    before: u64,
}

/// Counts work as such until it is dropped.
pub struct Counted<'a> {
    memory: &'a Memory,
    number: u64,
}

impl Memory {
    fn state(&self) -> MutexGuard<'_, State> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Counts what is done for a scene.
    pub fn count(&self, scene: Uuid, cancel: &Cancel) -> Counted<'_> {
        let mut state = self.state();
        let number = state.next;
        state.next += 1;
        state.works.push(Costs { number, scene, cancel: cancel.clone(), before: cancel.all_looks() });
        Counted { memory: self, number }
    }

    /// Looks that all that is at work now has done so far.
    pub fn looks(&self) -> u64 {
        self.state().works.iter().map(|work| work.cancel.all_looks()).sum()
    }

    /// Looks at what is held. Where it is too much, whoever did the most since there was plenty is asked to give up what
    /// it is at: its scene.
    fn look(&self, ceiling: &Ceiling, now: Instant) -> Option<Uuid> {
        let held = (ceiling.held)();
        let mut state = self.state();
        if (held as f64) < PLENTY * ceiling.most as f64 {
            state.works.iter_mut().for_each(|work| work.before = work.cancel.all_looks());
            state.asked = None;
        }
        if held <= ceiling.most {
            return None;
        }
        if let Some((number, since)) = state.asked {
            let still = |work: &Costs| work.number == number && work.cancel.starved();
            if now.duration_since(since) < PATIENCE && state.works.iter().any(still) {
                return None;
            }
        }
        let costs = |work: &&Costs| work.cancel.all_looks() - work.before;
        let costliest = state.works.iter().filter(|work| !work.cancel.cancelled()).max_by_key(costs)?;
        let (number, scene) = (costliest.number, costliest.scene);
        costliest.cancel.starve();
        state.asked = Some((number, now));
        Some(scene)
    }

    /// Goes on looking on a thread of its own, until nobody holds this any more.
    ///
    /// # Errors
    /// Where the machine gives no thread.
    pub fn watch(self: &Arc<Self>, ceiling: Ceiling, told: &Arc<Told>) -> std::io::Result<()> {
        let (own, told) = (Arc::downgrade(self), told.clone());
        let watching = move || {
            let mut looks = 0_u32;
            while let Some(memory) = own.upgrade() {
                looks = (looks + 1) % REMINDED;
                if looks == 0 {
                    // It gives back what has been free for a second, but looks at that only when much is freed at once:
                    // where nobody works for a scene any more, nobody would do that.
                    drop(std::hint::black_box(Vec::<u8>::with_capacity(REMINDER)));
                }
                if let Some(scene) = memory.look(&ceiling, Instant::now()) {
                    told.starved.inc();
                    let (held, most) = ((ceiling.held)() >> 20, ceiling.most >> 20);
                    tracing::warn!(%scene, held_mib = held, most_mib = most, "memory is short: work is given up");
                }
                drop(memory);
                std::thread::sleep(EVERY);
            }
        };
        std::thread::Builder::new().name("memory".to_owned()).spawn(watching).map(|_| ())
    }
}

impl Drop for Counted<'_> {
    fn drop(&mut self) {
        self.memory.state().works.retain(|work| work.number != self.number);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::atomic::{AtomicUsize, Ordering};
    use zickzack_core::work::spend;

    static HELD: AtomicUsize = AtomicUsize::new(0);

    fn held() -> usize {
        HELD.load(Ordering::Relaxed)
    }

    fn works(cancel: &Cancel, looks: u64) {
        let one = || (0..looks / 1000).for_each(|_| assert!(spend(1000)));
        cancel.afresh(u64::MAX).watched(one);
    }

    #[test]
    fn whoever_did_the_most_since_there_was_plenty_gives_up_and_then_the_next() {
        let (memory, ceiling) = (Memory::default(), Ceiling { most: 1000, held });
        let [long, bomb, small] = [(); 3].map(|()| (Uuid::new_v4(), Cancel::default()));
        let _counted = [&long, &bomb, &small].map(|(scene, cancel)| memory.count(*scene, cancel));
        let begun = Instant::now();
        // What did much while there was plenty is not to blame.
        works(&long.1, 9_000_000);
        HELD.store(100, Ordering::Relaxed);
        assert_eq!(memory.look(&ceiling, begun), None);
        HELD.store(1000, Ordering::Relaxed);
        works(&bomb.1, 2_000_000);
        works(&long.1, 1_000_000);
        works(&small.1, 10_000);
        assert_eq!(memory.look(&ceiling, begun), None, "as much as it may be");
        HELD.store(1001, Ordering::Relaxed);
        assert_eq!(memory.look(&ceiling, begun), Some(bomb.0));
        assert!(bomb.1.starved() && !long.1.starved() && !small.1.starved());
        // It has time to give up.
        assert_eq!(memory.look(&ceiling, begun + PATIENCE / 2), None);
        assert_eq!(memory.look(&ceiling, begun + PATIENCE), Some(long.0));
        // Once it has, and there is still too much held, the next is asked at once.
        assert!(long.1.go_on());
        assert_eq!(memory.look(&ceiling, begun + PATIENCE), Some(long.0));
        drop(memory.count(small.0, &small.1));
        HELD.store(0, Ordering::Relaxed);
        assert_eq!(memory.look(&ceiling, begun + 2 * PATIENCE), None);
    }

    #[test]
    fn what_has_ended_is_not_asked() {
        let (memory, ceiling) = (Memory::default(), Ceiling { most: 1000, held: || 2000 });
        let cancel = Cancel::default();
        drop(memory.count(Uuid::nil(), &cancel));
        assert_eq!(memory.look(&ceiling, Instant::now()), None);
        assert!(!cancel.starved());
    }
}
