//! How a file that was ordered comes to be.

use super::order::Wanted;
use super::spool::{aside, unwritten};
use super::{refused, size};
use crate::Shop;
use crate::api::Refusal;
use crate::crew::Background;
use crate::live::files_of;
use crate::recorder::FromShelf;
use crate::store::jobs::{Begun, Turn};
use crate::store::scenes;
use serde_json::Value;
use std::fs::File;
use std::io::{BufReader, BufWriter, Seek, SeekFrom};
use std::sync::{Arc, Mutex, PoisonError};
use zickzack_core::graph::Memo;
use zickzack_core::motion::Cancel;
use zickzack_core::scene::Scene;
use zickzack_session::{HandOff, Session};

/// Most poses of one file.
const MOST_POSES: f64 = 2e8;

/// How it ended.
pub enum Ended {
    /// The file lies under a key.
    Written { key: String, bytes: u64, report: Value },
    /// There is none, for a reason.
    Refused(String),
    /// It was asked to stop.
    GivenUp,
}

/// Works out the scene of a job, writes its file, reads it back, and puts it where files lie. Says what it does.
pub async fn written(
    (shop, crews): (&Shop, &Background),
    turn: Turn,
    begun: &Begun,
    (cancel, doing): (&Cancel, &Arc<Mutex<&'static str>>),
) -> Ended {
    let made = made((shop, crews), begun, (cancel, doing)).await;
    if cancel.stopped() || shop.is_stopping() {
        return Ended::GivenUp;
    }
    let (file, bytes, report) = match made {
        Ok(made) => made,
        Err(refusal) => return Ended::Refused(refusal.message),
    };
    if bytes > shop.results.most {
        return Ended::Refused(format!(
            "The file has {}, and all files together may have {}: choose fewer frames or things, or have more room made with --files-size.",
            size(bytes),
            size(shop.results.most)
        ));
    }
    say(doing, "putting it away");
    let key = format!("{}-{}", turn.id, turn.turn);
    match shop.results.put(&key, file).await {
        Ok(()) => Ended::Written { key, bytes, report },
        Err(why) => Ended::Refused(format!("The store of files does not take it ({why}): order it again later.")),
    }
}

fn say(doing: &Mutex<&'static str>, what: &'static str) {
    *doing.lock().unwrap_or_else(PoisonError::into_inner) = what;
}

async fn made(
    (shop, crews): (&Shop, &Background),
    begun: &Begun,
    (cancel, doing): (&Cancel, &Arc<Mutex<&'static str>>),
) -> Result<(File, u64, Value), Refusal> {
    let gone = || {
        Refusal::missing(
            "Its scene was deleted before the file was written: bring the scene back, then order it again.",
        )
    };
    scenes::find(&shop.pool, begun.scene).await?.ok_or_else(gone)?;
    let wanted: Wanted = serde_json::from_value(begun.wanted.clone()).map_err(|why| {
        Refusal::bad(format!("What was ordered cannot be read by this version ({why}): order it again."))
    })?;
    let (document, registry) = (begun.document.clone().unwrap_or_default(), shop.registry.clone());
    let read = tokio::task::spawn_blocking(move || Scene::from_json(&document, &registry.schemas)).await;
    let scene = read
        .map_err(|_| Refusal::broken())?
        .map_err(|why| Refusal::bad(format!("The scene as it was ordered cannot be read ({why}): order it again.")))?;
    let files = Arc::new(files_of(shop, &scene).await?);
    let session = Session::new(shop.registry.clone(), scene, files);
    let (shelf, doing, memory, scene) = (shop.shelf.clone(), doing.clone(), shop.memory.clone(), begun.scene);
    let own = cancel.clone();
    let work = move |asked: &Cancel| {
        let _counted = memory.count(scene, &own);
        let order = wanted.order(&session.scene)?;
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), &own);
        let hand_off = HandOff::of(&session, &compiled, |node| wanted.wants(node));
        if own.stopped() || asked.stopped() {
            return Err(Refusal::stopping());
        }
        wanted.check(&hand_off, (&order, order.form.has_keys(), MOST_POSES))?;
        say(&doing, "writing");
        let mut out = BufWriter::with_capacity(1 << 16, aside().map_err(unwritten)?);
        let tallies = hand_off.write(&order, aside, &mut out, &own).map_err(refused)?;
        let mut file = out.into_inner().map_err(|error| unwritten(error.into_error()))?;
        let bytes = file.stream_position().map_err(unwritten)?;
        say(&doing, "reading it back");
        file.seek(SeekFrom::Start(0)).map_err(unwritten)?;
        let read = BufReader::new(file.try_clone().map_err(unwritten)?);
        let report = hand_off.told(&order, (&tallies, read), &own).map_err(refused)?;
        file.seek(SeekFrom::Start(0)).map_err(unwritten)?;
        let report = serde_json::to_value(&report).map_err(|_| Refusal::broken())?;
        Ok((file, bytes, report))
    };
    crews.work(begun.scene, work).await
}
