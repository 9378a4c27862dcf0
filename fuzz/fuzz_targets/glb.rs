//! Models, and what else is brought in as bytes.
#![no_main]

use zickzack_formats::{media, model, picture, recording};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    // The reader of models breaks off over some damaged files, and that is caught; what nobody catches still ends this.
    std::panic::set_hook(Box::new(|_| ()));
    let _ = model::read(bytes);
    let _ = model::corners(bytes);
    let _ = picture::read(bytes);
    let _ = recording::read(bytes);
    media::known(media::of(bytes));
});
