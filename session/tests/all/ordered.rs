//! Files as they are ordered, and what is said on the way.

use serde_json::json;
use std::io::{self, Cursor, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::Arc;
use zickzack_core::graph::{AtOnce, Memo};
use zickzack_core::keys::{FileForm, Keying};
use zickzack_core::motion::{Cancel, Frames};
use zickzack_core::nodes::Registry;
use zickzack_core::scene::Scene;
use zickzack_session::{HandOff, HandOffError, Order, Session};

/// Where a file goes; notes how far it is said to be whenever something comes.
struct Noted<'a> {
    out: Cursor<Vec<u8>>,
    cancel: &'a Cancel,
    reached: Vec<f64>,
}

impl Write for Noted<'_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.reached.push(self.cancel.reached());
        self.out.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.out.flush()
    }
}

impl Seek for Noted<'_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.out.seek(to)
    }
}

const LAP: Frames = Frames { from: 0.0, to: 48.0 };

/// A few riders, and many of another Output that stand together in USD; nobody waits for what is written.
fn many() -> Session {
    let ride = |riders: u32| json!({ "type": "ride", "name": "Ride", "params": { "riders": riders, "laps": "1" } });
    let document = json!({
        "format": "zickzack-scene", "version": 1, "name": "Many", "space": "deep", "fps": "24", "frames": 48,
        "nodes": {
            "ring": { "type": "figure", "name": "Ring" },
            "few": ride(10), "many": ride(300),
            "out": { "type": "output", "name": "Few" }, "out2": { "type": "output", "name": "Many" },
        },
        "threads": {
            "a": { "from": "ring", "to": "few", "port": "path" }, "b": { "from": "ring", "to": "many", "port": "path" },
            "c": { "from": "few", "to": "out", "port": "motion" }, "d": { "from": "many", "to": "out2", "port": "motion" },
        },
    });
    let registry = Arc::new(Registry::default());
    let scene = Scene::from_value(document, &registry.schemas).unwrap();
    Session::new(registry, scene, Arc::default())
}

fn order(form: FileForm) -> Order {
    Order { form, range: LAP, step: 1.0, keying: Keying::asked(1.0, Some(0.01), None), thing: 0 }
}

#[test]
fn what_is_written_says_how_far_it_is_and_never_goes_back() {
    let stilts = Path::new(env!("CARGO_MANIFEST_DIR")).join("../demo/stilt-walker.json");
    let walker = Session::read(&stilts, Arc::new(Registry::default())).unwrap();
    let many = many();
    for (session, form) in [
        (&many, FileForm::Table),
        (&many, FileForm::Model),
        (&many, FileForm::Stage),
        (&many, FileForm::Package),
        (&walker, FileForm::Joints),
    ] {
        let cancel = Cancel::default();
        let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
        let hand_off = HandOff::of(session, &compiled, |_| true);
        assert_eq!(cancel.reached(), 0.0);
        let mut noted = Noted { out: Cursor::default(), cancel: &cancel, reached: Vec::new() };
        // Numbers of a model are put down aside before: those who put them there look too.
        let mut aside = Noted { out: Cursor::default(), cancel: &cancel, reached: Vec::new() };
        match form {
            FileForm::Stage | FileForm::Table | FileForm::Joints => {
                hand_off.write(&order(form), || Ok(Cursor::new(Vec::new())), &mut noted, &cancel).unwrap();
            }
            _ => {
                let file = Shared(&mut aside);
                hand_off.write(&order(form), || Ok(file), &mut noted, &cancel).unwrap();
            }
        }
        assert_eq!(cancel.reached(), 1.0, "{form:?}");
        let reached: Vec<f64> = aside.reached.iter().chain(&noted.reached).copied().collect();
        assert!(reached.is_sorted(), "{form:?}: {reached:?}");
        if form != FileForm::Joints {
            let between = reached.iter().filter(|part| (0.1..0.9).contains(*part)).count();
            assert!(between > 0, "{form:?}: {reached:?}");
        }
        // It is read back from its beginning.
        let told = hand_off.told(&order(form), (&[], &mut noted.out), &cancel);
        assert!(told.is_ok() || form == FileForm::Model, "{form:?}");
    }
}

/// What is looked at afterwards.
struct Shared<'a, 'b>(&'a mut Noted<'b>);

impl Write for Shared<'_, '_> {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.0.write(bytes)
    }

    fn flush(&mut self) -> io::Result<()> {
        self.0.flush()
    }
}

impl Seek for Shared<'_, '_> {
    fn seek(&mut self, to: SeekFrom) -> io::Result<u64> {
        self.0.seek(to)
    }
}

impl io::Read for Shared<'_, '_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        self.0.out.read(into)
    }
}

#[test]
fn what_is_stopped_on_the_way_says_so_in_every_form() {
    let session = many();
    for form in [FileForm::Table, FileForm::Contacts, FileForm::Model, FileForm::Stage, FileForm::Package] {
        let cancel = Cancel::default();
        let compiled = session.compile(&Memo::default(), &AtOnce, &cancel);
        let hand_off = HandOff::of(&session, &compiled, |_| true);
        cancel.cancel();
        let made = hand_off.write(&order(form), || Ok(Cursor::new(Vec::new())), &mut Cursor::new(Vec::new()), &cancel);
        let stopped =
            made.err().is_some_and(|why: HandOffError| why.to_string().contains("stopped before it was ready"));
        assert!(stopped || form == FileForm::Contacts, "{form:?}");
    }
}
