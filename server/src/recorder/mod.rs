//! Who works out what is kept frame by frame: in the background while a scene is open, at once for everything else; what
//! is done is kept on a shelf.

mod shelf;
mod studio;

pub use shelf::Shelf;
pub use studio::{AtDesk, Desk, Studio};

use zickzack_core::graph::{Order, Recorder, Taken};
use zickzack_core::motion::{Simulated, Take, record};

/// Said where nothing is there and nobody works at it.
const STOPPED: &str = "Stopped before it was done.";

/// Takes from the shelf what lies there, and works out the rest at once.
pub struct FromShelf<'a>(pub &'a Shelf);

impl Recorder for FromShelf<'_> {
    fn take(&self, order: &Order<'_>) -> Result<Taken, String> {
        if let Some(take) = self.0.find(&order.key).filter(|take| fits(take, order)) {
            return Taken::of(&take, false);
        }
        let mut simulated: Box<dyn Simulated> = (order.make)()?;
        let take = record(&mut *simulated, (order.from, order.of), &[], order.cancel, &mut |_| ());
        if !take.is_complete() {
            return Err(STOPPED.to_owned());
        }
        self.0.put(&order.key, &take);
        Taken::of(&take, false)
    }
}

/// Never works anything out: for what is only tried.
pub struct FromShelfOnly<'a>(pub &'a Shelf);

impl Recorder for FromShelfOnly<'_> {
    fn take(&self, order: &Order<'_>) -> Result<Taken, String> {
        match self.0.find(&order.key).filter(|take| fits(take, order)) {
            Some(take) => Taken::of(&take, false),
            None => Err(STOPPED.to_owned()),
        }
    }
}

fn fits(take: &Take, order: &Order<'_>) -> bool {
    take.from == order.from && take.of == order.of
}
