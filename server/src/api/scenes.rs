use super::Refusal;
use super::body::{Json, Whole};
use crate::Shop;
use crate::live::{Wish, open_scene};
use crate::recorder::FromShelf;
use crate::store::{assets, scenes};
use actix_web::http::header::{Charset, ContentDisposition, DispositionParam, DispositionType, ExtendedValue};
use actix_web::{HttpResponse, delete, get, patch, post, web};
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;
use zickzack_core::graph::{LivingMiniature, Memo};
use zickzack_core::scene::{Op, Scene, Space};
use zickzack_formats::files::{hash, put_content, take_content};
use zickzack_formats::media;

/// A scene in the Pattern book.
#[derive(Serialize, ToSchema)]
pub struct Listed {
    id: Uuid,
    name: String,
    revision: i64,
    frames: u32,
    fps: String,
    space: Space,
    /// ISO 8601.
    changed_at: String,
}

/// Scenes in the Pattern book.
#[derive(Serialize, ToSchema)]
pub struct Book {
    scenes: Vec<Listed>,
    /// What to ask for `after`, where there are more.
    more: Option<String>,
}

/// Which scenes.
#[derive(Deserialize, IntoParams)]
#[serde(deny_unknown_fields)]
pub struct Sought {
    /// Words that their names hold, whatever their case.
    #[serde(default)]
    search: String,
    /// What came with those before, as `more`.
    after: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct Made {
    pub id: Uuid,
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewScene {
    name: String,
    space: Space,
}

/// Largest file that a scene may refer to, bytes.
const LARGEST_FILE: usize = zickzack_formats::bvh::LARGEST;

/// Scenes that are listed at a time, and words that are looked for.
const LISTED: usize = 60;
const MOST_WORDS: usize = 20;

/// Where a list goes on: microseconds and the scene.
fn place(text: &str) -> Option<(DateTime<Utc>, Uuid)> {
    let (micros, id) = text.split_once('.')?;
    Some((DateTime::from_timestamp_micros(micros.parse().ok()?)?, Uuid::parse_str(id).ok()?))
}

/// Scenes, the one changed last first.
#[utoipa::path(params(Sought), responses((status = 200, body = Book), (status = 422, body = Refusal)))]
#[get("/api/scenes")]
pub async fn list(shop: web::Data<Shop>, sought: web::Query<Sought>) -> Result<web::Json<Book>, Refusal> {
    let words: Vec<String> = sought.search.split_whitespace().map(str::to_owned).collect();
    if words.len() > MOST_WORDS || sought.search.contains('\0') {
        return Err(Refusal::bad(format!("Scenes are looked for by at most {MOST_WORDS} words: use fewer.")));
    }
    let after = match &sought.after {
        None => None,
        Some(text) => Some(place(text).ok_or_else(|| {
            Refusal::bad("\"after\" is no place in the list: take what came as \"more\".".to_owned())
        })?),
    };
    let mut rows = scenes::list(&shop.pool, &words, after, LISTED as i64 + 1).await?;
    let more = rows.len() > LISTED;
    rows.truncate(LISTED);
    let last = rows.last().filter(|_| more);
    let more = last.map(|row| format!("{}.{}", row.changed_at.timestamp_micros(), row.id));
    let listed = |row: scenes::Summary| Listed {
        id: row.id,
        name: row.name,
        revision: row.revision,
        frames: row.frames.and_then(|frames| frames.parse().ok()).unwrap_or_default(),
        fps: row.fps.unwrap_or_default(),
        space: if row.space.as_deref() == Some("flat") { Space::Flat } else { Space::Deep },
        changed_at: row.changed_at.to_rfc3339(),
    };
    Ok(web::Json(Book { scenes: rows.into_iter().map(listed).collect(), more }))
}

/// An empty scene.
#[utoipa::path(request_body = NewScene, responses((status = 200, body = Made), (status = 422, body = Refusal)))]
#[post("/api/scenes")]
pub async fn create(shop: web::Data<Shop>, body: Json<NewScene>) -> Result<web::Json<Made>, Refusal> {
    let value =
        serde_json::to_value(Scene::empty(&body.0.name, body.0.space)).map_err(|e| Refusal::bad(e.to_string()))?;
    store_scene(&shop, value, None).await.and_then(made)
}

fn made(id: Option<Uuid>) -> Result<web::Json<Made>, Refusal> {
    id.map(|id| web::Json(Made { id })).ok_or_else(|| Refusal::conflict("That scene is there already."))
}

/// A scene from a file, its files inside it.
#[utoipa::path(request_body = Object, responses((status = 200, body = Made), (status = 422, body = Refusal)))]
#[post("/api/scenes/bring-in")]
pub async fn bring_in(shop: web::Data<Shop>, body: Whole) -> Result<web::Json<Made>, Refusal> {
    let read = web::block(move || {
        let text =
            std::str::from_utf8(&body.0).map_err(|_| Refusal::bad("This is not a scene file: it is not text."))?;
        serde_json::from_str::<Value>(text).map_err(|e| Refusal::bad(format!("This is not a scene file: {e}.")))
    });
    let value = read.await.map_err(|_| Refusal::broken())??;
    store_scene(&shop, value, None).await.and_then(made)
}

/// Checks a scene, keeps the files inside it, and then it. `None` when that demo was loaded before.
pub async fn store_scene(shop: &Shop, value: Value, demo: Option<&str>) -> Result<Option<Uuid>, Refusal> {
    let mut scene =
        Scene::from_value(value, &shop.registry.schemas).map_err(|error| Refusal::bad(error.to_string()))?;
    let mut transaction = shop.pool.begin().await?;
    // In one order for all: two that bring in the same files do not wait for each other.
    let mut files: Vec<_> = scene.assets.iter_mut().collect();
    files.sort_by(|a, b| a.1.hash.cmp(&b.1.hash));
    for (name, asset) in files {
        let content = take_content(asset).map_err(|why| Refusal::bad(format!("The file \"{name}\" {why}.")))?;
        let Some(content) = content else {
            if !assets::is_there(&mut *transaction, &asset.hash).await? {
                return Err(Refusal::bad(format!("The file \"{name}\" is not in the scene file: export it again.")));
            }
            continue;
        };
        if hash(&content) != asset.hash {
            return Err(Refusal::bad(format!("The file \"{name}\" is not the one that the scene was saved with.")));
        }
        if content.len() > LARGEST_FILE {
            let most = LARGEST_FILE >> 20;
            return Err(Refusal::bad(format!("The file \"{name}\" is larger than {most} MB: make it smaller.")));
        }
        // By what it is, and not by what the scene says of it.
        asset.media = media::of(&content).to_owned();
        assets::keep(&mut *transaction, &asset.media, &content).await?;
    }
    let document = serde_json::to_value(&scene).map_err(|error| Refusal::bad(error.to_string()))?;
    let id = scenes::insert(&mut *transaction, &scenes::Listed::from(&scene), &document, demo).await?;
    transaction.commit().await?;
    Ok(id)
}

/// Loads a demo scene, whose files are inside it, unless it was loaded before.
pub async fn load_demo(shop: &Shop, file: &str, value: Value) -> Result<bool, Refusal> {
    Ok(store_scene(shop, value, Some(file)).await?.is_some())
}

/// A copy under another name.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Made), (status = 404, body = Refusal)))]
#[post("/api/scenes/{id}/duplicate")]
pub async fn duplicate(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<web::Json<Made>, Refusal> {
    let mut scene = Scene::clone(&*open_scene(&shop, *id).await?.session.scene);
    scene.name = format!("{} copy", scene.name.chars().take(190).collect::<String>());
    let document = serde_json::to_value(&scene).map_err(|error| Refusal::bad(error.to_string()))?;
    store_scene(&shop, document, None).await.and_then(made)
}

#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewName {
    name: String,
}

/// Gives a scene another name, as an edit that every open page is told of.
#[utoipa::path(params(("id" = Uuid, Path)), request_body = NewName, responses((status = 204), (status = 404, body = Refusal), (status = 422, body = Refusal)))]
#[patch("/api/scenes/{id}")]
pub async fn rename(shop: web::Data<Shop>, id: web::Path<Uuid>, body: Json<NewName>) -> Result<HttpResponse, Refusal> {
    let room = shop.hub.room(&shop, *id).await?;
    let ops = vec![Op::Put { at: vec!["name".to_owned()], value: Value::from(body.0.name.as_str()), before: None }];
    // The Pattern book has no history of its own: each renaming comes from a client that is never back.
    let client = format!("book-{}", Uuid::new_v4());
    room.act(&shop.clone().into_inner(), &client, 1, Wish::Edit { label: "rename the scene".to_owned(), ops }).await?;
    Ok(HttpResponse::NoContent().finish())
}

/// Deletes a scene; it can be brought back.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 204), (status = 404, body = Refusal)))]
#[delete("/api/scenes/{id}")]
pub async fn remove(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    if !scenes::set_deleted(&shop.pool, *id, true).await? {
        return Err(Refusal::no_scene());
    }
    shop.hub.deleted(*id);
    shop.background.give_up(*id);
    Ok(HttpResponse::NoContent().finish())
}

/// Brings a deleted scene back.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 204), (status = 404, body = Refusal)))]
#[post("/api/scenes/{id}/restore")]
pub async fn restore(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    if !scenes::set_deleted(&shop.pool, *id, false).await? {
        return Err(Refusal::no_scene());
    }
    Ok(HttpResponse::NoContent().finish())
}

/// A scene as one file, its files inside it.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = Scene), (status = 404, body = Refusal)))]
#[get("/api/scenes/{id}/file")]
pub async fn export(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    let mut scene = Scene::clone(&*open_scene(&shop, *id).await?.session.scene);
    for asset in scene.assets.values_mut() {
        if let Some(content) = assets::content(&shop.pool, &asset.hash).await? {
            put_content(asset, content);
        }
    }
    let text = serde_json::to_string_pretty(&scene).map_err(|error| Refusal::bad(error.to_string()))?;
    Ok(HttpResponse::Ok().content_type("application/json").insert_header(attachment(&scene.name, "json")).body(text))
}

/// A header that saves a download under the scene's name, with its letters; what reads only plain names has one too.
pub fn attachment(name: &str, ending: &str) -> ContentDisposition {
    let plain: String = name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let plain = plain.split('-').filter(|part| !part.is_empty()).collect::<Vec<_>>().join("-");
    let plain = if plain.is_empty() { "scene" } else { &plain };
    // What separates folders or ends lines is in no name of a file.
    let own: String = name.chars().map(|c| if c.is_control() || "/\\:*?\"<>|".contains(c) { '-' } else { c }).collect();
    let own = own.trim_matches(|c: char| c.is_whitespace() || c == '.');
    let mut parameters = vec![DispositionParam::Filename(format!("{plain}.{ending}"))];
    if !own.is_empty() {
        parameters.push(DispositionParam::FilenameExt(ExtendedValue {
            charset: Charset::Ext("UTF-8".to_owned()),
            language_tag: None,
            value: format!("{own}.{ending}").into_bytes(),
        }));
    }
    ContentDisposition { disposition: DispositionType::Attachment, parameters }
}

/// Steps of the loop in a living miniature.
pub const STEPS: usize = 72;

/// The scene as a small moving picture.
#[utoipa::path(params(("id" = Uuid, Path)), responses((status = 200, body = LivingMiniature), (status = 422, body = Refusal)))]
#[get("/api/scenes/{id}/miniature")]
pub async fn miniature(shop: web::Data<Shop>, id: web::Path<Uuid>) -> Result<HttpResponse, Refusal> {
    let session = open_scene(&shop, *id).await?.session;
    let shelf = shop.shelf.clone();
    let made = shop.answer(*id, move |cancel| {
        session
            .compile(&Memo::default(), &FromShelf(&shelf), cancel)
            .living_miniature(STEPS, cancel)
            .map_err(|error| Refusal::bad(error.to_string()))
    });
    made.await
}
