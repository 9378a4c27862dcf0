use super::Refusal;
use super::scenes::attachment;
use super::spool::{Spooled, aside, unwritten};
use crate::Shop;
use crate::live::open_scene;
use crate::recorder::FromShelf;
use actix_web::{HttpResponse, get, web};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;
use zickzack_core::graph::{Compiled, Memo};
use zickzack_core::keys::{Count, FileForm, Keying, ObjectKeys, Tally};
use zickzack_core::motion::{Cancel, Columns, Frames, Motion, Sample, prepared};
use zickzack_core::scene::Scene;
use zickzack_formats::bvh::UnwrittenBvh;
use zickzack_formats::csv::CsvError;
use zickzack_formats::glb::GlbError;
use zickzack_formats::usd::UsdError;
use zickzack_session::{HandOff, HandOffError, Session};

/// What is handed off, and how. Frames are shown numbers.
#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Wanted {
    /// Id of the output's node; all outputs when left out.
    node: Option<String>,
    /// First frame.
    from: f64,
    /// Last frame.
    to: f64,
    /// Frames from row to row or key to key.
    step: f64,
    /// Metres; left out for a key at every step.
    tolerance: Option<f64>,
    /// Degrees; left out for as many as keep what is a metre from a thing within the tolerance.
    angle: Option<f64>,
    /// `csv`, `contacts`, `glb`, `usda`, `usdz` or `bvh`; `csv` when left out.
    form: Option<String>,
    /// Which thing is looked at.
    object: Option<usize>,
}

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

/// Most poses of one hand-off.
const MOST_POSES: f64 = 5e6;
/// Most frames drawn.
const MOST_PLOTTED: f64 = 20_000.0;

fn range(wanted: &Wanted, scene: &Scene) -> Result<Frames, Refusal> {
    let numbers = [wanted.from, wanted.to, wanted.step, wanted.tolerance.unwrap_or(1.0)];
    if numbers.iter().any(|x| !x.is_finite()) {
        return Err(Refusal::bad("Frames, step and tolerance must be finite numbers."));
    }
    let from = wanted.from - scene.first_frame as f64;
    let to = wanted.to - scene.first_frame as f64;
    if to <= from || to - from > 1e6 || from.abs() > 1e6 {
        return Err(Refusal::bad("The last frame must come after the first, and at most 1000000 frames after it."));
    }
    if !(1e-3..=1e6).contains(&wanted.step) {
        return Err(Refusal::bad("The step must be from 0.001 to 1000000 frames."));
    }
    if wanted.tolerance.is_some_and(|tolerance| !(1e-9..=1e3).contains(&tolerance)) {
        return Err(Refusal::bad("The tolerance must be from 0.000001 mm to 1000 m."));
    }
    if wanted.angle.is_some_and(|angle| !(1e-6..=1e3).contains(&angle)) {
        return Err(Refusal::bad("The tolerance of turns must be from 0.000001° to 1000°."));
    }
    Ok(Frames { from, to })
}

/// Frames at which every thing is asked for, where `keyed` in keys: those that are made few begin with one at each frame.
fn rows(wanted: &Wanted, range: Frames, keyed: bool) -> f64 {
    let step = if keyed && wanted.tolerance.is_some() { wanted.step.min(1.0) } else { wanted.step };
    ((range.to - range.from) / step).floor() + 1.0
}

/// The Outputs that are wanted, as far as they can be handed off at once.
fn hand_off<'a>(
    session: &'a Session,
    compiled: &'a Compiled,
    wanted: &Wanted,
    (range, keyed): (Frames, bool),
) -> Result<HandOff<'a>, Refusal> {
    let found = HandOff::of(session, compiled, |id| wanted.node.as_ref().is_none_or(|node| node == id));
    if found.outputs().is_empty() {
        let none =
            || "There is no working Output to hand off: add an Output node and thread a motion to it.".to_owned();
        return Err(Refusal::bad(found.broken().first().map_or_else(none, |(_, why)| why.clone())));
    }
    let poses = found.things() as f64 * rows(wanted, range, keyed);
    if poses > MOST_POSES {
        return Err(Refusal::bad(format!(
            "{:.0} million poses are more than one hand-off can take here: choose fewer frames or a larger step, or use the command line.",
            poses / 1e6
        )));
    }
    Ok(found)
}

impl Wanted {
    fn file_form(&self) -> Result<FileForm, Refusal> {
        FileForm::of_word(self.form.as_deref().unwrap_or("csv"))
            .ok_or_else(|| Refusal::bad("The form must be csv, contacts, glb, usda, usdz or bvh."))
    }

    fn keying(&self) -> Keying {
        Keying::asked(self.step, self.tolerance, self.angle)
    }
}

fn refused(error: HandOffError) -> Refusal {
    match error {
        HandOffError::Table(CsvError::Io(error))
        | HandOffError::Model(GlbError::Io(error))
        | HandOffError::Stage(UsdError::Io(error))
        | HandOffError::Bones(UnwrittenBvh::Io(error))
        | HandOffError::Unwritten(error) => unwritten(error),
        other => Refusal::bad(other.to_string()),
    }
}

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
        let range = range(&wanted, &session.scene)?;
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
        let hand_off = hand_off(&session, &compiled, &wanted, (range, true))?;
        let (_, motion) = &hand_off.outputs()[0];
        let first = session.scene.first_frame as f64;
        let object = wanted.object.unwrap_or(0).min(motion.len().saturating_sub(1));
        let (mut tally, mut drawn) = (Tally::default(), None);
        let form = wanted.file_form()?;
        let made = hand_off.keys((0, form), (range, wanted.keying()), cancel, |keys| {
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

/// The file itself.
#[utoipa::path(params(("id" = Uuid, Path), Wanted), responses((status = 200, body = Vec<u8>), (status = 422, body = Refusal)))]
#[get("/api/scenes/{id}/handoff/file")]
pub async fn write(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    wanted: web::Query<Wanted>,
) -> Result<HttpResponse, Refusal> {
    let session = open_scene(&shop, *id).await?.session;
    let shelf = shop.shelf.clone();
    let form = wanted.file_form()?;
    let name = session.scene.name.clone();
    let media = match form {
        FileForm::Table | FileForm::Contacts => "text/csv; charset=utf-8",
        FileForm::Model => "model/gltf-binary",
        FileForm::Stage => "model/vnd.usda",
        FileForm::Package => "model/vnd.usdz+zip",
        FileForm::Joints => "text/plain; charset=utf-8",
    };
    let is_table = matches!(form, FileForm::Table | FileForm::Contacts | FileForm::Joints);
    let name = if form == FileForm::Contacts { format!("{name} contacts") } else { name };
    let written = shop.work(*id, move |cancel| {
        let range = range(&wanted, &session.scene)?;
        let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
        let hand_off = hand_off(&session, &compiled, &wanted, (range, !is_table))?;
        let keys = (range, wanted.keying());
        Spooled::of(|out| {
            let made = match form {
                FileForm::Contacts => hand_off.write_contacts(range, out, cancel),
                FileForm::Table => hand_off.write_csv(range, wanted.step, out, cancel),
                FileForm::Model => hand_off.write_glb(keys, aside()?, out, cancel).map(drop),
                FileForm::Stage => hand_off.write_usda(keys, out, cancel).map(drop),
                FileForm::Joints => {
                    let one = hand_off.one_with_joints(range, cancel);
                    let object = wanted.object.unwrap_or(0);
                    one.and_then(|output| hand_off.write_bvh((output, object), (range, wanted.step), out, cancel))
                }
                FileForm::Package => hand_off.write_usdz(keys, aside()?, out, cancel).map(drop),
            };
            made.map_err(refused)
        })
    });
    let body = written.await?.body();
    Ok(HttpResponse::Ok().content_type(media).insert_header(attachment(&name, form.ending())).body(body))
}
