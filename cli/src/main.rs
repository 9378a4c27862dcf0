//! The command line: serve, bake, check, nodes, demo.

mod bake;
mod check;
mod page;
mod queue;
mod serve;
mod things;

use anyhow::{Context, Result};
use cap::Cap;
use clap::{Parser, Subcommand};
use mimalloc::MiMalloc;
use std::path::PathBuf;
use std::process::ExitCode;
use zickzack_core::nodes::schemas;

/// Counts what is held, so that work that takes too much can be given up. Each thread has memory of its own to give: of
/// places that threads share, one of low rank may hold the lock when its turn ends, and those who take edits wait for it.
#[global_allocator]
static HELD: Cap<MiMalloc> = Cap::new(MiMalloc, usize::MAX);

#[derive(Parser)]
#[command(
    name = "zickzack",
    version,
    about = "Path motion that loops, faces its travel and is handed over as plain keys."
)]
struct Arguments {
    #[command(subcommand)]
    command: Command,
}

#[derive(Subcommand)]
enum Command {
    /// Serves the web interface.
    Serve(serve::Serve),
    /// Orders files of scenes in the database, and tells how far they are.
    Queue(queue::Queue),
    /// Works at files that were ordered, beside a server or on other machines.
    Work(serve::Work),
    /// Writes the outputs of scene files in open formats; needs neither database nor browser.
    Bake(bake::Bake),
    /// Checks a scene file and prints node statuses and the seam as JSON.
    Check {
        /// The scene file.
        scene: PathBuf,
    },
    /// Prints all node types as JSON.
    Nodes {
        /// Writes their tables into this page instead, which describes scene files.
        #[arg(long, value_name = "PAGE")]
        into: Option<PathBuf>,
    },
    /// Loads the demo scenes into the database, each at most once.
    Demo(serve::Demo),
    /// Prints the OpenAPI document of the server.
    #[command(hide = true)]
    Openapi,
    /// Prints the meshes of things, as the page reads them.
    #[command(hide = true)]
    Things,
}

fn main() -> ExitCode {
    match run(Arguments::parse().command) {
        Ok(code) => code,
        Err(error) => {
            eprintln!("zickzack: {error:#}");
            ExitCode::FAILURE
        }
    }
}

fn run(command: Command) -> Result<ExitCode> {
    match command {
        Command::Serve(serve) => serve.run()?,
        Command::Work(work) => work.run()?,
        Command::Queue(queue) => queue.run()?,
        Command::Bake(bake) => bake.run()?,
        Command::Check { scene } => return check::run(&scene),
        Command::Nodes { into: None } => println!("{}", serde_json::to_string_pretty(&schemas())?),
        Command::Nodes { into: Some(into) } => {
            let page = std::fs::read_to_string(&into).with_context(|| into.display().to_string())?;
            let page = page::brought_up_to_date(&page, &schemas()).with_context(|| into.display().to_string())?;
            std::fs::write(&into, page).with_context(|| into.display().to_string())?;
        }
        Command::Demo(demo) => demo.run()?,
        Command::Openapi => println!("{}", zickzack_server::api::openapi()),
        Command::Things => println!("{}", things::things()),
    }
    Ok(ExitCode::SUCCESS)
}
