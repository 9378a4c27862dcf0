//! Bodies of requests: so large at most, never silent for long, and large ones read apart from what others wait for.

use super::Refusal;
use crate::{LARGEST_BODY, Shop};
use actix_web::dev::{Decompress, Payload};
use actix_web::http::StatusCode;
use actix_web::web::{Bytes, BytesMut, Data, block};
use actix_web::{FromRequest, HttpRequest};
use futures_util::StreamExt;
use futures_util::future::LocalBoxFuture;
use serde::de::DeserializeOwned;
use std::time::Duration;

/// How many times as much as may be kept is heard before a body is broken off.
const HEARD_OUT: usize = 8;
/// JSON of so many bytes is read at once.
const SMALL: usize = 1 << 16;

/// A body as JSON.
pub struct Json<T>(pub T);

/// A body as it is, but for its compression.
pub struct Whole(pub Bytes);

impl<T: DeserializeOwned + Send + 'static> FromRequest for Json<T> {
    type Error = Refusal;
    type Future = LocalBoxFuture<'static, Result<Self, Refusal>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let body = whole(request, payload);
        Box::pin(async move { json(body.await?).await.map(Self) })
    }
}

impl FromRequest for Whole {
    type Error = Refusal;
    type Future = LocalBoxFuture<'static, Result<Self, Refusal>>;

    fn from_request(request: &HttpRequest, payload: &mut Payload) -> Self::Future {
        let body = whole(request, payload);
        Box::pin(async move { body.await.map(Self) })
    }
}

/// Reads JSON, where it is large on another thread.
pub async fn json<T: DeserializeOwned + Send + 'static>(bytes: Bytes) -> Result<T, Refusal> {
    let read = if bytes.len() <= SMALL {
        serde_json::from_slice(&bytes)
    } else {
        block(move || serde_json::from_slice(&bytes)).await.map_err(|_| Refusal::broken())?
    };
    read.map_err(|error| Refusal::bad(format!("That could not be read: {error}.")))
}

/// What is limited is what a body becomes, and not what it was compressed to.
fn whole(request: &HttpRequest, payload: &mut Payload) -> LocalBoxFuture<'static, Result<Bytes, Refusal>> {
    let silence = request.app_data::<Data<Shop>>().map_or(Duration::MAX, |shop| shop.limits.body_silence);
    let mut body = Decompress::from_headers(payload.take(), request.headers());
    Box::pin(async move {
        let (mut bytes, mut came) = (BytesMut::new(), 0);
        loop {
            let slow = |_| Refusal::with_status(StatusCode::REQUEST_TIMEOUT, "That came too slowly: send it again.");
            let Some(part) = tokio::time::timeout(silence, body.next()).await.map_err(slow)? else { break };
            let part = part.map_err(|error| Refusal::bad(format!("That could not be read: {error}.")))?;
            came += part.len();
            if came <= LARGEST_BODY {
                bytes.extend_from_slice(&part);
            } else {
                // Who still sends hears no answer: the rest is let pass, if there is not very much of it.
                bytes = BytesMut::new();
                if came > HEARD_OUT * LARGEST_BODY {
                    break;
                }
            }
        }
        if came > LARGEST_BODY { Err(too_large()) } else { Ok(bytes.freeze()) }
    })
}

fn too_large() -> Refusal {
    let message = format!("That is larger than {} MB: make it smaller.", LARGEST_BODY >> 20);
    Refusal::with_status(StatusCode::PAYLOAD_TOO_LARGE, message)
}
