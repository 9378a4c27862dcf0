use super::Refusal;
use crate::Shop;
use crate::jobs::{Wanted, refused};
use crate::live::open_scene;
use crate::recorder::FromShelf;
use actix_web::{HttpResponse, get, web};
use serde::Serialize;
use std::sync::Arc;
use utoipa::ToSchema;
use uuid::Uuid;
use zickzack_core::graph::Memo;
use zickzack_core::keys::{Count, ObjectKeys, Tally};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_session::HandOff;

/// One channel before and after reduction.
#[derive(Serialize, ToSchema)]
pub struct ChannelCount {
    name: String,
    /// Over all things.
    before: usize,
    /// Over all things; 0 for a channel that does not move.
    after: usize,
    /// Largest error over all things, in `unit`.
    error: f64,
    unit: String,
    /// Shown frame of the largest error.
    frame: f64,
    /// Number of the thing that is so far off, from 0.
    thing: usize,
}

/// A key of the drawn channel.
#[derive(Serialize, ToSchema)]
pub struct ShownKey {
    frame: f64,
    value: f64,
    /// True where the slope breaks.
    contact: bool,
}

/// One channel of one thing, drawn.
#[derive(Serialize, ToSchema)]
pub struct Plot {
    name: String,
    /// Shown frames, every quarter.
    frames: Vec<f64>,
    /// The motion, metres.
    truth: Vec<f64>,
    /// What the keys give, metres.
    keyed: Vec<f64>,
    keys: Vec<ShownKey>,
}

/// What a hand-off would give.
#[derive(Serialize, ToSchema)]
pub struct Look {
    things: usize,
    channels: Vec<ChannelCount>,
    /// x, y, z of the thing looked at.
    plots: Vec<Plot>,
    /// What of the motion is not in the file.
    left_out: Vec<String>,
    /// Its things have joints, which a BVH file holds.
    jointed: bool,
    /// Things stand together, with keys at every step whatever was asked for.
    together: bool,
}

/// Most poses that are looked at while somebody waits.
const MOST_POSES: f64 = 5e6;
/// Most frames drawn.
const MOST_PLOTTED: f64 = 20_000.0;

/// Key counts and errors of a hand-off, and one thing's channels to draw.
#[utoipa::path(params(("id" = Uuid, Path), Wanted), responses((status = 200, body = Look), (status = 422, body = Refusal)))]
#[get("/api/scenes/{id}/handoff")]
pub async fn look(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, Refusal> {
    let session = open_scene(&shop, *id).await?.session;
    let shelf = shop.shelf.clone();
    let look = shop.answer(*id, move |cancel| {
        let order = wanted.order(&session.scene)?;
        let (range, form) = (order.range, order.form);
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
        let hand_off = HandOff::of(&session, &compiled, |node| wanted.wants(node));
        wanted.check(&hand_off, (&order, true, MOST_POSES))?;
        let (_, motion) = &hand_off.outputs()[0];
        let first = session.scene.first_frame as f64;
        let object = wanted.object.unwrap_or(0).min(motion.len().saturating_sub(1));
        let (mut tally, mut drawn) = (Tally::default(), None);
        let made = hand_off.keys((0, form), (range, order.keying), cancel, |keys| {
            tally.add(&keys);
            if tally.things == object + 1 {
                drawn = Some(keys);
            }
        });
        made.map_err(refused)?;
        let plots = drawn.map_or(Ok(Vec::new()), |keys| plots(motion, (range, &keys), object, first, cancel))?;
        let left_out = hand_off.left_out(0, (form, range), cancel).map_err(refused)?;
        let jointed = hand_off.has_joints(0, range, cancel).map_err(refused)?;
        let together = hand_off.together((0, form), range, cancel).map_err(refused)?;
        let channels = counts(&tally, range, wanted.step, first);
        let broken = hand_off.broken().iter().map(|(name, _)| format!("\"{name}\", which does not work"));
        let left_out = left_out.into_iter().chain(broken).collect();
        Ok(Look { things: motion.len(), channels, plots, left_out, jointed, together })
    });
    look.await
}

fn counts(tally: &Tally, range: Frames, step: f64, first_frame: f64) -> Vec<ChannelCount> {
    let frames = ((range.to - range.from) / step).floor() as usize + 1;
    let row = |name: &str, channels: usize, count: Count, ((error, frame), thing): ((f64, f64), usize), unit: &str| {
        ChannelCount {
            thing,
            name: name.to_owned(),
            before: channels * frames * tally.things,
            after: count.keys,
            error,
            unit: unit.to_owned(),
            frame: frame + first_frame,
        }
    };
    let turned = (tally.turned_off.0.to_degrees(), tally.turned_off.1);
    let (off, turned) = ((tally.off, tally.worst.0), (turned, tally.worst.1));
    let mut rows =
        vec![row("position", 3, tally.position, off, "m"), row("orientation", 1, tally.orientation, turned, "°")];
    if tally.joints.moving > 0 {
        let own = row("joints", 1, tally.joints, (tally.limbs_off, tally.worst_limbs), "m");
        rows.push(ChannelCount { before: frames * tally.joints.moving, ..own });
    }
    rows
}

fn plots(
    motion: &Arc<dyn Motion>,
    (range, keys): (Frames, &ObjectKeys),
    object: usize,
    first: f64,
    cancel: &Cancel,
) -> Result<Vec<Plot>, Refusal> {
    let steps = ((range.to - range.from) * 4.0).min(MOST_PLOTTED).floor();
    let frames: Vec<f64> =
        (0..=steps as usize).map(|i| range.from + (range.to - range.from) * i as f64 / steps).collect();
    let ready = prepared(motion, range.widened(1.0), cancel).map_err(|error| Refusal::bad(error.to_string()))?;
    let mut sample = Sample::default();
    let at: Vec<(usize, f64)> = frames.iter().map(|&frame| (object, frame)).collect();
    ready.sample_at(&at, Columns::POSITION, &mut sample);
    Ok(["position x", "position y", "position z"]
        .iter()
        .enumerate()
        .map(|(axis, name)| {
            let channel = &keys.position[axis];
            let breaks = |i: usize| {
                let key = &channel.keys[i];
                (key.slope_in[0] - key.slope_out[0]).abs() > 1e-3
            };
            Plot {
                name: (*name).to_owned(),
                truth: sample.positions.iter().map(|p| p[axis]).collect(),
                keyed: frames.iter().map(|&frame| channel.at(frame).0[0]).collect(),
                keys: channel
                    .keys
                    .iter()
                    .enumerate()
                    .map(|(i, key)| ShownKey { frame: key.frame + first, value: key.value[0], contact: breaks(i) })
                    .collect(),
                frames: frames.iter().map(|frame| frame + first).collect(),
            }
        })
        .collect())
}
