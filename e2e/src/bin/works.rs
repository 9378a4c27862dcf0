//! Files that are ordered while workers are killed, edits beside one, and how much sooner two workers are done than one.

use anyhow::Result;
use zickzack_e2e::new_database;
use zickzack_e2e::works::{edits_beside_a_file, eight_files, files_through_kills};

fn main() -> Result<()> {
    actix_rt::System::new().block_on(async {
        let [files, kills] = [(1, 40), (2, 20)]
            .map(|(at, usual)| std::env::args().nth(at).and_then(|text| text.parse().ok()).unwrap_or(usual));
        let turns = files_through_kills(&new_database()?, files, kills).await?;
        println!("{files} files through {kills} kills of workers: each there once; {turns} times begun");
        let [alone, beside] = edits_beside_a_file(&new_database()?).await?;
        println!("edits are kept after {alone:.1?} (p95) alone, {beside:.1?} beside a large file that is written");
        let (one, two) = (eight_files(&new_database()?, 1).await?, eight_files(&new_database()?, 2).await?);
        let times = one.as_secs_f64() / two.as_secs_f64();
        println!("eight files: {one:.1?} by one worker, {two:.1?} by two: {times:.2} times as fast");
        Ok(())
    })
}
