//! The live connection: edits in; statuses, seam and binary blocks of samples out.

mod blocks;
mod compute;
mod has;
mod keeping;
mod lines;
mod messages;
mod room;
mod session;
mod window;

pub use blocks::PosesHeader;
pub use keeping::Wish;
pub use messages::{FromPage, NodeStatus, ToPage, TraceHeader};
pub use room::{Hub, Room, files_of, open_scene};
pub use session::is_name;

use crate::Shop;
use crate::api::Refusal;
use actix_web::{HttpRequest, HttpResponse, web};
use std::time::Duration;
use uuid::Uuid;

/// Largest message of a page, bytes.
pub const LARGEST_MESSAGE: usize = 4 << 20;

/// How long a room is kept after a page has left, for work that ends meanwhile.
const LEFT: Duration = Duration::from_secs(2);

/// The address of the live connection.
pub fn routes(config: &mut web::ServiceConfig) {
    config.route("/api/scenes/{id}/live", web::get().to(connect));
}

async fn connect(
    shop: web::Data<Shop>,
    id: web::Path<Uuid>,
    request: HttpRequest,
    body: web::Payload,
) -> Result<HttpResponse, Refusal> {
    let room = shop.hub.room(&shop, *id).await?;
    let (response, socket, stream) =
        actix_ws::handle(&request, body).map_err(|error| Refusal::bad(format!("No live connection: {error}.")))?;
    let stream =
        stream.max_frame_size(LARGEST_MESSAGE).aggregate_continuations().max_continuation_size(LARGEST_MESSAGE);
    let shop = shop.into_inner();
    actix_web::rt::spawn(async move {
        session::run(shop.clone(), room, socket, stream).await;
        tokio::time::sleep(LEFT).await;
        shop.hub.tidy();
    });
    Ok(response)
}
