//! HTTP: scenes, assets, hand-off, and the description of all of it.

mod assets;
mod bake;
mod edits;
mod handoff;
mod nodes;
mod rate;
mod refusal;
mod scenes;
mod starters;
pub mod versions;

pub use refusal::Refusal;
pub use scenes::{load_demo, store_scene};

use crate::live::{FromPage, NodeStatus, ToPage, TraceHeader};
use actix_web::error::JsonPayloadError;
use actix_web::http::StatusCode;
use actix_web::{HttpRequest, HttpResponse, ResponseError, web};
use futures_util::StreamExt;
use serde::de::DeserializeOwned;
use std::time::Duration;
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
        .service(handoff::write);
}

/// How long a body may be silent.
const SILENCE: Duration = Duration::from_secs(30);
/// How many times as much as may be kept is heard before a body is broken off.
const HEARD_OUT: usize = 8;

/// A large JSON body, read apart from what others wait for.
async fn large<T: DeserializeOwned + Send + 'static>(mut body: web::Payload) -> Result<T, Refusal> {
    let (mut bytes, mut came) = (web::BytesMut::new(), 0);
    loop {
        let slow = |_| Refusal::with_status(StatusCode::REQUEST_TIMEOUT, "That came too slowly: send it again.");
        let Some(part) = tokio::time::timeout(SILENCE, body.next()).await.map_err(slow)? else { break };
        let part = part.map_err(|error| Refusal::bad(format!("That could not be read: {error}.")))?;
        came += part.len();
        if came <= crate::LARGEST_BODY {
            bytes.extend_from_slice(&part);
        } else {
            // Who still sends hears no answer: the rest is let pass, if there is not very much of it.
            bytes = web::BytesMut::new();
            if came > HEARD_OUT * crate::LARGEST_BODY {
                break;
            }
        }
    }
    if came > crate::LARGEST_BODY {
        return Err(too_large());
    }
    let read = web::block(move || serde_json::from_slice(&bytes)).await;
    let read = read.map_err(|_| Refusal::bad("That could not be read."))?;
    read.map_err(|error| Refusal::bad(format!("That could not be read: {error}.")))
}

fn too_large() -> Refusal {
    let message = format!("That is larger than {} MB: make it smaller.", crate::LARGEST_BODY >> 20);
    Refusal::with_status(StatusCode::PAYLOAD_TOO_LARGE, message)
}

/// What is said of a JSON body that cannot be read.
pub fn json_limits() -> web::JsonConfig {
    web::JsonConfig::default().limit(crate::LARGEST_BODY).error_handler(|error, _: &HttpRequest| {
        match &error {
            JsonPayloadError::Overflow { .. } | JsonPayloadError::OverflowKnownLength { .. } => too_large(),
            other => Refusal::with_status(error.status_code(), format!("That could not be read: {other}.")),
        }
        .into()
    })
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
        handoff::write,
    ),
    components(schemas(FromPage, ToPage, NodeStatus, TraceHeader))
)]
struct Description;

/// The OpenAPI document.
pub fn openapi() -> String {
    Description::openapi().to_pretty_json().unwrap_or_else(|error| format!("{{\"error\": \"{error}\"}}"))
}

async fn description() -> HttpResponse {
    HttpResponse::Ok().content_type("application/json").body(openapi())
}
