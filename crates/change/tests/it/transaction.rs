//! The engine on memory and on disk: whole or not at all, and nothing lost.

use std::fs;
use std::path::{Path, PathBuf};

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_change::carrier::{Carriers, OnDisk};
use upright_spanner_change::{
    Content, Draft, Engine, Error, Failure, FileState, Journal, Memory, NoCopies, Notes, Owner,
    Place, Progress, RecordState, Registry, RegistryValue, Scope, SettingKey, Side, Silent, Stamp,
    State, Step, StepOutcome, Store, Supply, Target, Territory, TreePath,
};
use upright_spanner_settings::registry::{Value, ValueName};
use upright_spanner_settings::{Format, KeyPath};

fn place(path: &str) -> Place {
    TreePath::new(path).unwrap().into()
}

fn file(bytes: &[u8]) -> Side {
    let stamp = Stamp::fresh((1_700_000_000, 0));
    Side::file(FileState { content: Content::of_bytes(bytes), stamp }, None)
}

/// A folder with a home in it and a game.
struct Bench {
    folder: TempDir,
    journal: Journal,
    store: Store,
}

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        fs::create_dir(folder.path().join("game")).unwrap();
        let journal = Journal::open(&folder.path().join("journal")).unwrap();
        let store = Store::open(&folder.path().join("store")).unwrap();
        Self { folder, journal, store }
    }

    fn game(&self) -> PathBuf {
        self.folder.path().join("game")
    }

    fn scope(&self) -> Scope {
        Scope { root: self.game(), ..Scope::default() }
    }

    fn engine(&self) -> Engine<'_> {
        let (journal, store) = (&self.journal, &self.store);
        Engine { journal, copies: &NoCopies, store, progress: &Silent }
    }

    fn draft(&self, steps: Vec<Step>) -> Draft {
        Draft {
            game: "pier".to_owned(),
            scope: self.scope(),
            root: None,
            summary: "fit lens".to_owned(),
            notes: Notes::of(&()).unwrap(),
            steps,
            in_use: true,
            supplies: Vec::new(),
        }
    }

    fn write(&self, path: &str, bytes: &[u8]) {
        let path = self.game().join(path);
        fs::create_dir_all(path.parent().unwrap()).unwrap();
        fs::write(path, bytes).unwrap();
    }

    fn now(&self, path: &str) -> Side {
        Territory::open(&self.scope()).unwrap().file(&place(path)).unwrap().into()
    }

    /// The present state of a target.
    fn look(&self, target: &Target) -> State {
        let territory = Territory::open(&self.scope()).unwrap();
        OnDisk::new(&territory, &self.store, true).of(target).look(target).unwrap()
    }

    /// Everything below the game's folder: folders, and files with their contents.
    fn picture(&self) -> Vec<(PathBuf, Option<Vec<u8>>)> {
        let mut found = Vec::new();
        collect(&self.game(), &mut found);
        found.sort();
        found
    }
}

fn collect(folder: &Path, found: &mut Vec<(PathBuf, Option<Vec<u8>>)>) {
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() {
            collect(&path, found);
            found.push((path, None));
        } else {
            let bytes = fs::read(&path).unwrap();
            found.push((path, Some(bytes)));
        }
    }
}

#[test]
fn files_and_folders_come_and_go_and_come_back_with_their_marks() {
    let bench = Bench::new();
    bench.write("bin/lens.dll", b"old");
    bench.write("old/one.bin", b"one");
    let mut permissions = fs::metadata(bench.game().join("bin/lens.dll")).unwrap().permissions();
    permissions.set_readonly(true);
    fs::set_permissions(bench.game().join("bin/lens.dll"), permissions).unwrap();
    let before = bench.picture();
    let (lens, one) = (bench.now("bin/lens.dll"), bench.now("old/one.bin"));
    for bytes in [&b"new"[..], b"two"] {
        bench.store.keep_bytes(bytes).unwrap();
    }

    let steps = vec![
        Step::make_folder(place("new"), &Owner::of_family("lens")),
        Step::make_folder(place("new/deep"), &Owner::of_family("lens")),
        Step::replace(place("bin/lens.dll"), lens.clone(), file(b"new"), &Owner::of_family("lens")),
        Step::replace(
            place("new/deep/two.bin"),
            Side::ABSENT,
            file(b"two"),
            &Owner::of_family("lens"),
        ),
        Step::replace(place("old/one.bin"), one, Side::ABSENT, &Owner::of_family("lens")),
        Step::remove_folder(place("old"), None, &Owner::of_family("lens")),
    ];
    let record = bench.engine().apply(bench.draft(steps)).unwrap();
    assert_eq!((record.number, record.state), (1, RecordState::Done));
    let names: Vec<PathBuf> = bench.picture().into_iter().map(|(path, _)| path).collect();
    let wanted = ["bin", "bin/lens.dll", "new", "new/deep", "new/deep/two.bin"];
    assert_eq!(names, wanted.map(|path| bench.game().join(path)), "and nothing lies about");

    let back = |step: &Step| step.taken_back(step.after().clone());
    let steps = record.steps.iter().rev().map(back).collect();
    bench.engine().apply(bench.draft(steps)).unwrap();
    assert_eq!(bench.picture(), before);
    assert_eq!(bench.now("bin/lens.dll"), lens, "with its date and its read-only mark");
    let read = bench.journal.read(&NoCopies).unwrap();
    assert!(read.faults.is_empty() && read.records[0] == record);
}

#[test]
fn a_folder_in_which_something_else_lies_stays() {
    let bench = Bench::new();
    bench.write("mods/theirs.bin", b"theirs");
    let steps = vec![Step::remove_folder(place("mods"), None, &Owner::of_family("lens"))];
    let record = bench.engine().apply(bench.draft(steps)).unwrap();
    assert!(bench.game().join("mods/theirs.bin").exists());
    let effects: Vec<_> = record.effects().map(|(_, side)| side.state.is_absent()).collect();
    assert_eq!(effects, [false], "the journal does not say that it went");
}

#[test]
fn what_is_not_as_expected_is_not_overwritten() {
    let bench = Bench::new();
    bench.write("a.dll", b"game's");
    bench.write("b.dll", b"altered meanwhile");
    bench.store.keep_bytes(b"new").unwrap();
    let before = bench.picture();
    for (path, expected) in [("b.dll", file(b"as long as thisx!")), ("b.dll", Side::ABSENT)] {
        let steps = vec![
            Step::replace(
                place("a.dll"),
                bench.now("a.dll"),
                file(b"new"),
                &Owner::of_family("lens"),
            ),
            Step::replace(place(path), expected, file(b"new"), &Owner::of_family("lens")),
        ];
        let failed = bench.engine().apply(bench.draft(steps)).unwrap_err();
        assert!(matches!(failed, Failure::PutBack { .. }), "{failed:?}");
        assert_eq!(bench.picture(), before);
    }
}

#[test]
fn what_is_supplied_is_stored_with_the_change_and_has_to_be_what_it_was() {
    let bench = Bench::new();
    bench.write("bin/lens.dll", b"old");
    bench.write("bin/lens.ini", b"[a]");
    let new = bench.folder.path().join("new.dll");
    fs::write(&new, b"new").unwrap();
    let step = |path, after| {
        Step::replace(place(path), bench.now(path), file(after), &Owner::of_family("lens"))
    };
    let draft = || Draft {
        supplies: vec![
            Supply::File(new.clone(), Content::of_bytes(b"new")),
            Supply::Bytes(b"[b]".to_vec()),
            Supply::Bytes(b"placed by nothing".to_vec()),
        ],
        ..bench.draft(vec![step("bin/lens.dll", b"new"), step("bin/lens.ini", b"[b]")])
    };

    fs::write(&new, b"odd").unwrap();
    let before = bench.picture();
    let Err(Failure::PutBack { cause, .. }) = bench.engine().apply(draft()) else { panic!() };
    assert!(matches!(cause, Error::NotAsExpected { path } if path == new));
    assert_eq!(bench.picture(), before);
    assert!(!bench.store.has(&Content::of_bytes(b"odd")));

    fs::write(&new, b"new").unwrap();
    bench.engine().apply(draft()).unwrap();
    assert_eq!(fs::read(bench.game().join("bin/lens.dll")).unwrap(), b"new");
    assert_eq!(fs::read(bench.game().join("bin/lens.ini")).unwrap(), b"[b]");
    for bytes in [&b"old"[..], b"[a]", b"new", b"[b]", b"placed by nothing"] {
        assert!(bench.store.is_whole(&Content::of_bytes(bytes)), "{bytes:?}");
    }
}

#[test]
fn a_place_outside_is_reached_by_a_grant_alone() {
    let bench = Bench::new();
    let other = bench.folder.path().join("other");
    fs::create_dir(&other).unwrap();
    bench.store.keep_bytes(b"new").unwrap();
    let path = TreePath::new("lens.dll").unwrap();
    let outside = Place::new(&bench.game(), &other, path).unwrap();
    let steps = || {
        vec![Step::replace(outside.clone(), Side::ABSENT, file(b"new"), &Owner::of_family("lens"))]
    };
    assert!(matches!(bench.engine().apply(bench.draft(steps())), Err(Failure::Untouched(_))));
    let mut draft = bench.draft(steps());
    draft.scope.bays.push(other.clone());
    bench.engine().apply(draft).unwrap();
    assert_eq!(fs::read(other.join("lens.dll")).unwrap(), b"new");
}

#[cfg(unix)]
#[test]
fn a_link_is_neither_followed_nor_replaced() {
    let bench = Bench::new();
    bench.write("bin/lens.dll", b"old");
    let outside = bench.folder.path().join("outside");
    fs::create_dir(&outside).unwrap();
    fs::write(outside.join("lens.dll"), b"old").unwrap();
    bench.store.keep_bytes(b"new").unwrap();
    let steps = || {
        vec![Step::replace(
            place("bin/lens.dll"),
            file(b"old"),
            file(b"new"),
            &Owner::of_family("lens"),
        )]
    };
    fs::remove_dir_all(bench.game().join("bin")).unwrap();
    std::os::unix::fs::symlink(&outside, bench.game().join("bin")).unwrap();
    let failed = bench.engine().apply(bench.draft(steps())).unwrap_err();
    assert!(matches!(failed, Failure::PutBack { .. }), "{failed:?}");
    fs::remove_file(bench.game().join("bin")).unwrap();
    fs::create_dir(bench.game().join("bin")).unwrap();
    std::os::unix::fs::symlink(outside.join("lens.dll"), bench.game().join("bin/lens.dll"))
        .unwrap();
    let failed = bench.engine().apply(bench.draft(steps())).unwrap_err();
    assert!(matches!(failed, Failure::PutBack { .. }), "{failed:?}");
    assert_eq!(fs::read(outside.join("lens.dll")).unwrap(), b"old");
    assert_eq!(fs::read_dir(&outside).unwrap().count(), 1);
}

/// Somebody has the file open and writes into it at the last moment: between the copy and the swap, or
/// into the file that was swapped out.
#[test]
fn what_is_written_into_a_file_while_it_is_replaced_is_not_lost() {
    use std::io::Write;

    struct Writer {
        file: fs::File,
        at: &'static str,
    }
    impl Progress for Writer {
        fn begin(&self, what: &str, _: Option<u64>) {
            if what == self.at {
                (&self.file).write_all(b"NEW").unwrap();
            }
        }
        fn advance(&self, _: u64) {}
        fn end(&self) {}
    }

    // Windows replaces nothing that someone has open, so there it ends before the reading back.
    let moments = if cfg!(windows) { &["swapping"][..] } else { &["swapping", "reading back"] };
    for &at in moments {
        let bench = Bench::new();
        bench.write("lens.dll", b"old");
        bench.store.keep_bytes(b"new").unwrap();
        let before = bench.now("lens.dll");
        let open = fs::File::options().write(true).open(bench.game().join("lens.dll")).unwrap();
        let writer = Writer { file: open, at };
        let steps =
            vec![Step::replace(place("lens.dll"), before, file(b"new"), &Owner::of_family("lens"))];
        let engine = Engine { progress: &writer, ..bench.engine() };
        let failed = engine.apply(bench.draft(steps)).unwrap_err();
        // As long as the writer has it open, a second name may stay.
        drop(writer);
        let Failure::PutBack { reports, .. } = failed else { panic!("{at}: {failed:?}") };
        assert!(matches!(reports[0].outcome, StepOutcome::Untouched));
        assert_eq!(fs::read(bench.game().join("lens.dll")).unwrap(), b"NEW", "{at}");
        let left: Vec<_> = bench.picture().into_iter().map(|(path, _)| path).collect();
        assert_eq!(left, [bench.game().join("lens.dll")], "{at}");
    }
}

/// Does something from outside when the engine begins something.
struct When<'a> {
    begins: &'a str,
    act: &'a (dyn Fn() + Sync),
}

impl Progress for When<'_> {
    fn begin(&self, what: &str, _: Option<u64>) {
        if what == self.begins {
            (self.act)();
        }
    }
    fn advance(&self, _: u64) {}
    fn end(&self) {}
}

#[test]
fn a_file_that_is_written_into_before_it_is_removed_stays_and_nothing_waits() {
    let bench = Bench::new();
    bench.write("lens.dll", b"old");
    bench.write("lens.ini", b"old");
    let path = bench.game().join("lens.ini");
    let act = || fs::write(&path, b"longer than it was").unwrap();
    let when = When { begins: "swapping", act: &act };
    let engine = Engine { progress: &when, ..bench.engine() };
    let goes = |path: &str| {
        Step::replace(place(path), bench.now(path), Side::ABSENT, &Owner::of_family("lens"))
    };
    let failed = engine.apply(bench.draft(vec![goes("lens.dll"), goes("lens.ini")])).unwrap_err();
    assert!(matches!(failed, Failure::PutBack { .. }), "{failed:?}");
    assert_eq!(fs::read(bench.game().join("lens.dll")).unwrap(), b"old");
    assert_eq!(fs::read(&path).unwrap(), b"longer than it was");
    assert_eq!(bench.picture().len(), 2);
}

/// Another process was quicker and has put the same content there. It is not ours to remove.
#[test]
fn what_someone_else_put_there_stays_though_it_is_what_was_to_come() {
    for begins in ["before", "storing old files and staging new ones", "swapping"] {
        let bench = Bench::new();
        bench.write("lens.dll", b"old");
        let before = bench.now("lens.dll");
        // The store has both contents, as after an earlier change.
        for bytes in [&b"old"[..], b"new"] {
            bench.store.keep_bytes(bytes).unwrap();
        }
        let path = bench.game().join("lens.dll");
        let act = || fs::write(&path, b"new").unwrap();
        if begins == "before" {
            act();
        }
        let when = When { begins, act: &act };
        let engine = Engine { progress: &when, ..bench.engine() };
        let steps =
            vec![Step::replace(place("lens.dll"), before, file(b"new"), &Owner::of_family("lens"))];
        let failed = engine.apply(bench.draft(steps)).unwrap_err();
        let Failure::PutBack { reports, .. } = failed else { panic!("{begins}: {failed:?}") };
        assert!(matches!(reports[0].outcome, StepOutcome::Untouched), "{begins}");
        assert_eq!(fs::read(&path).unwrap(), b"new", "{begins}");
        assert_eq!(bench.picture().len(), 1, "{begins}");
    }
}

/// For a large file, length and date are compared instead of the content: they show any write.
#[test]
fn a_large_file_that_something_writes_into_right_after_it_came_is_not_taken_for_ours() {
    const LONG: usize = (16 << 20) + 1;
    let bench = Bench::new();
    let path = bench.game().join("lens.dll");
    let steps = |bench: &Bench, byte: u8| {
        let new = vec![byte; LONG];
        bench.store.keep_bytes(&new).unwrap();
        vec![Step::replace(
            place("lens.dll"),
            bench.now("lens.dll"),
            file(&new),
            &Owner::of_family("lens"),
        )]
    };
    let draft = |steps| Draft { in_use: false, ..bench.draft(steps) };
    bench.engine().apply(draft(steps(&bench, 1))).unwrap();
    let act = || {
        use std::io::Write;
        fs::File::options().write(true).open(&path).unwrap().write_all(b"theirs").unwrap();
    };
    let when = When { begins: "reading back", act: &act };
    let engine = Engine { progress: &when, ..bench.engine() };
    let failed = engine.apply(draft(steps(&bench, 2))).unwrap_err();
    let Failure::Waiting { reports, .. } = failed else { panic!("{failed:?}") };
    assert!(matches!(reports[0].outcome, StepOutcome::Neither(_)));
    assert!(fs::read(&path).unwrap().starts_with(b"theirs"), "and it is left alone");
    let old = Content::of_bytes(&vec![1; LONG]);
    assert!(bench.store.is_whole(&old), "what was there before is in the store");
}

#[test]
fn a_stored_file_has_one_name_and_is_read_only() {
    let bench = Bench::new();
    bench.write("lens.dll", b"old");
    bench.store.keep_bytes(b"new").unwrap();
    let steps = vec![Step::replace(
        place("lens.dll"),
        bench.now("lens.dll"),
        file(b"new"),
        &Owner::of_family("lens"),
    )];
    bench.engine().apply(bench.draft(steps)).unwrap();
    for content in bench.store.contents().unwrap() {
        let metadata = fs::metadata(bench.store.path(&content)).unwrap();
        assert!(metadata.permissions().readonly());
        #[cfg(unix)]
        assert_eq!(std::os::unix::fs::MetadataExt::nlink(&metadata), 1);
    }
    assert_eq!(bench.store.contents().unwrap().len(), 2);
}

#[test]
fn a_damaged_line_or_file_spoils_nothing_but_itself() {
    let bench = Bench::new();
    for (name, bytes) in [("a", b"1"), ("b", b"2"), ("c", b"3")] {
        bench.write(&format!("{name}.dll"), b"old");
        bench.store.keep_bytes(bytes).unwrap();
        let path = format!("{name}.dll");
        let steps = vec![
            Step::replace(place(&path), bench.now(&path), file(bytes), &Owner::of_family("lens")),
            Step::replace(
                place(&format!("{name}.new")),
                Side::ABSENT,
                file(bytes),
                &Owner::of_family("lens"),
            ),
        ];
        bench.engine().apply(bench.draft(steps)).unwrap();
    }
    let text = fs::read_to_string(bench.journal.path(2)).unwrap();
    for (damaged, readable) in [
        (text.replacen("b.dll", "x.dll", 1), Some(1)),
        (text.replacen("pier", "quay", 1), None),
        ("not a journal at all".to_owned(), None),
        (String::new(), None),
    ] {
        fs::write(bench.journal.path(2), damaged).unwrap();
        let read = bench.journal.read(&NoCopies).unwrap();
        assert_eq!(read.faults.len(), 1);
        assert_eq!(read.faults[0].number, 2);
        let second = read.records.iter().find(|record| record.number == 2);
        assert_eq!(second.map(|record| record.steps.len()), readable);
        assert_eq!(read.records.iter().filter(|record| record.number != 2).count(), 2);
    }
    fs::remove_file(bench.journal.path(2)).unwrap();
    assert_eq!(bench.journal.read(&NoCopies).unwrap().faults[0].what, "it is missing");
    // An outcome that was cut off was not written.
    let text = fs::read_to_string(bench.journal.path(3)).unwrap();
    fs::write(bench.journal.path(3), &text[..text.len() - 5]).unwrap();
    let read = bench.journal.read(&NoCopies).unwrap();
    assert_eq!(read.faults.len(), 1);
    assert_eq!(read.records.last().unwrap().state, RecordState::Open);
    let recovered = bench.engine().recover(read.records.last().unwrap(), &bench.scope());
    assert_eq!(recovered.state, RecordState::Done, "all of it had been done");
    assert_eq!(
        bench.journal.read(&NoCopies).unwrap().records.last().unwrap().state,
        RecordState::Done
    );
}

/// The possible states of a target in the model.
fn state() -> impl Strategy<Value = Option<u8>> {
    proptest::option::of(0u8..4)
}

fn side(value: Option<u8>) -> Side {
    value.map_or(Side::ABSENT, |value| file(&[value]))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 64 } else { 256 }))]

    /// Whichever operation fails or is the last one, each target has its old state or each has its new one after
    /// recovery, and anything that something else has put there is kept.
    #[test]
    fn a_change_in_memory_is_whole_or_not_at_all(
        sides in proptest::collection::vec((state(), state()), 1..5),
        operations in 0u64..40,
        death in any::<bool>(),
        meddle in proptest::option::of((0usize..5, 4u8..6)),
    ) {
        let bench = Bench::new();
        let memory = Memory::default();
        let target = |n: usize| Target::File(place(&format!("file-{n}")));
        let mut steps = Vec::new();
        for (n, (before, after)) in sides.iter().enumerate() {
            memory.put(&target(n), side(*before).state);
            // The store is a real one: recovery asks whether it has the originals.
            for value in [before, after].into_iter().flatten() {
                bench.store.keep_bytes(&[*value]).unwrap();
            }
            steps.push(Step::replace(place(&format!("file-{n}")), side(*before), side(*after), &Owner::of_family("lens")));
        }
        let spare = |n| Some(place(&format!("spare-{n}")));
        let spares = (0..steps.len()).map(spare).collect();
        memory.fail_after(Some(operations), death);
        let done = bench.engine().apply_with(bench.draft(steps), spares, &memory);
        memory.fail_after(None, false);

        let mut foreign = None;
        if let (Err(Failure::Waiting { .. }), Some((n, value))) = (&done, meddle) {
            if n < sides.len() {
                memory.put(&target(n), side(Some(value)).state);
                foreign = Some(n);
            }
        }
        let records = bench.journal.read(&NoCopies).unwrap().records;
        let record = &records[0];
        let state = if record.state == RecordState::Open {
            bench.engine().recover_with(record, &memory).state
        } else {
            record.state
        };
        prop_assert!(done.is_ok() == (state == RecordState::Done) || foreign.is_some() || death);
        for (n, (before, after)) in sides.iter().enumerate() {
            let now = memory.get(&target(n));
            if foreign == Some(n) {
                prop_assert_eq!(now, side(meddle.map(|(_, value)| value)).state);
                continue;
            }
            let wanted = if state == RecordState::Done { *after } else { *before };
            prop_assert_eq!(now, side(wanted).state);
        }
        prop_assert!(!memory.has_spares());
        prop_assert!(state != RecordState::Open || foreign.is_some());
    }
}

/// The program ended between the swap and its end, and something else wrote into the new file.
#[test]
fn a_change_that_cannot_be_put_back_is_settled_with_what_is_there() {
    let bench = Bench::new();
    bench.write("lens.dll", b"old");
    bench.write("other.dll", b"other");
    bench.store.keep_bytes(b"new").unwrap();
    let before = bench.now("lens.dll");
    let steps = vec![
        Step::replace(place("lens.dll"), before, file(b"new"), &Owner::of_family("lens")),
        Step::replace(
            place("other.dll"),
            bench.now("other.dll"),
            file(b"new"),
            &Owner::of_family("lens"),
        ),
    ];
    bench.engine().apply(bench.draft(steps)).unwrap();
    reopen(&bench, 1);
    bench.write("lens.dll", b"an update");
    let open = bench.journal.read(&NoCopies).unwrap().records.remove(0);
    let recovered = bench.engine().recover(&open, &bench.scope());
    assert_eq!(recovered.state, RecordState::Open);
    let StepOutcome::Neither(found) = &recovered.reports[0].outcome else {
        panic!("{:?}", recovered.reports);
    };
    assert_eq!(found.content(), Some(Content::of_bytes(b"an update")));
    assert!(matches!(recovered.reports[1].outcome, StepOutcome::AsBefore), "it goes on past it");
    assert_eq!(fs::read(bench.game().join("other.dll")).unwrap(), b"other");

    bench.engine().settle(&open, &bench.scope()).unwrap();
    let settled = bench.journal.read(&NoCopies).unwrap().records.remove(0);
    assert_eq!(settled.state, RecordState::Settled);
    let left: Vec<_> = settled.effects().filter_map(|(_, side)| side.state.content()).collect();
    assert_eq!(left, [Content::of_bytes(b"an update"), Content::of_bytes(b"other")]);
}

/// The program ended within a swap, which takes three steps if no two files can change places at once.
#[test]
fn a_swap_that_was_interrupted_between_its_steps_is_taken_up() {
    for replaced in [false, true] {
        for taken_up in ["recovered", "settled"] {
            let bench = Bench::new();
            bench.write("lens.dll", b"old");
            bench.store.keep_bytes(b"new").unwrap();
            let before = bench.picture();
            let step = Step::replace(
                place("lens.dll"),
                bench.now("lens.dll"),
                file(b"new"),
                &Owner::of_family("lens"),
            );
            bench.engine().apply(bench.draft(vec![step])).unwrap();
            reopen(&bench, 1);
            let open = bench.journal.read(&NoCopies).unwrap().records.remove(0);
            let spare = bench.game().join(open.spares[0].as_ref().unwrap().path().as_str());
            let second = spare
                .with_file_name(format!("{}-old", spare.file_name().unwrap().to_str().unwrap()));
            let old = if replaced { b"written at the last moment" } else { &b"old"[..] };
            fs::write(&second, old).unwrap();
            if !replaced {
                fs::rename(bench.game().join("lens.dll"), &spare).unwrap();
                fs::hard_link(&second, bench.game().join("lens.dll")).unwrap();
            }

            if taken_up == "settled" {
                bench.engine().settle(&open, &bench.scope()).unwrap();
                let now = if replaced { &b"new"[..] } else { b"old" };
                assert_eq!(fs::read(bench.game().join("lens.dll")).unwrap(), now);
                assert!(bench.store.is_whole(&Content::of_bytes(old)));
            } else {
                let recovered = bench.engine().recover(&open, &bench.scope());
                assert_eq!(recovered.state, RecordState::PutBack, "{:?}", recovered.reports);
                assert_eq!(fs::read(bench.game().join("lens.dll")).unwrap(), old);
            }
            assert_eq!(bench.picture().len(), before.len(), "nothing is left beside it");
        }
    }
}

const REGISTRY: &str = "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\n\n#arch=win64\n\n\
    [Software\\\\Maker] 1700000000\n\"Debug\"=dword:00000000\n";

fn setting(path: &str, key: [&str; 2]) -> Target {
    let path_in = KeyPath::new(key).unwrap();
    Target::Setting(SettingKey { place: place(path), format: Format::Ini, path: path_in })
}

/// A value of the registry of a prefix in the folder `prefix` of the game.
fn in_prefix(key: &str, name: &str) -> Target {
    let registry = Registry::Prefix(place("prefix/user.reg"));
    let value = ValueName::new(key, name).unwrap();
    Target::Value(RegistryValue { registry, value })
}

/// Steps about a key in a settings file, a new one in a new section, a value of a registry, a new one in a new
/// key, a file, and a mark.
fn steps_of_every_kind(bench: &Bench) -> Vec<Step> {
    bench.store.keep_bytes(b"new").unwrap();
    let text = |text: &str| State::Setting(text.to_owned());
    let value = |value: Value| State::Value(value);
    let step = |target: Target, after: State| {
        let now = bench.look(&target);
        Step::of(target, now.into(), after.into(), &Owner::of_family("lens"))
    };
    vec![
        step(setting("lens.ini", ["Render", "Depth"]), text("3")),
        step(setting("lens.ini", ["Extra", "Log"]), text("on")),
        step(in_prefix(r"Software\Maker", "Debug"), value(Value::dword(1))),
        step(in_prefix(r"Software\Maker\New\Deep", ""), value(Value::text("x"))),
        Step::replace(
            place("lens.dll"),
            bench.now("lens.dll"),
            file(b"new"),
            &Owner::of_family("lens"),
        ),
        step(Target::ReadOnly(place("lens.ini")), State::mark(true)),
    ]
}

fn bench_of_every_kind() -> Bench {
    let bench = Bench::new();
    bench.write("lens.ini", b"; mine\r\n[Render]\r\nDepth = 2 ; tuned\r\n");
    bench.write("prefix/user.reg", REGISTRY.as_bytes());
    bench.write("lens.dll", b"old");
    bench
}

#[test]
fn keys_and_values_are_set_alone_and_come_back() {
    let bench = bench_of_every_kind();
    let before = bench.picture();
    let record = bench.engine().apply(bench.draft(steps_of_every_kind(&bench))).unwrap();
    let read = |path: &str| fs::read_to_string(bench.game().join(path)).unwrap();
    assert_eq!(
        read("lens.ini"),
        "; mine\r\n[Render]\r\nDepth = 3 ; tuned\r\n[Extra]\r\nLog = on\r\n"
    );
    assert!(read("prefix/user.reg").contains("\"Debug\"=dword:00000001"));
    assert!(read("prefix/user.reg").contains("[Software\\\\Maker\\\\New\\\\Deep]"));
    assert_eq!(bench.journal.read(&NoCopies).unwrap().records[0], record);

    let back = |step: &Step| step.taken_back(step.after().clone());
    let steps = record.steps.iter().rev().map(back).collect();
    bench.engine().apply(bench.draft(steps)).unwrap();
    assert_eq!(bench.picture(), before);
}

/// A program writes its own settings between the change and what takes it back: both stay.
#[test]
fn what_else_is_in_the_file_may_change_meanwhile() {
    let bench = bench_of_every_kind();
    let mut steps = steps_of_every_kind(&bench);
    steps.truncate(4);
    let record = bench.engine().apply(bench.draft(steps)).unwrap();
    bench.write("lens.ini", b"[Own]\r\nx=1\r\n[Extra]\r\nLog=on\r\n[Render]\r\nDepth=3\r\n");
    let registry = fs::read_to_string(bench.game().join("prefix/user.reg")).unwrap();
    let sorted = registry.replace(
        "[Software\\\\Maker] 1700000000\n",
        "[Software\\\\Maker] 1800000000\n\"Own\"=\"1\"\n",
    );
    bench.write("prefix/user.reg", sorted.as_bytes());
    let back = |step: &Step| step.taken_back(step.after().clone());
    let steps = record.steps.iter().rev().map(back).collect();
    bench.engine().apply(bench.draft(steps)).unwrap();
    let read = |path: &str| fs::read_to_string(bench.game().join(path)).unwrap();
    assert_eq!(read("lens.ini"), "[Own]\r\nx=1\r\n[Render]\r\nDepth=2\r\n");
    let expected = REGISTRY.replace("1700000000\n", "1800000000\n\"Own\"=\"1\"\n");
    assert_eq!(read("prefix/user.reg"), expected);
}

/// A program writes into the file between the look and the exchange: its words are kept, and the key is set in
/// them.
#[test]
fn what_is_written_into_the_rest_at_the_last_moment_is_kept() {
    let bench = bench_of_every_kind();
    let mut steps = steps_of_every_kind(&bench);
    steps.truncate(1);
    let path = bench.game().join("lens.ini");
    let act = || fs::write(&path, "[Own]\nx=1\n[Render]\nDepth=2\n").unwrap();
    let when = When { begins: "swapping", act: &act };
    let engine = Engine { progress: &when, ..bench.engine() };
    engine.apply(bench.draft(steps)).unwrap();
    assert_eq!(fs::read_to_string(&path).unwrap(), "[Own]\nx=1\n[Render]\nDepth=3\n");

    // If the key itself has changed, it is not ours to set.
    let bench = bench_of_every_kind();
    let steps = steps_of_every_kind(&bench);
    let path = bench.game().join("lens.ini");
    let act = || fs::write(&path, "[Render]\nDepth=9\n").unwrap();
    let when = When { begins: "swapping", act: &act };
    let engine = Engine { progress: &when, ..bench.engine() };
    let failed = engine.apply(bench.draft(steps)).unwrap_err();
    assert!(matches!(failed, Failure::PutBack { .. }), "{failed:?}");
    assert_eq!(fs::read_to_string(&path).unwrap(), "[Render]\nDepth=9\n");
    assert_eq!(bench.picture().len(), 4, "and nothing lies about");
}

/// Takes the outcome of a change out of the journal, as if the program had ended before it.
fn reopen(bench: &Bench, number: i64) {
    let path = bench.journal.path(number);
    let text = fs::read_to_string(&path).unwrap();
    let mut lines: Vec<&str> = text.lines().collect();
    assert!(lines.pop().unwrap().contains("outcome"));
    fs::write(&path, lines.join("\n") + "\n").unwrap();
}

/// A virus scanner holds the new file, or the one that it replaces, for a moment.
#[cfg(windows)]
#[test]
fn a_rename_that_a_scanner_blocks_for_a_moment_is_tried_again() {
    use std::os::windows::fs::OpenOptionsExt;
    use std::sync::Mutex;
    use std::time::Duration;
    use upright_spanner_change::Progress;

    struct Scanner {
        path: PathBuf,
        threads: Mutex<Vec<std::thread::JoinHandle<()>>>,
    }
    impl Progress for Scanner {
        fn begin(&self, what: &str, _: Option<u64>) {
            if what == "swapping" {
                let shared_for_reading =
                    fs::File::options().read(true).share_mode(1).open(&self.path);
                let held = shared_for_reading.unwrap();
                self.threads.lock().unwrap().push(std::thread::spawn(move || {
                    std::thread::sleep(Duration::from_millis(250));
                    drop(held);
                }));
            }
        }
        fn advance(&self, _: u64) {}
        fn end(&self) {}
    }

    let bench = Bench::new();
    bench.write("lens.dll", b"old");
    bench.store.keep_bytes(b"new").unwrap();
    let before = bench.now("lens.dll");
    let scanner = Scanner { path: bench.game().join("lens.dll"), threads: Mutex::default() };
    let engine = Engine { progress: &scanner, ..bench.engine() };
    let steps =
        vec![Step::replace(place("lens.dll"), before, file(b"new"), &Owner::of_family("lens"))];
    engine.apply(bench.draft(steps)).unwrap();
    assert_eq!(fs::read(bench.game().join("lens.dll")).unwrap(), b"new");
    for thread in scanner.threads.into_inner().unwrap() {
        thread.join().unwrap();
    }
}

/// The date of creation is restored too, if the system lets it be set.
#[cfg(windows)]
#[test]
fn dates_of_creation_come_back() {
    use std::os::windows::fs::FileTimesExt;
    use std::time::{Duration, SystemTime};
    let bench = Bench::new();
    bench.write("lens.dll", b"old");
    bench.store.keep_bytes(b"new").unwrap();
    let long_ago = SystemTime::UNIX_EPOCH + Duration::from_secs(1_000_000_000);
    let dll = fs::File::options().write(true).open(bench.game().join("lens.dll")).unwrap();
    dll.set_times(fs::FileTimes::new().set_created(long_ago)).unwrap();
    drop(dll);
    let before = bench.now("lens.dll");
    let steps = vec![Step::replace(
        place("lens.dll"),
        before.clone(),
        file(b"new"),
        &Owner::of_family("lens"),
    )];
    let record = bench.engine().apply(bench.draft(steps)).unwrap();
    let back = record.steps[0].taken_back(bench.now("lens.dll"));
    bench.engine().apply(bench.draft(vec![back])).unwrap();
    assert_eq!(bench.now("lens.dll"), before);
}

/// A user's own file, or a link that leads elsewhere, may have the name of the lock.
#[cfg(windows)]
#[test]
fn a_lock_takes_no_file_that_is_not_its_own() {
    use upright_spanner_change::Lock;
    let bench = Bench::new();
    let path = bench.game().join(".spanner-lock");
    for text in ["my own notes", &"process ".repeat(20)] {
        fs::write(&path, text).unwrap();
        let error = Lock::take(&bench.game()).unwrap_err();
        assert!(error.to_string().contains("is a file that is not ours"), "{error}");
        assert_eq!(fs::read_to_string(&path).unwrap(), text);
    }
    fs::remove_file(&path).unwrap();
    // A lock file left by a loss of power blocks no one.
    fs::write(&path, "process 4711").unwrap();
    let lock = Lock::take(&bench.game()).unwrap();
    assert!(Lock::is_held(&bench.game()));
    drop(lock);
    assert!(!Lock::is_held(&bench.game()) && !path.exists());

    let elsewhere = bench.game().join("elsewhere.txt");
    fs::write(&elsewhere, "my own").unwrap();
    // Some systems have no links, or say so only by there being none.
    let linked = std::os::windows::fs::symlink_file(&elsewhere, &path).is_ok();
    if linked && path.symlink_metadata().is_ok() {
        Lock::take(&bench.game()).unwrap_err();
        let text = fs::read_to_string(&elsewhere).unwrap();
        assert_eq!(text, "my own", "what a link leads to stays as it is");
    }
}
