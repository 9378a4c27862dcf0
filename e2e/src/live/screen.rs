//! What a page shows, from what it is sent, and what it should show.

use serde_json::Value;
use std::collections::BTreeMap;
use zickzack_core::graph::{Memo, compile};
use zickzack_core::motion::{BlockLayout, Cancel, Frames, fill_poses, prepared};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;

/// How many things there are, which numbers of each, and at how many frames.
#[derive(Debug, Clone, PartialEq)]
struct Shape {
    things: usize,
    columns: Value,
    /// Numbers of a frame.
    row: usize,
    frames: usize,
}

/// Poses of an end as a page holds them.
#[derive(Debug, Clone, PartialEq)]
pub struct Shown {
    shape: Shape,
    numbers: Vec<f32>,
    have: Vec<bool>,
}

/// What the interface does with what it is sent.
#[derive(Default)]
pub struct Screen {
    /// By the nodes of the ends.
    pub poses: BTreeMap<String, Shown>,
    /// By nodes.
    pub pictures: BTreeMap<String, Value>,
}

impl Screen {
    /// Takes in a block.
    pub fn take(&mut self, (header, numbers): (Value, Vec<f32>)) {
        if header["kind"] != "poses" {
            return;
        }
        let number = |name: &str| header[name].as_u64().unwrap() as usize;
        let (row, frames) = (number("row"), number("frames"));
        let shape = Shape { things: number("things"), columns: header["columns"].clone(), row, frames };
        let fresh = || Shown {
            shape: shape.clone(),
            numbers: vec![f32::NAN; shape.frames * row],
            have: vec![false; shape.frames],
        };
        let shown = self.poses.entry(header["node"].as_str().unwrap().to_owned()).or_insert_with(fresh);
        if shown.shape != shape {
            *shown = fresh();
        }
        let (from, count) = (number("from"), number("count"));
        let kept = |name: &str| header["keeps"][name].as_u64().unwrap() as usize;
        for frame in 0..shape.frames {
            if (frame + shape.frames - kept("from")) % shape.frames >= kept("count") {
                shown.numbers[frame * row..(frame + 1) * row].fill(f32::NAN);
                shown.have[frame] = false;
            }
        }
        shown.numbers[from * row..(from + count) * row].copy_from_slice(&numbers);
        shown.have[from..from + count].fill(true);
    }

    /// Takes in a message.
    pub fn hear(&mut self, message: &Value) {
        if message["kind"] == "ends" {
            let ends: Vec<&str> =
                message["ends"].as_array().unwrap().iter().filter_map(|end| end["node"].as_str()).collect();
            self.poses.retain(|node, _| ends.contains(&node.as_str()));
        }
        if message["kind"] == "nodes" {
            let nodes = message["nodes"].as_object().unwrap();
            self.pictures.retain(|node, _| nodes.get(node).is_some_and(|status| status["state"] != "error"));
            for (node, status) in nodes.iter().filter(|(_, status)| !status["miniature"].is_null()) {
                self.pictures.insert(node.clone(), status["miniature"].clone());
            }
        }
    }

    /// Compares what is shown with what should be, bit by bit, at all frames.
    ///
    /// # Errors
    /// What is shown otherwise.
    pub fn shows(&self, wanted: &BTreeMap<String, Shown>) -> Result<(), String> {
        self.shows_part(wanted, u64::MAX, 0)
    }

    /// As [`Self::shows`] for a page that holds so many bytes, at the frames that it has: that on screen among them, and
    /// as many as it can hold, where all are of one end.
    ///
    /// # Errors
    /// What is shown otherwise, or is too much or too little.
    pub fn shows_part(&self, wanted: &BTreeMap<String, Shown>, holds: u64, now: usize) -> Result<(), String> {
        if self.poses.keys().ne(wanted.keys()) {
            return Err(format!("{:?} are shown, {:?} are kept", self.poses.keys(), wanted.keys()));
        }
        let (mut bytes, mut least, mut all) = (0, 0, 0);
        for (node, wanted) in wanted {
            let shown = &self.poses[node];
            if shown.shape != wanted.shape {
                return Err(format!("{node} is {:?} and not {:?}", shown.shape, wanted.shape));
            }
            let row = wanted.shape.row;
            let rows = |of: &Shown, frame: usize| of.numbers[frame * row..(frame + 1) * row].to_vec();
            let here = (0..wanted.shape.frames).filter(|&frame| shown.have[frame]);
            let wrong: Vec<usize> = here.clone().filter(|&frame| rows(shown, frame) != rows(wanted, frame)).collect();
            if !wrong.is_empty() || !shown.have[now.min(wanted.shape.frames - 1)] {
                return Err(format!("{node} is wrong at {wrong:?}, or {now} is not there, of {:?}", wanted.shape));
            }
            bytes += 4 * (here.count() * row) as u64;
            (least, all) = (least + 4 * row as u64, all + 4 * (row * wanted.shape.frames) as u64);
        }
        // A frame of each end in any case.
        let most = holds.max(least);
        let lacks = wanted.len() == 1 && bytes < all && bytes + least <= most;
        if bytes > most || lacks {
            return Err(format!("{bytes} bytes are held of {all}, {holds} might be"));
        }
        Ok(())
    }
}

/// The poses of all ends, from the document alone.
pub fn baked(document: Value) -> BTreeMap<String, Shown> {
    let (registry, memo) = (Registry::default(), Memo::default());
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    let cancel = Cancel::default();
    let compiled = compile(&scene, &registry.workshop(&memo, &cancel));
    let frames: Vec<f64> = (0..=scene.frames).map(f64::from).collect();
    let shown = |motion| {
        let ready = prepared(motion, Frames { from: 0.0, to: f64::from(scene.frames) }, &cancel).unwrap();
        let layout = BlockLayout::of(&*ready);
        let columns = serde_json::json!(layout.columns());
        let shape = Shape { things: ready.len(), columns, row: layout.row(), frames: frames.len() };
        let mut numbers = vec![0.0; shape.row * shape.frames];
        fill_poses(&*ready, &layout, &frames, &mut numbers, &cancel).unwrap();
        Shown { shape, numbers, have: vec![true; frames.len()] }
    };
    compiled.ends.iter().map(|end| (end.node.clone(), shown(&end.motion))).collect()
}
