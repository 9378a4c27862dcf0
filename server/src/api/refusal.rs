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

    /// True where it is by no fault of what was sent that this was not done, and the same may be done later.
    /// What follows waits for it then.
    pub fn waits(&self) -> bool {
        // An edit of a scene that was deleted waits too: the scene may be brought back.
        self.is_passing() || self.is_missing()
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

    /// There is no room for it now; the same may be done later.
    pub fn full(message: impl Into<String>) -> Self {
        Self::with_status(StatusCode::SERVICE_UNAVAILABLE, message).passing()
    }

    /// The server is about to be gone.
    pub fn stopping() -> Self {
        Self::full("The server is being stopped: ask again when it is back.")
    }

    /// The server has a fault.
    pub fn broken() -> Self {
        let message = "The server failed at it; nothing was changed. What was in its way is in its log.";
        Self::with_status(StatusCode::INTERNAL_SERVER_ERROR, message)
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
/// SQLSTATE of what is there already.
const DOUBLE: &str = "23505";
/// Classes of SQLSTATE that pass: connections, transactions that were in each other's way, a database that lets nobody in
/// or is not there, resources, an administrator, the machine, trouble within the database.
const PASSING: [&str; 10] = ["08", "25", "28", "3D", "40", "53", "55", "57", "58", "XX"];

impl From<sqlx::Error> for Refusal {
    fn from(error: sqlx::Error) -> Self {
        tracing::error!("database: {error}");
        let Some(code) = error.as_database_error().map(|error| error.code().unwrap_or_default().into_owned()) else {
            return Self::from_driver(&error);
        };
        let passing = |message: &str| Self::with_status(StatusCode::SERVICE_UNAVAILABLE, message).passing();
        match code.as_str() {
            DISK_FULL => passing(
                "The disk of the database is full: make room there. What you change waits in this page until then.",
            ),
            // What was kept by another way at the same time is found when it is asked again.
            DOUBLE => passing(AWAY),
            code if PASSING.iter().any(|class| code.starts_with(class)) => passing(AWAY),
            code if code.starts_with("22") => Self::bad(format!(
                "The database cannot keep this text or number (its error {code}): take out characters that are no letters."
            )),
            code if code.starts_with("54") => {
                Self::bad(format!("That is larger than the database can keep (its error {code}): make it smaller."))
            }
            code => Self::with_status(
                StatusCode::INTERNAL_SERVER_ERROR,
                format!("The database refuses that for good (its error {code}): nothing was changed."),
            ),
        }
    }
}

const AWAY: &str = "The database cannot be reached just now. What you change waits until it is back.";

impl Refusal {
    /// Of what did not come as far as the database, or could not be read when it came back.
    fn from_driver(error: &sqlx::Error) -> Self {
        use sqlx::Error::{
            ColumnDecode, ColumnIndexOutOfBounds, ColumnNotFound, Decode, Encode, Migrate, RowNotFound, TypeNotFound,
        };
        match error {
            RowNotFound => Self::missing("That is not there any more."),
            ColumnDecode { .. }
            | ColumnIndexOutOfBounds { .. }
            | ColumnNotFound(_)
            | Decode(_)
            | Encode(_)
            | TypeNotFound { .. }
            | Migrate(_) => Self::with_status(
                StatusCode::INTERNAL_SERVER_ERROR,
                "What is kept in the database cannot be read by this version of the server: nothing was changed.",
            ),
            _ => Self::with_status(StatusCode::SERVICE_UNAVAILABLE, AWAY).passing(),
        }
    }
}
