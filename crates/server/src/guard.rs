//! Only pages of this server may talk to it: Host must name this machine's loopback, Origin must be the same host.
//! (A foreign page could otherwise reach a loopback server through its visitor's browser.)

use crate::error::ErrorBody;
use actix_web::body::{EitherBody, MessageBody};
use actix_web::dev::{ServiceRequest, ServiceResponse};
use actix_web::http::header::{self, HeaderValue};
use actix_web::middleware::Next;
use actix_web::{Error, HttpResponse};

fn is_loopback(host: &str) -> bool {
    let name = if host.starts_with('[') {
        host.split_once(']').map_or(host, |(n, _)| n).trim_start_matches('[')
    } else {
        host.rsplit_once(':').map_or(host, |(n, _)| n)
    };
    matches!(name, "127.0.0.1" | "localhost" | "::1")
}

/// What the page may load and who may show it: nothing but this host. Styles in attributes are what the component library sets
/// on floating parts; the description of the API brings its styles along the same way.
const POLICY: &str = "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data: blob:; connect-src 'self'; \
    font-src 'self' data:; worker-src 'self' blob:; frame-ancestors 'none'; base-uri 'self'; form-action 'self'; object-src 'none'";

/// Middleware that gives every answer, errors included, the headers that keep foreign pages from showing or guessing it.
///
/// # Errors
/// As the inner service says.
pub async fn headers(
    req: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<impl MessageBody>, Error> {
    let mut response = next.call(req).await?;
    let told = response.headers_mut();
    told.insert(header::CONTENT_SECURITY_POLICY, HeaderValue::from_static(POLICY));
    told.insert(header::X_CONTENT_TYPE_OPTIONS, HeaderValue::from_static("nosniff"));
    told.insert(header::X_FRAME_OPTIONS, HeaderValue::from_static("DENY"));
    told.insert(header::REFERRER_POLICY, HeaderValue::from_static("no-referrer"));
    Ok(response)
}

/// Middleware for every route.
///
/// # Errors
/// As the inner service says.
pub async fn same_host(
    req: ServiceRequest,
    next: Next<impl MessageBody>,
) -> Result<ServiceResponse<EitherBody<impl MessageBody>>, Error> {
    let text = |name: header::HeaderName| req.headers().get(name).and_then(|v| v.to_str().ok()).map(str::to_owned);
    let host = text(header::HOST).unwrap_or_default();
    let origin = text(header::ORIGIN);
    let foreign = origin.is_some_and(|o| o.split_once("://").is_none_or(|(_, o)| o != host));
    if !is_loopback(&host) || foreign {
        let body = ErrorBody { code: "foreign".into(), message: "Only pages of this server may ask it.".into() };
        return Ok(req.into_response(HttpResponse::Forbidden().json(body)).map_into_right_body());
    }
    Ok(next.call(req).await?.map_into_left_body())
}
