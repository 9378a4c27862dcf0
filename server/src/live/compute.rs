//! From a scene to messages, in the background, only what a page does not have yet.

use super::blocks::{self, Stamp};
use super::has::{COMPARED, Has, mixed};
use super::lines::path_block;
use super::messages::{EndLook, NodeStatus, ToPage};
use super::window::{Window, shares};
use crate::recorder::{AtDesk, FromShelfOnly};
use crate::told::SLOW;
use std::collections::HashMap;
use std::sync::Arc;
use std::time::Duration;
use tokio::sync::mpsc;
use uuid::Uuid;
use zickzack_core::graph::{Compiled, End, EndReport, Memo, NodeResult, Workshop, report, try_offers};
use zickzack_core::motion::{Cancel, Kind, Motion, MotionError, formed_numbers};
use zickzack_core::scene::{Scene, Space};
use zickzack_core::work::STARVED;
use zickzack_session::Session;

/// Begins the names of bodies.
const BODY: &str = "body ";
/// How often a round is done again at most, for want of memory.
const MOST_ROUNDS: usize = 4;
/// Most numbers of a thing at a frame, as far as what a motion wants to take of a page is guessed before it is looked at.
const FLOATS: u64 = 18;

/// Numbers that a motion takes at a frame, at most.
fn numbers(motion: &dyn Motion) -> u64 {
    (motion.len() as u64).saturating_mul(FLOATS).saturating_add(formed_numbers(motion) as u64)
}

/// A message on its way to a page.
pub enum Out {
    /// As JSON. It may be long, so it is written where it is worked out, apart from what others wait for.
    Text(String),
    Block(Vec<u8>),
}

/// What a page looks at.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Watched {
    /// Whose channels are drawn.
    pub thing: Option<(String, usize)>,
    /// The frame on screen.
    pub frame: f64,
    /// The node whose numbers over time are drawn.
    pub chosen: Option<String>,
}

/// One round of work.
pub struct Work {
    /// Of the scene.
    pub id: Uuid,
    pub memo: Arc<Memo>,
    pub session: Session,
    pub stamp: Stamp,
    pub watched: Watched,
    /// A version that is laid beneath the scene.
    pub compared: Option<Session>,
    pub has: Arc<Has>,
    /// Bytes of poses that the page holds at most.
    pub holds: u64,
    pub cancel: Cancel,
    /// Where recordings come from: of the scene, and of what is compared with it.
    pub desks: (AtDesk, AtDesk),
    pub out: mpsc::Sender<Out>,
}

impl Work {
    /// Does the round; ends early when it is cancelled or the page is gone.
    pub fn run(&self) {
        // Cancelled work is taken up again by the round that follows it. What there was no memory for beside the nodes and
        // ends, which say so, is done again: only what the page does not have yet.
        for _ in 0..MOST_ROUNDS {
            if self.rounds().is_ok() || !self.cancel.go_on() || self.cancel.stopped() {
                return;
            }
        }
        tracing::warn!(scene = %self.id, "a round was given up for want of memory");
        self.refuse(STARVED.to_owned());
    }

    /// Tells the page why it sees nothing new. One that is gone needs no answer.
    pub fn refuse(&self, message: String) {
        let _ = self.say(&ToPage::Refused { sequence: None, message, later: false });
    }

    fn rounds(&self) -> Result<(), Unlooked> {
        let mut compiled = self.compiled(&self.session, &self.desks.0)?;
        self.affording(&mut compiled, |compiled| {
            let now = Side { scene: &self.session.scene, compiled, stamp: self.stamp, named: "" };
            self.signals(&now)?;
            self.paths(&now)?;
            self.looks(compiled)?;
            self.bodies(compiled)?;
            self.poses(&now)?;
            self.nodes(compiled)?;
            let ends = self.ends(compiled)?;
            self.traces(&now, &ends)?;
            let Stamp { revision, preview, .. } = self.stamp;
            self.tell(&ToPage::Shown { revision, preview })?;
            Ok(self.offers(compiled, ends)?)
        })?;
        let Some(version) = &self.compared else { return Ok(()) };
        let mut compiled = self.compiled(version, &self.desks.1)?;
        self.affording(&mut compiled, |compiled| {
            let stamp = Stamp { compared: true, ..self.stamp };
            let then = Side { scene: &version.scene, compiled, stamp, named: COMPARED };
            self.paths(&then)?;
            self.poses(&then)?;
            self.traces(&then, &[])
        })
    }

    fn affording(
        &self,
        compiled: &mut Compiled,
        mut look: impl FnMut(&Compiled) -> Result<(), Unlooked>,
    ) -> Result<(), Unlooked> {
        affording(compiled, |compiled| {
            let done = look(compiled);
            if matches!(done, Err(Unlooked { node: Some(_), why: MotionError::TooMuch(_) })) {
                self.cancel.go_on();
            }
            done
        })
    }

    /// A scene as far as it is worked out; what it does not wait for any more is given up.
    fn compiled(&self, session: &Session, desk: &AtDesk) -> Result<Compiled, MotionError> {
        let compiled = session.compile(&self.memo, desk, &self.cancel);
        self.going()?;
        for (id, result) in &compiled.nodes {
            let taken = Duration::from_micros(result.micros);
            if taken > SLOW {
                tracing::info!(scene = %self.id, node = %id, millis = taken.as_millis() as u64, "slow node");
            }
        }
        let waits = |result: &NodeResult| matches!(&*result.outcome, Ok(outcome) if outcome.progress.is_some());
        let waiting = compiled.nodes.iter().filter(|(_, result)| waits(result)).map(|(id, _)| id.clone());
        desk.keep_only(&waiting.collect());
        Ok(compiled)
    }

    fn going(&self) -> Result<(), MotionError> {
        if self.cancel.cancelled() { Err(MotionError::Cancelled) } else { Ok(()) }
    }

    fn send(&self, out: Out) -> Result<(), MotionError> {
        self.going()?;
        self.out.blocking_send(out).map_err(|_| MotionError::Cancelled)
    }

    fn tell(&self, message: &ToPage) -> Result<(), MotionError> {
        self.going()?;
        self.say(message)
    }

    /// Whether or not the round is still wanted.
    fn say(&self, message: &ToPage) -> Result<(), MotionError> {
        let text = serde_json::to_string(message).map_err(|error| {
            tracing::error!(scene = %self.id, "a message cannot be written: {error}");
            MotionError::Cancelled
        })?;
        self.out.blocking_send(Out::Text(text)).map_err(|_| MotionError::Cancelled)
    }

    fn paths(&self, side: &Side<'_>) -> Result<(), MotionError> {
        for (id, result) in &side.compiled.nodes {
            let what = format!("{}path {id}", side.named);
            let Some(product) = side.compiled.path(id).filter(|_| !side.compiled.bypassed.contains(id)) else {
                // The page drops what a node does not give now.
                self.has.forget(&what);
                continue;
            };
            if !self.has.same(&what, result.key()) {
                let flat = side.scene.space == Space::Flat;
                self.send(Out::Block(path_block(id, product, flat, side.scene.frames, side.stamp)))?;
                self.has.now(what, *result.key());
            }
        }
        Ok(())
    }

    fn poses(&self, side: &Side<'_>) -> Result<(), Unlooked> {
        let frames = side.scene.frames;
        let begins = format!("{}poses ", side.named);
        let left: Vec<String> = side.compiled.ends.iter().map(|end| format!("{begins}{}", end.node)).collect();
        self.has.keep_only_poses(&begins, &left);
        let named = |end: &End| (format!("{begins}{}", end.node), mixed(&end.key, frames));
        let now = blocks::on_screen(self.watched.frame, frames);
        let shares = self.shares(side);
        let window = |end: &End, shape: &blocks::Shape| {
            Window::round(now, shape.frames, shape.row(), shares.get(&end.node).copied().unwrap_or(0))
        };
        let lacks = |end: &&End| {
            let (what, key) = named(end);
            !self.has.poses_whole(&what, &key, |shape| window(end, shape))
        };
        let lacking: Vec<&End> = side.compiled.ends.iter().filter(lacks).collect();
        for end in &lacking {
            let (what, key) = named(end);
            if !self.has.takes_long(&what) {
                continue;
            }
            let at = (self.watched.frame, frames);
            let keeps = |shape: &blocks::Shape| window(end, shape);
            let (block, shape, frame) =
                blocks::pose_on_screen(&end.node, &end.motion, at, keeps, side.stamp, &self.cancel).map_err(of(end))?;
            let keeps = keeps(&shape);
            if self.has.poses_lacking(&what, &key, &shape, (keeps, now))[frame] {
                self.has.poses_unsure(&what, frame, keeps);
                self.send(Out::Block(block))?;
            }
        }
        for end in lacking {
            let (what, key) = named(end);
            let before = self.cancel.looks();
            let lacking = |shape: &blocks::Shape| {
                let keeps = window(end, shape);
                (keeps, self.has.poses_lacking(&what, &key, shape, (keeps, now)))
            };
            let mut send = |block, frames, keeps| {
                let sent = self.send(Out::Block(block)).is_ok();
                if sent {
                    self.has.poses_now(&what, key, frames, keeps);
                }
                sent
            };
            let page = blocks::PosesOf { frame: self.watched.frame, lacking: &lacking, send: &mut send };
            blocks::pose_blocks(&end.node, &end.motion, frames, side.stamp, &self.cancel, page).map_err(of(end))?;
            self.has.took(&what, self.cancel.looks() - before);
        }
        Ok(())
    }

    /// Bytes that the page may hold of each end. Where two scenes are compared, each has half.
    fn shares(&self, side: &Side<'_>) -> HashMap<String, u64> {
        let ends = &side.compiled.ends;
        let total = u64::from(side.scene.frames) + 1;
        let wanted: Vec<u64> = ends.iter().map(|end| numbers(&*end.motion).saturating_mul(4 * total)).collect();
        let all = if self.compared.is_some() { self.holds / 2 } else { self.holds };
        ends.iter().map(|end| end.node.clone()).zip(shares(&wanted, all)).collect()
    }

    fn looks(&self, compiled: &Compiled) -> Result<(), MotionError> {
        let ends: Vec<EndLook> = compiled.ends.iter().map(EndLook::from).collect();
        let key = mixed(&[0; 32], &ends);
        if !self.has.same("looks", &key) {
            self.tell(&ToPage::Looks { ends })?;
            self.has.now("looks".to_owned(), key);
        }
        Ok(())
    }

    /// The bodies of what is dented. A page drops those of kinds that are not among the looks it was told last, whether or not
    /// this round comes to its end.
    fn bodies(&self, compiled: &Compiled) -> Result<(), MotionError> {
        let of_end = |end: &'_ End| {
            let dented = |(kind, told): (usize, &Kind)| told.dented.as_ref().map(|dents| (kind, dents.0.clone()));
            end.motion.kinds().iter().enumerate().filter_map(dented).collect::<Vec<_>>()
        };
        let named = |end: &End, kind: usize| format!("{BODY}{} {kind}", end.node);
        let all: Vec<_> =
            compiled.ends.iter().flat_map(|end| of_end(end).into_iter().map(move |of| (end, of))).collect();
        self.has.keep_only(BODY, &all.iter().map(|(end, (kind, _))| named(end, *kind)).collect());
        for (end, (kind, dents)) in all {
            let what = named(end, kind);
            if !self.has.same(&what, dents.body_key()) {
                self.send(Out::Block(blocks::body_block(&end.node, kind, dents.body(), self.stamp)))?;
                self.has.now(what, *dents.body_key());
            }
        }
        Ok(())
    }

    fn nodes(&self, compiled: &Compiled) -> Result<(), MotionError> {
        let mut pictures = compiled.miniatures(&self.cancel)?;
        let (mut nodes, mut now) = (std::collections::BTreeMap::new(), Vec::new());
        for (id, told) in report(compiled) {
            let what = format!("miniature {id}");
            let picture = pictures.remove(&id);
            let key = mixed(compiled.nodes[&id].key(), (self.session.scene.frames, picture.is_some()));
            let miniature = if told.state == "error" {
                // The page drops what it has.
                self.has.forget(&what);
                None
            } else if self.has.same(&what, &key) {
                None
            } else {
                now.push((what, key));
                Some(picture.unwrap_or_default())
            };
            nodes.insert(id, NodeStatus { report: told, miniature });
        }
        let Stamp { revision, preview, .. } = self.stamp;
        self.tell(&ToPage::Nodes { revision, preview, nodes })?;
        now.into_iter().for_each(|(what, key)| self.has.now(what, key));
        Ok(())
    }

    fn ends(&self, compiled: &Compiled) -> Result<Vec<EndReport>, Unlooked> {
        let report = |end: &End| self.has.report(end, compiled.timing, &self.cancel).map_err(of(end));
        let ends = compiled.ends.iter().map(report).collect::<Result<Vec<EndReport>, Unlooked>>()?;
        let Stamp { revision, preview, .. } = self.stamp;
        self.tell(&ToPage::Ends { revision, preview, ends: ends.clone() })?;
        Ok(ends)
    }

    /// Sends ends again once it is known what their offers leave open; not during a drag.
    fn offers(&self, compiled: &Compiled, mut ends: Vec<EndReport>) -> Result<(), MotionError> {
        let untried = |report: &EndReport| report.offers.iter().any(|offer| offer.left.is_none());
        if self.stamp.preview != 0 || !ends.iter().any(untried) {
            return Ok(());
        }
        let known = ends.clone();
        for (report, end) in ends.iter_mut().zip(&compiled.ends).filter(|(report, _)| untried(report)) {
            let recorder = FromShelfOnly(self.desks.0.shelf());
            let scene = &self.session.scene;
            let tried = |workshop: &Workshop<'_>| try_offers(scene, report, workshop);
            self.session.in_workshop(&self.memo, &recorder, &self.cancel, tried)?;
            self.has.tried(end, compiled.timing, report);
        }
        // Of very many things no offer is tried.
        if ends == known {
            return Ok(());
        }
        let Stamp { revision, preview, .. } = self.stamp;
        self.tell(&ToPage::Ends { revision, preview, ends })
    }

    /// What changes over time in the numbers of the chosen node.
    fn signals(&self, side: &Side<'_>) -> Result<(), MotionError> {
        let Some(chosen) = &self.watched.chosen else { return Ok(()) };
        let channels = side.compiled.channels(side.scene, &self.session.registry.schemas, chosen);
        let (frames, fps) = (side.scene.frames, side.compiled.timing.fps);
        let block = blocks::signal_block(chosen, &channels, (frames, fps), side.stamp);
        let key = *blake3::hash(&block.1).as_bytes();
        if self.has.same("signals", &key) {
            return Ok(());
        }
        self.send(Out::Block(block.0))?;
        self.has.now("signals".to_owned(), key);
        Ok(())
    }

    fn traces(&self, side: &Side<'_>, ends: &[EndReport]) -> Result<(), Unlooked> {
        let Some((node, object)) = &self.watched.thing else {
            self.has.forget(&format!("{}traces", side.named));
            return Ok(());
        };
        let found = side.compiled.ends.iter().find(|end| end.node == *node && *object < end.motion.len());
        let Some(end) = found else {
            self.has.forget(&format!("{}traces", side.named));
            return Ok(());
        };
        let timing = (side.scene.frames, side.compiled.timing.fps, side.scene.space == Space::Flat);
        let (what, key) = (format!("{}traces", side.named), mixed(&end.key, (object, timing)));
        if self.has.same(&what, &key) {
            return Ok(());
        }
        let partners = ends.iter().find(|end| end.node == *node).map_or(&[][..], |end| &end.seam.partners);
        let thing = (*object, partners);
        let block = blocks::trace_block(node, &end.motion, thing, timing, side.stamp, &self.cancel).map_err(of(end))?;
        self.send(Out::Block(block))?;
        self.has.now(what, key);
        Ok(())
    }
}

/// Why a round ended, and the end that could not be looked at.
struct Unlooked {
    node: Option<String>,
    why: MotionError,
}

impl From<MotionError> for Unlooked {
    fn from(why: MotionError) -> Self {
        Self { node: None, why }
    }
}

fn of(end: &End) -> impl Fn(MotionError) -> Unlooked {
    move |why| Unlooked { node: Some(end.node.clone()), why }
}

/// Looks at what was compiled; again without an end that takes too much, which says so at its node.
fn affording(compiled: &mut Compiled, mut look: impl FnMut(&Compiled) -> Result<(), Unlooked>) -> Result<(), Unlooked> {
    loop {
        match look(compiled) {
            Err(Unlooked { node: Some(node), why: MotionError::TooMuch(why) }) => compiled.refuse(&node, &why),
            done => return done,
        }
    }
}

/// The scene as it is, or the version beneath it.
struct Side<'a> {
    scene: &'a Scene,
    compiled: &'a Compiled,
    stamp: Stamp,
    /// Begins the names of what was sent.
    named: &'static str,
}

#[cfg(test)]
mod tests {
    use super::*;
    use zickzack_core::graph::AtOnce;
    use zickzack_core::nodes::Registry;

    /// What cannot be looked at says so at its node, and all else is looked at all the same.
    #[test]
    fn an_end_that_takes_too_much_is_refused_and_the_others_are_shown() {
        let registry = Registry::default();
        let document = serde_json::json!({
            "format": "zickzack-scene", "version": 1, "name": "Two", "fps": "24", "frames": 24, "space": "deep",
            "nodes": {
                "path": { "type": "figure", "name": "Path" },
                "one": { "type": "ride", "name": "One" }, "two": { "type": "ride", "name": "Two" },
            },
            "threads": {
                "a": { "from": "path", "to": "one", "port": "path" }, "b": { "from": "path", "to": "two", "port": "path" },
            },
        });
        let scene = Scene::from_value(document, &registry.schemas).unwrap();
        let session = Session::new(Arc::new(registry), scene, Arc::default());
        let mut compiled = session.compile(&Memo::default(), &AtOnce, &Cancel::default());
        let mut seen = Vec::new();
        let done = affording(&mut compiled, |compiled| {
            seen.clear();
            for end in &compiled.ends {
                let looks = if end.node == "one" { 0 } else { 1_000_000 };
                Cancel::default()
                    .within(looks, |cancel| EndReport::of(end, 24.0, 24.0, cancel).and(cancel.going()))
                    .map_err(of(end))?;
                seen.push(end.node.clone());
            }
            Ok(())
        });
        assert!(done.is_ok());
        assert_eq!(seen, ["two"]);
        let told = &report(&compiled)["one"];
        assert_eq!(told.state, "error");
        assert!(told.messages[0].starts_with("It asks what it is made from more than 0 times"), "{:?}", told.messages);
    }
}
