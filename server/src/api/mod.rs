//! HTTP: scenes, assets, hand-off, and the description of all of it.

mod assets;
mod bake;
mod body;
mod edits;
mod handoff;
pub mod jobs;
mod nodes;
mod rate;
mod refusal;
mod scenes;
mod starters;
pub mod versions;

pub use refusal::Refusal;
pub use scenes::{load_demo, store_scene};

use crate::live::{FromPage, NodeStatus, PosesHeader, ToPage, TraceHeader};
use actix_web::{HttpResponse, web};
use utoipa::OpenApi;

/// The addresses of the interface's server side.
pub fn routes(config: &mut web::ServiceConfig) {
    config
        .route("/api/openapi.json", web::get().to(description))
        .service(scenes::list)
        .service(scenes::create)
        .service(scenes::bring_in)
        .service(scenes::duplicate)
        .service(scenes::rename)
        .service(scenes::remove)
        .service(scenes::restore)
        .service(scenes::export)
        .service(scenes::miniature)
        .service(edits::keep)
        .service(assets::keep)
        .service(assets::poses)
        .service(assets::as_model)
        .service(assets::read)
        .service(rate::change_rate)
        .service(starters::list)
        .service(starters::begin)
        .service(versions::list)
        .service(versions::keep)
        .service(versions::rename)
        .service(versions::remove)
        .service(versions::restore)
        .service(versions::compare)
        .service(nodes::list)
        .service(bake::bake)
        .service(bake::pose)
        .service(handoff::look)
        .service(jobs::order)
        .service(jobs::list)
        .service(jobs::report)
        .service(jobs::content)
        .service(jobs::stop)
        .service(jobs::again)
        .service(jobs::forget);
}

#[derive(OpenApi)]
#[openapi(
    info(title = "Zickzack", description = "Scenes, assets, hand-off and the messages of the live connection."),
    paths(
        scenes::list,
        scenes::create,
        scenes::bring_in,
        scenes::duplicate,
        scenes::rename,
        scenes::remove,
        scenes::restore,
        scenes::export,
        scenes::miniature,
        edits::keep,
        assets::keep,
        assets::poses,
        assets::as_model,
        assets::read,
        rate::change_rate,
        starters::list,
        starters::begin,
        versions::list,
        versions::keep,
        versions::rename,
        versions::remove,
        versions::restore,
        versions::compare,
        nodes::list,
        bake::bake,
        bake::pose,
        handoff::look,
        jobs::order,
        jobs::list,
        jobs::report,
        jobs::content,
        jobs::stop,
        jobs::again,
        jobs::forget,
        crate::told::alive,
        crate::told::health,
        crate::told::metrics,
    ),
    components(schemas(FromPage, ToPage, NodeStatus, TraceHeader, PosesHeader))
)]
struct Description;

/// The OpenAPI document.
pub fn openapi() -> String {
    Description::openapi().to_pretty_json().unwrap_or_else(|error| format!("{{\"error\": \"{error}\"}}"))
}

async fn description() -> HttpResponse {
    HttpResponse::Ok().content_type("application/json").body(openapi())
}
