//! Twenty kills of the server and twenty of the database while somebody edits: nothing that was acknowledged may be
//! lost, nothing may be done twice.

use anyhow::{Result, ensure};
use zickzack_e2e::edits_through_kills;

#[tokio::main]
async fn main() -> Result<()> {
    let kills = std::env::args().nth(1).map_or(Ok(20), |text| text.parse())?;
    let told = edits_through_kills(kills, kills).await?;
    println!(
        "{kills} kills of the server, {kills} of the database: {} edits made, {} kept",
        told.made,
        told.kept.len()
    );
    ensure!(told.each_once(), "not each exactly once: {told:?}");
    println!("each exactly once, in order");
    Ok(())
}
