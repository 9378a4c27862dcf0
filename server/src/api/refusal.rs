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
    #[serde(skip)]
    #[schema(ignore)]
    passing: bool,
    /// What is wrong and what to do.
    pub message: String,
}

impl Refusal {
    /// With a status of its own.
    pub fn with_status(status: StatusCode, message: impl Into<String>) -> Self {
        Self { status: status.as_u16(), passing: false, message: message.into() }
    }

    /// What was sent is not right.
    pub fn bad(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::UNPROCESSABLE_ENTITY, message)
    }

    /// Somebody else was there before.
    pub fn conflict(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::CONFLICT, message)
    }

    /// The same may succeed later.
    pub fn passing(self) -> Self {
        Self { passing: true, ..self }
    }

    /// True when the same may succeed later: what was sent is not wrong.
    pub const fn is_passing(&self) -> bool {
        self.passing
    }

    /// True when what was asked about is not there.
    pub fn is_missing(&self) -> bool {
        self.status == StatusCode::NOT_FOUND.as_u16()
    }

    /// Something is not there.
    pub fn missing(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::NOT_FOUND, message)
    }

    /// The file is not there.
    pub fn no_file() -> Self {
        Self::missing("There is no such file: bring it in again.")
    }

    /// The version is not there.
    pub fn no_version() -> Self {
        Self::missing("There is no such version: it may have been deleted.")
    }

    /// The scene is not there.
    pub fn no_scene() -> Self {
        Self::missing("There is no such scene: it may have been deleted.")
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

/// SQLSTATE of a disk that is full.
const DISK_FULL: &str = "53100";

impl From<sqlx::Error> for Refusal {
    fn from(error: sqlx::Error) -> Self {
        tracing::error!("database: {error}");
        let code = error.as_database_error().and_then(|error| error.code().map(|code| code.into_owned()));
        let message = match code.as_deref() {
            Some(DISK_FULL) => {
                "The disk of the database is full: make room there. What you change waits in this page until then."
            }
            _ => "The database cannot be reached just now. What you change waits until it is back.",
        };
        Self::with_status(StatusCode::SERVICE_UNAVAILABLE, message).passing()
    }
}
