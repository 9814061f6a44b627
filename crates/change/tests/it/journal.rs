//! The journal's files: they are read back as written, damage is noticed, and an unknown word is an error.

use std::collections::BTreeMap;
use std::fs;
use std::path::Path;
use std::sync::Mutex;

use proptest::prelude::*;
use upright_spanner_change::{
    Content, CopiedFile, Copies, Draft, Engine, Failure, FileState, Journal, Mark, Memory, Mending,
    NoCopies, Notes, OUTCOME, Owner, Place, Record, RecordState, Registry, RegistryValue, Scope,
    SettingKey, Side, Silent, Stamp, State, Step, Store, Target, TreePath, line,
};
use upright_spanner_settings::registry::{Value, ValueName};
use upright_spanner_settings::{Format, KeyPath};

fn path() -> impl Strategy<Value = TreePath> {
    "[a-zA-Z0-9 äß._-]{0,8}[a-z0-9](/[a-zA-Z0-9é]{1,6}){0,2}"
        .prop_filter_map("no path", |text| TreePath::new(&text).ok())
}

fn place() -> impl Strategy<Value = Place> {
    let bay = Path::new(if cfg!(windows) { r"E:\Client" } else { "/client" });
    (path(), any::<bool>()).prop_map(move |(path, elsewhere)| {
        let root = Path::new(if cfg!(windows) { r"D:\Games\Pier" } else { "/games/pier" });
        Place::new(root, if elsewhere { bay } else { root }, path).unwrap()
    })
}

fn side() -> impl Strategy<Value = Side> {
    let stamp =
        (any::<i32>(), 0u32..1_000_000_000, proptest::option::of(0u32..0o7777), any::<bool>());
    let file =
        (proptest::collection::vec(any::<u8>(), 0..4), stamp, proptest::option::of("\\PC{0,9}"));
    let file = file.prop_map(|(bytes, (seconds, nanos, mode, read_only), label)| {
        let modified = (seconds.into(), nanos);
        let stamp = Stamp { mode, read_only, ..Stamp::fresh(modified) };
        Side::file(FileState { content: Content::of_bytes(&bytes), stamp }, label)
    });
    prop_oneof![1 => Just(Side::ABSENT), 3 => file]
}

fn step() -> impl Strategy<Value = Step> {
    let source = proptest::option::of("[a-z]{1,6}@[0-9.]{1,6}");
    let value = (".{0,6}", prop::collection::vec(any::<u8>(), 0..4), 0u32..12, 0usize..3);
    (place(), side(), side(), "\\PC{0,8}", source, 0usize..7, value).prop_map(
        |(place, before, after, owner, source, kind, (text, data, number, around))| {
            let owner = Owner::of_family(&owner);
            let path = KeyPath::new(["a section", "a key"]).unwrap();
            let format = Format::ALL[number as usize % 4];
            let name =
                ValueName::new(r"Software\Maker", &text.replace(['\0', '\n', '\r'], "")).unwrap();
            let unset = State::Unset { around };
            let holds = State::Value(Value { kind: number, data });
            let step = match kind {
                0 => Step::make_folder(place, &owner),
                1 => Step::remove_folder(place, Some(0o755), &owner),
                2 => Step::read_only(place, State::mark(false), true, &owner),
                3 => Step::setting(
                    SettingKey { place, format, path },
                    State::Setting(text),
                    unset,
                    &owner,
                ),
                4 => {
                    let value = RegistryValue { registry: Registry::Prefix(place), value: name };
                    Step::value(value, holds, unset, &owner)
                }
                5 => {
                    let value = RegistryValue { registry: Registry::Windows, value: name };
                    Step::value(value, unset, holds, &owner)
                }
                _ => Step::replace(place, before, after, &owner),
            };
            step.from_source(source)
        },
    )
}

/// A journal with one change of some steps in it, done in memory.
fn written(folder: &Path, steps: Vec<Step>, summary: &str) -> (Journal, Record) {
    let journal = Journal::open(&folder.join("journal")).unwrap();
    let store = Store::open(&folder.join("store")).unwrap();
    let memory = Memory::default();
    for step in steps.iter().rev() {
        memory.put(step.target(), step.before().state.clone());
    }
    let spares = steps.iter().map(|step| step.file().cloned()).collect();
    let draft = Draft { summary: summary.to_owned(), ..draft(folder, steps) };
    let engine = Engine { journal: &journal, copies: &NoCopies, store: &store, progress: &Silent };
    // Steps about one target may contradict each other: then it is put back, and journalled as that.
    let _ = engine.apply_with(draft, spares, &memory);
    let record = journal.read(&NoCopies).unwrap().records.remove(0);
    (journal, record)
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 24 } else { 128 }))]

    #[test]
    fn what_is_written_is_read_as_it_was(
        steps in proptest::collection::vec(step(), 1..6),
        summary in "\\PC{0,20}",
    ) {
        let folder = tempfile::tempdir().unwrap();
        let (journal, record) = written(folder.path(), steps.clone(), &summary);
        prop_assert_eq!(&record.steps, &steps);
        prop_assert_eq!(&record.summary, &summary);
        prop_assert!(record.state != RecordState::Open);
        prop_assert!(journal.read(&NoCopies).unwrap().faults.is_empty());
        // The first reading keeps copies, and the second reads these.
        let shelf = Shelf::default();
        for _ in 0..2 {
            prop_assert_eq!(&journal.read(&shelf).unwrap().records, &vec![record.clone()]);
        }
        prop_assert_eq!(shelf.all().len(), 1);
    }

    /// Whatever is done to a file, it is read without a panic, and a change in it shows.
    #[test]
    fn damage_shows(at in any::<prop::sample::Index>(), byte in any::<u8>(), cut in any::<bool>()) {
        let folder = tempfile::tempdir().unwrap();
        let place = Place::from(TreePath::new("lens.dll").unwrap());
        let stamp = Stamp::fresh((1, 0));
        let file = |bytes| Side::file(FileState { content: Content::of_bytes(bytes), stamp }, None);
        let steps = vec![Step::replace(place, file(b"old"), file(b"new"), &Owner::of_family("lens"))];
        let (journal, record) = written(folder.path(), steps, "fit lens");
        let mut bytes = fs::read(journal.path(1)).unwrap();
        let at = at.index(bytes.len());
        if cut { bytes.truncate(at) } else { bytes[at] = byte }
        let (read, faults) = Record::parse(&String::from_utf8_lossy(&bytes));
        let is_same = read.as_ref().is_some_and(|read| {
            (&read.steps, &read.summary) == (&record.steps, &record.summary)
                && (read.state == record.state || read.state == RecordState::Open)
        });
        prop_assert!(is_same || !faults.is_empty());
    }

    #[test]
    fn any_text_is_read_or_refused(text in "(\\PC|\n){0,200}") {
        let (record, faults) = Record::parse(&text);
        prop_assert!(record.is_some() || !faults.is_empty());
    }
}

#[test]
fn an_unknown_word_is_an_error_and_not_open() {
    let folder = tempfile::tempdir().unwrap();
    let place = Place::from(TreePath::new("lens.dll").unwrap());
    let steps = vec![Step::read_only(place, State::mark(false), true, &Owner::of_family("lens"))];
    let (journal, record) = written(folder.path(), steps, "fit lens");
    assert_eq!(record.steps[0].after().state, State::mark(true));
    let text = fs::read_to_string(journal.path(1)).unwrap();
    let document = |line: &str| line.split_once(' ').unwrap().1.to_owned();
    for (word, other) in
        [("\"done\"", "\"dozing\""), ("\"done\"", "\"open\""), ("\"read-only\"", "\"shortcut\"")]
    {
        // As a later version might write it, with its checksum.
        let lines = text.lines().map(|text| {
            if !text.contains(word) {
                return text.to_owned();
            }
            let value: serde_json::Value =
                serde_json::from_str(&document(text).replace(word, other)).unwrap();
            line::line(&value, Path::new("x")).unwrap().trim_end().to_owned()
        });
        let changed = lines.collect::<Vec<_>>().join("\n") + "\n";
        fs::write(journal.path(1), changed).unwrap();
        let read = journal.read(&NoCopies).unwrap();
        assert_eq!(read.faults.len(), 1, "{word}");
        assert!(read.faults[0].what.contains("unknown variant"), "{}", read.faults[0].what);
    }
}

#[test]
fn a_row_of_missing_files_is_one_fault_however_long_it_is() {
    let folder = tempfile::tempdir().unwrap();
    let place = Place::from(TreePath::new("lens.dll").unwrap());
    let steps = || {
        vec![Step::read_only(place.clone(), State::mark(false), true, &Owner::of_family("lens"))]
    };
    let (journal, _) = written(folder.path(), steps(), "fit lens");
    // Somebody copies a file to a name that is far away.
    fs::copy(journal.path(1), journal.path(i64::MAX)).unwrap();
    let read = journal.read(&NoCopies).unwrap();
    assert_eq!(read.records.len(), 1);
    let faults: Vec<(i64, &str)> =
        read.faults.iter().map(|fault| (fault.number, fault.what.as_str())).collect();
    let (first, other) = (faults[0], faults[1]);
    assert_eq!(faults.len(), 2);
    assert!(first.0 == 2 && first.1.contains("each one up to 9223372036854775806"), "{first:?}");
    assert_eq!(other, (i64::MAX, "it is about another change"));

    // No number is left: nothing is touched, and the error names the file.
    let store = Store::open(&folder.path().join("store")).unwrap();
    let engine = Engine { journal: &journal, copies: &NoCopies, store: &store, progress: &Silent };
    let draft = draft(folder.path(), steps());
    let memory = Memory::default();
    memory.put(steps()[0].target(), State::mark(false));
    let failure = engine.apply_with(draft, vec![None], &memory).unwrap_err();
    let Failure::Untouched(error) = failure else { panic!("{failure:?}") };
    assert!(error.to_string().contains("the highest number is used up"), "{error}");
    assert_eq!(memory.get(steps()[0].target()), State::mark(false));
}

/// A change of these steps.
fn draft(root: &Path, steps: Vec<Step>) -> Draft {
    Draft {
        game: "pier".to_owned(),
        scope: Scope { root: root.to_owned(), ..Scope::default() },
        root: None,
        summary: "fit lens".to_owned(),
        notes: Notes::of(&["fit"]).unwrap(),
        steps,
        in_use: false,
        supplies: Vec::new(),
    }
}

/// Copies of journal files, as an index keeps them.
#[derive(Debug, Default)]
struct Shelf(Mutex<BTreeMap<i64, (CopiedFile, String)>>);

impl Copies for Shelf {
    fn all(&self) -> BTreeMap<i64, CopiedFile> {
        let kept = self.0.lock().unwrap();
        kept.iter().map(|(number, (copy, _))| (*number, copy.clone())).collect()
    }

    fn text(&self, number: i64) -> Option<String> {
        self.0.lock().unwrap().get(&number).map(|(_, text)| text.clone())
    }

    fn ended(&self) -> BTreeMap<i64, Mark> {
        let kept = self.0.lock().unwrap();
        let ended = kept.iter().filter(|(_, (_, text))| text.contains(OUTCOME));
        ended.map(|(number, (copy, _))| (*number, copy.mark)).collect()
    }

    fn keep(&self, number: i64, copy: &CopiedFile, text: &str) {
        self.0.lock().unwrap().insert(number, (copy.clone(), text.to_owned()));
    }
}

/// Changes of one mark in memory: set, taken away, set.
fn three(folder: &Path) -> Journal {
    let journal = Journal::open(&folder.join("journal")).unwrap();
    let store = Store::open(&folder.join("store")).unwrap();
    let engine = Engine { journal: &journal, copies: &NoCopies, store: &store, progress: &Silent };
    let place = Place::from(TreePath::new("lens.dll").unwrap());
    let memory = Memory::default();
    memory.put(&Target::ReadOnly(place.clone()), State::mark(false));
    for (before, after) in [(false, true), (true, false), (false, true)] {
        let draft = draft(
            folder,
            vec![Step::read_only(
                place.clone(),
                State::mark(before),
                after,
                &Owner::of_family("lens"),
            )],
        );
        engine.apply_with(draft, vec![None], &memory).unwrap();
    }
    journal
}

/// Takes the line that says how a change ended out of its file.
fn without_outcome(journal: &Journal, number: i64) {
    let text = fs::read_to_string(journal.path(number)).unwrap();
    let lines: Vec<&str> = text.lines().filter(|line| !line.contains("\"outcome\"")).collect();
    fs::write(journal.path(number), lines.join("\n") + "\n").unwrap();
}

fn states(journal: &Journal, copies: &dyn Copies) -> Vec<RecordState> {
    journal.read(copies).unwrap().records.iter().map(|record| record.state).collect()
}

#[test]
fn that_every_change_has_ended_is_known_without_reading_where_copies_say_so() {
    let folder = tempfile::tempdir().unwrap();
    let journal = three(folder.path());
    let shelf = Shelf::default();
    assert!(!Journal::has_ended(&journal.marks().unwrap(), &shelf), "nothing is copied yet");
    assert!(!Journal::has_ended(&journal.marks().unwrap(), &NoCopies));
    states(&journal, &shelf);
    assert!(Journal::has_ended(&journal.marks().unwrap(), &shelf));

    let whole = fs::read(journal.path(2)).unwrap();
    without_outcome(&journal, 2);
    assert!(
        !Journal::has_ended(&journal.marks().unwrap(), &shelf),
        "the file is another than was copied"
    );
    states(&journal, &shelf);
    fs::write(journal.path(2), whole).unwrap();
    assert!(!Journal::has_ended(&journal.marks().unwrap(), &shelf));
    states(&journal, &shelf);
    assert!(Journal::has_ended(&journal.marks().unwrap(), &shelf));

    // A summary may hold the words that end a change; in a line they are written otherwise.
    let step =
        Step::make_folder(Place::from(TreePath::new("Data").unwrap()), &Owner::of_family("lens"));
    let other = tempfile::tempdir().unwrap();
    let (journal, _) = written(other.path(), vec![step], OUTCOME);
    without_outcome(&journal, 1);
    states(&journal, &shelf);
    assert!(!Journal::has_ended(&journal.marks().unwrap(), &shelf));
}

/// A copy in the index counts only if it is unaltered; otherwise the file is read.
#[test]
fn a_copy_that_was_altered_counts_for_nothing() {
    let folder = tempfile::tempdir().unwrap();
    let journal = three(folder.path());
    let shelf = Shelf::default();
    let wanted = journal.read(&shelf).unwrap().records;
    let whole = shelf.all();
    for at in 0..whole[&2].packed.len() {
        let mut copy = whole[&2].clone();
        copy.packed[at] ^= 1;
        shelf.keep(2, &copy, "another text");
        let read = journal.read(&shelf).unwrap();
        assert_eq!((&read.records, read.faults.len()), (&wanted, 0), "byte {at}");
    }
    // The copy of another change is not used.
    shelf.keep(2, &CopiedFile { mark: whole[&2].mark, ..whole[&1].clone() }, "another text");
    assert_eq!(journal.read(&shelf).unwrap().records, wanted);
    assert_eq!(shelf.all()[&2].packed, whole[&2].packed, "a copy that is wrong is made again");
}

#[test]
fn how_a_change_ended_is_told_by_its_copy_or_by_a_later_one() {
    const ALL_DONE: [RecordState; 3] = [RecordState::Done; 3];
    for with_copies in [false, true] {
        let folder = tempfile::tempdir().unwrap();
        let journal = three(folder.path());
        let shelf = Shelf::default();
        let copies: &dyn Copies = if with_copies { &shelf } else { &NoCopies };
        assert_eq!(states(&journal, copies), ALL_DONE);
        for number in [1, 2] {
            without_outcome(&journal, number);
            let read = journal.read(copies).unwrap();
            let fault = &read.faults[0];
            let by = format!("how it ended is missing; change {} went on from there", number + 1);
            let (what, mending) = if with_copies {
                ("its end is missing".to_owned(), Mending::Copy)
            } else {
                (by, Mending::Outcome(RecordState::Done))
            };
            assert_eq!((read.faults.len(), fault.number, &fault.what), (1, number, &what));
            assert_eq!(fault.mending, Some(mending));
            assert_eq!(states(&journal, copies), ALL_DONE, "and it counts as done");
            journal.mend(fault, copies).unwrap();
            assert!(journal.read(&NoCopies).unwrap().faults.is_empty());
            assert_eq!(states(&journal, &NoCopies), ALL_DONE);
        }
        // Of the last one nothing but a copy tells.
        without_outcome(&journal, 3);
        let last = states(&journal, copies)[2];
        assert_eq!(last, if with_copies { RecordState::Done } else { RecordState::Open });
    }
}

#[test]
fn a_later_change_that_found_what_was_before_shows_that_the_earlier_was_put_back() {
    let folder = tempfile::tempdir().unwrap();
    let journal = three(folder.path());
    // The second one is gone, and the third began if the first had begun.
    fs::remove_file(journal.path(2)).unwrap();
    without_outcome(&journal, 1);
    let read = journal.read(&NoCopies).unwrap();
    assert_eq!(read.records[0].state, RecordState::PutBack);
    let what: Vec<&str> = read.faults.iter().map(|fault| fault.what.as_str()).collect();
    assert_eq!(what, ["it is missing", "how it ended is missing; change 3 went on from there"]);
}

#[test]
fn whatever_has_the_name_of_a_journal_file_counts_as_one() {
    let folder = tempfile::tempdir().unwrap();
    let journal = three(folder.path());
    fs::remove_file(journal.path(3)).unwrap();
    fs::create_dir(journal.path(3)).unwrap();
    let read = journal.read(&NoCopies).unwrap();
    assert_eq!((read.records.len(), read.faults.len(), read.faults[0].number), (2, 1, 3));
    // The next change gets its own number.
    let store = Store::open(&folder.path().join("store")).unwrap();
    let engine = Engine { journal: &journal, copies: &NoCopies, store: &store, progress: &Silent };
    let place = Place::from(TreePath::new("other.dll").unwrap());
    let memory = Memory::default();
    memory.put(&Target::ReadOnly(place.clone()), State::mark(false));
    let draft = draft(
        folder.path(),
        vec![Step::read_only(place, State::mark(false), true, &Owner::of_family("lens"))],
    );
    assert_eq!(engine.apply_with(draft, vec![None], &memory).unwrap().number, 4);
}
