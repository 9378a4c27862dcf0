//! Files that are ordered and come in their own time: a queue in the database, workers on as many machines as there are, and a
//! store where what was written lies.

mod order;
mod queue;
mod results;
mod spool;
mod work;
mod worker;

pub use order::{Wanted, media};
pub use queue::{Ticket, hand_in, workers};
pub use results::{Results, Unread};
pub use worker::{Habits, Stopping, work};

use crate::Shop;
use crate::api::Refusal;
use crate::store::jobs;
use spool::unwritten;
use std::sync::Arc;
use std::time::Duration;
use zickzack_formats::bvh::UnwrittenBvh;
use zickzack_formats::csv::CsvError;
use zickzack_formats::glb::GlbError;
use zickzack_formats::usd::UsdError;
use zickzack_session::HandOffError;

/// The refusal of a file that could not be written.
pub fn refused(error: HandOffError) -> Refusal {
    match error {
        HandOffError::Table(CsvError::Io(error))
        | HandOffError::Model(GlbError::Io(error))
        | HandOffError::Stage(UsdError::Io(error))
        | HandOffError::Bones(UnwrittenBvh::Io(error))
        | HandOffError::Unwritten(error) => unwritten(error),
        other => Refusal::bad(other.to_string()),
    }
}

/// So many bytes, as they are read best.
pub fn size(bytes: u64) -> String {
    let bytes = bytes as f64;
    match bytes {
        ..1e3 => format!("{bytes} bytes"),
        ..1e6 => format!("{:.1} kB", bytes / 1e3),
        ..1e9 => format!("{:.1} MB", bytes / 1e6),
        _ => format!("{:.1} GB", bytes / 1e9),
    }
}

/// How often what is not wanted any more is looked for.
const EVERY: Duration = Duration::from_secs(3600);

/// Takes away what lies there for no job, and old tickets, now and then.
pub async fn tidy(shop: Arc<Shop>) {
    loop {
        if let Err(why) = tidied(&shop).await {
            // It is tried again later; until then nothing is missing.
            tracing::warn!("what nobody wants is not thrown away: {why}");
        }
        tokio::time::sleep(EVERY).await;
    }
}

async fn tidied(shop: &Shop) -> Result<(), String> {
    let told = |error: sqlx::Error| error.to_string();
    queue::tidy(&shop.pool).await.map_err(told)?;
    queue::mend(&shop.pool).await.map_err(|refusal| refusal.message)?;
    shop.results.fit(&shop.pool).await;
    let old = shop.results.old().await?;
    for key in jobs::of_none(&shop.pool, &old).await.map_err(told)? {
        shop.results.remove(&key).await;
    }
    shop.results.tidy();
    Ok(())
}
