//! Threads for what takes long. Whoever works for one scene has threads of its own, and all threads take turns: no
//! scene waits for another's work to end.

use crate::api::Refusal;
use rayon::{ThreadPool, ThreadPoolBuilder};
use std::collections::HashMap;
use std::num::NonZeroUsize;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};
use thread_priority::{ThreadPriority, ThreadPriorityValue, set_current_thread_priority};
use tokio::sync::Semaphore;
use uuid::Uuid;
use zickzack_core::motion::Cancel;

/// How soon threads have their turn where there are fewer cores.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rank {
    /// Somebody looks at what comes of it. Still after what answers requests and keeps edits.
    Seen,
    /// Small pictures, files, recordings.
    Background,
}

impl Rank {
    /// Gives it to the thread that asks, where the machine allows it.
    pub fn take(self) {
        // From 0 to 100, of which 50 is what a thread has by itself.
        let value: u8 = match self {
            Self::Seen => 25,
            Self::Background => 0,
        };
        let Ok(value) = ThreadPriorityValue::try_from(value) else { return };
        if let Err(why) = set_current_thread_priority(ThreadPriority::Crossplatform(value)) {
            tracing::debug!("a thread keeps its rank: {why}");
        }
    }
}

/// Threads that work for one scene.
pub struct Crew(ThreadPool);

impl Crew {
    /// As many threads as there are cores.
    ///
    /// # Errors
    /// A refusal where the machine gives no more threads.
    pub fn new(rank: Rank) -> Result<Self, Refusal> {
        let threads = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
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

/// Most pieces of work in the background at a time, of all scenes and of each.
const MOST: usize = 32;
const MOST_OF_A_SCENE: usize = 2;

/// Work in the background: asked for by requests that wait for it, given up when they do not any more.
pub struct Background {
    turns: Arc<Semaphore>,
    scenes: Mutex<HashMap<Uuid, Weak<Counter>>>,
}

/// Where the requests of a scene wait for their turns.
struct Counter {
    turns: Semaphore,
    /// What is being worked at.
    at_work: Mutex<Vec<Cancel>>,
}

impl Default for Background {
    fn default() -> Self {
        Self { turns: Arc::new(Semaphore::new(MOST)), scenes: Mutex::default() }
    }
}

impl Background {
    fn scenes(&self) -> MutexGuard<'_, HashMap<Uuid, Weak<Counter>>> {
        self.scenes.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn counter(&self, scene: Uuid) -> Arc<Counter> {
        let mut scenes = self.scenes();
        if let Some(known) = scenes.get(&scene).and_then(Weak::upgrade) {
            return known;
        }
        scenes.retain(|_, counter| counter.strong_count() > 0);
        let counter = Arc::new(Counter { turns: Semaphore::new(MOST_OF_A_SCENE), at_work: Mutex::default() });
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
        let closed = |_| Refusal::full("The server is about to stop.");
        let _of_the_scene = counter.turns.acquire().await.map_err(closed)?;
        let _of_all = self.turns.acquire().await.map_err(closed)?;
        let cancel = Cancel::default();
        let _wanted = Wanted::new(&counter, &cancel);
        let crew = Crew::new(Rank::Background)?;
        let own = cancel.clone();
        let done = tokio::task::spawn_blocking(move || crew.work(|| work(&own))).await;
        if cancel.stopped() {
            return Err(Refusal::no_scene());
        }
        done.map_err(|error| {
            tracing::error!("work failed: {error}");
            Refusal::broken()
        })?
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
