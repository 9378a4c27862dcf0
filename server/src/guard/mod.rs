//! Who may ask, and what a page may do.

use crate::Shop;
use actix_web::body::MessageBody;
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::Method;
use actix_web::http::header::{self, HeaderMap, HeaderName, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, HttpMessage, HttpRequest, HttpResponse, web};
use serde_json::json;

#[derive(Clone)]
struct Nonce(String);

/// The nonce of this answer, for the styles that the page makes.
pub fn nonce(request: &HttpRequest) -> String {
    request.extensions().get::<Nonce>().map_or_else(String::new, |nonce| nonce.0.clone())
}

/// Refuses requests under a foreign name or from a foreign page, and puts security headers on answers.
pub async fn check(
    request: ServiceRequest,
    next: Next<impl MessageBody + 'static>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let nonce = uuid::Uuid::new_v4().simple().to_string();
    request.extensions_mut().insert(Nonce(nonce.clone()));
    let refusal = request.app_data::<web::Data<Shop>>().and_then(|shop| refusal(&shop.hosts, &request));
    let mut response = match refusal {
        Some(why) => {
            request.into_response(HttpResponse::Forbidden().json(json!({ "message": why }))).map_into_right_body()
        }
        None => next.call(request).await?.map_into_left_body(),
    };
    harden(response.headers_mut(), &nonce);
    Ok(response)
}

fn refusal(hosts: &[String], request: &ServiceRequest) -> Option<&'static str> {
    let text = |name: HeaderName| request.headers().get(name).and_then(|value| value.to_str().ok());
    let known = |name: &str| hosts.iter().any(|host| host == name);
    if !text(header::HOST).is_some_and(known) {
        return Some("This server does not answer to that name: open it under the address it printed.");
    }
    let origin = request.headers().get(header::ORIGIN);
    let own = origin.is_none_or(|origin| {
        origin.to_str().ok().and_then(|origin| origin.split_once("://")).is_some_and(|(_, host)| known(host))
    });
    let reads = matches!(*request.method(), Method::GET | Method::HEAD);
    let live = request.headers().contains_key(header::UPGRADE);
    if !own && (!reads || live) {
        return Some("Another page may not change anything here.");
    }
    // A live connection without an origin comes from no page at all; browsers always send one.
    None
}

fn harden(headers: &mut HeaderMap, nonce: &str) {
    let policy = format!(
        "default-src 'self'; script-src 'self'; style-src 'self' 'nonce-{nonce}'; img-src 'self' data: blob:; \
         connect-src 'self' blob:; font-src 'self'; object-src 'none'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'"
    );
    let mut set = |name: HeaderName, value: &str| {
        if let Ok(value) = HeaderValue::from_str(value) {
            headers.insert(name, value);
        }
    };
    set(header::CONTENT_SECURITY_POLICY, &policy);
    set(header::X_CONTENT_TYPE_OPTIONS, "nosniff");
    set(header::REFERRER_POLICY, "no-referrer");
    set(header::X_FRAME_OPTIONS, "DENY");
    set(HeaderName::from_static("cross-origin-opener-policy"), "same-origin");
    set(HeaderName::from_static("cross-origin-resource-policy"), "same-origin");
}
