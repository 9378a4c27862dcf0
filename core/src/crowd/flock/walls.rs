//! Flat walls that a step may not go through.

use glam::Vec3;

/// Walls round a place, each by the unit vector towards it and how far a step may lead that way.
///
/// Where two things part the gap between them and each gets half of it, they stay apart however each uses its half
/// (Zhou, Wang, Bandyopadhyay, Schwager, "Fast, On-line Collision Avoidance for Dynamic Vehicles Using Buffered Voronoi
/// Cells", 2017).
#[derive(Debug, Default)]
pub struct Walls(Vec<(Vec3, f32)>);

/// Rounds in which a step is laid along the walls that it would go through.
const ROUNDS: usize = 6;

impl Walls {
    /// No walls.
    pub fn clear(&mut self) {
        self.0.clear();
    }

    /// One more; what lies behind it is only not to get farther behind.
    pub fn add(&mut self, towards: Vec3, most: f32) {
        self.0.push((towards, most.max(0.0)));
    }

    /// The step nearly as far as it was, along the walls where it would go through them.
    pub fn fit(&self, step: Vec3) -> Vec3 {
        if self.0.iter().all(|(towards, most)| step.dot(*towards) <= *most) {
            return step;
        }
        let mut fitted = step;
        for _ in 0..ROUNDS {
            for (towards, most) in &self.0 {
                let beyond = fitted.dot(*towards) - most;
                if beyond > 0.0 {
                    fitted -= *towards * beyond;
                }
            }
        }
        // Walls at sharp angles may need more rounds: what is still too much is too much of all of it.
        let part = self.0.iter().map(|(towards, most)| {
            let along = fitted.dot(*towards);
            if along > *most { most / along } else { 1.0 }
        });
        (fitted * part.fold(1.0, f32::min)).clamp_length_max(step.length())
    }
}
