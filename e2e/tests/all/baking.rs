//! What the command line makes of the scene that a test made on the bench.

use anyhow::{Context, Result};
use serde_json::Value;
use std::process::Command;
use zickzack_e2e::{Visit, root};

/// A row of the table of the command line: thing, frame, place, turn, and whether it is there.
#[derive(Debug, Clone, PartialEq)]
pub struct Row {
    pub thing: usize,
    pub frame: i64,
    pub place: [f64; 3],
    /// x, y, z, w.
    pub turn: [f64; 4],
    pub there: bool,
}

/// What the command line makes of the scene as it is kept.
pub async fn baked(visit: &Visit) -> Result<Vec<Row>> {
    let file = std::env::temp_dir().join(format!("zickzack-baking-{}.json", std::process::id()));
    std::fs::write(&file, visit.document().await?.to_string())?;
    let made =
        Command::new(root().join("target/debug/zickzack")).arg("bake").arg(&file).args(["--to", "-"]).output()?;
    std::fs::remove_file(&file)?;
    assert!(made.status.success(), "{}", String::from_utf8_lossy(&made.stderr));
    let table = String::from_utf8(made.stdout)?;
    let mut lines = table.lines().filter(|line| !line.starts_with('#'));
    let names: Vec<&str> = lines.next().context("a head")?.split(',').collect();
    let at = |name: &str| names.iter().position(|other| *other == name).with_context(|| format!("{name} in {names:?}"));
    let (thing, frame, there) = (at("object")?, at("frame")?, at("alive")?);
    let place = [at("px")?, at("py")?, at("pz")?];
    let turn = [at("qx")?, at("qy")?, at("qz")?, at("qw")?];
    lines
        .map(|line| {
            let cells: Vec<&str> = line.split(',').collect();
            let number = |i: usize| cells[i].parse::<f64>().with_context(|| line.to_owned());
            let place = [number(place[0])?, number(place[1])?, number(place[2])?];
            let turn = [number(turn[0])?, number(turn[1])?, number(turn[2])?, number(turn[3])?];
            Ok(Row {
                thing: number(thing)? as usize,
                frame: number(frame)? as i64,
                place,
                turn,
                there: number(there)? != 0.0,
            })
        })
        .collect()
}

/// Those that are there at a frame.
pub fn at(rows: &[Row], frame: i64) -> Vec<&Row> {
    rows.iter().filter(|row| row.frame == frame && row.there).collect()
}

/// The node of this type.
pub fn node<'a>(document: &'a Value, kind: &str) -> Result<&'a Value> {
    let nodes = document["nodes"].as_object().context("nodes")?;
    nodes.values().find(|node| node["type"] == kind).with_context(|| format!("no {kind}"))
}
