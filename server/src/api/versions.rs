use super::Refusal;
use super::body::Json;
use crate::Shop;
use crate::live::{files_of, open_scene};
use crate::recorder::FromShelf;
use crate::store::versions;
use actix_web::{HttpResponse, delete, get, patch, post, web};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::ToSchema;
use uuid::Uuid;
use zickzack_core::graph::{Compiled, Memo};
use zickzack_core::motion::{Cancel, Frames, MotionError, largest_distance, prepared};
use zickzack_core::scene::{Difference, Op, Scene, differences, edit_between};
use zickzack_core::work::OF_A_PICTURE;
use zickzack_session::Session;

/// A state of a scene that was kept under a name.
#[derive(Serialize, ToSchema)]
pub struct Version {
    id: Uuid,
    name: String,
    /// Edits that had led to it.
    revision: i64,
    /// ISO 8601.
    made_at: String,
}

impl From<versions::Row> for Version {
    fn from(row: versions::Row) -> Self {
        Self { id: row.id, name: row.name, revision: row.revision, made_at: row.made_at.to_rfc3339() }
    }
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct VersionName {
    name: String,
}

impl VersionName {
    fn checked(&self) -> Result<&str, Refusal> {
        let name = self.name.trim();
        let plain = !name.is_empty() && name.chars().count() <= 200 && !name.chars().any(char::is_control);
        plain.then_some(name).ok_or_else(|| Refusal::bad("A version needs a name of 1 to 200 plain characters."))
    }
}

/// How far an output is from what it was.
#[derive(Serialize, ToSchema)]
pub struct OutputApart {
    node: String,
    name: String,
    /// Largest distance between the two motions, metres.
    distance: f64,
    /// Which thing, from 0.
    object: usize,
    /// Real-valued frame.
    frame: f64,
    /// Things in the version and now.
    things: (usize, usize),
}

/// What differs between a version and the scene as it is.
#[derive(Serialize, ToSchema)]
pub struct Comparison {
    /// First the version's state, then the scene's.
    differences: Vec<Difference>,
    /// The edit that goes back to the version.
    back: Vec<Op>,
    /// Outputs that are in both.
    outputs: Vec<OutputApart>,
}

/// All versions of a scene, the newest first.
#[utoipa::path(operation_id = "versions", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<Version>)))]
#[get("/api/scenes/{id}/versions")]
pub async fn list(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<web::Json<Vec<Version>>, Refusal> {
    let rows = versions::list(&shop.pool, *id).await?;
    Ok(web::Json(rows.into_iter().map(Version::from).collect()))
}

/// Keeps the scene's state under a name.
#[utoipa::path(operation_id = "keep_version", params(("id" = Uuid, Path)), request_body = VersionName, responses((status = 200, body = Version), (status = 404, body = Refusal), (status = 422, body = Refusal)))]
#[post("/api/scenes/{id}/versions")]
pub async fn keep(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    body: Json<VersionName>,
) -> Result<web::Json<Version>, Refusal> {
    let name = body.0.checked()?;
    let state = open_scene(&shop, *id).await?;
    let document = serde_json::to_value(&*state.session.scene).map_err(|error| Refusal::bad(error.to_string()))?;
    let row = versions::insert(&shop.pool, *id, name, state.revision, &document).await?;
    Ok(web::Json(row.into()))
}

fn done(found: bool) -> Result<HttpResponse, Refusal> {
    if found { Ok(HttpResponse::NoContent().finish()) } else { Err(Refusal::no_version()) }
}

/// Gives a version another name.
#[utoipa::path(operation_id = "rename_version", params(("id" = Uuid, Path), ("version" = Uuid, Path)), request_body = VersionName, responses((status = 204), (status = 404, body = Refusal)))]
#[patch("/api/scenes/{id}/versions/{version}")]
pub async fn rename(
    shop: web::Data<Shop>,
    path: web::Path<(Uuid, Uuid)>,
    body: Json<VersionName>,
) -> Result<HttpResponse, Refusal> {
    done(versions::rename(&shop.pool, path.0, path.1, body.0.checked()?).await?)
}

/// Deletes a version; it can be brought back.
#[utoipa::path(operation_id = "remove_version", params(("id" = Uuid, Path), ("version" = Uuid, Path)), responses((status = 204), (status = 404, body = Refusal)))]
#[delete("/api/scenes/{id}/versions/{version}")]
pub async fn remove(shop: web::Data<Shop>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Refusal> {
    done(versions::set_deleted(&shop.pool, path.0, path.1, true).await?)
}

/// Brings a deleted version back.
#[utoipa::path(operation_id = "restore_version", params(("id" = Uuid, Path), ("version" = Uuid, Path)), responses((status = 204), (status = 404, body = Refusal)))]
#[post("/api/scenes/{id}/versions/{version}/restore")]
pub async fn restore(shop: web::Data<Shop>, path: web::Path<(Uuid, Uuid)>) -> Result<HttpResponse, Refusal> {
    done(versions::set_deleted(&shop.pool, path.0, path.1, false).await?)
}

/// A version as a scene of its own.
pub async fn open(shop: &Shop, scene: Uuid, version: Uuid) -> Result<Session, Refusal> {
    let document = versions::document(&shop.pool, scene, version).await?.ok_or_else(Refusal::no_version)?;
    let scene = Scene::from_value(document, &shop.registry.schemas)
        .map_err(|error| Refusal::bad(format!("This version cannot be opened. {error}")))?;
    let files = Arc::new(files_of(shop, &scene).await?);
    Ok(Session::new(shop.registry.clone(), scene, files))
}

/// What differs between a version and the scene as it is.
#[utoipa::path(operation_id = "compare_version", params(("id" = Uuid, Path), ("version" = Uuid, Path)), responses((status = 200, body = Comparison), (status = 404, body = Refusal)))]
#[get("/api/scenes/{id}/versions/{version}/compare")]
pub async fn compare(shop: web::Data<Shop>, path: web::Path<(Uuid, Uuid)>) -> Result<web::Json<Comparison>, Refusal> {
    let then = open(&shop, path.0, path.1).await?;
    let now = open_scene(&shop, path.0).await?.session;
    let shelf = shop.shelf.clone();
    let compared = shop.work(path.0, move |cancel| {
        let (memo, schemas) = (Memo::default(), &now.registry.schemas);
        let old = then.compile(&memo, &FromShelf(&shelf), cancel);
        let new = now.compile(&memo, &FromShelf(&shelf), cancel);
        let frames = then.scene.frames.min(now.scene.frames);
        let outputs = cancel.within(OF_A_PICTURE, |cancel| outputs_apart(&old, &new, frames, cancel));
        Ok(Comparison {
            differences: differences(&then.scene, &now.scene, schemas),
            back: edit_between(&now.scene, &then.scene, schemas),
            outputs: outputs.map_err(|error| Refusal::bad(error.to_string()))?,
        })
    });
    compared.await.map(web::Json)
}

fn outputs_apart(
    old: &Compiled,
    new: &Compiled,
    frames: u32,
    cancel: &Cancel,
) -> Result<Vec<OutputApart>, MotionError> {
    let range = Frames { from: 0.0, to: f64::from(frames) };
    let mut found = Vec::new();
    for end in new.ends.iter().filter(|end| end.output) {
        let Some(before) = old.ends.iter().find(|other| other.node == end.node) else { continue };
        let (a, b) = (prepared(&before.motion, range, cancel)?, prepared(&end.motion, range, cancel)?);
        if let Some(apart) = largest_distance(&*a, &*b, frames, cancel)? {
            found.push(OutputApart {
                node: end.node.clone(),
                name: end.name.clone(),
                distance: apart.distance,
                object: apart.object,
                frame: apart.frame,
                things: (a.len(), b.len()),
            });
        }
    }
    Ok(found)
}
