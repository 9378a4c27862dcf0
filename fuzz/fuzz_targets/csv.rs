//! Tables of places.
#![no_main]

libfuzzer_sys::fuzz_target!(|text: &str| {
    let _ = zickzack_formats::table::read(text);
});
