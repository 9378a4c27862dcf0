use anyhow::Result;
use serde_json::json;
use std::path::Path;
use std::process::ExitCode;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, EndReport, Memo, report};
use zickzack_core::motion::{Cancel, MotionError};
use zickzack_core::nodes::Registry;
use zickzack_session::Session;

/// Prints what is to be said about a scene; fails when it is wrong, not when it merely does not loop.
pub fn run(path: &Path) -> Result<ExitCode> {
    let (answer, good) = match Session::read(path, Arc::new(Registry::default())) {
        Err(error) => (json!({ "ok": false, "error": error.to_string(), "nodes": {}, "outputs": [] }), false),
        Ok(session) => {
            let cancel = Cancel::default();
            let mut compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
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
            (json!({ "ok": good, "name": session.scene.name, "nodes": nodes, "outputs": outputs }), good)
        }
    };
    println!("{}", serde_json::to_string_pretty(&answer)?);
    Ok(if good { ExitCode::SUCCESS } else { ExitCode::FAILURE })
}
