//! Several motions as one.

use crate::curve::{Curve, Path};
use crate::motion::{
    Break, Cancel, Columns, Contact, Extent, Frames, Kind, Motion, MotionError, Outside, Sample, Symmetry, prepared,
};
use crate::pose::Axis;
use std::sync::Arc;

/// The things of all motions, in their order.
#[derive(Clone)]
pub struct Together {
    parts: Vec<Arc<dyn Motion>>,
    /// The first object of each part, and the number of all at the end.
    starts: Vec<usize>,
    /// All paths as one, where every part has one that does not move; the first strand of each.
    path: Option<(Path, Vec<usize>)>,
    kinds: Vec<Kind>,
    /// The first kind of each part.
    kind_starts: Vec<usize>,
}

impl Together {
    /// Of at least one motion.
    pub fn new(parts: Vec<Arc<dyn Motion>>) -> Self {
        let (mut starts, mut kinds, mut kind_starts) = (vec![0], Vec::new(), Vec::new());
        for part in &parts {
            starts.push(starts[starts.len() - 1] + part.len());
            kind_starts.push(kinds.len());
            kinds.extend_from_slice(part.kinds());
            if part.kinds().is_empty() {
                // What has no kinds is shown as it is.
                kinds.push(Kind::PLAIN);
            }
        }
        if parts.iter().all(|part| part.kinds().is_empty()) {
            kinds.clear();
        }
        let path = one_path(&parts);
        Self { parts, starts, path, kinds, kind_starts }
    }

    /// Which part an object belongs to, and its number in it.
    fn part(&self, object: usize) -> (usize, usize) {
        let part = self.starts.partition_point(|&start| start <= object) - 1;
        (part, object - self.starts[part])
    }
}

fn one_path(parts: &[Arc<dyn Motion>]) -> Option<(Path, Vec<usize>)> {
    let (mut strands, mut firsts) = (Vec::new(), Vec::new());
    for part in parts {
        let curve = part.path()?.unmoving()?.clone();
        firsts.push(strands.len());
        strands.extend_from_slice(curve.strands());
    }
    Some((Path::still(Curve::new(strands).ok()?), firsts))
}

impl Motion for Together {
    fn len(&self) -> usize {
        self.starts[self.parts.len()]
    }

    fn extent(&self) -> Extent {
        let all = self.parts.iter().map(|part| part.extent());
        all.reduce(|a, b| Extent {
            from: a.from.min(b.from),
            to: a.to.max(b.to),
            outside: if a.outside == b.outside { a.outside } else { Outside::RunsOn },
        })
        .unwrap_or(Extent { from: 0.0, to: 0.0, outside: Outside::Holds })
    }

    fn prepare(&self, range: Frames, cancel: &Cancel) -> Result<Option<Arc<dyn Motion>>, MotionError> {
        let parts: Result<Vec<_>, _> = self.parts.iter().map(|part| prepared(part, range, cancel)).collect();
        Ok(Some(Arc::new(Self { parts: parts?, ..self.clone() })))
    }

    fn sample_at(&self, at: &[(usize, f64)], columns: Columns, out: &mut Sample) {
        let mut part_of_them = Sample::default();
        out.reset(0, Columns::NONE);
        for same in at.chunk_by(|a, b| self.part(a.0).0 == self.part(b.0).0) {
            let part = self.part(same[0].0).0;
            let own: Vec<(usize, f64)> = same.iter().map(|&(object, frame)| (self.part(object).1, frame)).collect();
            // Without one path of all, nothing is said of places.
            let asked = if self.path.is_some() { columns } else { columns.without(Columns::PLACE) };
            self.parts[part].sample_at(&own, asked, &mut part_of_them);
            if let Some((_, firsts)) = &self.path {
                part_of_them.places.iter_mut().for_each(|place| place.strand += firsts[part]);
            }
            out.append(&mut part_of_them);
        }
    }

    fn varies(&self) -> Columns {
        self.parts.iter().fold(Columns::NONE, |all, part| all | part.varies())
    }

    fn breaks(&self, object: usize, range: Frames) -> Result<Vec<Break>, MotionError> {
        let (part, own) = self.part(object);
        self.parts[part].breaks(own, range)
    }

    fn contacts(&self, range: Frames) -> Vec<Contact> {
        let moved = |(part, start): (&Arc<dyn Motion>, &usize)| {
            let start = *start;
            let shifted = move |contact: Contact| Contact { object: contact.object + start, ..contact };
            part.contacts(range).into_iter().map(shifted).collect::<Vec<_>>()
        };
        let mut contacts: Vec<Contact> = self.parts.iter().zip(&self.starts).flat_map(moved).collect();
        contacts.sort_by(|a, b| a.frame.total_cmp(&b.frame));
        contacts
    }

    fn path(&self) -> Option<&Path> {
        self.path.as_ref().map(|(path, _)| path)
    }

    fn facing(&self) -> Option<(Axis, Axis)> {
        let first = self.parts.first()?.facing();
        if self.parts.iter().all(|part| part.facing() == first) { first } else { None }
    }

    fn look(&self, object: usize) -> u64 {
        let (part, own) = self.part(object);
        self.parts[part].look(own)
    }

    fn kinds(&self) -> &[Kind] {
        &self.kinds
    }

    fn kind(&self, object: usize) -> usize {
        let (part, own) = self.part(object);
        if self.kinds.is_empty() { 0 } else { self.kind_starts[part] + self.parts[part].kind(own) }
    }

    fn symmetry(&self, object: usize) -> Option<Symmetry> {
        let (part, own) = self.part(object);
        self.parts[part].symmetry(own)
    }
}
