//! A scene that is open: its state in memory, edits in order, and the pages that look at it.

use super::messages::ToPage;
use crate::Shop;
use crate::api::Refusal;
use crate::recorder::Studio;
use crate::store::{assets, edits, scenes};
use serde_json::Value;
use std::collections::{BTreeMap, HashMap};
use std::sync::atomic::{AtomicU64, Ordering};
use std::sync::{Arc, Mutex as StdMutex, PoisonError, Weak};
use tokio::sync::{Mutex, OnceCell, mpsc};
use uuid::Uuid;
use zickzack_core::graph::Memo;
use zickzack_core::nodes::Registry;
use zickzack_core::scene::{Op, Scene, apply, value_at};
use zickzack_formats::files::Files;

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
    /// What was computed for it.
    pub memo: Arc<Memo>,
    /// What is worked out in the background for it.
    pub studio: Arc<Studio>,
    state: Mutex<Held>,
    pages: StdMutex<HashMap<u64, mpsc::UnboundedSender<Event>>>,
    next_page: AtomicU64,
}

/// What the room knows of the scene.
struct Held {
    state: State,
    /// True after trouble with the database, when nobody can say whether the last edit was kept.
    doubtful: bool,
}

/// The scene as it is kept.
#[derive(Clone)]
pub struct State {
    /// Of the scene.
    pub scene: Arc<Scene>,
    /// Counts edits.
    pub revision: i64,
    /// What the scene refers to.
    pub files: Arc<Files>,
}

/// What pages are told.
#[derive(Clone)]
pub enum Event {
    /// Somebody changed the scene.
    Edited { revision: i64, client: String, sequence: i64, ops: Vec<Op> },
    /// The scene was read anew.
    Reloaded,
    /// The scene is gone.
    Deleted,
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
    pub async fn room(&self, shop: &Shop, id: Uuid) -> Result<Arc<Room>, Refusal> {
        let opening = self.opening(id);
        let room = opening.get_or_try_init(|| async {
            let state = open_scene(shop, id).await?;
            Ok::<_, Refusal>(Arc::new_cyclic(|room: &Weak<Room>| Room {
                id,
                memo: Arc::default(),
                studio: Arc::new(Studio::new(shop.shelf.clone(), telling(room.clone()))),
                state: Mutex::new(Held { state, doubtful: false }),
                pages: StdMutex::default(),
                next_page: AtomicU64::new(1),
            }))
        });
        Ok(room.await?.clone())
    }

    fn opening(&self, id: Uuid) -> Opening {
        let mut rooms = self.rooms();
        // Nobody can take up meanwhile what only this list holds.
        let held = |room: &Arc<Room>| Arc::strong_count(room) > 1;
        rooms.retain(|_, opening| Arc::strong_count(opening) > 1 || opening.get().is_some_and(held));
        rooms.entry(id).or_default().clone()
    }

    fn rooms(&self) -> std::sync::MutexGuard<'_, HashMap<Uuid, Opening>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
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
pub async fn open_scene(shop: &Shop, id: Uuid) -> Result<State, Refusal> {
    let row = scenes::find(&shop.pool, id).await?.ok_or_else(Refusal::no_scene)?;
    let scene = Scene::from_value(row.document.0, &shop.registry.schemas)
        .map_err(|error| Refusal::bad(format!("This scene cannot be opened. {error}")))?;
    let files = Arc::new(files_of(shop, &scene).await?);
    Ok(State { scene: Arc::new(scene), revision: row.revision, files })
}

/// The files that a scene refers to.
pub async fn files_of(shop: &Shop, scene: &Scene) -> Result<Files, Refusal> {
    let mut contents = BTreeMap::new();
    for (name, asset) in &scene.assets {
        // Pictures go to the page as they are.
        if asset.media.starts_with("image/") && asset.media != "image/svg+xml" {
            continue;
        }
        let content = assets::content(&shop.pool, &asset.hash).await?;
        let missing = || format!("the file \"{name}\" is not kept here: bring it in again");
        contents.insert(name.clone(), content.ok_or_else(missing));
    }
    Ok(Files::new(contents))
}

/// What a client asks for, with its sequence number.
pub enum Wish {
    Edit { label: String, ops: Vec<Op> },
    Undo,
    Redo,
}

struct Change {
    kind: &'static str,
    label: String,
    ops: Vec<Op>,
    takes_back: Option<i64>,
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

    /// Leaves.
    pub fn leave(&self, page: u64) {
        self.pages().remove(&page);
        self.studio.leave(page);
    }

    fn tell(&self, event: &Event) {
        self.pages().retain(|_, page| page.send(event.clone()).is_ok());
    }

    /// The scene as it is kept, as far as is known.
    pub async fn state(&self) -> State {
        self.state.lock().await.state.clone()
    }

    /// The scene as it is kept now, read anew where that is in doubt.
    pub async fn certain_state(&self, shop: &Shop) -> Result<State, Refusal> {
        let mut held = self.state.lock().await;
        self.settle(shop, &mut held).await?;
        Ok(held.state.clone())
    }

    /// Reads the scene anew after trouble, and tells the pages when it is not what they know.
    async fn settle(&self, shop: &Shop, held: &mut Held) -> Result<(), Refusal> {
        if !held.doubtful {
            return Ok(());
        }
        let state = open_scene(shop, self.id).await?;
        held.doubtful = false;
        if state.revision != held.state.revision {
            held.state = state;
            self.tell(&Event::Reloaded);
        }
        Ok(())
    }

    /// Does what a client wishes, keeps it, and tells every page. `Ok(Some)` when it was done before.
    pub async fn act(&self, shop: &Shop, client: &str, sequence: i64, wish: Wish) -> Result<Option<ToPage>, Refusal> {
        let mut held = self.state.lock().await;
        let done = match self.settle(shop, &mut held).await {
            Ok(()) => self.attempt(shop, &mut held.state, client, sequence, wish).await,
            Err(refusal) => Err(refusal),
        };
        if done.as_ref().is_err_and(Refusal::is_passing) {
            held.doubtful = true;
        }
        done
    }

    async fn attempt(
        &self,
        shop: &Shop,
        state: &mut State,
        client: &str,
        sequence: i64,
        wish: Wish,
    ) -> Result<Option<ToPage>, Refusal> {
        if let Some(revision) = edits::known(&shop.pool, self.id, client, sequence).await? {
            return self.before(shop, revision, client, sequence).await.map(Some);
        }
        let change = self.change(shop, client, wish, &state.scene).await?;
        if change.label.contains('\0') {
            return Err(Refusal::bad("A character with the number 0 stands in the edit's name: take it out."));
        }
        let (scene, inverse) = apply(&state.scene, &change.ops, &shop.registry.schemas)
            .map_err(|error| Refusal::bad(error.to_string()))?;
        // Before anything is kept: afterwards nothing may fail any more.
        let files = if scene.assets == state.scene.assets {
            state.files.clone()
        } else {
            Arc::new(files_of(shop, &scene).await?)
        };
        let revision = state.revision + 1;
        let document = serde_json::to_value(&scene).map_err(|error| Refusal::bad(error.to_string()))?;
        let after: Vec<(Vec<String>, Option<Value>)> =
            inverse.iter().map(|op| (op.address().to_vec(), value_at(&document, op.address()).cloned())).collect();
        let mut transaction = shop.pool.begin().await?;
        let kept = scenes::update(&mut *transaction, self.id, &scene.name, &document, revision).await?;
        if kept == 0 {
            // Somebody else has changed it: it is read anew, and then tried once more by whoever asked.
            let why = "The scene was changed elsewhere: it is read anew.";
            return Err(Refusal::conflict(why).passing());
        }
        let new = edits::New {
            scene: self.id,
            revision,
            client,
            sequence,
            kind: change.kind,
            label: &change.label,
            ops: &change.ops,
            inverse: &inverse,
            after: &after,
        };
        edits::insert(&mut *transaction, &new).await?;
        if let Some(old) = change.takes_back {
            edits::mark_undone(&mut *transaction, self.id, old, revision).await?;
        }
        transaction.commit().await?;
        *state = State { scene: Arc::new(scene), revision, files };
        self.tell(&Event::Edited { revision, client: client.to_owned(), sequence, ops: change.ops });
        Ok(None)
    }

    /// What is answered to an edit that is kept already.
    async fn before(&self, shop: &Shop, revision: i64, client: &str, sequence: i64) -> Result<ToPage, Refusal> {
        let (undo, redo) = self.can(shop, client).await?;
        Ok(ToPage::Edited { revision, client: client.to_owned(), sequence, ops: Vec::new(), undo, redo })
    }

    /// The same of one that was kept just now.
    pub async fn kept(&self, shop: &Shop, client: &str, sequence: i64) -> Result<ToPage, Refusal> {
        let revision = edits::known(&shop.pool, self.id, client, sequence).await?;
        let revision = revision.ok_or_else(|| Refusal::conflict("The edit was kept and is gone again.").passing())?;
        self.before(shop, revision, client, sequence).await
    }

    async fn change(&self, shop: &Shop, client: &str, wish: Wish, scene: &Scene) -> Result<Change, Refusal> {
        let (kind, found) = match wish {
            Wish::Edit { label, ops } => return Ok(Change { kind: "edit", label, ops, takes_back: None }),
            Wish::Undo => ("undo", edits::Last::Undoable.row(&shop.pool, self.id, client).await?),
            Wish::Redo => ("redo", edits::Last::Redoable.row(&shop.pool, self.id, client).await?),
        };
        let Some(old) = found else {
            return Err(Refusal::bad(format!("There is nothing to {kind} on this page.")));
        };
        let document = serde_json::to_value(scene).map_err(|error| Refusal::bad(error.to_string()))?;
        let changed = old.after.0.iter().find(|(at, value)| value_at(&document, at) != value.as_ref());
        if let Some((at, _)) = changed {
            return Err(Refusal::conflict(format!(
                "\"{}\" cannot be taken back: {} has been changed since by another page.",
                old.label,
                at.join("/")
            )));
        }
        Ok(Change { kind, label: old.label, ops: old.inverse.0, takes_back: Some(old.revision) })
    }

    /// What a client could take back and do again, in words.
    pub async fn can(&self, shop: &Shop, client: &str) -> Result<(Option<String>, Option<String>), Refusal> {
        Ok((
            edits::Last::Undoable.label(&shop.pool, self.id, client).await?,
            edits::Last::Redoable.label(&shop.pool, self.id, client).await?,
        ))
    }
}

/// The scene with a preview on top, if that fits.
pub fn previewed(registry: &Registry, scene: &Scene, ops: &[Op]) -> Result<Scene, String> {
    apply(scene, ops, &registry.schemas).map(|(scene, _)| scene).map_err(|error| error.to_string())
}
