//! Formulas: numbers or a refusal.
#![no_main]

use zickzack_core::formula::{Formula, Inputs, Variable};

libfuzzer_sys::fuzz_target!(|text: &str| {
    if let Ok(formula) = Formula::parse(text) {
        for x in [-1.0, 0.0, 0.5, 1e300] {
            formula.value(&Inputs::default().with(Variable::Frame, x));
        }
    }
});
