//! What a block of poses says its columns are, its numbers are.

use super::cut_off::{LAYERS, with_layer};
use super::impacts::{facing, peg, ready, stuck, throws};
use crate::cases::cases;
use proptest::prelude::*;
use std::sync::Arc;
use zickzack_core::motion::{BlockColumnName, BlockLayout, Cancel, Columns, Motion, Sample, fill_poses};

/// What a column is, by name, from a sample of everything; as where it is left out too.
fn wanted(name: BlockColumnName, motion: &dyn Motion, object: usize, sample: &Sample) -> Vec<f32> {
    match name {
        BlockColumnName::Position => sample.positions[0].as_vec3().to_array().to_vec(),
        BlockColumnName::Orientation => sample.orientations[0].as_quat().to_array().to_vec(),
        BlockColumnName::Scale => sample.scales[0].as_vec3().to_array().to_vec(),
        BlockColumnName::Presence => vec![if sample.alive[0] { 1.0 } else { 0.0 }],
        BlockColumnName::Kind => vec![motion.kind(object) as f32],
        BlockColumnName::Tint => vec![sample.tints[0] as f32],
        BlockColumnName::Brightness => vec![sample.brightness[0] as f32],
        BlockColumnName::Cut => {
            let cut = sample.cuts[0];
            [cut.normal.x, cut.normal.y, cut.normal.z, cut.beyond].map(|x| x as f32).to_vec()
        }
        BlockColumnName::Clip => [sample.clips[0].mix, sample.clips[0].phase].map(|x| x as f32).to_vec(),
    }
}

const LEFT_OUT: [(BlockColumnName, &[f32]); 6] = [
    (BlockColumnName::Orientation, &[0.0, 0.0, 0.0, 1.0]),
    (BlockColumnName::Scale, &[1.0, 1.0, 1.0]),
    (BlockColumnName::Presence, &[1.0]),
    (BlockColumnName::Brightness, &[1.0]),
    (BlockColumnName::Cut, &[0.0, 0.0, 0.0, 0.0]),
    (BlockColumnName::Clip, &[0.0, 0.0]),
];

proptest! {
    #![proptest_config(cases(96))]

    #[test]
    fn every_column_of_a_block_is_where_it_says_and_what_is_left_out_is_as_it_always_is(
        source in 0usize..4, layers in prop::collection::vec((0..LAYERS, any::<bool>()), 0..3), frames in prop::collection::vec(0.0..90.0f64, 1..4),
    ) {
        let source: Arc<dyn Motion> = match source {
            0 => peg(),
            1 => throws(2, 2.0, 9.0),
            2 => facing(throws(2, 2.0, 9.0)),
            _ => Arc::new(stuck(facing(throws(2, 2.0, 9.0)), 0.2)),
        };
        let motion = layers.iter().fold(source, |inner, &(which, own)| with_layer(which, inner, own));
        let motion = ready(&motion);
        let layout = BlockLayout::of(&*motion);
        prop_assert_eq!(layout.columns().iter().map(|column| column.width).sum::<usize>(), layout.floats());
        let mut out = vec![f32::NAN; frames.len() * motion.len() * layout.floats()];
        fill_poses(&*motion, &layout, &frames, &mut out, &Cancel::default()).unwrap();
        let everything = Columns::POSE | Columns::TINT | Columns::BRIGHTNESS | Columns::CUT | Columns::CLIP;
        let mut sample = Sample::default();
        for (row, numbers) in out.chunks(layout.floats()).enumerate() {
            let (object, frame) = (row % motion.len(), frames[row / motion.len()]);
            motion.sample_at(&[(object, frame)], everything, &mut sample);
            for column in layout.columns() {
                let at = layout.offset(column.name).unwrap();
                prop_assert_eq!(&numbers[at..at + column.width], wanted(column.name, &*motion, object, &sample));
            }
            for (name, plain) in LEFT_OUT.iter().filter(|(name, _)| layout.offset(*name).is_none()) {
                prop_assert_eq!(*plain, wanted(*name, &*motion, object, &sample), "{:?}", name);
            }
        }
    }
}
