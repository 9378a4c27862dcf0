//! Keeping edits: what pages ask for waits in the room, and what waits is kept together.

use super::messages::ToPage;
use super::room::{Event, Held, Room, State, Written, files_of};
use crate::Shop;
use crate::api::Refusal;
use crate::store::edits;
use crate::store::scenes::Listed;
use serde_json::Value;
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use tokio::sync::oneshot;
use zickzack_core::scene::{Op, Scene, apply, part_at, value_at};
use zickzack_core::schema::Schema;
use zickzack_session::Session;

/// What a client asks for, with its sequence number.
pub enum Wish {
    Edit { label: String, ops: Vec<Op> },
    Undo,
    Redo,
}

/// `Ok(Some)` when it was done before.
type Answer = Result<Option<ToPage>, Refusal>;

/// A wish that waits for its turn.
struct Asked {
    client: String,
    sequence: i64,
    wish: Wish,
    /// True when it was in the way of others, perhaps.
    alone: bool,
    answer: oneshot::Sender<Answer>,
}

/// Most edits that are kept together.
const MOST_TOGETHER: usize = 64;
/// Most clients of which it is remembered what they have sent.
const MOST_CLIENTS: usize = 1024;

/// Wishes in the order in which they came.
#[derive(Default)]
pub struct Queue(Mutex<VecDeque<Asked>>);

impl Queue {
    fn all(&self) -> MutexGuard<'_, VecDeque<Asked>> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// What can be kept together of what came first: edits, no two of which are the same, or one wish alone.
    fn next(&self) -> Vec<Asked> {
        let mut all = self.all();
        let mut group: Vec<Asked> = all.pop_front().into_iter().collect();
        let joins = |asked: &Asked| !asked.alone && matches!(asked.wish, Wish::Edit { .. });
        while group.iter().all(joins) && group.len() < MOST_TOGETHER {
            let fits = |next: &mut Asked| {
                joins(next) && group.iter().all(|a| (&a.client, a.sequence) != (&next.client, next.sequence))
            };
            let Some(next) = all.pop_front_if(fits) else { break };
            group.push(next);
        }
        group
    }
}

/// The last sequence number of each client that the database has.
#[derive(Default)]
pub struct Sequences(HashMap<String, i64>);

impl Sequences {
    /// Nothing is known any more.
    pub fn forget(&mut self) {
        self.0.clear();
    }

    fn comes_after(&self, client: &str, sequence: i64) -> bool {
        self.0.get(client).is_some_and(|last| sequence > *last)
    }

    fn now(&mut self, client: &str, sequence: i64) {
        if self.0.len() >= MOST_CLIENTS && !self.0.contains_key(client) {
            self.forget();
        }
        let last = self.0.entry(client.to_owned()).or_insert(sequence);
        *last = sequence.max(*last);
    }
}

/// What is to be done for a wish.
struct Change {
    asked: Asked,
    kind: &'static str,
    label: String,
    ops: Arc<Vec<Op>>,
    /// What must still stand where for an edit to be taken back, and the edit's name.
    stands: Vec<(Vec<String>, Option<Value>)>,
    takes_back: Option<i64>,
}

/// A change that fits.
struct Fits {
    change: Change,
    /// As they are written to the database.
    row: edits::New,
}

/// The scene after some changes, those that were made, and those that cannot be.
struct Made {
    scene: Scene,
    /// Where it is time to write it down.
    document: Option<String>,
    written: Written,
    fits: Vec<Fits>,
    refused: Vec<(Asked, Refusal)>,
}

impl Room {
    /// Does what a client wishes, keeps it, and tells every page. It goes on when nobody waits for it any more.
    pub async fn act(self: &Arc<Self>, shop: &Arc<Shop>, client: &str, sequence: i64, wish: Wish) -> Answer {
        let (answer, told) = oneshot::channel();
        self.queue.all().push_back(Asked { client: client.to_owned(), sequence, wish, alone: false, answer });
        actix_web::rt::spawn(self.clone().keep_all(shop.clone()));
        // Nobody keeps it any more: where the server stops the page keeps it, and brings it when the server is back.
        let unkept = || if shop.is_stopping() { Refusal::stopping() } else { Refusal::broken() };
        told.await.unwrap_or_else(|_| Err(unkept()))
    }

    /// Keeps all that waits.
    async fn keep_all(self: Arc<Self>, shop: Arc<Shop>) {
        loop {
            // Anew each time: who only looks at the scene has a turn in between.
            let mut held = self.held().await;
            let group = self.queue.next();
            if group.is_empty() {
                return;
            }
            self.keep_group(&shop, &mut held, group).await;
        }
    }

    async fn keep_group(&self, shop: &Shop, held: &mut Held, group: Vec<Asked>) {
        if let Err(refusal) = self.settle(shop, held).await {
            held.doubt(&refusal);
            return group.into_iter().for_each(|asked| asked.say(Err(refusal.clone())));
        }
        let mut changes = Vec::with_capacity(group.len());
        for asked in group {
            match self.known(shop, held, &asked).await {
                Ok(None) => match self.change(shop, asked).await {
                    Ok(change) => changes.push(change),
                    Err((asked, refusal)) => asked.refuse(held, refusal),
                },
                Ok(Some(answer)) => asked.say(Ok(Some(answer))),
                Err(refusal) => asked.refuse(held, refusal),
            }
        }
        if changes.is_empty() {
            return;
        }
        let (state, written) = (held.state.clone(), held.written);
        let made = tokio::task::spawn_blocking(move || made(&state, written, changes)).await;
        // Those who asked are told by what they wait for being gone.
        let Ok(made) = made else { return };
        match made {
            Ok(made) => self.keep_made(shop, held, made).await,
            Err(refusal) => tracing::error!("a scene cannot be written down: {refusal}"),
        }
    }

    async fn keep_made(&self, shop: &Shop, held: &mut Held, made: Made) {
        let Made { scene, document, written, fits, refused } = made;
        refused.into_iter().for_each(|(asked, refusal)| asked.refuse(held, refusal));
        if fits.is_empty() {
            return;
        }
        // Before anything is kept: afterwards nothing may fail any more.
        let files = if scene.assets == held.state.session.scene.assets {
            Ok(held.state.session.files.clone())
        } else {
            files_of(shop, &scene).await.map(Arc::new)
        };
        let from = held.state.revision;
        let kept = match files {
            Ok(files) => {
                let rows: Vec<&edits::New> = fits.iter().map(|fits| &fits.row).collect();
                let takes_back = fits[0].change.takes_back;
                let listed = Listed::from(&scene);
                let now = edits::Now { listed: &listed, document: document.as_deref(), from, takes_back };
                match edits::keep(&shop.pool, self.id, &now, &rows).await {
                    Ok(0) => {
                        // Somebody else has changed it: it is read anew, and then tried once more by whoever asked.
                        let why = "The scene was changed elsewhere: it is read anew.";
                        Err(Refusal::conflict(why).passing())
                    }
                    Ok(_) => Ok(files),
                    Err(error) => Err(error.into()),
                }
            }
            Err(refusal) => Err(refusal),
        };
        match kept {
            Ok(files) => {
                let revision = from + fits.len() as i64;
                let session = Session::new(shop.registry.clone(), scene, files);
                held.state = State { session, revision };
                held.written = written;
                for Fits { change, row } in fits {
                    let Change { asked, kind, label, ops, .. } = change;
                    held.sequences.now(&asked.client, asked.sequence);
                    shop.told.edits.inc();
                    let (client, sequence) = (asked.client.clone(), asked.sequence);
                    self.tell(&Event::Edited { revision: row.revision, client, sequence, kind, label, ops });
                    asked.say(Ok(None));
                }
            }
            Err(refusal) if fits.len() > 1 && !refusal.is_passing() => {
                // One of them cannot be kept: each is tried by itself.
                let mut queue = self.queue.all();
                for Fits { change, .. } in fits.into_iter().rev() {
                    let wish = Wish::Edit { label: change.label, ops: Arc::unwrap_or_clone(change.ops) };
                    queue.push_front(Asked { wish, alone: true, ..change.asked });
                }
            }
            Err(refusal) => {
                held.doubt(&refusal);
                fits.into_iter().for_each(|fits| fits.change.asked.say(Err(refusal.clone())));
            }
        }
    }

    /// What is answered to a wish that was done before; `None` for a new one.
    async fn known(&self, shop: &Shop, held: &mut Held, asked: &Asked) -> Result<Option<ToPage>, Refusal> {
        let (client, sequence) = (asked.client.as_str(), asked.sequence);
        if held.sequences.comes_after(client, sequence) {
            return Ok(None);
        }
        let (last, known) = edits::sent(&shop.pool, self.id, client, sequence).await?;
        held.sequences.now(client, last.unwrap_or(i64::MIN));
        match known {
            Some(revision) => self.before(shop, revision, client, sequence).await.map(Some),
            None => Ok(None),
        }
    }

    /// What is answered to an edit that is kept already.
    async fn before(&self, shop: &Shop, revision: i64, client: &str, sequence: i64) -> Result<ToPage, Refusal> {
        let (undo, redo) = self.can(shop, client).await?;
        Ok(ToPage::Edited { revision, client: client.to_owned(), sequence, ops: Vec::new(), undo, redo })
    }

    /// The same of one that was kept just now.
    ///
    /// # Errors
    /// A passing refusal where the database does not answer.
    pub async fn kept(&self, shop: &Shop, client: &str, sequence: i64) -> Result<ToPage, Refusal> {
        let (_, revision) = edits::sent(&shop.pool, self.id, client, sequence).await?;
        let revision = revision.ok_or_else(|| Refusal::conflict("The edit was kept and is gone again.").passing())?;
        self.before(shop, revision, client, sequence).await
    }

    async fn change(&self, shop: &Shop, mut asked: Asked) -> Result<Change, (Asked, Refusal)> {
        let (kind, last) = match &mut asked.wish {
            Wish::Edit { label, ops } => {
                let (label, ops) = (std::mem::take(label), std::mem::take(ops));
                if label.contains('\0') {
                    let why = "A character with the number 0 stands in the edit's name: take it out.";
                    return Err((asked, Refusal::bad(why)));
                }
                return Ok(Change {
                    asked,
                    kind: "edit",
                    label,
                    ops: Arc::new(ops),
                    stands: Vec::new(),
                    takes_back: None,
                });
            }
            Wish::Undo => ("undo", edits::Last::Undoable),
            Wish::Redo => ("redo", edits::Last::Redoable),
        };
        match last.row(&shop.pool, self.id, &asked.client).await {
            Ok(Some(old)) => Ok(Change {
                asked,
                kind,
                label: old.label,
                ops: Arc::new(old.inverse.0),
                stands: old.after.0,
                takes_back: Some(old.revision),
            }),
            Ok(None) => Err((asked, Refusal::bad(format!("There is nothing to {kind} on this page.")))),
            Err(error) => Err((asked, error.into())),
        }
    }

    /// What a client could take back and do again, in words.
    ///
    /// # Errors
    /// A passing refusal where the database does not answer.
    pub async fn can(&self, shop: &Shop, client: &str) -> Result<(Option<String>, Option<String>), Refusal> {
        Ok((
            edits::Last::Undoable.label(&shop.pool, self.id, client).await?,
            edits::Last::Redoable.label(&shop.pool, self.id, client).await?,
        ))
    }
}

impl Asked {
    fn say(self, answer: Answer) {
        // Who asked may be gone.
        let _ = self.answer.send(answer);
    }

    fn refuse(self, held: &mut Held, refusal: Refusal) {
        held.doubt(&refusal);
        self.say(Err(refusal));
    }
}

/// Makes changes one after the other; those that do not fit are left out.
fn made(state: &State, mut written: Written, changes: Vec<Change>) -> Result<Made, Refusal> {
    let schemas = &state.session.registry.schemas;
    let mut now: Option<Scene> = None;
    let (mut fits, mut refused) = (Vec::new(), Vec::new());
    for change in changes {
        let before = now.as_ref().unwrap_or(&state.session.scene);
        let tried = made_one(before, state.revision + 1 + fits.len() as i64, &change, schemas);
        match tried {
            Ok((scene, row)) => {
                now = Some(scene);
                written.since += row.ops.len();
                written.edits += 1;
                fits.push(Fits { change, row });
            }
            Err(refusal) => refused.push((change.asked, refusal)),
        }
    }
    let scene = now.unwrap_or_else(|| Scene::clone(&state.session.scene));
    let document = if fits.is_empty() || !written.is_due() { None } else { Some(as_json(&scene)?) };
    if let Some(document) = &document {
        written = Written { document: document.len(), ..Written::default() };
    }
    Ok(Made { scene, document, written, fits, refused })
}

fn as_json(what: &impl serde::Serialize) -> Result<String, Refusal> {
    serde_json::to_string(what).map_err(|error| Refusal::bad(error.to_string()))
}

fn made_one(scene: &Scene, revision: i64, change: &Change, schemas: &[Schema]) -> Result<(Scene, edits::New), Refusal> {
    if !change.stands.is_empty() {
        let document = part(scene, change.stands.iter().map(|(at, _)| at.as_slice()))?;
        let changed = change.stands.iter().find(|(at, value)| value_at(&document, at) != value.as_ref());
        if let Some((at, _)) = changed {
            return Err(Refusal::conflict(format!(
                "\"{}\" cannot be taken back: {} has been changed since by another page.",
                change.label,
                at.join("/")
            )));
        }
    }
    let (scene, inverse) = apply(scene, &change.ops, schemas).map_err(|error| Refusal::bad(error.to_string()))?;
    let document = part(&scene, inverse.iter().map(Op::address))?;
    let after: Vec<(&[String], Option<&Value>)> =
        inverse.iter().map(|op| (op.address(), value_at(&document, op.address()))).collect();
    let row = edits::New {
        revision,
        client: change.asked.client.clone(),
        sequence: change.asked.sequence,
        kind: change.kind,
        label: change.label.clone(),
        ops: as_json(&*change.ops)?,
        inverse: as_json(&inverse)?,
        after: as_json(&after)?,
    };
    Ok((scene, row))
}

/// What stands at some addresses.
fn part<'a>(scene: &Scene, addresses: impl Iterator<Item = &'a [String]>) -> Result<Value, Refusal> {
    part_at(scene, addresses).map_err(|error| Refusal::bad(error.to_string()))
}
