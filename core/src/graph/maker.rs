//! Node types whose parameters are fields.

use super::node::{Context, NodeType, Outcome};
use crate::scene::{Fields, Params};
use crate::schema::Schema;
use std::cell::LazyCell;

/// A kind of node whose parameters are read once, as what they are.
pub trait Maker: Send + Sync {
    /// Its parameters.
    type Own: Fields;

    /// What it declares; its parameters are those of its fields.
    fn schema(&self) -> Schema;

    /// Its result, as [`NodeType::evaluate`] says, from what is given for its parameters.
    fn evaluate(&self, own: &Self::Own, context: &Context<'_>) -> Result<Outcome, String>;

    /// As [`NodeType::moves`].
    fn moves(&self, own: &Own<'_, Self::Own>) -> bool {
        let _ = own;
        false
    }

    /// As [`NodeType::sized_by`].
    fn sized_by(&self, own: &Own<'_, Self::Own>, threaded: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        let _ = (own, threaded);
        None
    }

    /// As [`NodeType::fitted_by`].
    fn fitted_by(&self, own: &Own<'_, Self::Own>) -> Option<&'static str> {
        let _ = own;
        None
    }
}

/// What is given for a node's parameters, read when it is first looked at.
pub type Own<'a, F> = LazyCell<F, Box<dyn FnOnce() -> F + 'a>>;

fn own<'a, F: Fields + 'a>(params: &'a Params<'a>) -> Own<'a, F> {
    LazyCell::new(Box::new(move || F::read(params)))
}

impl<M: Maker> NodeType for M {
    fn schema(&self) -> Schema {
        let schema = Maker::schema(self);
        debug_assert!(
            schema.params.iter().map(|param| param.name).eq(M::Own::params().iter().map(|param| param.name)),
            "{} declares other parameters than it reads",
            schema.name
        );
        schema
    }

    fn evaluate(&self, context: &Context<'_>) -> Result<Outcome, String> {
        Maker::evaluate(self, &M::Own::read(&context.params), context)
    }

    fn moves(&self, params: &Params<'_>) -> bool {
        Maker::moves(self, &own(params))
    }

    fn sized_by(&self, params: &Params<'_>, threaded: &dyn Fn(&str) -> bool) -> Option<(&'static str, f64)> {
        Maker::sized_by(self, &own(params), threaded)
    }

    fn fitted_by(&self, params: &Params<'_>) -> Option<&'static str> {
        Maker::fitted_by(self, &own(params))
    }
}
