use super::Refusal;
use super::body::Json;
use crate::Shop;
use actix_web::{post, web};
use serde::{Deserialize, Serialize};
use serde_json::Value;
use utoipa::ToSchema;
use zickzack_core::fraction::Fraction;
use zickzack_core::scene::{Keep, Op, Scene, apply, with_rate};

/// A scene as a page shows it, and the frame rate it shall have.
#[derive(Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewRate {
    #[schema(value_type = Scene)]
    document: Value,
    /// An exact fraction, such as `24000/1001`.
    fps: String,
    keep: Keep,
}

/// What to do for it.
#[derive(Serialize, ToSchema)]
pub struct RateEdit {
    ops: Vec<Op>,
}

/// The edit that gives a scene another frame rate and keeps its frames or its seconds.
#[utoipa::path(request_body = NewRate, responses((status = 200, body = RateEdit), (status = 422, body = Refusal)))]
#[post("/api/rate")]
pub async fn change_rate(shop: web::Data<Shop>, body: Json<NewRate>) -> Result<web::Json<RateEdit>, Refusal> {
    let NewRate { document, fps, keep } = body.0;
    let schemas = &shop.registry.schemas;
    let scene = Scene::from_value(document, schemas).map_err(|error| Refusal::bad(error.to_string()))?;
    let fps = Fraction::rate(fps.trim()).map_err(|error| Refusal::bad(format!("The rate: {error}.")))?;
    if !(1.0..=1000.0).contains(&fps.value()) {
        return Err(Refusal::bad(format!("{fps} frames per second: choose from 1 to 1000.")));
    }
    let ops = with_rate(&scene, fps, keep, schemas);
    apply(&scene, &ops, schemas).map_err(|error| Refusal::bad(error.to_string()))?;
    Ok(web::Json(RateEdit { ops }))
}
