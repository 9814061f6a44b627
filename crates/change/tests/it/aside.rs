//! Trees that are moved aside and back, contents that are kept and not altered, and changes of many files, through
//! the engine.

use std::fs;
use std::path::PathBuf;

use tempfile::TempDir;
use upright_spanner_change::carrier::{Carriers, OnDisk, listing};
use upright_spanner_change::{
    Aside, Content, Draft, Engine, FileState, Journal, NoCopies, Notes, Owner, Place, Record,
    RecordState, Scope, Side, Silent, Stamp, State, Step, Store, Supply, Target, Territory,
    TreePath,
};

struct Bench {
    folder: TempDir,
    journal: Journal,
    store: Store,
}

impl Bench {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        for name in ["game/data/deep", "beside", "home"] {
            fs::create_dir_all(folder.path().join(name)).unwrap();
        }
        let home = folder.path().join("home");
        let journal = Journal::open(&home.join("journal")).unwrap();
        let store = Store::open(&home.join("blobs")).unwrap();
        let bench = Self { folder, journal, store };
        bench.write("game/data/one.txt", b"one");
        bench.write("game/data/deep/two words.txt", b"two");
        bench
    }

    fn path(&self, name: &str) -> PathBuf {
        name.split('/').fold(self.folder.path().to_owned(), |path, part| path.join(part))
    }

    fn write(&self, name: &str, bytes: &[u8]) {
        fs::create_dir_all(self.path(name).parent().unwrap()).unwrap();
        fs::write(self.path(name), bytes).unwrap();
    }

    fn scope(&self) -> Scope {
        let (root, bays) = (self.path("game"), vec![self.path("beside")]);
        Scope { root, bays, ..Scope::default() }
    }

    fn territory(&self) -> Territory {
        Territory::open(&self.scope()).unwrap()
    }

    fn apply(&self, steps: Vec<Step>, supplies: Vec<Supply>) -> Result<Record, String> {
        let draft = Draft {
            game: "pier".to_owned(),
            scope: self.scope(),
            root: None,
            summary: "move".to_owned(),
            notes: Notes::of(&()).unwrap(),
            steps,
            in_use: false,
            supplies,
        };
        let (journal, store) = (&self.journal, &self.store);
        let engine = Engine { journal, copies: &NoCopies, store, progress: &Silent };
        engine.apply(draft).map_err(|failure| format!("{failure:?}"))
    }

    /// The folder `data` of the game, to be kept beside it.
    fn aside(&self) -> Aside {
        let path = |text: &str| TreePath::new(text).unwrap();
        let kept = Place::new(&self.path("game"), &self.path("beside"), path("data")).unwrap();
        Aside { place: path("data").into(), kept }
    }

    fn now(&self, name: &str) -> Side {
        let place = Place::from(TreePath::new(name).unwrap());
        let territory = self.territory();
        let target = Target::File(place);
        OnDisk::new(&territory, &self.store, false).of(&target).look(&target).unwrap().into()
    }
}

#[test]
fn a_tree_goes_aside_with_all_that_is_in_it_and_comes_back() {
    let bench = Bench::new();
    let aside = bench.aside();
    let (tree, text) = listing(&bench.territory(), &aside.place).unwrap().unwrap();
    assert_eq!((tree.files, tree.bytes), (2, 6));
    assert!(
        text.lines().any(|line| line.starts_with("file 3 ") && line.ends_with(" one.txt")),
        "{text}"
    );
    assert!(text.lines().any(|line| line.ends_with(" deep/two words.txt")), "{text}");
    assert_eq!(tree.listing, Content::of_bytes(text.as_bytes()));

    let step = Step::aside(aside.clone(), tree, &Owner::of_family("game"));
    let record = bench.apply(vec![step.clone()], Vec::new()).unwrap();
    assert_eq!(record.state, RecordState::Done);
    assert!(!bench.path("game/data").exists());
    assert_eq!(fs::read(bench.path("beside/data/deep/two words.txt")).unwrap(), b"two");
    assert!(listing(&bench.territory(), &aside.place).unwrap().is_none());
    // The journal's record is read back.
    let read = bench.journal.read(&NoCopies).unwrap().records.pop().unwrap();
    assert_eq!(read.steps, record.steps);

    bench.apply(vec![step.taken_back(Side::ABSENT)], Vec::new()).unwrap();
    assert_eq!(fs::read(bench.path("game/data/one.txt")).unwrap(), b"one");
    assert!(!bench.path("beside/data").exists());
}

#[test]
fn a_tree_that_is_another_by_then_or_has_no_room_stays() {
    let bench = Bench::new();
    let (tree, _) = listing(&bench.territory(), &bench.aside().place).unwrap().unwrap();
    let step = Step::aside(bench.aside(), tree, &Owner::of_family("game"));
    bench.write("game/data/three.txt", b"came since");
    bench.apply(vec![step], Vec::new()).unwrap_err();
    assert!(bench.path("game/data/three.txt").exists());

    let (tree, _) = listing(&bench.territory(), &bench.aside().place).unwrap().unwrap();
    bench.write("beside/data/other.txt", b"in the way");
    bench
        .apply(vec![Step::aside(bench.aside(), tree, &Owner::of_family("game"))], Vec::new())
        .unwrap_err();
    assert!(bench.path("game/data/three.txt").exists());
    assert_eq!(fs::read(bench.path("beside/data/other.txt")).unwrap(), b"in the way");
}

#[test]
fn what_is_kept_is_stored_and_stays_as_it_is() {
    let bench = Bench::new();
    let side = bench.now("data/one.txt");
    let content = side.state.content().unwrap();
    let place = Place::from(TreePath::new("data/one.txt").unwrap());
    let beneath = Side::file(
        FileState { content: Content::of_bytes(b"beneath"), stamp: Stamp::fresh((1, 0)) },
        None,
    );
    let step = Step::keep(place, side, &Owner::of_family("saves")).over(Some(beneath.clone()));
    assert!(!step.alters());
    let before = fs::metadata(bench.path("game/data/one.txt")).unwrap();
    bench.apply(vec![step], vec![Supply::Bytes(b"beneath".to_vec())]).unwrap();
    let after = fs::metadata(bench.path("game/data/one.txt")).unwrap();
    assert_eq!(before.modified().unwrap(), after.modified().unwrap());
    assert!(bench.store.is_whole(&content));
    assert!(bench.store.is_whole(&Content::of_bytes(b"beneath")));
    let read = bench.journal.read(&NoCopies).unwrap().records.pop().unwrap();
    assert_eq!(read.steps[0].beneath(), Some(&beneath));
}

#[test]
fn many_files_come_from_elsewhere_without_being_stored() {
    let bench = Bench::new();
    let (mut steps, mut supplies) = (Vec::new(), Vec::new());
    for n in 0..100 {
        let (old, new) = (format!("old {n}"), format!("new {n}"));
        bench.write(&format!("game/many/{n}.dat"), old.as_bytes());
        bench.write(&format!("source/{n}.dat"), new.as_bytes());
        let name = format!("many/{n}.dat");
        let content = Content::of_bytes(new.as_bytes());
        let after = Side::file(FileState { content, stamp: Stamp::fresh((7, 0)) }, None);
        let place = Place::from(TreePath::new(&name).unwrap());
        steps.push(Step::replace(place, bench.now(&name), after, &Owner::of_family("game")));
        supplies.push(Supply::Passing(bench.path(&format!("source/{n}.dat")), content));
    }
    // One source has a different content: everything stays as before.
    bench.write("source/41.dat", b"other");
    let spoilt = supplies.len();
    let again = |bench: &Bench| {
        (0..spoilt)
            .map(|n| {
                let content = Content::of_bytes(format!("new {n}").as_bytes());
                Supply::Passing(bench.path(&format!("source/{n}.dat")), content)
            })
            .collect::<Vec<_>>()
    };
    bench.apply(steps.clone(), supplies).unwrap_err();
    for n in 0..100 {
        assert_eq!(
            fs::read(bench.path(&format!("game/many/{n}.dat"))).unwrap(),
            format!("old {n}").as_bytes()
        );
    }
    assert_eq!(fs::read_dir(bench.path("game/many")).unwrap().count(), 100);

    bench.write("source/41.dat", b"new 41");
    let record = bench.apply(steps, again(&bench)).unwrap();
    for (n, step) in record.steps.iter().enumerate() {
        let now = fs::read(bench.path(&format!("game/many/{n}.dat"))).unwrap();
        assert_eq!(now, format!("new {n}").as_bytes());
        assert!(bench.store.is_whole(&step.before().state.content().unwrap()));
        assert!(!bench.store.has(&step.after().state.content().unwrap()));
        assert!(matches!(step.after().state, State::File(_)));
    }
    assert_eq!(fs::read_dir(bench.path("game/many")).unwrap().count(), 100);
}
