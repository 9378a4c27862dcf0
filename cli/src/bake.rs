use anyhow::{Context, Result, bail};
use clap::{Args, ValueEnum};
use std::ffi::OsStr;
use std::fs::{self, File};
use std::io::{self, BufReader, BufWriter, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use std::sync::atomic::{AtomicUsize, Ordering};
use zickzack_core::fraction::greatest_common_divisor;
use zickzack_core::graph::{AtOnce, Compiled, LONGEST_ORBIT, Memo, SeamReport};
use zickzack_core::keys::{FileForm, Keying, Tally};
use zickzack_core::motion::{Cancel, Frames, Motion};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_core::seam::measure;
use zickzack_formats::csv::CsvError;
use zickzack_session::{HandOff, HandOffError, Order, Report, Session};

#[derive(Args)]
pub struct Bake {
    /// The scene files.
    #[arg(required = true)]
    scenes: Vec<PathBuf>,
    /// Where to write: a name ending in .csv, .glb, .usda, .usdz or .bvh, or - for CSV on standard output; of several scenes a folder, in which
    /// each has a file of its own name.
    #[arg(long, required_unless_present = "contacts")]
    to: Option<String>,
    /// The form of files in a folder; glb when left out.
    #[arg(long, value_enum)]
    form: Option<Form>,
    /// Writes beside each file, as NAME.report.json, what it holds and leaves out, and what is off by how much: of keys that is
    /// read back from the file.
    #[arg(long)]
    report: bool,
    /// Where to write the contacts of one scene, as CSV; with --to or by itself.
    #[arg(long, value_name = "FILE.csv")]
    contacts: Option<PathBuf>,
    /// How many scenes are worked on side by side.
    #[arg(long, default_value_t = 1)]
    jobs: usize,
    /// Of which thing a BVH file holds the joints, from 1; the first when left out.
    #[arg(long, value_name = "NUMBER")]
    thing: Option<usize>,
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
    /// Reduces keys until the motion is off by at most this many metres (not CSV).
    #[arg(long, value_name = "METRES", allow_negative_numbers = true)]
    tolerance: Option<f64>,
    /// Degrees that orientations may be off; left out, as many as keep what is a metre away within the tolerance.
    #[arg(long, value_name = "DEGREES", allow_negative_numbers = true, requires = "tolerance")]
    angle: Option<f64>,
}

/// A form of file, by its ending.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum Form {
    Csv,
    Glb,
    Usda,
    Usdz,
    Bvh,
}

impl Form {
    const fn of_file(self) -> FileForm {
        match self {
            Self::Csv => FileForm::Table,
            Self::Glb => FileForm::Model,
            Self::Usda => FileForm::Stage,
            Self::Usdz => FileForm::Package,
            Self::Bvh => FileForm::Joints,
        }
    }
}

/// Where a file goes.
enum Goal {
    Standard,
    File(PathBuf, Form),
}

impl Bake {
    pub fn run(self) -> Result<()> {
        if !(self.step.is_finite() && self.step > 0.0) {
            bail!("--step must be a number above 0");
        }
        if self.tolerance.is_some_and(|tolerance| !(tolerance.is_finite() && tolerance > 0.0)) {
            bail!("--tolerance must be a number of metres above 0");
        }
        if self.angle.is_some_and(|angle| !(angle.is_finite() && angle > 0.0)) {
            bail!("--angle must be a number of degrees above 0");
        }
        let folder = self.to.as_ref().filter(|to| to.ends_with('/') || Path::new(to).is_dir() || self.scenes.len() > 1);
        match folder {
            Some(folder) => self.all_into(Path::new(folder)),
            None => {
                let [scene] = &self.scenes[..] else {
                    bail!("--contacts is for one scene: give --to FOLDER for several")
                };
                let goal = self.to.as_deref().map(goal).transpose()?;
                let other = |form| matches!(&goal, Some(Goal::File(_, own)) if *own != form);
                if self.form.is_some_and(|form| other(form) || !matches!(goal, Some(Goal::File(..)))) {
                    bail!("--form is for files in a folder: here the name that --to gives says it by its ending");
                }
                if self.thing.is_some() && !matches!(goal, Some(Goal::File(_, Form::Bvh))) {
                    bail!("--thing is for BVH, which holds one thing: other forms of file hold all");
                }
                if self.report && !matches!(goal, Some(Goal::File(..))) {
                    bail!("--report stands beside a file: give --to FILE or a folder");
                }
                self.one(scene, goal, self.contacts.as_deref(), &mut io::stderr().lock())
            }
        }
    }

    /// Each scene into a file of its own name; what one says is told in one piece, and those that fail hold up no other.
    fn all_into(&self, folder: &Path) -> Result<()> {
        if self.contacts.is_some() {
            bail!("--contacts is for one scene and a file: leave it out, or give --to FILE");
        }
        if self.to.as_deref() == Some("-") {
            bail!("--to - is for one scene: give a folder for several");
        }
        let form = self.form.unwrap_or(Form::Glb);
        if self.thing.is_some() && form != Form::Bvh {
            bail!("--thing is for BVH, which holds one thing: other forms of file hold all");
        }
        let named = |scene: &PathBuf| {
            let name = scene.file_stem().unwrap_or(scene.as_os_str()).to_string_lossy();
            folder.join(format!("{name}.{}", form.of_file().ending()))
        };
        let goals: Vec<PathBuf> = self.scenes.iter().map(named).collect();
        let mut different = goals.clone();
        different.sort();
        different.dedup();
        if different.len() < self.scenes.len() {
            bail!("two of the scenes have the same name, and would be written over each other: bake them one by one");
        }
        fs::create_dir_all(folder).with_context(|| format!("{} cannot be made", folder.display()))?;
        let (next, failed) = (AtomicUsize::new(0), AtomicUsize::new(0));
        let work = || {
            while let Some((scene, goal)) = self.scenes.iter().zip(&goals).nth(next.fetch_add(1, Ordering::Relaxed)) {
                let mut said = Vec::new();
                let done = self.one(scene, Some(Goal::File(goal.clone(), form)), None, &mut said);
                let said = String::from_utf8_lossy(&said).into_owned();
                let last = match done {
                    Ok(()) => format!("written to {}", goal.display()),
                    Err(error) => {
                        failed.fetch_add(1, Ordering::Relaxed);
                        format!("not written: {error:#}")
                    }
                };
                let lines: String =
                    said.lines().chain([last.as_str()]).map(|line| format!("{}: {line}\n", scene.display())).collect();
                eprint!("{lines}");
            }
        };
        std::thread::scope(|scope| {
            (0..self.jobs.clamp(1, self.scenes.len())).for_each(|_| drop(scope.spawn(work)));
        });
        match failed.into_inner() {
            0 => Ok(()),
            count => bail!("{count} of {} scenes could not be written", self.scenes.len()),
        }
    }

    /// One scene; what there is to say of it goes to `say`.
    fn one(&self, scene: &Path, goal: Option<Goal>, contacts: Option<&Path>, say: &mut dyn Write) -> Result<()> {
        let session = Session::read(scene, Arc::new(Registry::default()))?;
        let cancel = Cancel::default();
        let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
        let hand_off = self.hand_off(scene, (&session, &compiled), say)?;
        let loops = if self.orbit { orbit_of(&session.scene, hand_off.outputs(), &cancel)? } else { 1 };
        let table = matches!(goal, None | Some(Goal::Standard | Goal::File(_, Form::Csv)));
        let range = self.range(&session.scene, table, loops)?;
        if goal.is_some() {
            let form = if let Some(Goal::File(_, form)) = &goal { form.of_file() } else { FileForm::Table };
            let one = if form == FileForm::Joints { Some(hand_off.one_with_joints(range, &cancel)?) } else { None };
            let all = hand_off.outputs().iter().enumerate().filter(|(number, _)| one.is_none_or(|one| one == *number));
            for (number, (name, _)) in all {
                let left_out = hand_off.left_out(number, (form, range), &cancel)?;
                if !left_out.is_empty() {
                    writeln!(say, "{name}: the file does not say {}", left_out.join(", "))?;
                }
            }
        }
        match goal {
            None => {}
            Some(Goal::Standard) => self.write_out(&hand_off, range, &cancel)?,
            Some(Goal::File(path, form)) => {
                let form = form.of_file();
                let order = Order {
                    form,
                    range,
                    step: self.step,
                    keying: Keying::asked(self.step, self.tolerance, self.angle),
                    thing: self.thing.unwrap_or(1).checked_sub(1).context("--thing counts from 1")?,
                };
                let tallies = written(&hand_off, &order, &path, &cancel)?;
                if self.tolerance.is_some() && form.has_keys() {
                    for (number, ((name, _), tally)) in hand_off.outputs().iter().zip(&tallies).enumerate() {
                        writeln!(say, "{}", told(name, tally, range, session.scene.first_frame as f64))?;
                        if hand_off.together((number, form), range, &cancel)? {
                            writeln!(
                                say,
                                "{name}: so many things stand together, with keys at every step, whatever the tolerance"
                            )?;
                        }
                    }
                }
                if self.report {
                    let file = BufReader::new(File::open(&path)?);
                    put_report(&path, &hand_off.told(&order, (&tallies, file), &cancel)?)?;
                }
            }
        }
        let Some(contacts) = contacts else { return Ok(()) };
        // A table of poses ends before the frame that is the first again; what is touched on the way there counts.
        let range = self.range(&session.scene, false, loops)?;
        whole_or_nothing(contacts, |file| Ok(hand_off.write_contacts(range, BufWriter::new(file), &cancel)?))
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
    fn hand_off<'a>(
        &self,
        file: &Path,
        (session, compiled): (&'a Session, &'a Compiled),
        say: &mut dyn Write,
    ) -> Result<HandOff<'a>> {
        let scene = &session.scene;
        for (id, result) in &compiled.nodes {
            if let Err(why) = result.outcome.as_ref() {
                writeln!(say, "{}: {why}", scene.nodes[id].name)?;
            }
        }
        let wanted = |id: &str| self.output.as_ref().is_none_or(|output| scene.nodes[id].name == *output);
        let hand_off = HandOff::of(session, compiled, wanted);
        if hand_off.outputs().is_empty() {
            let named = self.output.as_ref().map_or(String::new(), |name| format!(" named \"{name}\""));
            bail!("{} has no working output{named}", file.display());
        }
        Ok(hand_off)
    }

    fn write_out(&self, hand_off: &HandOff<'_>, range: Frames, cancel: &Cancel) -> Result<()> {
        match hand_off.write_csv(range, self.step, BufWriter::new(io::stdout().lock()), cancel) {
            // A reader that has seen enough, such as head, is no failure.
            Err(HandOffError::Table(CsvError::Io(error))) if error.kind() == io::ErrorKind::BrokenPipe => Ok(()),
            other => Ok(other?),
        }
    }
}

/// Writes a file as it is ordered, and says what its keys are by Output.
fn written(hand_off: &HandOff<'_>, order: &Order, goal: &Path, cancel: &Cancel) -> Result<Vec<Tally>> {
    let beside = goal.parent().filter(|folder| !folder.as_os_str().is_empty()).unwrap_or_else(|| Path::new("."));
    let mut tallies = Vec::new();
    whole_or_nothing(goal, |file| {
        tallies = hand_off.write(order, || tempfile::tempfile_in(beside), &mut BufWriter::new(file), cancel)?;
        Ok(())
    })?;
    Ok(tallies)
}

/// Puts what is told of a file beside it.
fn put_report(path: &Path, report: &Report) -> Result<()> {
    whole_or_nothing(&path.with_extension("report.json"), |file| {
        let mut out = BufWriter::new(file);
        serde_json::to_writer_pretty(&mut out, report)?;
        Ok(out.flush()?)
    })
}

/// Where `--to` says that a file goes.
fn goal(to: &str) -> Result<Goal> {
    let form = match Path::new(to).extension().and_then(OsStr::to_str) {
        _ if to == "-" => return Ok(Goal::Standard),
        Some("csv") => Form::Csv,
        Some("glb") => Form::Glb,
        Some("usda") => Form::Usda,
        Some("usdz") => Form::Usdz,
        Some("bvh") => Form::Bvh,
        _ => bail!("--to must end in .csv, .glb, .usda, .usdz or .bvh, be a folder, or - for standard output"),
    };
    Ok(Goal::File(PathBuf::from(to), form))
}

/// How many keys are left and what they miss.
fn told(name: &str, tally: &Tally, range: Frames, first: f64) -> String {
    let all = tally.all();
    let before = all.moving * ((range.to - range.from).floor() as usize + 1);
    let (off, turned) = (tally.off, tally.turned_off);
    let joints = if tally.joints.moving == 0 {
        String::new()
    } else {
        format!(
            "; what hangs on joints off by at most {:.3} mm at frame {:.2} (thing {})",
            tally.limbs_off.0 * 1e3,
            tally.limbs_off.1 + first,
            tally.worst_limbs + 1
        )
    };
    format!(
        "{name}: {before} → {} keys, off by at most {:.3} mm at frame {:.2} (thing {}) and {:.3}° at frame {:.2} (thing {}){joints}",
        all.keys,
        off.0 * 1e3,
        off.1 + first,
        tally.worst.0 + 1,
        turned.0.to_degrees(),
        turned.1 + first,
        tally.worst.1 + 1
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
pub fn whole_or_nothing(path: &Path, write: impl FnOnce(File) -> Result<()>) -> Result<()> {
    let mut part = path.as_os_str().to_owned();
    // Of this process alone: others may write the same file.
    part.push(format!(".{}.part", std::process::id()));
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
