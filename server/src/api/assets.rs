use super::Refusal;
use super::body::Whole;
use crate::Shop;
use crate::store::assets;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use utoipa::{IntoParams, ToSchema};
use zickzack_core::rig::{Cycle, PoseTable, Repertoire};
use zickzack_formats::animated::{self, Hanging};
use zickzack_formats::{media, model, picture, svg};

/// A file that was kept.
#[derive(Serialize, ToSchema)]
pub struct Kept {
    /// BLAKE3 of its bytes.
    hash: String,
    media: String,
    /// What is in it, in words.
    facts: Vec<String>,
}

/// Keeps a drawing, a model or a picture, after a look whether it can be used as what it says it is.
#[utoipa::path(request_body = Vec<u8>, responses((status = 200, body = Kept), (status = 422, body = Refusal)))]
#[post("/api/assets")]
pub async fn keep(shop: web::Data<Shop>, request: HttpRequest, Whole(body): Whole) -> Result<HttpResponse, Refusal> {
    let media = request.headers().get("content-type").and_then(|value| value.to_str().ok()).unwrap_or("").to_owned();
    let bytes = body.clone();
    let looked = web::block(move || look(&media, &bytes)).await;
    let (media, facts) = looked.map_err(|_| Refusal::bad("The file could not be read."))?.map_err(Refusal::bad)?;
    let hash = assets::keep(&shop.pool, media, &body).await?;
    Ok(HttpResponse::Ok().json(Kept { hash, media: media.to_owned(), facts }))
}

/// What a file is and what is in it, or a sentence that says why it cannot be used.
fn look(media: &str, bytes: &[u8]) -> Result<(&'static str, Vec<String>), String> {
    let cannot = |why: String| format!("This file cannot be used: {why}.");
    if media.starts_with("image/svg+xml") {
        let text = std::str::from_utf8(bytes).map_err(|_| "This is not an SVG file: it is not text.".to_owned())?;
        let outlines = svg::read(text).map_err(|error| cannot(error.to_string()))?;
        return Ok((
            "image/svg+xml",
            vec![format!("{} shape{}", outlines.len(), if outlines.len() == 1 { "" } else { "s" })],
        ));
    }
    if media.starts_with("model/") {
        let facts = model::read(bytes).map_err(|error| cannot(error.to_string()))?;
        let some = |count: usize, one: &str| format!("{count} {one}{}", if count == 1 { "" } else { "s" });
        let mut told = vec![format!("{} in {}", some(facts.triangles, "triangle"), some(facts.parts, "part"))];
        if facts.clips > 0 {
            told.push(some(facts.clips, "clip"));
        }
        return Ok((media::of(bytes), told));
    }
    if media.starts_with("image/") {
        let (media, width, height) = picture::read(bytes).map_err(|error| cannot(error.to_string()))?;
        return Ok((media, vec![format!("{width} × {height} pixels")]));
    }
    Err("Only SVG drawings, binary glTF models, BVH files and PNG, JPEG or WebP pictures can be brought in.".to_owned())
}

/// Which clips of a model, and the seconds at the end of each that are blended into its start.
#[derive(Deserialize, IntoParams)]
pub struct Played {
    /// `0:0.2,1:0`: clip 0 with 0.2 s, mixed with clip 1.
    clips: String,
}

/// What stands before the numbers of poses.
#[derive(Serialize, ToSchema)]
pub struct PosesOfClips {
    /// The part of the cycle that each row is of, rising from 0 to 1.
    rows: Vec<f64>,
    /// Mixtures, from the first clip to the last at even distances.
    layers: usize,
    /// Of these, from one clip to the next.
    between: usize,
    /// Bones: those of all skins, then nodes with a mesh that no skin bends.
    bones: usize,
    /// The first bone of each skin.
    skins: Vec<usize>,
    /// The nodes that the last bones are, by their numbers in the file.
    nodes: Vec<usize>,
    /// The least and the largest corner of the model at rest, metres.
    around: [[f64; 3]; 2],
    /// How far what lies half way between two rows is off at most, in sizes of the model.
    error: f64,
}

/// Where clips of a model bring its corners: the length of a header as u32, the header, then little-endian f32: by mixture, by
/// row, by bone three rows of a matrix.
#[utoipa::path(
    params(("hash" = String, Path), Played),
    responses((status = 200, body = PosesOfClips), (status = 404, body = Refusal), (status = 422, body = Refusal))
)]
#[get("/api/assets/{hash}/poses")]
pub async fn poses(
    shop: web::Data<Shop>,
    hash: web::Path<String>,
    played: web::Query<Played>,
) -> Result<HttpResponse, Refusal> {
    let (_, content) = assets::find(&shop.pool, &hash).await?.ok_or_else(Refusal::no_file)?;
    let worked = web::block(move || table(&content, &played.clips)).await;
    let bytes = worked.map_err(|_| Refusal::bad("The file could not be read."))?.map_err(Refusal::bad)?;
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header((header::CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .body(bytes))
}

/// Most clips that are mixed.
const MOST_MIXED: usize = 8;

fn table(content: &[u8], clips: &str) -> Result<Vec<u8>, String> {
    let cannot = |why: String| format!("The clips of this model cannot be shown: {why}.");
    let cycle = |text: &str| {
        let (clip, blend) = text.split_once(':')?;
        let blend: f64 = blend.parse().ok()?;
        Some(Cycle { clip: clip.parse().ok()?, blend: if blend.is_finite() { blend } else { return None } })
    };
    let cycles: Option<Vec<Cycle>> = clips.split(',').take(MOST_MIXED + 1).map(cycle).collect();
    let cycles = cycles.filter(|cycles| cycles.len() <= MOST_MIXED);
    let cycles = cycles.ok_or("Clips are asked for by number and seconds, 0:0.2,1:0, eight at most.")?;
    let (model, hanging) = animated::with_bones(content).map_err(|error| cannot(error.to_string()))?;
    let around = model.0.around().map(|corner| corner.to_array());
    let repertoire = Repertoire::new(Arc::new(model), cycles).map_err(cannot)?;
    let table = PoseTable::of(&repertoire);
    let (mut skins, mut nodes) = (Vec::new(), Vec::new());
    for (index, bone) in hanging.iter().enumerate() {
        match bone {
            Hanging::Skin { joint: 0, .. } => skins.push(index),
            Hanging::Skin { .. } => {}
            Hanging::Node(node) => nodes.push(*node),
        }
    }
    let PoseTable { rows, layers, between, bones, error, .. } = table;
    let header = PosesOfClips { rows, layers, between, bones, skins, nodes, around, error };
    let mut text = serde_json::to_vec(&header).map_err(|error| cannot(error.to_string()))?;
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut bytes = (text.len() as u32).to_le_bytes().to_vec();
    bytes.extend(text);
    bytes.extend(table.numbers.iter().flat_map(|number| number.to_le_bytes()));
    Ok(bytes)
}

/// A model as binary glTF: as it was brought in, or of a BVH file its bones.
#[utoipa::path(
    params(("hash" = String, Path)),
    responses((status = 200, body = Vec<u8>), (status = 404, body = Refusal), (status = 422, body = Refusal))
)]
#[get("/api/assets/{hash}/model")]
pub async fn as_model(shop: web::Data<Shop>, hash: web::Path<String>) -> Result<HttpResponse, Refusal> {
    let (_, content) = assets::find(&shop.pool, &hash).await?.ok_or_else(Refusal::no_file)?;
    let made = web::block(move || match model::as_glb(&content) {
        Ok(glb) if glb.starts_with(b"glTF") => Ok(glb.into_owned()),
        Ok(_) => Err("This file is no model: bring in another.".to_owned()),
        Err(error) => Err(format!("This file cannot be used: {error}.")),
    })
    .await;
    let bytes = made.map_err(|_| Refusal::bad("The file could not be read."))?.map_err(Refusal::bad)?;
    Ok(HttpResponse::Ok()
        .content_type("model/gltf-binary")
        .insert_header((header::CACHE_CONTROL, "private, max-age=31536000, immutable"))
        .insert_header((header::CONTENT_DISPOSITION, "attachment"))
        .body(bytes))
}

/// A file as it was brought in.
#[utoipa::path(params(("hash" = String, Path)), responses((status = 200, body = Vec<u8>), (status = 404, body = Refusal)))]
#[get("/api/assets/{hash}")]
pub async fn read(shop: web::Data<Shop>, hash: web::Path<String>) -> Result<HttpResponse, Refusal> {
    let (media, content) = assets::find(&shop.pool, &hash).await?.ok_or_else(Refusal::no_file)?;
    Ok(HttpResponse::Ok()
        .content_type(media::known(&media))
        // Its address is the hash of what it says.
        .insert_header((header::CACHE_CONTROL, "private, max-age=31536000, immutable"))
        // A drawing that is opened by itself runs nothing.
        .insert_header((header::CONTENT_DISPOSITION, "attachment"))
        .body(content))
}
