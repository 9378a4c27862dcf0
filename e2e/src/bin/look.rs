use anyhow::Result;
use zickzack_e2e::Visit;

#[tokio::main(flavor = "current_thread")]
async fn main() -> Result<()> {
    let visit = Visit::start(1280, 800).await?;
    let shot = async |name: &str| -> Result<()> {
        std::fs::write(format!("/tmp/look-{name}.png"), visit.client.screenshot().await?)?;
        Ok(())
    };
    visit.click("Bumper boats").await?;
    visit.until("a seam", "return document.querySelector('.seam-knot') != null").await?;
    visit.choose_node("Six round").await?;
    visit.fill("riders", "190").await?;
    visit.choose_node("They bump").await?;
    visit.choose("steps a frame", "given").await?;
    visit.fill("steps", "64").await?;
    visit.find(".working").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    shot("working").await?;
    visit.click("Stop").await?;
    visit.until("stopped", "return document.querySelector('.working')?.textContent.includes('stopped')").await?;
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    shot("stopped").await?;
    println!("{}", visit.js("return document.querySelector('.working').textContent").await?);
    visit.click("Go on").await?;
    let begun = std::time::Instant::now();
    visit.until("done", "return document.querySelector('.working') === null").await?;
    println!("{:?}", begun.elapsed());
    shot("done").await?;
    visit.end().await
}
