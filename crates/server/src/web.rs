//! The page, shipped inside the binary.

use crate::error::ServerError;
use actix_web::ResponseError;
use actix_web::http::header;
use actix_web::{HttpRequest, HttpResponse};
use rust_embed::Embed;

#[derive(Embed)]
#[folder = "../../web/dist"]
#[allow_missing = true]
struct Page;

/// Views of a session; `router.ts` has the same.
pub const VIEWS: [&str; 19] = [
    "recordings",
    "check",
    "align",
    "stereo",
    "latency",
    "prints",
    "rendered",
    "clocks",
    "tempo",
    "timing",
    "layer",
    "takes",
    "doubles",
    "pitch",
    "wide",
    "comp",
    "passages",
    "noises",
    "deliver",
];

/// Is this an address that the page itself knows?
fn is_view(path: &str) -> bool {
    match path.split('/').collect::<Vec<_>>().as_slice() {
        [""] => true,
        ["sessions", id] | ["sessions", id, ""] => id.parse::<uuid::Uuid>().is_ok(),
        ["sessions", id, view] => id.parse::<uuid::Uuid>().is_ok() && VIEWS.contains(view),
        _ => false,
    }
}

/// Serves a file of the page; paths of its views get the page itself.
pub async fn page(req: HttpRequest) -> HttpResponse {
    let path = req.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return ServerError::NotFound("route").error_response();
    }
    let (path, file) = match Page::get(path) {
        Some(file) if !path.is_empty() => (path, file),
        _ if !is_view(path) => return nowhere(&req),
        _ => match Page::get("index.html") {
            Some(file) => ("index.html", file),
            None => return HttpResponse::NotFound().body("The page was not built; `make demo` builds it."),
        },
    };
    let lasting = path.starts_with("assets/");
    HttpResponse::Ok()
        .content_type(mime_guess::from_path(path).first_or_octet_stream().as_ref())
        .insert_header((
            header::CACHE_CONTROL,
            if lasting { "public, max-age=31536000, immutable" } else { "no-cache" },
        ))
        .body(file.data.into_owned())
}

/// A person gets the page, which says that nothing is there; everything else gets the sentence. Both with 404.
fn nowhere(req: &HttpRequest) -> HttpResponse {
    let person =
        req.headers().get(header::ACCEPT).and_then(|a| a.to_str().ok()).is_some_and(|a| a.contains("text/html"));
    match Page::get("index.html").filter(|_| person) {
        Some(page) => HttpResponse::NotFound().content_type("text/html; charset=utf-8").body(page.data.into_owned()),
        None => ServerError::NotFound("page").error_response(),
    }
}
