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

/// Only this host: the page needs nothing from elsewhere, and the browser holds it to that. Styles in attributes are
/// what the component library sets on floating parts.
const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self'; \
    font-src 'self' data:; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'";

/// Serves a file of the page; paths of its views get the page itself.
pub async fn page(req: HttpRequest) -> HttpResponse {
    let path = req.path().trim_start_matches('/');
    if path.starts_with("api/") {
        return ServerError::NotFound("route").error_response();
    }
    let (path, file) = match Page::get(path) {
        Some(file) if !path.is_empty() => (path, file),
        _ if path.contains('.') => return HttpResponse::NotFound().finish(),
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
        .insert_header((header::CONTENT_SECURITY_POLICY, POLICY))
        .insert_header((header::X_CONTENT_TYPE_OPTIONS, "nosniff"))
        .body(file.data.into_owned())
}
