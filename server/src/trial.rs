//! No scene brings the server down twice: what is worked out is written down while it is, and a scene that was when a
//! server ended waits until somebody asks for it.

use crate::api::Refusal;
use crate::store::trials;
use sqlx::PgPool;
use std::collections::{HashMap, HashSet};
use std::sync::{Mutex, MutexGuard, OnceLock, PoisonError};
use std::time::{Duration, Instant};
use tokio::sync::{mpsc, oneshot};
use tokio::time::error::Elapsed;
use uuid::Uuid;

/// What takes no longer is not written down, once its scene was worked out.
const QUICK: Duration = Duration::from_millis(250);
/// How long nothing is written after that was in vain.
const PAUSE: Duration = Duration::from_secs(5);

/// Why a scene is not worked out.
pub const HELD: &str = "The server ended while it worked this scene out, so it is not worked out again by itself. Open \
     it and take out of it what is much to do, or have it worked out all the same.";

/// What is being worked out.
#[derive(Default)]
pub struct Trials {
    known: Mutex<Known>,
    /// To the task that writes it down.
    says: OnceLock<mpsc::UnboundedSender<Says>>,
}

#[derive(Default)]
struct Known {
    held: HashSet<Uuid>,
    /// Scenes that were worked out whole since the server began.
    proved: HashSet<Uuid>,
}

enum Says {
    Begins(Uuid, Option<oneshot::Sender<()>>),
    Ends(Uuid, bool),
}

/// Work for a scene, until it is dropped.
pub struct Trial<'a> {
    trials: &'a Trials,
    scene: Uuid,
    /// It was done whole.
    pub done: bool,
}

impl Trials {
    fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Judges what the last server left, and writes down from now on what this one is at. Work waits for that as long
    /// as the database may be `silent`: after that it is done all the same.
    ///
    /// # Errors
    /// What the database says.
    pub async fn open(&self, pool: &PgPool, silent: Duration) -> Result<(), sqlx::Error> {
        let held = trials::judged(pool).await?;
        for scene in &held {
            tracing::warn!(%scene, "the server ended while this scene was worked out: it is not by itself any more");
        }
        self.known().held = held.into_iter().collect();
        let (says, heard) = mpsc::unbounded_channel();
        if self.says.set(says).is_ok() {
            let pen = Pen { pool: pool.clone(), silent, in_vain: None };
            tokio::spawn(write(pen, heard));
        }
        Ok(())
    }

    /// True for a scene that is not worked out by itself.
    pub fn holds(&self, scene: Uuid) -> bool {
        self.known().held.contains(&scene)
    }

    /// Somebody wants it worked out all the same.
    ///
    /// # Errors
    /// A passing refusal where that cannot be written down.
    pub async fn again(&self, pool: &PgPool, scene: Uuid) -> Result<(), Refusal> {
        trials::again(pool, scene).await?;
        self.known().held.remove(&scene);
        Ok(())
    }

    /// Work for a scene begins: on a thread that may wait, for the first of it is written down before.
    pub fn begins(&self, scene: Uuid) -> Trial<'_> {
        if let Some(says) = self.says.get() {
            let proved = self.known().proved.contains(&scene);
            let (wrote, written) = oneshot::channel();
            let told = says.send(Says::Begins(scene, (!proved).then_some(wrote)));
            if told.is_ok() && !proved {
                // Where it is not written in time, that is told by the task.
                let _ = written.blocking_recv();
            }
        }
        Trial { trials: self, scene, done: false }
    }

    /// The server stops in order.
    pub async fn rest(&self, pool: &PgPool) {
        if let Err(why) = trials::rest(pool).await {
            tracing::warn!("what is worked out could not be crossed out: {why}");
        }
    }
}

impl Drop for Trial<'_> {
    fn drop(&mut self) {
        if self.done {
            self.trials.known().proved.insert(self.scene);
        }
        if let Some(says) = self.trials.says.get() {
            // Without the task nothing was written either.
            let _ = says.send(Says::Ends(self.scene, self.done));
        }
    }
}

/// A scene that is being worked out.
struct Running {
    times: usize,
    since: Instant,
    written: bool,
    /// It was done whole since that was written.
    done: bool,
}

/// Writes down one after another what begins and ends.
async fn write(mut pen: Pen, mut heard: mpsc::UnboundedReceiver<Says>) {
    let mut running: HashMap<Uuid, Running> = HashMap::new();
    let mut looks = tokio::time::interval(QUICK);
    loop {
        tokio::select! {
            said = heard.recv() => match said {
                None => return,
                Some(Says::Begins(scene, asked)) => {
                    let new = Running { times: 0, since: Instant::now(), written: false, done: false };
                    let own = running.entry(scene).or_insert(new);
                    own.times += 1;
                    if let Some(asked) = asked {
                        if !own.written {
                            own.written = pen.begins(scene).await;
                        }
                        // Who asked may be gone.
                        let _ = asked.send(());
                    }
                }
                Some(Says::Ends(scene, done)) => {
                    let Some(own) = running.get_mut(&scene) else { continue };
                    own.times -= 1;
                    own.done |= done;
                    if own.times == 0 && let Some(own) = running.remove(&scene) && own.written {
                        pen.ends(scene, own.done).await;
                    }
                }
            },
            _ = looks.tick() => {
                for (scene, own) in running.iter_mut().filter(|(_, own)| !own.written && own.since.elapsed() > QUICK) {
                    own.written = pen.begins(*scene).await;
                }
            }
        }
    }
}

/// Writes where the database is there.
struct Pen {
    pool: PgPool,
    /// How long it may keep silent.
    silent: Duration,
    /// When it was not.
    in_vain: Option<Instant>,
}

impl Pen {
    async fn begins(&mut self, scene: Uuid) -> bool {
        if self.in_vain.is_some_and(|since| since.elapsed() < PAUSE) {
            return false;
        }
        let written = tokio::time::timeout(self.silent, trials::begins(&self.pool, scene)).await;
        self.told(written)
    }

    /// What could not be crossed out is held against a scene only where the server ends before it is worked out again.
    async fn ends(&mut self, scene: Uuid, done: bool) {
        let written = tokio::time::timeout(self.silent, trials::ends(&self.pool, scene, done)).await;
        self.told(written);
    }

    /// True where it was written; else that is told.
    fn told(&mut self, written: Result<Result<(), sqlx::Error>, Elapsed>) -> bool {
        match written {
            Ok(Ok(())) => {
                self.in_vain = None;
                return true;
            }
            Ok(Err(why)) => tracing::warn!("what is worked out could not be written down: {why}"),
            Err(_) => tracing::warn!("what is worked out was not written down in {} ms", self.silent.as_millis()),
        }
        self.in_vain = Some(Instant::now());
        false
    }
}
