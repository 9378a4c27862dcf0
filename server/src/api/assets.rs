use super::Refusal;
use crate::Shop;
use crate::store::assets;
use actix_web::{HttpRequest, HttpResponse, post, web};
use serde::Serialize;
use utoipa::ToSchema;
use zickzack_formats::svg;

/// A file that was kept.
#[derive(Serialize, ToSchema)]
pub struct Kept {
    /// BLAKE3 of its bytes.
    hash: String,
    media: String,
    /// Ids of the shapes in it, in order.
    shapes: Vec<String>,
}

/// Keeps an SVG file, after a look whether paths can be read from it.
#[utoipa::path(request_body = String, responses((status = 200, body = Kept), (status = 422, body = Refusal)))]
#[post("/api/assets")]
pub async fn keep(shop: web::Data<Shop>, request: HttpRequest, body: web::Bytes) -> Result<HttpResponse, Refusal> {
    let media = request.headers().get("content-type").and_then(|value| value.to_str().ok()).unwrap_or("");
    if !media.starts_with("image/svg+xml") {
        return Err(Refusal::bad("Only SVG files can be brought in as paths."));
    }
    let text = std::str::from_utf8(&body).map_err(|_| Refusal::bad("This is not an SVG file: it is not text."))?;
    let owned = text.to_owned();
    let read = web::block(move || svg::read(&owned)).await.map_err(|_| Refusal::bad("The file could not be read."))?;
    let outlines = read.map_err(|error| Refusal::bad(format!("This file cannot be used: {error}.")))?;
    let mut shapes: Vec<String> = outlines.into_iter().map(|outline| outline.id).filter(|id| !id.is_empty()).collect();
    shapes.dedup();
    let hash = assets::keep(&shop.pool, "image/svg+xml", text).await?;
    Ok(HttpResponse::Ok().json(Kept { hash, media: "image/svg+xml".to_owned(), shapes }))
}
