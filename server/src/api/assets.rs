use super::Refusal;
use super::body::Whole;
use crate::Shop;
use crate::store::assets;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse, get, post, web};
use serde::Serialize;
use utoipa::ToSchema;
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
            told.push(format!("{} not played", some(facts.clips, "movement")));
        }
        return Ok(("model/gltf-binary", told));
    }
    if media.starts_with("image/") {
        let (media, width, height) = picture::read(bytes).map_err(|error| cannot(error.to_string()))?;
        return Ok((media, vec![format!("{width} × {height} pixels")]));
    }
    Err("Only SVG drawings, binary glTF models and PNG, JPEG or WebP pictures can be brought in.".to_owned())
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
