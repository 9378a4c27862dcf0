//! A scene that is open: its state in memory, edits in order, and the pages that look at it.

use super::keeping::{Queue, Sequences};
use crate::Shop;
use crate::api::Refusal;
use crate::crew::Crews;
use crate::recorder::Studio;
use crate::store::{assets, edits, scenes};
use serde_json::Value;
use std::collections::{BTreeMap, HashMap};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex as StdMutex, PoisonError, Weak};
use tokio::sync::{Mutex, MutexGuard, OnceCell, mpsc};
use uuid::Uuid;
use zickzack_core::graph::Memo;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Op, Scene, apply, replay};
use zickzack_formats::files::Files;
use zickzack_session::Session;

/// A room that is there, or is being opened by one while others wait for it.
type Opening = Arc<OnceCell<Arc<Room>>>;

/// All scenes that are open somewhere. A scene has one room, whoever comes at the same time, for as long as anybody holds
/// it.
#[derive(Default)]
pub struct Hub(StdMutex<HashMap<Uuid, Opening>>);

/// One open scene.
pub struct Room {
    /// Of the scene.
    pub id: Uuid,
    /// The threads that work for its pages.
    pub crews: Arc<Crews>,
    /// What was computed for it.
    pub memo: Arc<Memo>,
    /// What is worked out in the background for it.
    pub studio: Arc<Studio>,
    /// What waits to be kept.
    pub(super) queue: Queue,
    state: Mutex<Held>,
    pages: StdMutex<HashMap<u64, mpsc::UnboundedSender<Event>>>,
    next_page: AtomicU64,
}

/// What the room knows of the scene.
pub(super) struct Held {
    pub(super) state: State,
    /// True after trouble with the database, when nobody can say whether the last edit was kept.
    doubtful: bool,
    pub(super) sequences: Sequences,
    pub(super) written: Written,
}

/// How much of a scene is written down: its document, and what was done since.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Written {
    /// Bytes of the document.
    pub document: usize,
    /// Bytes of the edits since.
    pub since: usize,
    /// How many these are.
    pub edits: usize,
}

/// Bytes of edits that are always few enough to be read beside a document, and how many are.
const FEW_BYTES: usize = 1 << 16;
const FEW_EDITS: usize = 200;

impl Written {
    /// True when it is time to write the document: reading the edits would take as long as reading that.
    pub(super) const fn is_due(&self) -> bool {
        let few = if self.document > FEW_BYTES { self.document } else { FEW_BYTES };
        self.since > few || self.edits > FEW_EDITS
    }
}

impl Held {
    /// Nobody can say what is kept, where a refusal passes.
    pub(super) fn doubt(&mut self, refusal: &Refusal) {
        if refusal.is_passing() {
            self.doubtful = true;
            self.sequences.forget();
        }
    }
}

/// The scene as it is kept.
#[derive(Clone)]
pub struct State {
    /// The scene and what it refers to.
    pub session: Session,
    /// Counts edits.
    pub revision: i64,
}

/// What pages are told.
#[derive(Clone)]
pub enum Event {
    /// Somebody changed the scene.
    Edited { revision: i64, client: String, sequence: i64, kind: &'static str, label: String, ops: Arc<Vec<Op>> },
    /// The scene was read anew.
    Reloaded,
    /// The scene is gone.
    Deleted,
    /// The server stops.
    Stopping,
    /// More of what is worked out in the background is there.
    Recorded,
}

fn telling(room: Weak<Room>) -> Arc<dyn Fn() + Send + Sync> {
    Arc::new(move || {
        if let Some(room) = room.upgrade() {
            room.tell(&Event::Recorded);
        }
    })
}

impl Hub {
    /// The room of a scene, opened when nobody was there.
    ///
    /// # Errors
    /// Where there is no such scene; a passing refusal where the database does not answer.
    pub async fn room(&self, shop: &Shop, id: Uuid) -> Result<Arc<Room>, Refusal> {
        let opening = self.opening(id);
        let room = opening.get_or_try_init(|| async {
            let (state, written) = read_scene(shop, id).await?;
            Ok::<_, Refusal>(Arc::new_cyclic(|room: &Weak<Room>| Room {
                id,
                crews: Arc::default(),
                memo: Arc::default(),
                studio: Arc::new(Studio::new(shop.shelf.clone(), (shop.trials.clone(), id), telling(room.clone()))),
                queue: Queue::default(),
                state: Mutex::new(Held { state, doubtful: false, sequences: Sequences::default(), written }),
                pages: StdMutex::default(),
                next_page: AtomicU64::new(1),
            }))
        });
        Ok(room.await?.clone())
    }

    fn opening(&self, id: Uuid) -> Opening {
        self.held().entry(id).or_default().clone()
    }

    /// Forgets the rooms that nobody is in any more, and what was computed for them.
    pub fn tidy(&self) {
        drop(self.held());
    }

    /// How many scenes are open, or were and are not forgotten yet.
    pub fn open(&self) -> usize {
        self.rooms().len()
    }

    /// The rooms that somebody holds.
    fn held(&self) -> std::sync::MutexGuard<'_, HashMap<Uuid, Opening>> {
        let mut rooms = self.rooms();
        // Nobody can take up meanwhile what only this list holds.
        let held = |room: &Arc<Room>| Arc::strong_count(room) > 1;
        rooms.retain(|_, opening| Arc::strong_count(opening) > 1 || opening.get().is_some_and(held));
        rooms
    }

    fn rooms(&self) -> std::sync::MutexGuard<'_, HashMap<Uuid, Opening>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Tells all pages that the server stops.
    pub fn stop(&self) {
        let rooms: Vec<Arc<Room>> = self.rooms().values().filter_map(|opening| opening.get().cloned()).collect();
        rooms.iter().for_each(|room| room.tell(&Event::Stopping));
    }

    /// Tells the pages of a scene that it is gone.
    pub fn deleted(&self, id: Uuid) {
        let opening = self.rooms().remove(&id);
        if let Some(room) = opening.as_ref().and_then(|opening| opening.get()) {
            room.tell(&Event::Deleted);
        }
    }
}

/// A scene and its files from the database.
///
/// # Errors
/// Where there is no such scene; a passing refusal where the database does not answer.
pub async fn open_scene(shop: &Shop, id: Uuid) -> Result<State, Refusal> {
    read_scene(shop, id).await.map(|(state, _)| state)
}

async fn read_scene(shop: &Shop, id: Uuid) -> Result<(State, Written), Refusal> {
    let row = scenes::find(&shop.pool, id).await?.ok_or_else(Refusal::no_scene)?;
    let (revision, registry) = (row.revision, shop.registry.clone());
    let since = edits::between(&shop.pool, id, row.written, revision).await?;
    // Apart from what others wait for: a document may be large.
    let schemas = registry.clone();
    let read = tokio::task::spawn_blocking(move || as_kept(&row, &since, &schemas)).await;
    let read = read.map_err(|_| Refusal::broken())?;
    let (scene, written) = read.map_err(|why| Refusal::bad(format!("This scene cannot be opened{why}")))?;
    let files = Arc::new(files_of(shop, &scene).await?);
    Ok((State { session: Session::new(registry, scene, files), revision }, written))
}

/// A scene as it is kept: as it was written last, and what was done since.
fn as_kept(row: &scenes::Row, since: &[String], registry: &Registry) -> Result<(Scene, Written), String> {
    fn sentence(error: impl std::fmt::Display) -> String {
        format!(". {error}")
    }
    let (there, wanted) = (since.len() as i64, row.revision - row.written);
    if there != wanted {
        return Err(format!(
            ": {} of its last {wanted} edits are missing in the database. Bring back a backup.",
            wanted - there
        ));
    }
    let mut document: Value = serde_json::from_str(&row.document).map_err(sentence)?;
    for ops in since {
        let ops: Vec<Op> = serde_json::from_str(ops).map_err(sentence)?;
        replay(&mut document, &ops).map_err(sentence)?;
    }
    let scene = Scene::from_value(document, &registry.schemas).map_err(sentence)?;
    let since_bytes = since.iter().map(String::len).sum();
    Ok((scene, Written { document: row.document.len(), since: since_bytes, edits: since.len() }))
}

/// The files that a scene refers to; one that has several names is held once.
///
/// # Errors
/// A passing refusal where the database does not answer.
pub async fn files_of(shop: &Shop, scene: &Scene) -> Result<Files, Refusal> {
    let (mut contents, mut held) = (BTreeMap::new(), HashMap::new());
    for (name, asset) in &scene.assets {
        let known: Option<&Arc<Vec<u8>>> = held.get(asset.hash.as_str());
        let content = match known {
            Some(content) => Some(content.clone()),
            None => assets::content(&shop.pool, &asset.hash).await?.map(Arc::new),
        };
        held.extend(content.clone().map(|content| (asset.hash.as_str(), content)));
        let missing = || format!("the file \"{name}\" is not kept here: bring it in again");
        contents.insert(name.clone(), content.ok_or_else(missing));
    }
    Ok(Files::shared(contents))
}

impl Room {
    fn pages(&self) -> std::sync::MutexGuard<'_, HashMap<u64, mpsc::UnboundedSender<Event>>> {
        self.pages.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Joins; what happens arrives at the receiver.
    pub fn enter(&self) -> (u64, mpsc::UnboundedReceiver<Event>) {
        let (sender, receiver) = mpsc::unbounded_channel();
        let page = self.next_page.fetch_add(1, Ordering::Relaxed);
        self.pages().insert(page, sender);
        (page, receiver)
    }

    /// How many pages are in.
    pub fn inside(&self) -> usize {
        self.pages().len()
    }

    /// Leaves.
    pub fn leave(&self, page: u64) {
        self.pages().remove(&page);
        self.studio.leave(page);
    }

    pub(super) fn tell(&self, event: &Event) {
        self.pages().retain(|_, page| page.send(event.clone()).is_ok());
    }

    /// The scene as it is kept, as far as is known.
    pub async fn state(&self) -> State {
        self.state.lock().await.state.clone()
    }

    /// The scene as it is kept now, read anew where that is in doubt.
    ///
    /// # Errors
    /// A passing refusal where the database does not answer.
    pub async fn certain_state(&self, shop: &Shop) -> Result<State, Refusal> {
        let mut held = self.state.lock().await;
        self.settle(shop, &mut held).await?;
        Ok(held.state.clone())
    }

    /// The scene for one who changes it.
    pub(super) async fn held(&self) -> MutexGuard<'_, Held> {
        self.state.lock().await
    }

    /// Reads the scene anew after trouble, and tells the pages when it is not what they know.
    pub(super) async fn settle(&self, shop: &Shop, held: &mut Held) -> Result<(), Refusal> {
        if !held.doubtful {
            return Ok(());
        }
        let (state, written) = read_scene(shop, self.id).await?;
        held.doubtful = false;
        held.written = written;
        if state.revision != held.state.revision {
            held.state = state;
            self.tell(&Event::Reloaded);
        }
        Ok(())
    }
}

/// The scene with a preview on top, if that fits.
///
/// # Errors
/// Why it does not fit.
pub fn previewed(kept: &Session, ops: &[Op]) -> Result<Session, String> {
    let (scene, _) = apply(&kept.scene, ops, &kept.registry.schemas).map_err(|error| error.to_string())?;
    Ok(kept.with_scene(scene))
}
