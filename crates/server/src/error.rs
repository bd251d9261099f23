//! One error for the whole server, and the one mapping from it to HTTP.

use crate::sql_errors;
use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError};
use serde::Serialize;
use thiserror::Error;
use utoipa::ToSchema;

/// Why a request was not fulfilled.
#[derive(Debug, Error)]
pub enum ServerError {
    /// No such thing.
    #[error("there is no {0} with this id")]
    NotFound(&'static str),
    /// The request makes no sense; the sentence says why.
    #[error("{0}")]
    Invalid(String),
    /// Two things at once; the sentence says which.
    #[error("{0}")]
    Conflict(String),
    /// No room on the disk.
    #[error("the disk is full: {0}")]
    DiskFull(String),
    /// No room on the database's disk.
    #[error("the disk of the database is full; nothing was changed. Make room, then try again")]
    DatabaseFull(String),
    /// The database cannot be reached, or has to be asked again.
    #[error("the database cannot be reached at the moment; nothing was changed, try again shortly")]
    Database(#[source] sqlx::Error),
    /// The store failed.
    #[error("the store of recordings failed: {0}")]
    Store(#[from] std::io::Error),
    /// A recording could not be read.
    #[error("{0}")]
    Read(#[from] marea_core::signal::ReadError),
    /// Our own mistake.
    #[error("something went wrong inside: {0}")]
    Internal(String),
}

impl From<marea_session::accept::AcceptError> for ServerError {
    fn from(e: marea_session::accept::AcceptError) -> Self {
        match e {
            marea_session::accept::AcceptError::Nothing => Self::Invalid(e.to_string()),
            other => Self::Conflict(other.to_string()),
        }
    }
}

impl From<sqlx::Error> for ServerError {
    fn from(e: sqlx::Error) -> Self {
        match e {
            sqlx::Error::RowNotFound => Self::NotFound("row"),
            other if sql_errors::is_full(&other) => {
                sql_errors::note_full();
                Self::DatabaseFull(other.to_string())
            }
            away if sql_errors::is_away(&away) => Self::Database(away),
            refused => {
                tracing::error!(cause = %refused, "the database refused a statement");
                Self::Internal("the database refused what was asked of it; the log says why".into())
            }
        }
    }
}

impl From<serde_json::Error> for ServerError {
    fn from(e: serde_json::Error) -> Self {
        Self::Internal(e.to_string())
    }
}

impl From<actix_web::error::BlockingError> for ServerError {
    fn from(e: actix_web::error::BlockingError) -> Self {
        Self::Internal(e.to_string())
    }
}

/// What a client gets with every status from 400 on.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ErrorBody {
    /// Stable, for programs.
    pub code: String,
    /// A sentence, for people.
    pub message: String,
}

impl ServerError {
    /// Stable, for programs.
    pub fn code(&self) -> &'static str {
        self.parts().1
    }

    fn parts(&self) -> (StatusCode, &'static str) {
        match self {
            Self::NotFound(_) => (StatusCode::NOT_FOUND, "not_found"),
            Self::Invalid(_) => (StatusCode::UNPROCESSABLE_ENTITY, "invalid"),
            Self::Conflict(_) => (StatusCode::CONFLICT, "conflict"),
            Self::DiskFull(_) => (StatusCode::INSUFFICIENT_STORAGE, "disk_full"),
            Self::DatabaseFull(_) => (StatusCode::INSUFFICIENT_STORAGE, "database_full"),
            Self::Database(_) => (StatusCode::SERVICE_UNAVAILABLE, "database_unreachable"),
            Self::Store(_) | Self::Read(_) => (StatusCode::INTERNAL_SERVER_ERROR, "store"),
            Self::Internal(_) => (StatusCode::INTERNAL_SERVER_ERROR, "internal"),
        }
    }
}

impl ResponseError for ServerError {
    fn status_code(&self) -> StatusCode {
        self.parts().0
    }

    fn error_response(&self) -> HttpResponse {
        let (status, code) = self.parts();
        if status.is_server_error() {
            tracing::error!(cause = ?self, "request failed");
        }
        HttpResponse::build(status).json(ErrorBody { code: code.into(), message: sentence(&self.to_string()) })
    }
}

/// With a capital first letter.
pub fn sentence(text: &str) -> String {
    let mut letters = text.chars();
    letters.next().map_or_else(String::new, |c| c.to_uppercase().collect::<String>() + letters.as_str())
}
