//! Recordings of a scene that is open, worked out in the background: one job for each that some page wants, given up
//! when none does any more.

use super::{Shelf, fits};
use crate::crew::{Crew, Rank, cores};
use crate::trial::Trials;
use std::collections::{HashMap, HashSet};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};
use uuid::Uuid;
use zickzack_core::graph::{Key, Order, Recorder, Taken};
use zickzack_core::motion::{Cancel, Earlier, Simulated, Take, record};

/// How long the first answer waits for a job: most are done by then, and nobody sees half of them.
const FIRST_WAIT: Duration = Duration::from_millis(60);
/// Between two tellings that there is more.
const TELLING: Duration = Duration::from_millis(300);
/// Takes of a node that are kept to begin from, with the states to go on from.
const EARLIER: usize = 2;

/// Who wants something: a page, and whether for the scene or for what is compared with it.
pub type Desk = (u64, bool);

/// The jobs of one scene.
pub struct Studio {
    shelf: Arc<Shelf>,
    /// Where what is worked out for this scene is written down.
    trials: Arc<Trials>,
    scene: Uuid,
    state: Arc<Mutex<State>>,
    /// Tells pages that there is more.
    tell: Arc<dyn Fn() + Send + Sync>,
}

#[derive(Default)]
struct State {
    jobs: HashMap<Key, Arc<Job>>,
    wanted: HashMap<(Desk, String), Key>,
    /// What was stopped by hand.
    stopped: HashSet<Key>,
    /// By node, the newest last.
    earlier: HashMap<String, Vec<Arc<Take>>>,
}

/// Something that is being worked out, or was.
struct Job {
    node: String,
    begun: Instant,
    cancel: Cancel,
    there: Mutex<There>,
    more: Condvar,
}

#[derive(Default)]
struct There {
    take: Option<Arc<Take>>,
    /// True when nobody works at it any more.
    ended: bool,
    /// True when somebody has seen a part of it.
    shown: bool,
}

fn locked<T>(mutex: &Mutex<T>) -> MutexGuard<'_, T> {
    // Whoever panicked left whole values.
    mutex.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Studio {
    /// Of a scene; `tell` is called whenever there is more.
    pub fn new(shelf: Arc<Shelf>, (trials, scene): (Arc<Trials>, Uuid), tell: Arc<dyn Fn() + Send + Sync>) -> Self {
        Self { shelf, trials, scene, state: Arc::default(), tell }
    }

    /// A page's way in.
    pub fn at(self: &Arc<Self>, desk: Desk) -> AtDesk {
        AtDesk { studio: self.clone(), desk }
    }

    /// Stops or goes on with what a page sees of a node. False when there is nothing.
    pub fn hold(&self, desk: Desk, node: &str, hold: bool) -> bool {
        let mut state = locked(&self.state);
        let Some(key) = state.wanted.get(&(desk, node.to_owned())).copied() else { return false };
        if hold {
            state.stopped.insert(key);
            if let Some(job) = state.jobs.get(&key) {
                job.cancel.cancel();
            }
            true
        } else {
            state.stopped.remove(&key)
        }
    }

    /// Says of which nodes a page still wants something; what no page wants is given up.
    pub fn keep_only(&self, desk: Desk, nodes: &HashSet<String>) {
        let mut state = locked(&self.state);
        state.wanted.retain(|(whose, node), _| *whose != desk || nodes.contains(node));
        state.give_up();
    }

    /// A page is gone.
    pub fn leave(&self, page: u64) {
        let mut state = locked(&self.state);
        state.wanted.retain(|((whose, _), _), _| *whose != page);
        state.give_up();
    }

    fn job(&self, desk: Desk, order: &Order<'_>) -> Result<Arc<Job>, String> {
        {
            let mut state = locked(&self.state);
            state.wanted.insert((desk, order.node.to_owned()), order.key);
            state.give_up();
            let going =
                state.jobs.get(&order.key).filter(|job| state.stopped.contains(&order.key) || !job.is_given_up());
            if let Some(job) = going {
                return Ok(job.clone());
            }
        }
        // Made without the lock: what it takes in may have to be prepared.
        let simulated = (order.make)()?;
        let job = Arc::new(Job {
            node: order.node.to_owned(),
            begun: Instant::now(),
            cancel: Cancel::default(),
            there: Mutex::default(),
            more: Condvar::new(),
        });
        let mut state = locked(&self.state);
        let known = state.earlier.get(order.node).into_iter().flatten().cloned();
        let mut earlier: Vec<Earlier> = known.map(|take| Earlier { take, same: false }).collect();
        if let Some(before) = state.jobs.get(&order.key) {
            if !before.is_given_up() {
                // Another page has begun the same meanwhile.
                return Ok(before.clone());
            }
            // What was stopped goes on from where it was.
            let take = locked(&before.there).take.clone();
            earlier.extend(take.map(|take| Earlier { take, same: true }));
        }
        state.jobs.insert(order.key, job.clone());
        drop(state);
        let work = Work {
            key: order.key,
            from: order.from,
            of: order.of,
            earlier,
            job: job.clone(),
            shelf: self.shelf.clone(),
            state: self.state.clone(),
            tell: self.tell.clone(),
        };
        let (trials, scene) = (self.trials.clone(), self.scene);
        let crew = Crew::new(Rank::Background, cores()).map_err(|refusal| refusal.message)?;
        std::thread::Builder::new()
            .name("recording".to_owned())
            .spawn(move || {
                let mut trial = trials.begins(scene);
                let cancel = work.job.cancel.clone();
                crew.work(|| work.run(simulated));
                trial.done = !cancel.stopped();
            })
            .map_err(|error| format!("It cannot be worked out now: {error}."))?;
        Ok(job)
    }
}

impl Drop for Studio {
    fn drop(&mut self) {
        locked(&self.state).jobs.values().for_each(|job| job.cancel.cancel());
    }
}

impl State {
    /// Cancels and forgets what nobody wants; what was worked out of it is kept to begin from.
    fn give_up(&mut self) {
        let wanted: HashSet<Key> = self.wanted.values().copied().collect();
        let unwanted: Vec<Key> = self.jobs.keys().filter(|key| !wanted.contains(*key)).copied().collect();
        for key in unwanted {
            let Some(job) = self.jobs.remove(&key) else { continue };
            job.cancel.cancel();
            let take = locked(&job.there).take.clone();
            self.remember(&job.node, take);
        }
        self.stopped.retain(|key| wanted.contains(key));
    }

    fn remember(&mut self, node: &str, take: Option<Arc<Take>>) {
        let Some(take) = take else { return };
        let known = self.earlier.entry(node.to_owned()).or_default();
        known.push(take);
        if known.len() > EARLIER {
            known.remove(0);
        }
    }
}

impl Job {
    /// True when it is not complete and will not be.
    fn is_given_up(&self) -> bool {
        let there = locked(&self.there);
        (self.cancel.cancelled() || there.ended) && !there.take.as_ref().is_some_and(|take| take.is_complete())
    }

    /// There is more; true when somebody has seen less.
    fn there(&self, take: Arc<Take>, ended: bool) -> bool {
        let mut there = locked(&self.there);
        (there.take, there.ended) = (Some(take), ended);
        self.more.notify_all();
        there.shown
    }

    /// What there is, after a moment's patience with what has only begun.
    fn look(&self, cancel: &Cancel) -> Option<Arc<Take>> {
        let mut there = locked(&self.there);
        // Until the first frame is there nothing can be shown at all.
        while !there.ended && (there.take.is_none() || self.begun.elapsed() < FIRST_WAIT) && !cancel.cancelled() {
            let waited = self.more.wait_timeout(there, Duration::from_millis(10));
            there = waited.unwrap_or_else(PoisonError::into_inner).0;
        }
        there.shown |= !there.take.as_ref().is_some_and(|take| take.is_complete());
        there.take.clone()
    }
}

struct Work {
    key: Key,
    from: f64,
    of: usize,
    earlier: Vec<Earlier>,
    job: Arc<Job>,
    shelf: Arc<Shelf>,
    state: Arc<Mutex<State>>,
    tell: Arc<dyn Fn() + Send + Sync>,
}

impl Work {
    fn run(self, mut simulated: Box<dyn Simulated>) {
        // However it ends, nobody waits for more.
        let _end = End(&self.job);
        let mut told = Instant::now();
        let mut each = |take: &Take| {
            let now = Instant::now();
            let first = take.frames.len() == 1 || locked(&self.job.there).take.is_none();
            if first || now - told >= TELLING {
                told = now;
                if self.job.there(Arc::new(take.clone()), false) {
                    (self.tell)();
                }
            }
        };
        let take = record(&mut *simulated, (self.from, self.of), &self.earlier, &self.job.cancel, &mut each);
        if take.frames.is_empty() {
            return;
        }
        let take = Arc::new(take);
        if take.is_complete() {
            self.shelf.put(&self.key, &take);
        }
        let shown = self.job.there(take.clone(), true);
        let mut state = locked(&self.state);
        // It may have been given up meanwhile, and its newest frames are known only now.
        if !state.jobs.get(&self.key).is_some_and(|job| Arc::ptr_eq(job, &self.job)) {
            state.remember(&self.job.node, Some(take));
        }
        drop(state);
        if shown {
            (self.tell)();
        }
    }
}

struct End<'a>(&'a Job);

impl Drop for End<'_> {
    fn drop(&mut self) {
        locked(&self.0.there).ended = true;
        self.0.more.notify_all();
    }
}

/// What a page's rounds of work take recordings from.
pub struct AtDesk {
    studio: Arc<Studio>,
    desk: Desk,
}

impl AtDesk {
    /// Says of which nodes recordings are still wanted.
    pub fn keep_only(&self, nodes: &HashSet<String>) {
        self.studio.keep_only(self.desk, nodes);
    }

    /// What lies on the shelf.
    pub fn shelf(&self) -> &Shelf {
        &self.studio.shelf
    }
}

impl Recorder for AtDesk {
    fn take(&self, order: &Order<'_>) -> Result<Taken, String> {
        let known = || self.studio.shelf.find(&order.key).filter(|take| fits(take, order));
        let has_job = locked(&self.studio.state).jobs.contains_key(&order.key);
        if let Some(take) = if has_job { None } else { known() } {
            return Taken::of(&take, false);
        }
        let job = self.studio.job(self.desk, order)?;
        let take = job.look(order.cancel);
        let stopped = locked(&self.studio.state).stopped.contains(&order.key);
        match take {
            Some(take) => Taken::of(&take, stopped),
            None => Err("Nothing of it is worked out yet.".to_owned()),
        }
    }
}

#[cfg(test)]
mod tests;
