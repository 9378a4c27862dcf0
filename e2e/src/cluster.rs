//! A PostgreSQL server of its own, to be killed and brought back.

use crate::{free_port, own_number};
use anyhow::{Context, Result, bail};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::process::{Command, Stdio};
use std::time::{Duration, Instant};

/// How long the server may take to start or to be gone.
const PATIENCE: Duration = Duration::from_secs(120);

/// A cluster in a folder for temporary files, gone with its owner.
pub struct Cluster {
    home: PathBuf,
    programs: PathBuf,
    port: u16,
}

/// The folder with the newest PostgreSQL's programs.
fn programs() -> Result<PathBuf> {
    let mut found: Vec<PathBuf> = std::fs::read_dir("/usr/lib/postgresql")
        .context("PostgreSQL is missing: ./test installs it")?
        .flatten()
        .map(|entry| entry.path().join("bin"))
        .filter(|bin| bin.join("initdb").exists())
        .collect();
    found.sort();
    found.pop().context("PostgreSQL's programs are missing: ./test installs them")
}

fn is_root() -> bool {
    Command::new("id").arg("-u").output().is_ok_and(|output| output.stdout.starts_with(b"0\n"))
}

impl Cluster {
    /// Makes a cluster and starts it on the loopback interface.
    pub fn start() -> Result<Self> {
        let home = std::env::temp_dir().join(format!("zickzack-cluster-{}", own_number()));
        let _ = std::fs::remove_dir_all(&home);
        std::fs::create_dir_all(&home)?;
        std::fs::set_permissions(&home, std::fs::Permissions::from_mode(0o700))?;
        if is_root() {
            run(Command::new("chown").arg("postgres").arg(&home))?;
        }
        let cluster = Self { home, programs: programs()?, port: free_port()? };
        let mut make = cluster.program("initdb");
        make.args(["-U", "zickzack", "-E", "UTF8", "--locale=C.UTF-8", "-A", "trust", "-D"]).arg(cluster.data());
        run(&mut make)?;
        cluster.bring_back()?;
        Ok(cluster)
    }

    fn data(&self) -> PathBuf {
        self.home.join("data")
    }

    /// One of PostgreSQL's programs, which refuse to be run by root.
    fn program(&self, name: &str) -> Command {
        let program = self.programs.join(name);
        if !is_root() {
            return Command::new(program);
        }
        let mut command = Command::new("runuser");
        command.args(["-u", "postgres", "--"]).arg(program);
        command
    }

    /// Where it is.
    pub fn url(&self) -> String {
        format!("postgres://zickzack@127.0.0.1:{}/postgres", self.port)
    }

    fn postmaster(&self) -> Option<u32> {
        let text = std::fs::read_to_string(self.data().join("postmaster.pid")).ok()?;
        text.lines().next()?.trim().parse().ok()
    }

    /// Ends it as a power cut would: nothing is written any more.
    pub fn kill(&self) -> Result<()> {
        let pid = self.postmaster().context("the database does not run")?;
        run(Command::new("kill").args(["-KILL", &pid.to_string()]))?;
        let begun = Instant::now();
        // Its children notice by themselves that it is gone.
        while Path::new(&format!("/proc/{pid}")).exists() || self.has_children() {
            if begun.elapsed() > PATIENCE {
                bail!("the killed database is still there");
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        Ok(())
    }

    fn has_children(&self) -> bool {
        let told = Command::new("pgrep").args(["-f", &self.data().display().to_string()]).output();
        told.is_ok_and(|output| !output.stdout.is_empty())
    }

    /// Starts it again where it was.
    pub fn bring_back(&self) -> Result<()> {
        let options = format!("-p {} -c listen_addresses=127.0.0.1 -c unix_socket_directories=''", self.port);
        let begun = Instant::now();
        loop {
            let mut start = self.program("pg_ctl");
            start.arg("-D").arg(self.data()).args(["-w", "-t", "40", "-l"]).arg(self.home.join("log"));
            let started = start.args(["-o", &options, "start"]).stdout(Stdio::null()).stderr(Stdio::null()).status()?;
            if started.success() {
                return Ok(());
            }
            if begun.elapsed() > PATIENCE {
                bail!("the database did not start again; {} tells why", self.home.join("log").display());
            }
            std::thread::sleep(Duration::from_millis(100));
        }
    }
}

fn run(command: &mut Command) -> Result<()> {
    let output = command.output().with_context(|| command.get_program().display().to_string())?;
    if !output.status.success() {
        bail!("{}: {}", command.get_program().display(), String::from_utf8_lossy(&output.stderr));
    }
    Ok(())
}

impl Drop for Cluster {
    fn drop(&mut self) {
        if self.postmaster().is_some() {
            let mut stop = self.program("pg_ctl");
            let _ = stop.arg("-D").arg(self.data()).args(["-m", "immediate", "stop"]).stdout(Stdio::null()).status();
        }
        // What is left lies in the folder for temporary files.
        let _ = std::fs::remove_dir_all(&self.home);
    }
}
