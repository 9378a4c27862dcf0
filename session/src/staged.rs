//! The Outputs of a scene as USD.

use crate::dressed::{Dressed, colour, exact_colour, moments};
use crate::hand_off::{CHALK, FILM, HandOff, HandOffError, step_of};
use std::io::{self, Read, Seek, Write};
use zickzack_core::colour::Light;
use zickzack_core::keys::{Beyond, Count, FileForm, Keying, Tally};
use zickzack_core::mesh::Mesh;
use zickzack_core::motion::{BentForm, Cancel, Columns, Frames, Limbs, MotionError, Sample};
use zickzack_core::nodes::{Form, Jointed, upright};
use zickzack_formats::usd::{self, Coloured, Crowd, Head, Picture, Writer};

/// Most things of an Output that stand each by itself, where they could stand together.
pub const FEW: usize = 64;
/// Frames beside a jump at which colours are looked at.
const BESIDE: f64 = 1e-6;

/// What is written of the things of an Output.
struct Stand<'a> {
    dressed: &'a Dressed,
    /// What things of each kind look like; nothing of a kind whose corners change.
    forms: Vec<Option<usd::Form>>,
}

impl HandOff<'_> {
    /// Writes USD as text of each Output over a range of frames that count from 0: straight keys where things are few or have joints,
    /// or else many at every step. Says what the keys of each Output are, in their order.
    ///
    /// # Errors
    /// Where a motion cannot be looked at, a model is not there, or `out` does not take what is written.
    pub fn write_usda(
        &self,
        keys: (Frames, Keying),
        out: impl Write,
        cancel: &Cancel,
    ) -> Result<Vec<Tally>, HandOffError> {
        let (_, _, tallies) = self.stage(keys, (out, false), cancel)?;
        Ok(tallies)
    }

    /// The same with its pictures in one file. The stage is put down in `aside`, an empty place, before.
    ///
    /// # Errors
    /// As of [`write_usda`](Self::write_usda); where the file would be larger than its format allows.
    pub fn write_usdz(
        &self,
        keys: (Frames, Keying),
        aside: impl Read + Write + Seek,
        out: impl Write + Seek,
        cancel: &Cancel,
    ) -> Result<Vec<Tally>, HandOffError> {
        let stage = io::BufWriter::with_capacity(1 << 16, aside);
        let (stage, pictures, tallies) = self.stage(keys, (stage, true), cancel)?;
        let stage = stage.into_inner().map_err(io::IntoInnerError::into_error)?;
        usd::pack(stage, &pictures, out)?;
        Ok(tallies)
    }

    fn stage<W: Write>(
        &self,
        (range, keying): (Frames, Keying),
        (out, pictures): (W, bool),
        cancel: &Cancel,
    ) -> Result<(W, Vec<Picture>, Vec<Tally>), HandOffError> {
        let (scene, keying) = (&self.session().scene, keying.straightened());
        let step = step_of(keying);
        // What is missing is told before any work is done.
        let looks = self.dressed((range, step), cancel)?;
        let first = scene.first_frame as f64;
        let head = Head { title: &scene.name, fps: scene.fps.value(), first, frames: [range.from, range.to] };
        let mut file = Writer::new(out, &head, pictures)?;
        let mut tallies = Vec::with_capacity(looks.len());
        for (number, ((name, _), dressed)) in self.outputs().iter().zip(&looks).enumerate() {
            self.spans(number, cancel);
            file.begin(name)?;
            let forms =
                (0..dressed.forms.len()).map(|kind| self.stood(dressed, kind, &mut file)).collect::<Result<_, _>>()?;
            let stand = Stand { dressed, forms };
            tallies.push(if dressed.together() {
                stand.crowd(&mut file, (range, step), cancel)?
            } else {
                stand.each(&mut file, (name, range, keying), cancel)?
            });
            file.end()?;
        }
        for (name, path) in self.paths() {
            let frames = moments(range, step);
            if let Some(traced) = self.traced(&path, &frames, cancel)? {
                file.lines(&name, (&traced, &frames), CHALK)?;
            }
        }
        if let Some(eye) = self.eye() {
            let lens = scene.camera.as_ref().map_or(FILM, |camera| camera.lens);
            file.camera(eye, (lens, FILM))?;
        }
        let (out, pictures) = file.finish()?;
        Ok((out, pictures, tallies))
    }

    /// What things of a kind look like, put into a file; nothing of what changes its corners.
    fn stood<W: Write>(
        &self,
        dressed: &Dressed,
        kind: usize,
        file: &mut Writer<W>,
    ) -> Result<Option<usd::Form>, HandOffError> {
        let session = self.session();
        let own = colour(&dressed.kinds[kind], 0.0);
        Ok(Some(match &dressed.forms[kind] {
            Form::Dented(_) => return Ok(None),
            Form::Mesh(solid) => file.mesh(&solid.name, (&solid.mesh, solid.size), own, (solid.shines, solid.thin)),
            Form::Model { file: name, place } => file.model(name, &dressed.model(session, name)?, *place)?,
            Form::Jointed(Jointed { limbs: Limbs::Bent(bend), .. }) => {
                let chain = (bend.length(), bend.joints());
                match bend.form() {
                    BentForm::Strip(strip) => {
                        let picture = &strip.picture;
                        let content = if picture.is_empty() { None } else { Some(dressed.content(session, picture)?) };
                        file.strip(("strip", strip), chain, content.as_ref().map(|content| &content[..]))
                    }
                    BentForm::Model { file: own_file, nose, top, .. } => {
                        let model = dressed.model(session, own_file)?;
                        file.bent((own_file, &model), upright((*nose, *top)), chain, own)?
                    }
                }
            }
            Form::Jointed(jointed) => {
                let name = jointed.file.as_deref().unwrap_or_default();
                file.rigged(name, &dressed.model(session, name)?, jointed.place)?
            }
        }))
    }

    /// True where the things of an Output stand together in a file of a form, with keys at every step.
    ///
    /// # Errors
    /// Where its motion cannot be looked at.
    pub fn together(
        &self,
        (output, form): (usize, FileForm),
        range: Frames,
        cancel: &Cancel,
    ) -> Result<bool, HandOffError> {
        Ok(form.is_stage() && self.dress(output, (range, 1.0), cancel)?.together())
    }

    /// What of an Output is not in a file of a form, in words.
    ///
    /// # Errors
    /// Where its motion cannot be looked at.
    pub fn left_out(
        &self,
        output: usize,
        (form, range): (FileForm, Frames),
        cancel: &Cancel,
    ) -> Result<Vec<String>, HandOffError> {
        let beyond = Beyond::of(&self.outputs()[output].1, range, cancel)?;
        let mut all: Vec<String> = beyond.left_out(form).into_iter().map(str::to_owned).collect();
        if form.is_stage() {
            let dressed = self.dress(output, (range, 1.0), cancel)?;
            all.extend(dressed.pictures_lost(self.session(), form)?.map(str::to_owned));
            if beyond.brightness
                && dressed.forms.iter().any(|form| matches!(form, Form::Model { .. } | Form::Jointed(_)))
            {
                all.push("the brightness of models and strips".to_owned());
            }
            if beyond.recolouring | beyond.brightness && dressed.together() && dressed.in_shades() {
                all.push("the shades of what they look like, since their colours change".to_owned());
            }
        }
        Ok(all)
    }
}

impl Dressed {
    /// True where its things are many and each looks the same all the time.
    pub(crate) fn together(&self) -> bool {
        let still = |form: &Form| matches!(form, Form::Mesh(_) | Form::Model { .. });
        self.motion.len() > FEW && self.forms.iter().all(still)
    }

    /// True where what its things look like has several shades.
    fn in_shades(&self) -> bool {
        let several = |mesh: &Mesh| mesh.shades.iter().any(|shade| *shade != 1.0);
        self.forms.iter().any(|form| matches!(form, Form::Mesh(solid) if several(&solid.mesh)))
    }

    /// What is told of pictures that a file of a form does not hold.
    fn pictures_lost(&self, session: &crate::Session, form: FileForm) -> Result<Option<&'static str>, HandOffError> {
        let (mut any, mut unknown) = (false, false);
        for form in &self.forms {
            let (strip, model) = match form {
                Form::Model { file, .. } => (None, Some(file.as_str())),
                Form::Jointed(jointed) => match &jointed.limbs {
                    Limbs::Bent(bend) => match bend.form() {
                        BentForm::Strip(strip) => (Some(strip.picture.as_str()), None),
                        BentForm::Model { file, .. } => (None, Some(file.as_str())),
                    },
                    _ => (None, jointed.file.as_deref()),
                },
                Form::Mesh(_) | Form::Dented(_) => (None, None),
            };
            if let Some(picture) = strip.filter(|picture| !picture.is_empty()) {
                any = true;
                unknown |= !usd::holds_picture(&self.content(session, picture)?);
            }
            if let Some(model) = model {
                let pictures = usd::pictures_of(&self.model(session, model)?);
                any |= !pictures.is_empty();
                unknown |= pictures.contains(&false);
            }
        }
        Ok(match form {
            FileForm::Stage if any => Some("pictures on them, which go along in a .usdz file"),
            FileForm::Package if unknown => Some("pictures on them that are neither PNG nor JPEG"),
            _ => None,
        })
    }

    /// The colours of a thing over time.
    fn coloured(&self, object: usize, range: Frames) -> Result<Coloured, MotionError> {
        let varies = self.ready.varies();
        let kind = self.kind(object);
        let mut frames: Vec<f64> = self.moments.clone();
        if self.kinds[kind].last.is_empty() && !varies.contain(Columns::BRIGHTNESS) {
            frames.truncate(1);
        } else {
            let breaks = self.ready.breaks(object, range)?;
            let jumps = breaks.iter().filter(|at| at.kind.is_jump()).map(|at| at.frame);
            let inside = jumps.filter(|at| *at > range.from + BESIDE && *at < range.to - BESIDE);
            frames.extend(inside.flat_map(|at| [at - usd::JUST, at + BESIDE]));
            frames.sort_by(f64::total_cmp);
        }
        let at: Vec<(usize, f64)> = frames.iter().map(|frame| (object, *frame)).collect();
        let mut sample = Sample::default();
        self.ready.sample_at(&at, Columns::TINT | Columns::BRIGHTNESS, &mut sample);
        let light = |row: usize| {
            let tint = sample.tints.get(row).copied().unwrap_or(0.0);
            let bright = sample.brightness.get(row).copied().unwrap_or(1.0);
            exact_colour(&self.kinds[kind], tint).map(|part| part * bright)
        };
        let all: Vec<(f64, Light)> = frames.iter().enumerate().map(|(row, frame)| (*frame, light(row))).collect();
        // Where it stays the same its ends are enough.
        let same = |i: usize, j: usize| all.get(i).zip(all.get(j)).is_some_and(|(a, b)| a.1 == b.1);
        let kept = |i: &usize| *i == 0 || !(same(*i, i - 1) && (i + 1 == all.len() || same(*i, i + 1)));
        Ok(Coloured((0..all.len()).filter(kept).map(|i| all[i]).collect()))
    }
}

impl Stand<'_> {
    /// Things that stand together.
    fn crowd<W: Write>(
        &self,
        file: &mut Writer<W>,
        (range, step): (Frames, f64),
        cancel: &Cancel,
    ) -> Result<Tally, HandOffError> {
        let (dressed, things) = (self.dressed, self.dressed.motion.len());
        let forms: Vec<usd::Form> = self.forms.iter().copied().flatten().collect();
        let colour = |kind: usize, tint: f64, bright: f64| colour(&dressed.kinds[kind], tint).map(|part| part * bright);
        let crowd = Crowd { motion: &dressed.ready, range, step, forms: &forms, colour: &colour };
        let told = file.crowd::<HandOffError>(&crowd, cancel)?;
        let count = |channels: usize| Count { moving: channels * things, keys: channels * things * told.looks };
        Ok(Tally {
            things,
            position: count(3),
            orientation: count(1),
            off: told.off,
            turned_off: told.turned_off,
            worst: told.worst,
            ..Tally::default()
        })
    }

    /// Things that stand each by itself.
    fn each<W: Write>(
        &self,
        file: &mut Writer<W>,
        (name, range, keying): (&str, Frames, Keying),
        cancel: &Cancel,
    ) -> Result<Tally, HandOffError> {
        let (dressed, mut tally) = (self.dressed, Tally::default());
        keying.each_jointed((&dressed.motion, &dressed.limbs()), range, cancel, |keys| {
            let object = tally.things;
            tally.add(&keys);
            let (kind, name) = (dressed.kind(object), format!("{name} {}", tally.things));
            let colours = dressed.coloured(object, range)?;
            match (self.forms[kind], &dressed.forms[kind]) {
                (Some(form), _) => file.thing(&name, &keys, (form, &colours))?,
                (None, Form::Dented(dents)) => {
                    let triangles = dents.body().triangles.clone();
                    file.changing(&name, &keys, (&triangles, &dressed.moments, &colours), |frame| {
                        if cancel.cancelled() {
                            return Err(HandOffError::from(MotionError::Cancelled));
                        }
                        Ok(cancel.watched(|| dressed.dented(kind, object, frame)).places)
                    })?;
                }
                (None, _) => {}
            }
            Ok::<(), HandOffError>(())
        })?;
        Ok(tally)
    }
}
