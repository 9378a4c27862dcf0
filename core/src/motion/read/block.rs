//! Poses of many frames as single-precision numbers, for pictures and for the wire.

use crate::motion::look::form::write_form;
use crate::motion::{Cancel, Columns, Motion, MotionError, Sample, form_numbers, formed_numbers};
use glam::{DQuat, DVec3};
use rayon::prelude::*;
use serde::Serialize;

/// What a column of a block holds of each thing at each frame.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum BlockColumnName {
    /// x, y, z in metres.
    Position,
    /// A unit quaternion as x, y, z, w; unturned where this column is left out.
    Orientation,
    /// Factors along a thing's own axes; 1 where this column is left out.
    Scale,
    /// 1 where it is there, 0 where not; it is there where this column is left out.
    Presence,
    /// The number of its kind.
    Kind,
    /// Its place on the scale of colours, 0 to 1.
    Tint,
    /// A factor, at least 0; 1 where this column is left out.
    Brightness,
    /// The plane that it is cut off along, in its own axes before its scale: x, y, z of a normal towards what is not seen,
    /// and how far beyond; whole where the normal is 0 or this column is left out.
    Cut,
    /// Where it is in the clips of its model: a mixture from 0 for the first to their number − 1 for the last, and the part of
    /// the cycle, from 0 up to 1. Only where some things have such a model.
    Clip,
}

/// How a number of a block is written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[serde(rename_all = "kebab-case")]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub enum NumberType {
    /// Single precision, little endian.
    F32,
}

/// One column of a block of poses.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BlockColumn {
    /// What it holds.
    pub name: BlockColumnName,
    /// How many numbers it has of each thing.
    pub width: usize,
    /// How each of them is written.
    #[serde(rename = "type")]
    pub number: NumberType,
}

/// The columns that stand side by side for each thing and frame; those in which nothing varies are left out. After those of all
/// things of a frame stand the forms of those that have one of their own, in order.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct BlockLayout {
    columns: Vec<BlockColumn>,
    floats: usize,
    sampled: Columns,
    forms: Vec<usize>,
    row: usize,
}

impl BlockLayout {
    /// What a motion takes.
    pub fn of(motion: &dyn Motion) -> Self {
        use BlockColumnName as Name;
        let (varies, kinds) = (motion.varies(), !motion.kinds().is_empty());
        let all = [
            (Name::Position, 3, Columns::POSITION, true),
            (Name::Orientation, 4, Columns::ORIENTATION, varies.contain(Columns::ORIENTATION)),
            (Name::Scale, 3, Columns::SCALE, varies.contain(Columns::SCALE)),
            (Name::Presence, 1, Columns::ALIVE, varies.contain(Columns::ALIVE)),
            (Name::Kind, 1, Columns::NONE, kinds),
            (Name::Tint, 1, Columns::TINT, kinds),
            (Name::Brightness, 1, Columns::BRIGHTNESS, varies.contain(Columns::BRIGHTNESS)),
            (Name::Cut, 4, Columns::CUT, varies.contain(Columns::CUT)),
            (Name::Clip, 2, Columns::CLIP, varies.contain(Columns::CLIP)),
        ];
        let formed = formed_numbers(motion);
        let forms = if formed > 0 { motion.kinds().iter().map(form_numbers).collect() } else { Vec::new() };
        let mut layout = Self { columns: Vec::new(), floats: 0, sampled: Columns::NONE, forms, row: 0 };
        for (name, width, sampled, _) in all.into_iter().filter(|(.., there)| *there) {
            layout.columns.push(BlockColumn { name, width, number: NumberType::F32 });
            layout.floats += width;
            layout.sampled = layout.sampled | sampled;
        }
        layout.row = motion.len() * layout.floats + formed;
        layout
    }

    /// Side by side in this order.
    pub fn columns(&self) -> &[BlockColumn] {
        &self.columns
    }

    /// Numbers of all things at a frame, with their forms.
    pub const fn row(&self) -> usize {
        self.row
    }

    /// Numbers of the form of a thing, by its kind: of what is bent, for each of its joints from tail to head, x, y, z in the
    /// thing's own axes, a unit quaternion as x, y, z, w, a factor along it and one across; of what is dented, for each corner
    /// the metres by which it is moved along its normal; of what walks, for each bone the first three rows of the matrix that brings
    /// corners as they are written into the thing. None where no thing has a form of its own.
    pub fn forms(&self) -> &[usize] {
        &self.forms
    }

    /// Numbers of each thing at each frame, without its form.
    pub const fn floats(&self) -> usize {
        self.floats
    }

    /// Where a column begins among the numbers of a thing, if it is there.
    pub fn offset(&self, name: BlockColumnName) -> Option<usize> {
        let index = self.columns.iter().position(|column| column.name == name)?;
        Some(self.columns[..index].iter().map(|column| column.width).sum())
    }
}

/// Things sampled at a time, so that their columns stay in the nearest cache.
const AT_A_TIME: usize = 256;
/// Numbers of a place, of a place and a turn, and of these and a size: the layouts that most motions have.
const PLACE: usize = 3;
const TURNED: usize = 7;
const SIZED: usize = 10;

/// Writes the poses of all things at `frames` into `out`, frame after frame, things in order, each as `layout` says.
///
/// `out` is `frames.len() · layout.row()` long. Frames are shared among the workers, each writing a
/// slice of its own, so the bits do not depend on how many there are.
///
/// # Errors
/// `Cancelled` when `cancel` says so; part of `out` is written then.
pub fn fill_poses(
    motion: &dyn Motion,
    layout: &BlockLayout,
    frames: &[f64],
    out: &mut [f32],
    cancel: &Cancel,
) -> Result<(), MotionError> {
    let (row, things) = (layout.row, motion.len() * layout.floats);
    let sampled = if layout.forms.is_empty() { layout.sampled } else { layout.sampled | Columns::FORMS };
    if row == 0 {
        return Ok(());
    }
    out.par_chunks_mut(row).zip(frames.par_iter()).try_for_each_init(Sample::default, |sample, (row, &frame)| {
        if cancel.cancelled() {
            return Err(MotionError::Cancelled);
        }
        cancel.watched(|| {
            let (rows, mut forms) = row.split_at_mut(things);
            for (index, part) in rows.chunks_mut(AT_A_TIME * layout.floats).enumerate() {
                let first = index * AT_A_TIME;
                motion.sample_range(frame, first..first + part.len() / layout.floats, sampled, sample);
                write(layout, motion, first, sample, part);
                if layout.forms.is_empty() {
                    continue;
                }
                for (row, object) in (first..first + part.len() / layout.floats).enumerate() {
                    let kind = motion.kind(object);
                    let (form, rest) = forms.split_at_mut(layout.forms[kind]);
                    write_form(&motion.kinds()[kind], sample, row, form);
                    forms = rest;
                }
            }
        });
        Ok(())
    })
}

/// What was sampled of the things from `first` on, each as the layout says.
fn write(layout: &BlockLayout, motion: &dyn Motion, first: usize, sample: &Sample, out: &mut [f32]) {
    use BlockColumnName as Name;
    let stance = Columns::STANCE;
    match (layout.floats, layout.sampled == layout.sampled.and(stance)) {
        (PLACE, true) => {
            let rows = out.as_chunks_mut::<PLACE>().0.iter_mut().zip(&sample.positions);
            return rows.for_each(|(row, place)| *row = place.as_vec3().to_array());
        }
        (TURNED, true) => {
            let turned = sample.positions.iter().zip(&sample.orientations);
            let rows = out.as_chunks_mut::<TURNED>().0.iter_mut().zip(turned);
            return rows.for_each(|(row, (place, turn))| write_turned(row, *place, *turn));
        }
        (SIZED, true) => {
            let turned = sample.positions.iter().zip(&sample.orientations).zip(&sample.scales);
            let rows = out.as_chunks_mut::<SIZED>().0.iter_mut().zip(turned);
            return rows.for_each(|(row, ((place, turn), scale))| {
                write_turned(row, *place, *turn);
                row[TURNED..].copy_from_slice(&scale.as_vec3().to_array());
            });
        }
        _ => {}
    }
    let mut at = 0;
    for column in &layout.columns {
        let rows = out.chunks_exact_mut(layout.floats).map(|row| &mut row[at..at + column.width]);
        match column.name {
            Name::Position => put(rows, &sample.positions, |place| place.as_vec3().to_array()),
            Name::Orientation => put(rows, &sample.orientations, |turn| turn.as_quat().to_array()),
            Name::Scale => put(rows, &sample.scales, |scale| scale.as_vec3().to_array()),
            Name::Presence => put(rows, &sample.alive, |alive| [f32::from(u8::from(*alive))]),
            Name::Kind => rows.enumerate().for_each(|(row, out)| out[0] = motion.kind(first + row) as f32),
            Name::Tint => put(rows, &sample.tints, |tint| [*tint as f32]),
            Name::Brightness => put(rows, &sample.brightness, |bright| [*bright as f32]),
            Name::Cut => put(rows, &sample.cuts, |cut| {
                let normal = cut.normal.as_vec3();
                [normal.x, normal.y, normal.z, cut.beyond as f32]
            }),
            Name::Clip => put(rows, &sample.clips, |clip| [clip.mix as f32, clip.phase as f32]),
        }
        at += column.width;
    }
}

fn put<'a, T, const WIDTH: usize>(
    rows: impl Iterator<Item = &'a mut [f32]>,
    values: &[T],
    numbers: impl Fn(&T) -> [f32; WIDTH],
) {
    rows.zip(values).for_each(|(out, value)| out.copy_from_slice(&numbers(value)));
}

#[inline(always)]
fn write_turned(row: &mut [f32], place: DVec3, turn: DQuat) {
    let (p, q) = (place.as_vec3(), turn.as_quat());
    row[..TURNED].copy_from_slice(&[p.x, p.y, p.z, q.x, q.y, q.z, q.w]);
}
