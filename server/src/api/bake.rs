use super::Refusal;
use crate::Shop;
use crate::live::open_scene;
use crate::recorder::FromShelf;
use actix_web::{HttpResponse, get, web};
use glam::DVec3;
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::BTreeMap;
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;
use zickzack_core::graph::{Compiled, Memo, Product};
use zickzack_core::keys::{Channel, PoseKeys, bake_pose, largest_error, pose_numbers};
use zickzack_core::motion::{Frames, Motion};
use zickzack_core::scene::{Scene, keyed_number};

/// What is baked to keys, and how closely.
#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Wanted {
    /// Id of the node whose motion it is.
    node: String,
    /// Metres that a place may be off.
    tolerance: f64,
    /// Degrees that an orientation may be off.
    angle: f64,
}

/// One thing as keys.
#[derive(Serialize, ToSchema)]
pub struct BakedThing {
    /// Parameters of a `pose` node.
    params: BTreeMap<String, Value>,
    /// How many keys they hold.
    keys: usize,
}

/// A motion as keys over the loop.
#[derive(Serialize, ToSchema)]
pub struct Baked {
    things: Vec<BakedThing>,
    /// Keys with one at every frame in every channel that changes.
    before: usize,
    /// Keys that are left.
    after: usize,
    /// Largest error in place, metres.
    off: f64,
    /// Its shown frame.
    off_frame: f64,
    /// Largest error in orientation, degrees.
    turned_off: f64,
    /// Its shown frame.
    turned_off_frame: f64,
}

/// Most things that become nodes of keys; more are handed off as files.
const MOST_THINGS: usize = 64;

/// The motion of a node as few keys, ready for nodes that stand by themselves.
#[utoipa::path(params(("id" = Uuid, Path), Wanted), responses((status = 200, body = Baked), (status = 422, body = Refusal)))]
#[get("/api/scenes/{id}/bake")]
pub async fn bake(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, Refusal> {
    let fits = |x: f64| x.is_finite() && (1e-9..=1e3).contains(&x);
    if !fits(wanted.tolerance) || !fits(wanted.angle) {
        return Err(Refusal::bad("The tolerances must be from 0.000001 mm to 1000 m, and from 0.000000001° to 1000°."));
    }
    let session = open_scene(&shop, *id).await?.session;
    let shelf = shop.shelf.clone();
    let baked = shop.answer(*id, move |cancel| {
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
        let motion = motion_of(&compiled, &session.scene, &wanted.node)?;
        if motion.len() > MOST_THINGS {
            return Err(Refusal::bad(format!(
                "{} things are too many for nodes of keys, of which there may be {MOST_THINGS}: hand them off as a file.",
                motion.len()
            )));
        }
        let range = Frames { from: 0.0, to: compiled.timing.frames };
        let tolerances = (wanted.tolerance, wanted.angle.to_radians());
        let keys = (0..motion.len())
            .map(|object| bake_pose(motion, object, range, tolerances, cancel))
            .collect::<Result<Vec<PoseKeys>, _>>()
            .map_err(|error| Refusal::bad(error.to_string()))?;
        Ok(told(&keys, &wanted, compiled.timing.frames, session.scene.first_frame as f64))
    });
    baked.await
}

fn motion_of<'a>(compiled: &'a Compiled, scene: &Scene, node: &str) -> Result<&'a Arc<dyn Motion>, Refusal> {
    match compiled.nodes.get(node).and_then(|result| result.product()) {
        Some(Product::Motion(motion)) => Ok(motion),
        _ => {
            let none = || "There is no motion to bake: choose a node that gives one and works.".to_owned();
            Err(Refusal::bad(compiled.amiss(scene, node).unwrap_or_else(none)))
        }
    }
}

/// One thing of a motion at one frame.
#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Instant {
    /// Id of the node whose motion it is.
    node: String,
    /// Which of its things, from 0.
    thing: usize,
    /// Frame from the loop's first.
    frame: f64,
    /// Degrees about x that the turns shall be near to.
    x: f64,
    /// About y.
    y: f64,
    /// About z.
    z: f64,
}

/// A number and its slope per frame.
#[derive(Serialize, ToSchema)]
pub struct Sloped {
    value: f64,
    slope: f64,
}

/// The numbers of a pose, by the ports of a `pose` node.
#[derive(Serialize, ToSchema)]
pub struct PoseNumbers {
    numbers: BTreeMap<&'static str, Sloped>,
}

/// Ports of a `pose` node, in the order of [`pose_numbers`].
const PORTS: [&str; 7] = ["at.x", "at.y", "at.z", "orientation.x", "orientation.y", "orientation.z", "scale"];

/// What poses a thing of a motion at a frame, as it was before it was baked.
#[utoipa::path(params(("id" = Uuid, Path), Instant), responses((status = 200, body = PoseNumbers), (status = 422, body = Refusal)))]
#[get("/api/scenes/{id}/pose")]
pub async fn pose(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    instant: web::Query<Instant>,
) -> Result<web::Json<PoseNumbers>, Refusal> {
    let near = DVec3::new(instant.x, instant.y, instant.z);
    if !(near.is_finite() && near.abs().max_element() <= 1e9 && instant.frame.abs() <= 1e6) {
        return Err(Refusal::bad("The frame must be within a million, and the turns must be plain numbers."));
    }
    let session = open_scene(&shop, *id).await?.session;
    let shelf = shop.shelf.clone();
    let numbers = shop.work(*id, move |cancel| {
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
        let motion = motion_of(&compiled, &session.scene, &instant.node)?;
        if instant.thing >= motion.len() {
            return Err(Refusal::bad("The motion has no such thing any more: bake it again."));
        }
        pose_numbers(motion, instant.thing, instant.frame, near, cancel)
            .map_err(|error| Refusal::bad(error.to_string()))
    });
    let sloped = numbers.await?.map(|(value, slope)| Sloped { value, slope });
    Ok(web::Json(PoseNumbers { numbers: PORTS.into_iter().zip(sloped).collect() }))
}

fn told(keys: &[PoseKeys], wanted: &Wanted, frames: f64, first: f64) -> Baked {
    let changing = keys.iter().flat_map(PoseKeys::channels).filter(|channel| !channel.is_still()).count();
    let off = largest_error(keys.iter().map(|keys| keys.off));
    let turned_off = largest_error(keys.iter().map(|keys| keys.turned_off));
    Baked {
        things: keys.iter().map(|keys| thing(keys, wanted)).collect(),
        before: changing * (frames as usize + 1),
        after: keys.iter().map(PoseKeys::count).sum(),
        off: off.0,
        off_frame: off.1 + first,
        turned_off: turned_off.0.to_degrees(),
        turned_off_frame: turned_off.1 + first,
    }
}

fn thing(keys: &PoseKeys, wanted: &Wanted) -> BakedThing {
    // Whole turns are none; what else is not back where it began stays where it is.
    let beyond = |channel: &Channel<1>, whole: Option<f64>, close: f64| {
        let gained = channel.keys[channel.keys.len() - 1].value[0] - channel.keys[0].value[0];
        let left = whole.map_or(gained, |whole| gained - whole * (gained / whole).round());
        if left.abs() <= 2.0 * close { "with the loop" } else { "holds" }
    };
    let place = keys.place.each_ref().map(|channel| keyed_number(channel, beyond(channel, None, wanted.tolerance)));
    let turn = keys.turn.each_ref().map(|channel| keyed_number(channel, beyond(channel, Some(360.0), wanted.angle)));
    let scale = keyed_number(&keys.scale, beyond(&keys.scale, None, 1e-4));
    let params = [("at", json!(place)), ("orientation", json!(turn)), ("scale", scale)];
    BakedThing { params: params.map(|(name, value)| (name.to_owned(), value)).into(), keys: keys.count() }
}
