//! Files that are ordered of scenes in the database, without a page.

use crate::bake::whole_or_nothing;
use crate::serve::Places;
use anyhow::{Context, Result, anyhow, bail};
use clap::{Args, Subcommand};
use futures_util::TryStreamExt;
use std::io::{BufWriter, Write};
use std::path::PathBuf;
use std::time::Duration;
use uuid::Uuid;
use zickzack_core::graph::OUTPUT;
use zickzack_server::Shop;
use zickzack_server::api::jobs::{COMMAND_LINE, order_again, order_file, took_off};
use zickzack_server::jobs::{Wanted, size};
use zickzack_server::live::open_scene;
use zickzack_server::store::{jobs, scenes};

#[derive(Args)]
pub struct Queue {
    #[command(flatten)]
    places: Places,
    #[command(subcommand)]
    what: What,
}

#[derive(Subcommand)]
enum What {
    /// Lists the last files that were ordered, those on their way first.
    List,
    /// Orders a file of a scene, as the scene is now, and prints its number.
    Add(Add),
    /// Saves a file that was written; waits until it is.
    Fetch {
        /// Its number.
        file: Uuid,
        /// Where to.
        #[arg(long, value_name = "FILE")]
        to: PathBuf,
    },
    /// Stops what waits or is worked at.
    Stop { file: Uuid },
    /// Orders again what failed or was stopped.
    Again { file: Uuid },
    /// Takes a file off the list, and throws it away.
    Forget { file: Uuid },
}

#[derive(Args)]
struct Add {
    /// The name of the scene, or its number.
    scene: String,
    /// csv, contacts, glb, usda, usdz or bvh.
    #[arg(long, default_value = "glb")]
    form: String,
    /// Only the output of this name.
    #[arg(long)]
    output: Option<String>,
    /// Shown frame numbers, both included. One loop when left out.
    #[arg(long, value_name = "A..B", allow_hyphen_values = true)]
    frames: Option<String>,
    /// Frames from row to row, or from key to key where keys are not reduced.
    #[arg(long, default_value_t = 1.0)]
    step: f64,
    /// Reduces keys until the motion is off by at most this many metres.
    #[arg(long, value_name = "METRES")]
    tolerance: Option<f64>,
    /// Degrees that orientations may be off.
    #[arg(long, value_name = "DEGREES", requires = "tolerance")]
    angle: Option<f64>,
    /// Of which thing a BVH file holds the joints, from 1.
    #[arg(long, value_name = "NUMBER", default_value_t = 1, value_parser = clap::value_parser!(u64).range(1..))]
    thing: u64,
}

/// Most files that are listed.
const LISTED: i64 = 50;
/// How often is looked whether a file is there.
const LOOKS: Duration = Duration::from_millis(300);

impl Queue {
    pub fn run(self) -> Result<()> {
        actix_web::rt::System::new().block_on(async move {
            let shop = self.places.shop().await?;
            let refused = |refusal| anyhow!("{refusal}");
            match self.what {
                What::List => list(&shop).await?,
                What::Add(add) => println!("{}", add.order(&shop).await?),
                What::Fetch { file, to } => fetch(&shop, file, to).await?,
                What::Stop { file } => {
                    if !jobs::stop(&shop.pool, file).await? {
                        known(&shop, file).await?;
                        bail!("{file} has ended already");
                    }
                }
                What::Again { file } => order_again(&shop, file).await.map_err(refused)?,
                What::Forget { file } => took_off(&shop, file).await.map_err(refused)?,
            }
            Ok(())
        })
    }
}

async fn known(shop: &Shop, file: Uuid) -> Result<jobs::Row> {
    jobs::find(&shop.pool, file).await?.with_context(|| format!("there is no file with the number {file}"))
}

async fn list(shop: &Shop) -> Result<()> {
    for row in jobs::list(&shop.pool, LISTED).await? {
        let how = match row.state.as_str() {
            "running" => format!("{} {:.0} %", row.doing.as_deref().unwrap_or("begins"), row.reached * 100.0),
            "done" if !row.there => "thrown away".to_owned(),
            "done" => format!("written {}", row.bytes.map_or_else(String::new, |bytes| size(bytes.unsigned_abs()))),
            "failed" => format!("failed: {}", row.failure.unwrap_or_default()),
            other => other.to_owned(),
        };
        println!("{}  {}  {how}", row.id, row.file);
    }
    Ok(())
}

/// Saves a file once it is there: whole, or not at all.
async fn fetch(shop: &Shop, file: Uuid, to: PathBuf) -> Result<()> {
    loop {
        let row = known(shop, file).await?;
        match row.state.as_str() {
            "waiting" | "running" => tokio::time::sleep(LOOKS).await,
            "done" => break,
            "failed" => bail!("{} was not written. {}", row.file, row.failure.unwrap_or_default()),
            _ => bail!("{} was stopped: order it again", row.file),
        }
    }
    let found = jobs::result(&shop.pool, file).await?.and_then(|found| found.result);
    let key = found.context("the file was thrown away to make room for others: order it again")?;
    let (_, content) = shop.results.get(&key).await?;
    let mut content = Box::pin(content);
    // What comes is put down as it comes, on the thread that waits for it: nothing else is done here.
    let part = tempfile::tempfile()?;
    let mut out = BufWriter::new(part);
    while let Some(chunk) = content.try_next().await? {
        out.write_all(&chunk)?;
    }
    let mut part = out.into_inner()?;
    std::io::Seek::rewind(&mut part)?;
    whole_or_nothing(&to, |mut file| {
        std::io::copy(&mut part, &mut file)?;
        Ok(())
    })
}

impl Add {
    async fn order(&self, shop: &Shop) -> Result<Uuid> {
        let scene = match Uuid::parse_str(&self.scene) {
            Ok(id) => id,
            Err(_) => match scenes::named(&shop.pool, &self.scene).await?[..] {
                [one] => one,
                [] => bail!("no scene is called \"{}\"", self.scene),
                ref several => {
                    bail!("{} scenes are called \"{}\": give the number of one of them", several.len(), self.scene)
                }
            },
        };
        let document = open_scene(shop, scene).await.map_err(|refusal| anyhow!("{refusal}"))?.session.scene;
        let first = document.first_frame as f64;
        let (from, to) = match &self.frames {
            None => (first, first + f64::from(document.frames)),
            Some(text) => {
                let numbers = text.split_once("..");
                let numbers = numbers.and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
                numbers.context("--frames must be two numbers such as 1001..1120")?
            }
        };
        let called = |name: &String| {
            let mut outputs = document.nodes.iter().filter(|(_, node)| node.kind == OUTPUT && node.name == *name);
            outputs.next().map(|(id, _)| id.clone()).with_context(|| format!("no output is called \"{name}\""))
        };
        let wanted = Wanted {
            node: self.output.as_ref().map(called).transpose()?,
            from,
            to,
            step: self.step,
            tolerance: self.tolerance,
            angle: self.angle,
            form: Some(self.form.clone()),
            object: Some(self.thing as usize - 1),
        };
        order_file(shop, scene, (&wanted, COMMAND_LINE)).await.map_err(|refusal| anyhow!("{refusal}"))
    }
}
