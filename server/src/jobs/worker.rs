//! Whoever works at what was ordered: within the server, or processes of their own on any machine.

use super::queue::{Ticket, mend, storage};
use super::work::{Ended, written};
use crate::Shop;
use crate::crew::{Background, cores};
use crate::store::jobs::{self, Turn};
use apalis::prelude::{BoxDynError, Data, WorkerBuilder, WorkerBuilderExt, WorkerContext};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Duration;
use uuid::Uuid;
use zickzack_core::motion::Cancel;

/// How a worker works.
#[derive(Debug, Clone, Copy)]
pub struct Habits {
    /// How many files at a time.
    pub at_once: usize,
    /// How many threads for each.
    pub threads: usize,
    /// After how long without a sign of life another worker has what this one was at.
    pub gone: Duration,
}

impl Default for Habits {
    fn default() -> Self {
        Self { at_once: 2, threads: cores(), gone: Duration::from_secs(20) }
    }
}

/// Workers that may end over the same file.
const MOST_LOST: i32 = 5;
/// How often is said how far it is.
const TELLS: Duration = Duration::from_millis(400);
/// How long is waited before the queue is asked again that did not answer.
const BETWEEN: Duration = Duration::from_secs(2);

/// Asked to stop: nothing more is begun with, and what is at work is given back.
#[derive(Debug, Clone, Default)]
pub struct Stopping(Arc<AtomicBool>);

impl Stopping {
    /// Asks for it.
    pub fn stop(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    fn is_asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}

/// Works until it is asked to stop. A queue that does not answer is asked again.
pub async fn work(shop: Arc<Shop>, habits: Habits, stopping: Stopping) {
    let crews = Arc::new(Background::of(habits.threads.max(1)));
    while !stopping.is_asked() {
        // One that is gone keeps its name until its work was taken over.
        let name = format!("{} {}", host(), Uuid::new_v4().simple());
        if let Err(why) = mend(&shop.pool).await {
            tracing::warn!("what waits cannot be looked for: {why}");
        }
        let context = WorkerContext::new(name.as_str());
        let worker = WorkerBuilder::new(&context)
            .backend(storage(&shop.pool, habits.gone).with_pubsub())
            .data(Own { shop: shop.clone(), crews: crews.clone(), stopping: stopping.clone() })
            .concurrency(habits.at_once.max(1))
            .build(taken);
        let asked = async {
            while !stopping.is_asked() {
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
            // It ends by itself where it has not begun yet.
            let _ = context.stop();
            std::future::pending::<()>().await;
        };
        tokio::select! {
            ended = worker.run() => match ended {
                Ok(()) if stopping.is_asked() => return,
                Ok(()) => tracing::warn!("the queue ended; it is asked again"),
                Err(why) => tracing::warn!("the queue does not answer: {why}; it is asked again"),
            },
            () = asked => {}
        }
        tokio::time::sleep(BETWEEN).await;
    }
}

/// The name of the machine, as far as it tells.
fn host() -> String {
    let name = std::fs::read_to_string("/proc/sys/kernel/hostname").unwrap_or_default();
    let name = name.trim();
    if name.is_empty() { "worker".to_owned() } else { name.to_owned() }
}

/// What a worker has to work with.
#[derive(Clone)]
struct Own {
    shop: Arc<Shop>,
    crews: Arc<Background>,
    stopping: Stopping,
}

/// A ticket that was handed to this worker.
async fn taken(ticket: Ticket, own: Data<Own>, worker: WorkerContext) -> Result<(), BoxDynError> {
    let Own { shop, crews, stopping } = &*own;
    if stopping.is_asked() {
        return Err("this worker stops".into());
    }
    let name = worker.name().split(' ').next().unwrap_or_default().to_owned();
    // Of what is not wanted any more, or was done, the ticket is void.
    let Some(begun) = jobs::begin(&shop.pool, (ticket.job, ticket.ticket), &name).await? else { return Ok(()) };
    let turn = Turn { id: ticket.job, turn: begun.turn };
    if begun.lost >= MOST_LOST {
        let why = format!(
            "{} workers ended while they were at it: it may take more memory than they have. Use fewer things or frames, then order it again.",
            begun.lost
        );
        jobs::fail(&shop.pool, turn, &why).await?;
        return Ok(());
    }
    let cancel = Cancel::default();
    // Whoever drops this, as a queue that does not answer, gives up the work.
    let _given_up = GivenUp(cancel.clone());
    let doing = Arc::new(std::sync::Mutex::new("working out"));
    let work = written((shop, crews), turn, &begun, (&cancel, &doing));
    tokio::pin!(work);
    let mut ticks = tokio::time::interval(TELLS);
    let ended = loop {
        tokio::select! {
            ended = &mut work => break ended,
            _ = ticks.tick() => {
                if stopping.is_asked() {
                    cancel.cancel();
                }
                let now = *doing.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
                // A database that does not answer is asked again at the next tick.
                if let Ok(false) = jobs::tell(&shop.pool, turn, (now, cancel.reached())).await {
                    cancel.cancel();
                }
            }
        }
    };
    match ended {
        Ended::Written { key, bytes, report } => {
            let kept = jobs::done(&shop.pool, turn, (&key, bytes as i64), &report).await;
            match kept {
                Ok(true) => shop.results.fit(&shop.pool).await,
                // Stopped meanwhile, or taken over: nobody has this file.
                Ok(false) => shop.results.remove(&key).await,
                Err(why) => {
                    shop.results.remove(&key).await;
                    return Err(why.into());
                }
            }
        }
        Ended::Refused(why) => {
            jobs::fail(&shop.pool, turn, &why).await?;
        }
        Ended::GivenUp if stopping.is_asked() => {
            jobs::give_back(&shop.pool, turn).await?;
            return Err("this worker stops".into());
        }
        Ended::GivenUp => {}
    }
    Ok(())
}

/// Asks work to stop when it is dropped.
struct GivenUp(Cancel);

impl Drop for GivenUp {
    fn drop(&mut self) {
        self.0.cancel();
    }
}
