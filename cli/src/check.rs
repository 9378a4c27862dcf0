use crate::load;
use anyhow::Result;
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;
use zickzack_core::graph::{EndReport, report};
use zickzack_core::motion::{Cancel, MotionError};
use zickzack_core::nodes::Registry;

/// Prints what is to be said about a scene; fails when it is wrong, not when it merely does not loop.
pub fn run(path: &Path) -> Result<ExitCode> {
    let registry = Registry::default();
    let (answer, good) = match load::scene(path, &registry) {
        Err(error) => (json!({ "ok": false, "error": format!("{error:#}"), "nodes": {}, "outputs": [] }), false),
        Ok(scene) => {
            let cancel = Cancel::default();
            let mut compiled = load::compiled(&scene, path, &registry, &cancel);
            let mut outputs = Vec::new();
            for end in compiled.ends.clone().iter().filter(|end| end.output) {
                match EndReport::of(end, compiled.timing.frames, compiled.timing.fps, &cancel) {
                    Ok(told) => outputs.push(told),
                    Err(MotionError::TooMuch(why)) => compiled.refuse(&end.node, &why),
                    Err(stopped) => return Err(stopped.into()),
                }
            }
            let nodes = report(&compiled);
            let good = nodes.values().all(|node| node.state != "error");
            (json!({ "ok": good, "name": scene.name, "nodes": nodes, "outputs": outputs }), good)
        }
    };
    println!("{}", serde_json::to_string_pretty(&answer)?);
    Ok(if good { ExitCode::SUCCESS } else { ExitCode::FAILURE })
}
