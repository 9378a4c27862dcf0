use anyhow::{Context, Result, bail};
use clap::Args;
use std::fs::{self, File};
use std::io::{self, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use zickzack_core::fraction::greatest_common_divisor;
use zickzack_core::graph::{AtOnce, Compiled, LONGEST_ORBIT, Memo, SeamReport};
use zickzack_core::keys::{Beyond, FileForm, Keying, Tally};
use zickzack_core::motion::{Cancel, Frames, Motion};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_core::seam::measure;
use zickzack_formats::csv::CsvError;
use zickzack_session::{HandOff, HandOffError, Session};

#[derive(Args)]
pub struct Bake {
    /// The scene file.
    scene: PathBuf,
    /// Where to write: a name ending in .csv or .glb, or - for CSV on standard output.
    #[arg(long)]
    to: String,
    /// Only the output of this name.
    #[arg(long)]
    output: Option<String>,
    /// Shown frame numbers, both included; fractions are fine. By default one loop: for CSV without
    /// its last frame, which is the first again.
    #[arg(long, value_name = "A..B", allow_hyphen_values = true)]
    frames: Option<String>,
    /// All the loops until every thing that trades places is back in its own.
    #[arg(long, conflicts_with = "frames")]
    orbit: bool,
    /// Frames from row to row, or from key to key where keys are not reduced.
    #[arg(long, default_value_t = 1.0, allow_negative_numbers = true)]
    step: f64,
    /// Reduces keys until the motion is off by at most this many metres (GLB only).
    #[arg(long, value_name = "METRES", allow_negative_numbers = true)]
    tolerance: Option<f64>,
    /// Degrees that orientations may be off; left out, as many as keep what is a metre away within the tolerance.
    #[arg(long, value_name = "DEGREES", allow_negative_numbers = true, requires = "tolerance")]
    angle: Option<f64>,
}

impl Bake {
    pub fn run(self) -> Result<()> {
        let table = self.to == "-" || self.to.ends_with(".csv");
        if !table && !self.to.ends_with(".glb") {
            bail!("--to must end in .csv or .glb, or be - for standard output");
        }
        if !(self.step.is_finite() && self.step > 0.0) {
            bail!("--step must be a number above 0");
        }
        if self.tolerance.is_some_and(|tolerance| !(tolerance.is_finite() && tolerance > 0.0)) {
            bail!("--tolerance must be a number of metres above 0");
        }
        if self.angle.is_some_and(|angle| !(angle.is_finite() && angle > 0.0)) {
            bail!("--angle must be a number of degrees above 0");
        }
        let session = Session::read(&self.scene, Arc::new(Registry::default()))?;
        let cancel = Cancel::default();
        let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
        let hand_off = self.hand_off(&session, &compiled)?;
        let loops = if self.orbit { orbit_of(&session.scene, hand_off.outputs(), &cancel)? } else { 1 };
        let range = self.range(&session.scene, table, loops)?;
        for (name, motion) in hand_off.outputs() {
            let beyond = Beyond::of(motion, range, &cancel)?;
            let left_out = beyond.left_out(if table { FileForm::Table } else { FileForm::Model });
            if !left_out.is_empty() {
                eprintln!("{name}: the file does not say {}", left_out.join(", "));
            }
        }
        if table {
            self.write_table(&hand_off, range, &cancel)
        } else {
            self.write_keys(&hand_off, range, session.scene.first_frame as f64, &cancel)
        }
    }

    /// Frames counted from 0.
    fn range(&self, scene: &Scene, table: bool, loops: u64) -> Result<Frames> {
        let first = scene.first_frame as f64;
        let Some(text) = &self.frames else {
            let last = f64::from(scene.frames) * loops as f64 - if table { 1.0 } else { 0.0 };
            return Ok(Frames { from: 0.0, to: last });
        };
        let numbers = text.split_once("..").and_then(|(a, b)| Some((a.parse::<f64>().ok()?, b.parse::<f64>().ok()?)));
        match numbers {
            Some((from, to)) if from.is_finite() && to.is_finite() && from <= to && (to - from) <= 1e7 => {
                Ok(Frames { from: from - first, to: to - first })
            }
            _ => bail!("--frames must be two numbers such as 1001..1120, the first not above the second"),
        }
    }

    /// The Outputs that are wanted; what does not work is told.
    fn hand_off<'a>(&self, session: &'a Session, compiled: &'a Compiled) -> Result<HandOff<'a>> {
        let scene = &session.scene;
        for (id, result) in &compiled.nodes {
            if let Err(why) = result.outcome.as_ref() {
                eprintln!("{}: {why}", scene.nodes[id].name);
            }
        }
        let wanted = |id: &str| self.output.as_ref().is_none_or(|output| scene.nodes[id].name == *output);
        let hand_off = HandOff::of(session, compiled, wanted);
        if hand_off.outputs().is_empty() {
            bail!(
                "{} has no working output{}",
                self.scene.display(),
                self.output.as_ref().map_or(String::new(), |name| format!(" named \"{name}\""))
            );
        }
        Ok(hand_off)
    }

    fn write_table(&self, hand_off: &HandOff<'_>, range: Frames, cancel: &Cancel) -> Result<()> {
        if self.to == "-" {
            let written = hand_off.write_csv(range, self.step, BufWriter::new(io::stdout().lock()), cancel);
            return match written {
                // A reader that has seen enough, such as head, is no failure.
                Err(HandOffError::Table(CsvError::Io(error))) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
                other => Ok(other?),
            };
        }
        let write = |file| Ok(hand_off.write_csv(range, self.step, BufWriter::new(file), cancel)?);
        whole_or_nothing(Path::new(&self.to), write)
    }

    fn write_keys(&self, hand_off: &HandOff<'_>, range: Frames, first: f64, cancel: &Cancel) -> Result<()> {
        let keying = Keying::asked(self.step, self.tolerance, self.angle);
        let goal = Path::new(&self.to);
        let beside = goal.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or_else(|| Path::new("."));
        let mut tallies = Vec::new();
        whole_or_nothing(goal, |file| {
            let mut out = BufWriter::new(file);
            tallies = hand_off.write_glb((range, keying), tempfile::tempfile_in(beside)?, &mut out, cancel)?;
            Ok(out.flush()?)
        })?;
        if self.tolerance.is_some() {
            let named = hand_off.outputs().iter().zip(&tallies);
            named.for_each(|((name, _), tally)| eprintln!("{}", told(name, tally, range, first)));
        }
        Ok(())
    }
}

/// How many keys are left and what they miss.
fn told(name: &str, tally: &Tally, range: Frames, first: f64) -> String {
    let all = tally.all();
    let before = all.moving * ((range.to - range.from).floor() as usize + 1);
    let (off, turned) = (tally.off, tally.turned_off);
    format!(
        "{name}: {before} → {} keys, off by at most {:.3} mm at frame {:.2} and {:.3}° at frame {:.2}",
        all.keys,
        off.0 * 1e3,
        off.1 + first,
        turned.0.to_degrees(),
        turned.1 + first
    )
}

/// After how many loops the things of all outputs are in their own places.
fn orbit_of(scene: &Scene, outputs: &[(String, Arc<dyn Motion>)], cancel: &Cancel) -> Result<u64> {
    let mut all = 1;
    for (name, motion) in outputs {
        let seam = measure(motion, f64::from(scene.frames), scene.fps.value(), cancel)?;
        let loops = SeamReport::from(&seam).orbit.with_context(|| {
            format!("\"{name}\" does not close, or not within {LONGEST_ORBIT} loops: give --frames instead of --orbit")
        })?;
        all = all / greatest_common_divisor(all, loops) * loops;
        if all > LONGEST_ORBIT {
            bail!("all outputs together take {all} loops to be back: hand them off one by one with --output");
        }
    }
    Ok(all)
}

/// Writes beside the goal and renames at the end, so that no half-written file is left behind.
fn whole_or_nothing(path: &Path, write: impl FnOnce(File) -> Result<()>) -> Result<()> {
    let mut part = path.as_os_str().to_owned();
    part.push(".part");
    let part = PathBuf::from(part);
    let written = File::create(&part)
        .map_err(anyhow::Error::from)
        .and_then(write)
        .and_then(|()| Ok(fs::rename(&part, path)?))
        .with_context(|| format!("{} cannot be written", path.display()));
    if written.is_err() {
        // The reason to report is the first one, not that the rest could not be removed.
        let _ = fs::remove_file(&part);
    }
    written
}
