use actix_web::http::StatusCode;
use actix_web::{HttpResponse, ResponseError};
use serde::Serialize;
use std::fmt;
use utoipa::ToSchema;

/// Why something was not done: a sentence for the user.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct Refusal {
    #[serde(skip)]
    #[schema(ignore)]
    status: u16,
    /// What is wrong and what to do.
    pub message: String,
}

impl Refusal {
    /// With a status of its own.
    pub fn with_status(status: StatusCode, message: impl Into<String>) -> Self {
        Self { status: status.as_u16(), message: message.into() }
    }

    /// What was sent is not right.
    pub fn bad(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::UNPROCESSABLE_ENTITY, message)
    }

    /// Somebody else was there before.
    pub fn conflict(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::CONFLICT, message)
    }

    /// The scene is not there.
    pub fn no_scene() -> Self {
        Self::with_status(StatusCode::NOT_FOUND, "There is no such scene: it may have been deleted.")
    }
}

impl fmt::Display for Refusal {
    fn fmt(&self, out: &mut fmt::Formatter<'_>) -> fmt::Result {
        out.write_str(&self.message)
    }
}

impl ResponseError for Refusal {
    fn status_code(&self) -> StatusCode {
        StatusCode::from_u16(self.status).unwrap_or(StatusCode::INTERNAL_SERVER_ERROR)
    }

    fn error_response(&self) -> HttpResponse {
        HttpResponse::build(self.status_code()).json(self)
    }
}

impl From<sqlx::Error> for Refusal {
    fn from(error: sqlx::Error) -> Self {
        tracing::error!("database: {error}");
        Self::with_status(
            StatusCode::SERVICE_UNAVAILABLE,
            "The database did not take it; nothing was changed. Try again in a moment.",
        )
    }
}
