//! Threads for what takes long. Whoever works for one scene has threads of its own, and all threads take turns: no
//! scene waits for another's work to end.

use crate::api::Refusal;
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::collections::HashMap;
use std::num::NonZeroUsize;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};
use std::time::Duration;
use thread_priority::{ThreadPriority, ThreadPriorityValue, set_current_thread_priority};
use tokio::sync::Semaphore;
use uuid::Uuid;
use zickzack_core::motion::Cancel;

/// How soon threads have their turn where there are fewer cores.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rank {
    /// Somebody looks at what comes of it: close behind who takes edits and the browser that shows them.
    Seen,
    /// Somebody looks at it, and it takes long.
    Long,
    /// Small pictures, files, recordings.
    Background,
}

impl Rank {
    /// Gives it to the thread that asks, where the machine allows it.
    pub fn take(self) {
        // From 0 to 100, of which 50 is what a thread has by itself.
        let value: u8 = match self {
            Self::Seen => 25,
            Self::Long => 3,
            Self::Background => 0,
        };
        let Ok(value) = ThreadPriorityValue::try_from(value) else { return };
        if let Err(why) = set_current_thread_priority(ThreadPriority::Crossplatform(value)) {
            tracing::debug!("a thread keeps its rank: {why}");
        }
    }
}

/// As many as the machine has for this process.
pub fn cores() -> usize {
    std::thread::available_parallelism().map_or(1, NonZeroUsize::get)
}

/// Threads that work for one scene.
pub struct Crew(ThreadPool);

impl Crew {
    /// So many threads.
    ///
    /// # Errors
    /// A refusal where the machine gives no more threads.
    pub fn new(rank: Rank, threads: usize) -> Result<Self, Refusal> {
        let built = ThreadPoolBuilder::new()
            .num_threads(threads)
            .thread_name(move |i| format!("{rank:?} {i}").to_lowercase())
            .start_handler(move |_| rank.take())
            .build();
        built.map(Self).map_err(|error| Refusal::full(format!("There are no threads left ({error}).")))
    }

    /// Does `work` on these threads, and waits for it on the one that asks.
    pub fn work<T: Send>(&self, work: impl FnOnce() -> T + Send) -> T {
        self.0.install(work)
    }
}

/// Threads for the rounds of a scene's pages. Those of scenes whose rounds take long come after those of all others.
pub struct Crews {
    quick: Arc<AtHand>,
    long: Arc<AtHand>,
    takes_long: AtomicBool,
}

/// Looks beyond which a round takes long.
const LONG: u64 = 3_000_000;
/// How long a scene's threads wait for its next round: at least once, less than twice. Threads that wait hold on to
/// memory that was free and could be given back.
const WAIT: Duration = Duration::from_secs(4);

impl Default for Crews {
    /// Without threads; a scene's rounds are quick until one was not.
    fn default() -> Self {
        let [quick, long] = [Rank::Seen, Rank::Long].map(|rank| Arc::new(AtHand { rank, state: Mutex::default() }));
        Self { quick, long, takes_long: AtomicBool::new(false) }
    }
}

impl Crews {
    /// Does a round whose looks `cancel` counts, and waits for it. How much it took is what is expected of the next.
    /// Asked from within the asynchronous runtime, on a thread that may wait.
    ///
    /// # Errors
    /// A refusal where the machine gives no more threads.
    pub fn round<T: Send>(&self, cancel: &Cancel, work: impl FnOnce() -> T + Send) -> Result<T, Refusal> {
        let long = self.takes_long.load(Ordering::Relaxed);
        let done = if long { &self.long } else { &self.quick }.crew()?.work(work);
        // What was stopped before it took long might have.
        let takes_long = cancel.all_looks() > LONG || (long && cancel.stopped());
        self.takes_long.store(takes_long, Ordering::Relaxed);
        Ok(done)
    }
}

/// A crew that is there while it is asked for now and then.
struct AtHand {
    rank: Rank,
    state: Mutex<Asked>,
}

#[derive(Default)]
struct Asked {
    crew: Option<Arc<Crew>>,
    /// Since it was looked at last.
    asked: bool,
}

impl AtHand {
    fn state(&self) -> MutexGuard<'_, Asked> {
        self.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn crew(self: &Arc<Self>) -> Result<Arc<Crew>, Refusal> {
        let mut state = self.state();
        state.asked = true;
        if let Some(crew) = &state.crew {
            return Ok(crew.clone());
        }
        let crew = Arc::new(Crew::new(self.rank, cores())?);
        state.crew = Some(crew.clone());
        let own = Arc::downgrade(self);
        tokio::spawn(async move {
            loop {
                tokio::time::sleep(WAIT).await;
                if own.upgrade().is_none_or(|own| own.ended()) {
                    return;
                }
            }
        });
        Ok(crew)
    }

    /// Ends the threads when nobody asked for them since the last look and nobody waits for them.
    fn ended(&self) -> bool {
        let mut state = self.state();
        let at_work = |crew: &Arc<Crew>| Arc::strong_count(crew) > 1;
        if !std::mem::take(&mut state.asked) && !state.crew.as_ref().is_some_and(at_work) {
            state.crew = None;
        }
        state.crew.is_none()
    }
}

/// Most pieces of work in the background at a time, of all scenes and of each.
const MOST: usize = 32;
const MOST_OF_A_SCENE: usize = 2;

/// Work in the background: asked for by requests that wait for it, given up when they do not any more.
pub struct Background {
    turns: Arc<Semaphore>,
    threads: usize,
    /// Held once by each piece of work.
    at_work: Arc<()>,
    scenes: Mutex<HashMap<Uuid, Weak<Counter>>>,
}

/// Where the requests of a scene wait for their turns.
struct Counter {
    turns: Arc<Semaphore>,
    /// What is being worked at.
    at_work: Mutex<Vec<Cancel>>,
}

impl Default for Background {
    fn default() -> Self {
        Self::of(cores())
    }
}

impl Background {
    /// Each piece of work has so many threads.
    pub fn of(threads: usize) -> Self {
        Self { turns: Arc::new(Semaphore::new(MOST)), threads, at_work: Arc::default(), scenes: Mutex::default() }
    }

    fn scenes(&self) -> MutexGuard<'_, HashMap<Uuid, Weak<Counter>>> {
        self.scenes.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn counter(&self, scene: Uuid) -> Arc<Counter> {
        let mut scenes = self.scenes();
        if let Some(known) = scenes.get(&scene).and_then(Weak::upgrade) {
            return known;
        }
        scenes.retain(|_, counter| counter.strong_count() > 0);
        let counter = Arc::new(Counter { turns: Arc::new(Semaphore::new(MOST_OF_A_SCENE)), at_work: Mutex::default() });
        scenes.insert(scene, Arc::downgrade(&counter));
        counter
    }

    /// Does `work` for a scene when it is its turn. Whoever drops the future does not want it any more: the work is asked
    /// to stop.
    ///
    /// # Errors
    /// What `work` says, and a refusal where it panicked or was given up because its scene is gone.
    pub async fn work<T: Send + 'static>(
        &self,
        scene: Uuid,
        work: impl FnOnce(&Cancel) -> Result<T, Refusal> + Send + 'static,
    ) -> Result<T, Refusal> {
        let counter = self.counter(scene);
        let closed = |_| Refusal::stopping();
        // Also what waits for its turn is given up.
        let cancel = Cancel::default();
        let _wanted = Wanted::new(&counter, &cancel);
        let of_the_scene = counter.turns.clone().acquire_owned().await.map_err(closed)?;
        let of_all = self.turns.clone().acquire_owned().await.map_err(closed)?;
        let crew = Crew::new(Rank::Background, self.threads)?;
        let (own, at_work, counter) = (cancel.clone(), self.at_work.clone(), counter.clone());
        let done = tokio::task::spawn_blocking(move || {
            // Its turn lasts until it has ended, whoever still waits for it.
            let _turns = (of_the_scene, of_all, at_work, counter);
            if own.stopped() { Err(Refusal::no_scene()) } else { crew.work(|| work(&own)) }
        });
        let done = done.await;
        if cancel.stopped() {
            return Err(if self.turns.is_closed() { Refusal::stopping() } else { Refusal::no_scene() });
        }
        done.map_err(|error| {
            tracing::error!("work failed: {error}");
            Refusal::broken()
        })?
    }

    /// Pieces of work that are being done, wanted or not.
    pub fn at_work(&self) -> usize {
        Arc::strong_count(&self.at_work) - 1
    }

    /// Gives up all, and takes on nothing more.
    pub fn stop(&self) {
        self.turns.close();
        let counters: Vec<_> = self.scenes().values().filter_map(Weak::upgrade).collect();
        for counter in counters {
            counter.turns.close();
            counter.at_work().iter().for_each(Cancel::cancel);
        }
    }

    /// Gives up what is done for a scene.
    pub fn give_up(&self, scene: Uuid) {
        let counter = self.scenes().get(&scene).and_then(Weak::upgrade);
        if let Some(counter) = counter {
            counter.at_work().iter().for_each(Cancel::cancel);
        }
    }
}

impl Counter {
    fn at_work(&self) -> MutexGuard<'_, Vec<Cancel>> {
        self.at_work.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

/// Asks work to stop when nobody waits for it any more.
struct Wanted {
    counter: Arc<Counter>,
    cancel: Cancel,
}

impl Wanted {
    fn new(counter: &Arc<Counter>, cancel: &Cancel) -> Self {
        counter.at_work().push(cancel.clone());
        Self { counter: counter.clone(), cancel: cancel.clone() }
    }
}

impl Drop for Wanted {
    fn drop(&mut self) {
        let mut at_work = self.counter.at_work();
        if let Some(own) = at_work.iter().position(|cancel| cancel.same(&self.cancel)) {
            at_work.swap_remove(own);
        }
        self.cancel.cancel();
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::mpsc;
    use zickzack_core::work::spend;

    const PATIENCE: Duration = Duration::from_secs(60);

    /// Keeps all threads of a crew busy until what is given is dropped.
    fn occupied(crew: &Arc<Crew>) -> mpsc::Sender<()> {
        let (hold, held) = mpsc::channel::<()>();
        let (begun, begins) = mpsc::channel();
        let (held, own) = (Mutex::new(held), crew.clone());
        std::thread::spawn(move || {
            own.work(|| {
                rayon::broadcast(|_| {
                    begun.clone().send(()).unwrap();
                    let _ = held.lock().unwrap().recv();
                });
            });
        });
        begins.recv_timeout(PATIENCE).unwrap();
        hold
    }

    #[test]
    fn work_for_one_scene_waits_for_none_of_another() {
        let (one, other) = (Arc::new(Crew::new(Rank::Seen, 2).unwrap()), Crew::new(Rank::Seen, 2).unwrap());
        let hold = occupied(&one);
        let sum = other.work(|| {
            use rayon::prelude::*;
            (0..1000_u64).into_par_iter().sum::<u64>()
        });
        assert_eq!(sum, 499_500);
        drop(hold);
    }

    #[tokio::test]
    async fn rounds_that_take_long_come_after_the_others_until_one_is_quick() {
        let crews = Crews::default();
        let round = |looks: u64, stopped: bool| {
            let cancel = Cancel::default();
            crews.round(&cancel, || {
                cancel.afresh(u64::MAX).watched(|| (0..looks / 1000).for_each(|_| assert!(spend(1000))));
                if stopped {
                    cancel.cancel();
                }
                std::thread::current().name().unwrap().to_owned()
            })
        };
        let ranks =
            [(0, false), (2 * LONG, false), (0, true), (0, false), (2 * LONG, true), (0, true), (0, false), (0, false)];
        let done = ranks.map(|(looks, stopped)| round(looks, stopped).unwrap().split_once(' ').unwrap().0.to_owned());
        assert_eq!(done, ["seen", "seen", "long", "long", "seen", "long", "long", "seen"]);
    }

    #[tokio::test]
    async fn threads_of_a_scene_end_when_nothing_is_asked_of_it_and_are_there_again_when_something_is() {
        let crews = Crews::default();
        let held = || crews.quick.state().crew.clone();
        let round = || crews.round(&Cancel::default(), || ()).unwrap();
        assert!(held().is_none());
        for _ in 0..3 {
            round();
            let crew = held().unwrap();
            assert!(!crews.quick.ended(), "a crew that was asked for stays");
            assert!(!crews.quick.ended(), "and so does one that is at work, though it is not asked for");
            let threads = Arc::downgrade(&crew);
            drop(crew);
            round();
            assert!(!crews.quick.ended() && crews.quick.ended());
            assert_eq!((held().is_none(), threads.strong_count()), (true, 0));
        }
        // By itself as well.
        round();
        let rests = async {
            while held().is_some() {
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
        };
        tokio::time::timeout(PATIENCE, rests).await.unwrap();
        round();
    }

    #[tokio::test]
    async fn a_scene_has_so_many_turns_and_leaves_the_others_theirs() {
        let background = Arc::new(Background::default());
        let (one, other) = (Uuid::new_v4(), Uuid::new_v4());
        let (hold, held) = mpsc::channel::<()>();
        let held = Arc::new(Mutex::new(held));
        let (begun, mut begins) = tokio::sync::mpsc::unbounded_channel();
        let waiting: Vec<_> = (0..MOST_OF_A_SCENE + 1)
            .map(|_| {
                let (background, held, begun) = (background.clone(), held.clone(), begun.clone());
                tokio::spawn(async move {
                    let work = move |_: &Cancel| {
                        begun.send(()).unwrap();
                        let _ = held.lock().unwrap().recv();
                        Ok(())
                    };
                    background.work(one, work).await
                })
            })
            .collect();
        for _ in 0..MOST_OF_A_SCENE {
            begins.recv().await.unwrap();
        }
        assert_eq!(background.work(other, |_| Ok(7)).await.unwrap(), 7);
        assert!(begins.try_recv().is_err(), "one more than it may");
        drop(hold);
        for done in waiting {
            done.await.unwrap().unwrap();
        }
        assert_eq!(background.at_work(), 0);
    }

    /// Works until it is asked to stop, and says so.
    fn endless(stopped: mpsc::Sender<()>) -> impl FnOnce(&Cancel) -> Result<(), Refusal> + Send {
        move |cancel| {
            while !cancel.stopped() {
                std::thread::sleep(Duration::from_millis(1));
            }
            stopped.send(()).unwrap();
            Ok(())
        }
    }

    #[tokio::test]
    async fn what_nobody_waits_for_any_more_is_given_up() {
        let background = Background::default();
        let (stopped, stops) = mpsc::channel();
        let waited = tokio::time::timeout(Duration::from_millis(50), background.work(Uuid::nil(), endless(stopped)));
        assert!(waited.await.is_err());
        let heard = tokio::task::spawn_blocking(move || stops.recv_timeout(PATIENCE));
        assert!(heard.await.unwrap().is_ok());
    }

    #[tokio::test]
    async fn what_is_done_for_a_scene_that_is_deleted_is_given_up_and_said() {
        let background = Arc::new(Background::default());
        let (scene, (stopped, _stops)) = (Uuid::new_v4(), mpsc::channel());
        let own = background.clone();
        let work = tokio::spawn(async move { own.work(scene, endless(stopped)).await });
        while background.at_work() == 0 {
            tokio::time::sleep(Duration::from_millis(1)).await;
        }
        background.give_up(Uuid::new_v4());
        assert_eq!(background.at_work(), 1);
        background.give_up(scene);
        assert!(work.await.unwrap().unwrap_err().is_missing());
    }

    #[tokio::test]
    async fn a_panic_is_a_refusal_and_leaves_nothing_behind() {
        let background = Background::default();
        let done: Result<(), Refusal> = background.work(Uuid::nil(), |_| panic!("a fault")).await;
        assert!(done.is_err_and(|refusal| !refusal.is_passing()));
        assert_eq!(background.work(Uuid::nil(), |_| Ok(1)).await.unwrap(), 1);
    }
}
