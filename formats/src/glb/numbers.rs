//! Numbers, as lists that the header tells of.

use super::{GlbError, Writer};
use gltf_json as json;
use json::Index;
use json::accessor::{ComponentType, GenericComponentType, Type};
use json::buffer::Target;
use json::validation::{Checked::Valid, USize64};
use std::io::Write;

impl<S: Write> Writer<S> {
    /// A list of single-precision numbers, `width` of them each, with their bounds where they are wanted.
    pub(super) fn floats(
        &mut self,
        numbers: &[f32],
        (width, kind): (usize, Type),
        bounded: bool,
        target: Option<Target>,
    ) -> Result<Index<json::Accessor>, GlbError> {
        let bound = |pick: fn(f32, f32) -> f32| {
            let of = |part: usize| numbers.iter().skip(part).step_by(width).copied().reduce(pick).unwrap_or_default();
            bounded.then(|| (0..width).map(of).collect::<Vec<f32>>().into())
        };
        let (min, max) = (bound(f32::min), bound(f32::max));
        let view = self.view(numbers.iter().map(|x| x.to_le_bytes()), numbers.len(), target)?;
        Ok(self.accessor(view, numbers.len() / width, (ComponentType::F32, kind), (min, max)))
    }

    /// Numbers of corners.
    pub(super) fn indices(&mut self, corners: &[[u32; 3]]) -> Result<Index<json::Accessor>, GlbError> {
        let count = 3 * corners.len();
        let bytes = corners.iter().flatten().map(|corner| corner.to_le_bytes());
        let view = self.view(bytes, count, Some(Target::ElementArrayBuffer))?;
        Ok(self.accessor(view, count, (ComponentType::U32, Type::Scalar), (None, None)))
    }

    /// Four joints of each corner.
    pub(super) fn joints(&mut self, corners: &[[u16; 4]]) -> Result<Index<json::Accessor>, GlbError> {
        let words = corners.iter().flat_map(|[a, b, c, d]| [[*a, *b], [*c, *d]]);
        let words = words.map(|[a, b]| (u32::from(a) | u32::from(b) << 16).to_le_bytes());
        let view = self.view(words, 2 * corners.len(), Some(Target::ArrayBuffer))?;
        Ok(self.accessor(view, corners.len(), (ComponentType::U16, Type::Vec4), (None, None)))
    }

    /// The bytes of a picture.
    pub(super) fn picture(&mut self, bytes: &[u8]) -> Result<Index<json::buffer::View>, GlbError> {
        let offset = self.bytes(bytes)?;
        Ok(self.root.push(json::buffer::View {
            buffer: Index::new(0),
            byte_length: USize64(bytes.len() as u64),
            byte_offset: Some(USize64(offset)),
            byte_stride: None,
            target: None,
            name: None,
            extensions: None,
            extras: Default::default(),
        }))
    }

    /// A list of words, put down.
    pub(super) fn view(
        &mut self,
        mut words: impl Iterator<Item = [u8; 4]>,
        count: usize,
        target: Option<Target>,
    ) -> Result<Index<json::buffer::View>, GlbError> {
        let (offset, length) = (self.bytes, 4 * count as u64);
        self.room_for(length)?;
        words.try_for_each(|word| self.numbers.write_all(&word))?;
        Ok(self.root.push(json::buffer::View {
            buffer: Index::new(0),
            byte_length: USize64(length),
            byte_offset: Some(USize64(offset)),
            byte_stride: None,
            target: target.map(Valid),
            name: None,
            extensions: None,
            extras: Default::default(),
        }))
    }

    /// Counts so many bytes more.
    fn room_for(&mut self, length: u64) -> Result<(), GlbError> {
        self.bytes += length;
        if self.bytes > u64::from(u32::MAX) { Err(GlbError::TooLarge) } else { Ok(()) }
    }

    /// Bytes of another file as they are, filled up to a multiple of four; where they begin.
    pub(super) fn bytes(&mut self, bytes: &[u8]) -> Result<u64, GlbError> {
        let offset = self.bytes;
        let whole = bytes.len().next_multiple_of(4);
        self.room_for(whole as u64)?;
        self.numbers.write_all(bytes)?;
        self.numbers.write_all(&[0; 4][..whole - bytes.len()])?;
        Ok(offset)
    }

    fn accessor(
        &mut self,
        view: Index<json::buffer::View>,
        count: usize,
        (component, kind): (ComponentType, Type),
        (min, max): (Option<json::Value>, Option<json::Value>),
    ) -> Index<json::Accessor> {
        self.root.push(json::Accessor {
            buffer_view: Some(view),
            byte_offset: None,
            count: USize64::from(count),
            component_type: Valid(GenericComponentType(component)),
            type_: Valid(kind),
            min,
            max,
            name: None,
            normalized: false,
            sparse: None,
            extensions: None,
            extras: Default::default(),
        })
    }
}
