use super::scenes::{Made, STEPS};
use super::{Refusal, store_scene};
use crate::Shop;
use crate::recorder::FromShelf;
use actix_web::{HttpResponse, get, post, web};
use rust_embed::RustEmbed;
use serde::{Deserialize, Serialize};
use serde_json::Value;
use std::sync::Arc;
use utoipa::ToSchema;
use uuid::Uuid;
use zickzack_core::graph::{LivingMiniature, Memo};
use zickzack_core::scene::{Scene, Space};
use zickzack_formats::files::{Files, take_content};
use zickzack_session::Session;

/// Small working scenes to begin from, as outcomes.
#[derive(RustEmbed)]
#[folder = "starters"]
struct Shelf;

/// What a starter's file says.
#[derive(Deserialize)]
struct Written {
    help: String,
    scene: Value,
}

/// A small working scene to begin from.
#[derive(Serialize, ToSchema)]
pub struct Starter {
    /// Its name in addresses.
    id: String,
    /// The outcome.
    title: String,
    /// One sentence.
    help: String,
    space: Space,
    frames: u32,
    fps: String,
    #[schema(inline)]
    living: LivingMiniature,
}

fn written(id: &str) -> Option<Written> {
    let file = Shelf::get(&format!("{id}.json"))?;
    serde_json::from_slice(&file.data).ok()
}

/// All starters, with their living miniatures.
#[utoipa::path(operation_id = "starters", responses((status = 200, body = Vec<Starter>)))]
#[get("/api/starters")]
pub async fn list(shop: web::Data<Shop>) -> Result<HttpResponse, Refusal> {
    let (registry, shelf) = (shop.registry.clone(), shop.shelf.clone());
    let made = shop.answer(Uuid::nil(), move |cancel| {
        let mut ids: Vec<String> = Shelf::iter().filter_map(|n| n.strip_suffix(".json").map(str::to_owned)).collect();
        // In the order of their numbers.
        ids.sort_by_key(|id| (id.split('-').next().and_then(|number| number.parse::<u32>().ok()), id.clone()));
        ids.into_iter()
            .map(|id| {
                let wrong = |why: String| Refusal::bad(format!("The starter {id} is damaged: {why}"));
                let Written { help, scene } = written(&id).ok_or_else(|| wrong("it cannot be read.".to_owned()))?;
                let mut scene =
                    Scene::from_value(scene, &registry.schemas).map_err(|error| wrong(error.to_string()))?;
                let inside = scene.assets.iter_mut().map(|(name, asset)| Ok((name.clone(), take_content(asset)?)));
                let inside: Vec<_> = inside.collect::<Result<_, String>>().map_err(wrong)?;
                let files = inside.into_iter().filter_map(|(name, content)| Some((name, Ok(content?)))).collect();
                let session = Session::new(registry.clone(), scene, Arc::new(Files::new(files)));
                let compiled = session.compile(&Memo::default(), &FromShelf(&shelf), cancel);
                let living = compiled.living_miniature(STEPS, cancel).map_err(|error| wrong(error.to_string()))?;
                let scene = &session.scene;
                let (title, space, frames, fps) =
                    (scene.name.clone(), scene.space, scene.frames, scene.fps.to_string());
                Ok(Starter { id: id.clone(), title, help, space, frames, fps, living })
            })
            .collect::<Result<Vec<_>, Refusal>>()
    });
    made.await
}

/// A scene of one's own from a starter.
#[utoipa::path(operation_id = "begin_from_starter", params(("id" = String, Path)), responses((status = 200, body = Made), (status = 404, body = Refusal)))]
#[post("/api/starters/{id}")]
pub async fn begin(shop: web::Data<Shop>, id: web::Path<String>) -> Result<web::Json<Made>, Refusal> {
    let missing = || Refusal::missing("There is no such starter: load the Pattern book again.");
    let starter = written(&id).ok_or_else(missing)?;
    let id = store_scene(&shop, starter.scene, None).await?.ok_or_else(missing)?;
    Ok(web::Json(Made { id }))
}
