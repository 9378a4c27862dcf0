//! Drawings: outlines or a refusal, whatever is in them.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    let _ = zickzack_formats::svg::read(text);
});
