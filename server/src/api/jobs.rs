use super::Refusal;
use super::body::Json;
use super::scenes::attachment;
use crate::Shop;
use crate::jobs::{Ticket, Unread, Wanted, hand_in, media, workers};
use crate::live::open_scene;
use crate::store::jobs::{self, Ordered, Row};
use crate::trial;
use actix_web::body::SizedStream;
use actix_web::http::header::ContentEncoding;
use actix_web::{HttpResponse, delete, get, post, web};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;
use zickzack_core::keys::FileForm;

/// A file that is ordered.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FileOrder {
    /// What it is to hold.
    wanted: Wanted,
    /// Who orders it: a name that the browser made up for itself.
    browser: Option<String>,
}

/// Who looks.
#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Looks {
    /// The name that the browser made up for itself.
    browser: Option<String>,
}

/// How far a file is.
#[derive(Serialize, ToSchema)]
#[serde(rename_all = "lowercase")]
pub enum FileState {
    Waiting,
    Running,
    Done,
    Failed,
    Stopped,
}

/// A file that was ordered.
#[derive(Serialize, ToSchema)]
pub struct OrderedFile {
    id: Uuid,
    scene: Uuid,
    scene_name: String,
    /// Its name.
    file: String,
    /// Whether this browser ordered it.
    own: bool,
    /// `browser` or `command line`.
    asked_by: &'static str,
    /// ISO 8601.
    asked_at: String,
    state: FileState,
    /// What is done with it now.
    doing: Option<String>,
    /// The machine on which.
    worker: Option<String>,
    /// How far it is, from 0 to 1.
    reached: f64,
    /// How long it has been worked at, seconds.
    seconds: Option<f64>,
    /// How long it will still take, seconds, as far as can be told.
    left: Option<f64>,
    /// Why there is no file.
    failure: Option<String>,
    /// Whether it can be downloaded.
    there: bool,
    bytes: Option<i64>,
    /// First and last frame, as shown.
    frames: [f64; 2],
}

/// Files that were ordered, and whether anybody works at them.
#[derive(Serialize, ToSchema)]
pub struct OrderedFiles {
    /// Those that have not ended first, then the last that were ordered.
    files: Vec<OrderedFile>,
    /// Workers that are there.
    workers: i64,
}

/// The number of a file that was ordered.
#[derive(Serialize, ToSchema)]
pub struct OrderedNow {
    id: Uuid,
}

/// Most that are told of.
const MOST: i64 = 50;
/// What stands for who orders by a command line.
pub const COMMAND_LINE: &str = "command line";
/// How far it must be before what is left can be told, and for how long it must have been worked at, seconds.
const TELLING: (f64, f64) = (0.02, 1.0);

fn digest(browser: Option<&str>) -> String {
    browser.map_or_else(String::new, |name| blake3::hash(name.as_bytes()).to_hex().to_string())
}

fn told(row: Row, browser: &str) -> OrderedFile {
    let own = !browser.is_empty() && row.asked_by == browser;
    let state = match row.state.as_str() {
        "waiting" => FileState::Waiting,
        "running" => FileState::Running,
        "done" => FileState::Done,
        "stopped" => FileState::Stopped,
        _ => FileState::Failed,
    };
    let (part, long) = TELLING;
    let left = row
        .seconds
        .filter(|seconds| {
            row.state == "running" && row.doing.as_deref() == Some("writing") && row.reached >= part && *seconds >= long
        })
        .map(|seconds| seconds * (1.0 - row.reached) / row.reached);
    OrderedFile {
        own,
        asked_by: if row.asked_by == COMMAND_LINE { COMMAND_LINE } else { "browser" },
        asked_at: row.asked_at.to_rfc3339(),
        state,
        left,
        id: row.id,
        scene: row.scene,
        scene_name: row.scene_name,
        file: row.file,
        doing: row.doing,
        worker: row.worker,
        reached: row.reached,
        seconds: row.seconds,
        failure: row.failure,
        there: row.there,
        bytes: row.bytes,
        frames: ["from", "to"].map(|end| row.wanted[end].as_f64().unwrap_or_default()),
    }
}

/// The name of a file of a scene, without its ending.
fn named(scene: &str, form: FileForm) -> String {
    if form == FileForm::Contacts { format!("{scene} contacts") } else { scene.to_owned() }
}

/// Orders a file of the scene as it is now.
#[utoipa::path(operation_id = "order_file", params(("id" = Uuid, Path)), request_body = FileOrder, responses((status = 200, body = OrderedNow), (status = 422, body = Refusal)))]
#[post("/api/scenes/{id}/files")]
pub async fn order(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    order: Json<FileOrder>,
) -> Result<HttpResponse, Refusal> {
    if shop.trials.holds(*id) {
        return Err(Refusal::conflict(trial::HELD));
    }
    let FileOrder { wanted, browser } = order.0;
    let asked_by = digest(browser.as_deref());
    let number = order_file(&shop, *id, (&wanted, &asked_by)).await?;
    Ok(HttpResponse::Ok().json(OrderedNow { id: number }))
}

/// Orders a file of a scene as it is now, and gives its number.
///
/// # Errors
/// Where there is no such scene, what is wanted is not right, or the database does not take it.
pub async fn order_file(shop: &Shop, scene: Uuid, (wanted, asked_by): (&Wanted, &str)) -> Result<Uuid, Refusal> {
    let session = open_scene(shop, scene).await?.session;
    // What is not right is told to who orders, and not later.
    let form = wanted.order(&session.scene)?.form;
    let file = format!("{}.{}", named(&session.scene.name, form), form.ending());
    let written = |error: serde_json::Error| Refusal::bad(error.to_string());
    // Apart from what others wait for: a document may be large.
    let document = session.scene.clone();
    let document = tokio::task::spawn_blocking(move || serde_json::to_string(&*document)).await;
    let document = document.map_err(|_| Refusal::broken())?.map_err(written)?;
    let ticket = Ticket { job: Uuid::new_v4(), ticket: Uuid::new_v4() };
    let ordered = Ordered {
        id: ticket.job,
        ticket: ticket.ticket,
        scene,
        scene_name: &session.scene.name,
        document: &document,
        file: &file,
        asked_by,
        wanted: &serde_json::to_value(wanted).map_err(written)?,
    };
    jobs::order(&shop.pool, &ordered).await?;
    if let Err(refusal) = hand_in(&shop.pool, ticket).await {
        // Who was refused does not expect it to come later all the same.
        if let Err(why) = jobs::forget(&shop.pool, ticket.job).await {
            tracing::warn!("an order that was refused stays: {why}");
        }
        return Err(refusal);
    }
    Ok(ticket.job)
}

/// Files that were ordered.
#[utoipa::path(operation_id = "files", params(Looks), responses((status = 200, body = OrderedFiles)))]
#[get("/api/files")]
pub async fn list(shop: web::Data<Shop>, looks: web::Query<Looks>) -> Result<HttpResponse, Refusal> {
    let browser = digest(looks.browser.as_deref());
    let files = jobs::list(&shop.pool, MOST).await?.into_iter().map(|row| told(row, &browser)).collect();
    Ok(HttpResponse::Ok().json(OrderedFiles { files, workers: workers(&shop.pool).await? }))
}

/// What is told of a file: what it holds and leaves out, and what is off by how much.
#[utoipa::path(operation_id = "file_report", params(("id" = Uuid, Path)), responses((status = 200, body = zickzack_session::Report), (status = 404, body = Refusal)))]
#[get("/api/files/{id}/report")]
pub async fn report(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    let report = jobs::report(&shop.pool, *id).await?.ok_or_else(|| Refusal::missing("There is no report yet."))?;
    Ok(HttpResponse::Ok().json(report))
}

/// The file itself.
#[utoipa::path(operation_id = "file_content", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<u8>), (status = 404, body = Refusal)))]
#[get("/api/files/{id}/content")]
pub async fn content(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    let found = jobs::result(&shop.pool, *id).await?.ok_or_else(no_order)?;
    let key = found.result.ok_or_else(|| match found.state.as_str() {
        "done" => Refusal::missing("The file was thrown away to make room for others: order it again."),
        _ => Refusal::missing("The file is not there yet."),
    })?;
    let (bytes, stream) = shop.results.get(&key).await.map_err(|why| match why {
        Unread::Gone => Refusal::missing(why.to_string()),
        Unread::Trouble(_) => Refusal::full(why.to_string()),
    })?;
    let form = found.wanted["form"].as_str().and_then(FileForm::of_word).unwrap_or(FileForm::Table);
    let (name, _) = found.file.rsplit_once('.').unwrap_or((&found.file, ""));
    // Large ones are not pressed while others wait for these threads, and who saves one sees how much there is.
    let body = SizedStream::new(bytes, Box::pin(stream));
    Ok(HttpResponse::Ok()
        .content_type(media(form))
        .insert_header(attachment(name, form.ending()))
        .insert_header(ContentEncoding::Identity)
        .body(body))
}

/// It is not wanted any more.
#[utoipa::path(operation_id = "stop_file", params(("id" = Uuid, Path)), responses((status = 204), (status = 409, body = Refusal)))]
#[post("/api/files/{id}/stop")]
pub async fn stop(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    if jobs::stop(&shop.pool, *id).await? {
        return Ok(HttpResponse::NoContent().finish());
    }
    jobs::find(&shop.pool, *id).await?.ok_or_else(no_order)?;
    Err(Refusal::conflict("It has ended already."))
}

/// What failed or was stopped is wanted again, of the scene as it was then.
#[utoipa::path(operation_id = "order_again", params(("id" = Uuid, Path)), responses((status = 204), (status = 409, body = Refusal)))]
#[post("/api/files/{id}/again")]
pub async fn again(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    order_again(&shop, *id).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Orders again what failed or was stopped.
///
/// # Errors
/// Where there is no such order, it is no such, or the database does not take it.
pub async fn order_again(shop: &Shop, id: Uuid) -> Result<(), Refusal> {
    let ticket = Ticket { job: id, ticket: Uuid::new_v4() };
    if jobs::again(&shop.pool, id, ticket.ticket).await? {
        return hand_in(&shop.pool, ticket).await;
    }
    jobs::find(&shop.pool, id).await?.ok_or_else(no_order)?;
    Err(Refusal::conflict("It has not failed, and was not stopped."))
}

/// It is forgotten, and its file thrown away.
#[utoipa::path(operation_id = "forget_file", params(("id" = Uuid, Path)), responses((status = 204), (status = 404, body = Refusal)))]
#[delete("/api/files/{id}")]
pub async fn forget(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    took_off(&shop, *id).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Takes an order off the list, and throws its file away.
///
/// # Errors
/// Where there is no such order, or the database does not answer.
pub async fn took_off(shop: &Shop, id: Uuid) -> Result<(), Refusal> {
    if let Some(key) = jobs::forget(&shop.pool, id).await?.ok_or_else(no_order)? {
        shop.results.remove(&key).await;
    }
    Ok(())
}

fn no_order() -> Refusal {
    Refusal::missing("There is no such order: it may have been taken off the list.")
}
