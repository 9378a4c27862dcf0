//! The web interface, from the files of its build.

use crate::guard;
use actix_web::http::header::{CACHE_CONTROL, CONTENT_TYPE};
use actix_web::{HttpRequest, HttpResponse};
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../web/dist"]
#[allow_missing = true]
struct Files;

/// A file of the build, or the page itself for every address that is the page's own.
pub async fn page(request: HttpRequest) -> HttpResponse {
    let path = request.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return HttpResponse::NotFound().json(serde_json::json!({ "message": "There is nothing at this address." }));
    }
    match Files::get(path).filter(|_| path != "index.html") {
        Some(file) => {
            let media = mime_guess::from_path(path).first_or_octet_stream();
            // Names of built files carry a hash of what is in them.
            let keep = if path.starts_with("assets/") { "public, max-age=31536000, immutable" } else { "no-cache" };
            HttpResponse::Ok()
                .insert_header((CONTENT_TYPE, media.as_ref()))
                .insert_header((CACHE_CONTROL, keep))
                .body(file.data.into_owned())
        }
        // What looks like a file is one that is not there; all else is an address of the page's own.
        None if path != "index.html"
            && (path.starts_with("assets/") || path.rsplit('/').next().is_some_and(|name| name.contains('.'))) =>
        {
            HttpResponse::NotFound().content_type("text/plain; charset=utf-8").body("There is no such file.")
        }
        None => index(&request),
    }
}

fn index(request: &HttpRequest) -> HttpResponse {
    let Some(file) = Files::get("index.html") else {
        return HttpResponse::ServiceUnavailable()
            .body("The web interface was not built yet: run ./run, or build it with npm run build in web.");
    };
    let nonce = guard::nonce(request);
    let html = String::from_utf8_lossy(&file.data).replace("__NONCE__", &nonce);
    HttpResponse::Ok().content_type("text/html; charset=utf-8").insert_header((CACHE_CONTROL, "no-store")).body(html)
}
