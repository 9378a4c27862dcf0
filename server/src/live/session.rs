//! One page's end of the live connection.

use super::blocks::Stamp;
use super::compute::{Out, Watched, Work};
use super::has::Has;
use super::keeping::Wish;
use super::messages::{FromPage, ToPage};
use super::room::{Event, Room, previewed};
use crate::api::versions;
use crate::told::Timed;
use crate::trial::HELD;
use crate::{Limits, Shop};
use actix_ws::{AggregatedMessage, AggregatedMessageStream, CloseCode, CloseReason, Closed, Session};
use bytestring::ByteString;
use futures_util::StreamExt;
use std::collections::BTreeSet;
use std::sync::Arc;
use std::time::{Duration, Instant};
use tokio::sync::mpsc;
use uuid::Uuid;
use zickzack_core::motion::Cancel;
use zickzack_core::scene::Op;

/// Blocks that may wait for a slow page before work for it pauses.
const WAITING_BLOCKS: usize = 4;
/// Between two pings of a page.
const PINGS: Duration = Duration::from_secs(20);
/// Messages of more bytes are read apart from what others wait for.
const SMALL: usize = 1 << 18;

struct Page {
    /// In its room.
    number: u64,
    shop: Arc<Shop>,
    room: Arc<Room>,
    socket: Session,
    client: String,
    /// Names that it knows: its own, and those of pages whose edits it has sent for them.
    names: BTreeSet<String>,
    /// What it could take back and do again, in words.
    can: (Option<String>, Option<String>),
    /// When it came, until it has something to show.
    came: Option<Instant>,
    preview: Option<(u32, Vec<Op>)>,
    watched: Watched,
    compared: Option<zickzack_session::Session>,
    has: Arc<Has>,
    /// Bytes of poses that the page holds at most.
    holds: u64,
    cancel: Cancel,
    out: mpsc::Sender<Out>,
    working: Option<tokio::task::JoinHandle<()>>,
    /// An edit that has to be asked again; until it is, those that came after it wait too.
    waiting: Option<i64>,
    /// Set when something changed since the work in progress began.
    stale: bool,
}

/// Serves a page until it goes.
pub async fn run(shop: Arc<Shop>, room: Arc<Room>, socket: Session, mut stream: AggregatedMessageStream) {
    let (number, mut events) = room.enter();
    shop.told.pages.inc();
    let (out, mut results) = mpsc::channel(WAITING_BLOCKS);
    let mut page = Page {
        number,
        shop,
        room: room.clone(),
        socket,
        client: String::new(),
        names: BTreeSet::new(),
        can: (None, None),
        came: Some(Instant::now()),
        preview: None,
        watched: Watched::default(),
        compared: None,
        has: Arc::default(),
        holds: u64::MAX,
        cancel: Cancel::default(),
        out,
        working: None,
        waiting: None,
        stale: false,
    };
    let silence = page.shop.limits.page_silence;
    let mut ping = tokio::time::interval(PINGS.min(silence / 3));
    let mut heard = tokio::time::Instant::now();
    loop {
        let going = tokio::select! {
            message = stream.next() => {
                heard = tokio::time::Instant::now();
                match message {
                    Some(Ok(message)) => page.message(message).await,
                    Some(Err(error)) => page.refuse(None, format!("That message could not be read: {error}.")).await.and(Err(Closed)),
                    None => Err(Closed),
                }
            }
            Some(event) = events.recv() => page.event(event).await,
            Some(result) = results.recv() => page.pass_on(result).await,
            _ = ping.tick() => if heard.elapsed() > silence { Err(Closed) } else { page.ping().await },
            () = done(&mut page.working), if page.working.is_some() => { page.finished().await; Ok(()) }
        };
        if going.is_err() {
            break;
        }
    }
    page.cancel.cancel();
    room.leave(number);
    page.shop.told.pages.dec();
    // Who takes nothing hears no farewell.
    let _ = tokio::time::timeout(PINGS.min(silence), page.socket.close(None)).await;
}

/// True for what a page may be called.
pub fn is_name(client: &str) -> bool {
    (1..=64).contains(&client.len()) && !client.contains('\0')
}

/// What other pages call a page: always the same, and not its name.
fn another(client: &str) -> String {
    format!("another {}", &blake3::hash(client.as_bytes()).to_hex()[..16])
}

async fn read(text: ByteString) -> Result<FromPage, String> {
    let understood = |text: &str| serde_json::from_str::<FromPage>(text).map_err(|error| error.to_string());
    if text.len() <= SMALL {
        return understood(&text);
    }
    tokio::task::spawn_blocking(move || understood(&text)).await.map_err(|error| error.to_string())?
}

/// Waits until something is on its way; a page that takes nothing for long is given up.
async fn taken(limits: Limits, sent: impl Future<Output = Result<(), Closed>>) -> Result<(), Closed> {
    tokio::time::timeout(limits.page_silence, sent).await.map_err(|_| Closed)?
}

async fn done(working: &mut Option<tokio::task::JoinHandle<()>>) {
    if let Some(task) = working
        && let Err(error) = task.await
    {
        tracing::error!("work for a page failed: {error}");
    }
}

impl Page {
    async fn message(&mut self, message: AggregatedMessage) -> Result<(), Closed> {
        match message {
            AggregatedMessage::Text(text) => match read(text).await {
                Ok(message) => self.heed(message).await,
                Err(error) => self.refuse(None, format!("That message is not understood: {error}.")).await,
            },
            AggregatedMessage::Binary(_) => self.refuse(None, "Pages send text, not binary data.".to_owned()).await,
            AggregatedMessage::Ping(bytes) => taken(self.shop.limits, self.socket.pong(&bytes)).await,
            AggregatedMessage::Pong(_) => Ok(()),
            AggregatedMessage::Close(_) => Err(Closed),
        }
    }

    async fn heed(&mut self, message: FromPage) -> Result<(), Closed> {
        if let FromPage::Hello { client, holds } = message {
            if !is_name(&client) {
                return self.refuse(None, "A page's name must have 1 to 64 bytes, none of them 0.".to_owned()).await;
            }
            self.names.insert(client.clone());
            self.client = client;
            self.holds = holds.unwrap_or(u64::MAX);
            // Where the state is in doubt and cannot be read, the last one known is shown meanwhile.
            let _ = self.room.certain_state(&self.shop).await;
            self.send_scene().await?;
            self.work().await;
            return Ok(());
        }
        if self.client.is_empty() {
            return self.refuse(None, "Say hello first.".to_owned()).await;
        }
        match message {
            FromPage::Hello { .. } => Ok(()),
            FromPage::Edit { sequence, label, ops, client } => {
                let client = client.filter(|name| is_name(name));
                self.act(client, sequence, Wish::Edit { label, ops }).await
            }
            FromPage::Undo { sequence } => self.act(None, sequence, Wish::Undo).await,
            FromPage::Redo { sequence } => self.act(None, sequence, Wish::Redo).await,
            FromPage::Compare { version } => self.compare(version).await,
            FromPage::Here => {
                let revision = self.room.state().await.revision;
                self.say(&ToPage::Here { revision }).await
            }
            FromPage::Preview { number, ops } => {
                self.preview = Some((number, ops));
                self.work().await;
                Ok(())
            }
            FromPage::EndPreview { number } => {
                if self.preview.as_ref().is_some_and(|(known, _)| *known <= number) {
                    self.preview = None;
                    self.work().await;
                }
                Ok(())
            }
            FromPage::WorkOut => {
                match self.shop.trials.again(&self.shop.pool, self.room.id).await {
                    Ok(()) => self.room.tell(&Event::Recorded),
                    Err(refusal) => self.refuse(None, refusal.message).await?,
                }
                Ok(())
            }
            FromPage::Hold { node, hold } => {
                if self.room.studio.hold((self.number, false), &node, hold) {
                    self.more().await;
                }
                Ok(())
            }
            FromPage::Watch { node, object, frame, chosen } => {
                let thing = node.map(|node| (node, object));
                let frame = if frame.is_finite() { frame } else { 0.0 };
                let changed = thing != self.watched.thing || chosen != self.watched.chosen || self.has.strays(frame);
                self.watched = Watched { thing, frame, chosen };
                if changed {
                    self.work().await;
                }
                Ok(())
            }
        }
    }

    async fn act(&mut self, left_by: Option<String>, sequence: i64, wish: Wish) -> Result<(), Closed> {
        self.preview = None;
        if self.waiting.is_some_and(|first| first != sequence) {
            let message = "An edit before this one waits.".to_owned();
            return self.say(&ToPage::Refused { sequence: Some(sequence), message, later: true }).await;
        }
        self.waiting = None;
        self.names.extend(left_by.clone());
        let client = left_by.as_deref().unwrap_or(&self.client);
        let done = self.room.act(&self.shop, client, sequence, wish).await;
        match done {
            Ok(None) => Ok(()),
            Ok(Some(answer)) => self.say(&answer).await,
            Err(refusal) => {
                let later = refusal.waits();
                self.shop.told.refused.inc();
                self.waiting = later.then_some(sequence);
                self.say(&ToPage::Refused { sequence: Some(sequence), message: refusal.message, later }).await?;
                self.work().await;
                Ok(())
            }
        }
    }

    /// Lays a version beneath the scene.
    async fn compare(&mut self, version: Option<Uuid>) -> Result<(), Closed> {
        self.compared = None;
        self.has.forget_compared();
        if let Some(id) = version {
            match versions::open(&self.shop, self.room.id, id).await {
                Ok(version) => self.compared = Some(version),
                Err(refusal) => self.refuse(None, refusal.message).await?,
            }
        }
        self.work().await;
        Ok(())
    }

    async fn event(&mut self, event: Event) -> Result<(), Closed> {
        match event {
            Event::Edited { revision, client, sequence, kind, label, ops } => {
                // What others do changes nothing of what this page could take back.
                if client == self.client {
                    self.can = match kind {
                        "edit" => (Some(label), None),
                        _ => self.room.can(&self.shop, &self.client).await.unwrap_or_default(),
                    };
                }
                let (undo, redo) = self.can.clone();
                // Who knows a page's name may act in its place.
                let client = if self.names.contains(&client) { client } else { another(&client) };
                let ops = Arc::unwrap_or_clone(ops);
                self.say(&ToPage::Edited { revision, client, sequence, ops, undo, redo }).await?;
                self.work().await;
                Ok(())
            }
            Event::Reloaded => {
                self.send_scene().await?;
                self.work().await;
                Ok(())
            }
            Event::Recorded => {
                self.more().await;
                Ok(())
            }
            Event::Stopping => {
                self.say(&ToPage::Stopping).await?;
                let reason = CloseReason { code: CloseCode::Restart, description: None };
                let _ = self.socket.clone().close(Some(reason)).await;
                Err(Closed)
            }
            Event::Deleted => {
                self.refuse(None, "This scene was deleted: it can be brought back in the Pattern book.".to_owned())
                    .await?;
                let reason = CloseReason { code: CloseCode::Away, description: Some("deleted".to_owned()) };
                let _ = self.socket.clone().close(Some(reason)).await;
                Err(Closed)
            }
        }
    }

    async fn send_scene(&mut self) -> Result<(), Closed> {
        let state = self.room.state().await;
        self.can = self.room.can(&self.shop, &self.client).await.unwrap_or_default();
        let (undo, redo) = self.can.clone();
        let document = Box::new((*state.session.scene).clone());
        let message = ToPage::Scene { revision: state.revision, document, undo, redo };
        // Apart from what others wait for: a document may be large.
        let text = tokio::task::spawn_blocking(move || serde_json::to_string(&message)).await;
        let text = text.map_err(|_| Closed)?.map_err(|_| Closed)?;
        taken(self.shop.limits, self.socket.text(text)).await
    }

    async fn say(&mut self, message: &ToPage) -> Result<(), Closed> {
        let text = serde_json::to_string(message).map_err(|_| Closed)?;
        taken(self.shop.limits, self.socket.text(text)).await
    }

    async fn ping(&mut self) -> Result<(), Closed> {
        taken(self.shop.limits, self.socket.ping(b"")).await
    }

    async fn refuse(&mut self, sequence: Option<i64>, message: String) -> Result<(), Closed> {
        self.say(&ToPage::Refused { sequence, message, later: false }).await
    }

    async fn pass_on(&mut self, result: Out) -> Result<(), Closed> {
        match result {
            Out::Text(text) => taken(self.shop.limits, self.socket.text(text)).await,
            Out::Block(block) => {
                if let Some(came) = self.came.take() {
                    self.shop.told.first_block.observe(came.elapsed().as_secs_f64());
                }
                taken(self.shop.limits, self.socket.binary(block)).await
            }
        }
    }

    /// There is more than the round in progress knows of: another one follows it.
    async fn more(&mut self) {
        if self.working.is_some() {
            self.stale = true;
        } else {
            self.work().await;
        }
    }

    /// Begins a round of work, or marks the one in progress as out of date and asks it to stop.
    async fn work(&mut self) {
        if self.client.is_empty() {
            return;
        }
        if self.working.is_some() {
            self.cancel.cancel();
            self.stale = true;
            return;
        }
        if self.shop.trials.holds(self.room.id) {
            // The page drops all that it has. One that is gone is noticed where it is listened to.
            self.has = Arc::default();
            let _ = self.say(&ToPage::Held { message: HELD.to_owned() }).await;
            return;
        }
        let state = self.room.state().await;
        let preview = self.preview.clone();
        self.cancel = Cancel::default();
        let mut work = Work {
            id: self.room.id,
            memo: self.room.memo.clone(),
            session: state.session,
            stamp: Stamp {
                revision: state.revision,
                preview: preview.as_ref().map_or(0, |(number, _)| *number),
                compared: false,
            },
            watched: self.watched.clone(),
            compared: self.compared.clone(),
            has: self.has.clone(),
            holds: self.holds,
            cancel: self.cancel.clone(),
            desks: (self.room.studio.at((self.number, false)), self.room.studio.at((self.number, true))),
            out: self.out.clone(),
        };
        let crews = self.room.crews.clone();
        let (shop, scene) = (self.shop.clone(), self.room.id);
        self.working = Some(tokio::task::spawn_blocking(move || {
            if let Some((_, ops)) = preview {
                match previewed(&work.session, &ops) {
                    Ok(session) => work.session = session,
                    // What does not fit is not shown; the page learns why and keeps its last picture.
                    Err(message) => return work.refuse(message),
                }
            }
            let mut timed = Timed::new(&shop.told, scene);
            let mut trial = shop.trials.begins(scene);
            let _counted = shop.memory.count(scene, &work.cancel);
            if let Err(refusal) = crews.round(&work.cancel, || work.run()) {
                work.refuse(refusal.message);
            }
            timed.given_up = work.cancel.stopped();
            trial.done = !timed.given_up;
        }));
    }

    async fn finished(&mut self) {
        self.working = None;
        if std::mem::take(&mut self.stale) {
            self.work().await;
        }
    }
}
