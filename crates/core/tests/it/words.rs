//! The user's settings in `games.toml`: whatever a command accepts is there when the home is opened again, a person
//! can repair the file, and an unreadable file is never overwritten.

use std::collections::BTreeSet;
use std::fs;
use std::path::PathBuf;

use proptest::prelude::*;
use tempfile::TempDir;
use upright_spanner_core::game::{Game, GameEdit, Pin};
use upright_spanner_core::progress::Silent;
use upright_spanner_core::survey::Filter;
use upright_spanner_core::{Error, Workshop};
use upright_spanner_sample::Bits;
use upright_spanner_sample::world::{self, Graphics};

const TITLES: [&str; 3] = ["Pier & Quay", "Łódź: zima", "kite"];

struct Bench {
    folder: TempDir,
}

impl Bench {
    /// Three games, each with an upscaler, a file that tells its version, and a home.
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        for name in ["pier", "łódź", "kite's"] {
            let write = |path: &str, bytes: &[u8]| {
                let path = folder.path().join("games").join(name).join(path);
                world::write(&path, bytes, (2026, 1, 1)).unwrap();
            };
            let exe = world::game_exe(Bits::Bits64, name, "Harbourless", [1, 0, 0, 0]).padding(0);
            write("bin/Game.exe", &exe.to_bytes());
            write("Other.exe", &exe.to_bytes());
            let library = world::graphics(Graphics::Upscaler, [3, 1, 0, 0], Bits::Bits64);
            write("bin/sharpwater.dll", &library.padding(0).to_bytes());
            write("version.txt", b"build 4.5\n");
        }
        for bay in ["plug ins", "späte"] {
            fs::create_dir_all(folder.path().join("bays").join(bay)).unwrap();
        }
        Self { folder }
    }

    fn open(&self) -> Workshop {
        Workshop::open(&self.folder.path().join("home")).unwrap()
    }

    fn file(&self) -> PathBuf {
        self.folder.path().join("home/games.toml")
    }

    fn game(&self, n: usize) -> PathBuf {
        self.folder.path().join("games").join(["pier", "łódź", "kite's"][n])
    }

    fn bay(&self, n: usize) -> PathBuf {
        self.folder.path().join("bays").join(["plug ins", "späte"][n])
    }
}

/// Something that a user says.
#[derive(Debug, Clone)]
enum Saying {
    Set(usize, Set),
    Pin(usize, Option<u16>, String),
    Unpin(usize),
    Forget(usize),
    AddRoot(usize),
    ForgetRoot(usize),
}

#[derive(Debug, Clone)]
struct Set {
    title: Option<String>,
    edition: Option<String>,
    online: Option<bool>,
    executable: Option<&'static str>,
    version: Option<(&'static str, &'static str)>,
    bay: Option<(&'static str, Option<usize>)>,
}

fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        Just(String::new()),
        prop::sample::select(&TITLES[..]).prop_map(str::to_owned),
        // Quotes, line ends, control and direction-changing characters, and what means something in TOML.
        "[\"'\\\\\n\r\t\u{0}\u{7f}\u{202e}#=\\[\\]{}a-c ]{0,12}",
        any::<String>(),
    ]
}

fn saying() -> impl Strategy<Value = Saying> {
    let option = proptest::option::of::<BoxedStrategy<String>>;
    let executable = prop_oneof![Just(""), Just("Other.exe"), Just("bin/Game.exe")];
    let version = (
        prop_oneof![Just(""), Just("version.txt")],
        prop_oneof![Just(r"build (\d[\d.]*)"), Just("'\"\"\"(x)")],
    );
    let bay = (prop_oneof![Just("mods"), Just("a-1")], proptest::option::of(0usize..2));
    let set = (
        (option(text().boxed()), option(text().boxed()), any::<Option<bool>>()),
        (
            proptest::option::of(executable),
            proptest::option::of(version),
            proptest::option::of(bay),
        ),
    );
    let set = set.prop_map(|((title, edition, online), (executable, version, bay))| Set {
        title,
        edition,
        online,
        executable,
        version,
        bay,
    });
    prop_oneof![
        4 => (0usize..3, set).prop_map(|(n, set)| Saying::Set(n, set)),
        2 => (0usize..3, proptest::option::of(0u16..5), text())
            .prop_map(|(n, version, why)| Saying::Pin(n, version, why)),
        1 => (0usize..3).prop_map(Saying::Unpin),
        1 => (0usize..3).prop_map(Saying::Forget),
        1 => (0usize..2).prop_map(Saying::AddRoot),
        1 => (0usize..2).prop_map(Saying::ForgetRoot),
    ]
}

/// The settings that a command reported as recorded.
#[derive(Debug, Default)]
struct Noted {
    games: Vec<Game>,
    pins: Vec<Pin>,
    roots: BTreeSet<PathBuf>,
}

impl Noted {
    fn game(&mut self, game: Game) {
        self.games.retain(|other| other.id != game.id);
        self.games.push(game);
        self.games.sort_by(|a, b| a.id.cmp(&b.id));
    }
}

fn say(bench: &Bench, workshop: &Workshop, saying: Saying, noted: &mut Noted) {
    let altering = workshop.alter().unwrap();
    let view = |n: usize| workshop.game(bench.game(n).to_str().unwrap(), &Silent).unwrap();
    match saying {
        Saying::Set(n, set) => {
            let (version_file, version_pattern) = set.version.unzip();
            let bay = set.bay.map(|(name, to)| {
                (name.to_owned(), to.map_or_else(PathBuf::new, |to| bench.bay(to)))
            });
            let edit = GameEdit {
                title: set.title,
                root: None,
                executable: set.executable.map(str::to_owned),
                edition: set.edition,
                online: set.online,
                bays: bay.into_iter().collect(),
                prefix: None,
                run_with: None,
                start: Some("launcher://tin/1?a=\"b\"".to_owned()),
                arguments: Some("-w \"C:\\two words\\\" =".to_owned()),
                environment: vec![("LAMP".to_owned(), "a=b \"c\"".to_owned())],
                left_out: vec![("lens".to_owned(), vec!["tint \"x\".dll".to_owned()])],
                handoffs: vec![("lens".to_owned(), bench.game(n))],
                version_file: version_file.map(str::to_owned),
                version_pattern: version_pattern.map(str::to_owned),
            };
            noted.game(altering.set_game(bench.game(n).to_str().unwrap(), &edit).unwrap());
        }
        Saying::Pin(n, version, why) => {
            let version = version.map(|n| format!("3.{n}.0"));
            let pin = altering.pin(&view(n), "sharpwater", version.as_deref(), &why).unwrap();
            assert_eq!(pin.why, why);
            noted.pins.retain(|other| other.game != pin.game);
            noted.pins.push(pin);
        }
        Saying::Unpin(n) => {
            if let Ok(pin) = altering.unpin(&view(n).game.id, "sharpwater") {
                noted.pins.retain(|other| *other != pin);
            }
        }
        Saying::Forget(n) => {
            let game = view(n).game;
            if game.registered {
                let id = altering.forget_game(&game.id).unwrap();
                noted.games.retain(|other| other.id != id);
            }
        }
        Saying::AddRoot(n) => {
            noted.roots.insert(altering.add_library_root(&bench.bay(n)).unwrap());
        }
        Saying::ForgetRoot(n) => {
            if let Ok(root) = altering.forget_library_root(&bench.bay(n)) {
                noted.roots.remove(&root);
            }
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(if cfg!(windows) { 8 } else { 48 }))]

    /// The next command reads the settings that one has recorded, with or without the index.
    #[test]
    fn whatever_is_accepted_is_read_again(
        sayings in proptest::collection::vec(saying(), 1..10),
        without_index in any::<bool>(),
    ) {
        let bench = Bench::new();
        let mut noted = Noted::default();
        for saying in sayings {
            say(&bench, &bench.open(), saying, &mut noted);
        }
        if without_index {
            fs::remove_file(bench.folder.path().join("home/spanner.db")).unwrap();
        }
        let workshop = bench.open();
        prop_assert!(workshop.words_fault().is_none(), "{:?}", workshop.words_fault());
        let games = workshop.games().unwrap();
        let said: Vec<Game> = games.into_iter().filter(|game| game.registered).collect();
        prop_assert_eq!(said, noted.games);
        prop_assert_eq!(workshop.pins(), noted.pins);
        prop_assert_eq!(workshop.library_roots(), Vec::from_iter(noted.roots));
    }
}

#[test]
fn a_file_that_cannot_be_understood_is_said_with_its_line_and_not_written_over() {
    let bench = Bench::new();
    let game = "[[game]]\nid = \"pier\"\ntitle = \"Pier\"\nroot = \"/games/pier\"\n";
    for (text, line, what) in [
        ("schema = 1\nroot = [\"/games\"]\n", 2, "unknown field `root`"),
        ("schema = 1\nroots = [\"/games\"\n", 2, "array"),
        ("schema = 1\nroots = \"/games\"\n", 2, "invalid type"),
        ("schema = 0\n", 1, "schema 0 is not known"),
        ("", 1, "missing field `schema`"),
        ("schema = 1\n[[game]]\nid = \"pier\"\n", 2, "missing field `title`"),
        (&format!("schema = 1\n{game}colour = \"red\"\n"), 6, "unknown field `colour`"),
        (&format!("schema = 1\n{game}executable = \"../up.exe\"\n"), 6, "leads out of the folder"),
        (&format!("schema = 1\n{game}version-pattern = \"x\"\n"), 1, "no version-file"),
        (
            &format!("schema = 1\n{game}bays = {{ root = \"/x\" }}\n"),
            1,
            "`root` cannot be the name",
        ),
        (&format!("schema = 1\n{game}{game}"), 1, "two games have the id `pier`"),
        ("schema = 1\n[[pin]]\ngame = \"pier\"\n", 2, "missing field `family`"),
        (
            "schema = 1\n[[pin]]\ngame = \"pier\"\nfamily = \"lens\"\nversion = \"\"\n",
            1,
            "says no versions",
        ),
    ] {
        drop(bench.open());
        fs::write(bench.file(), text).unwrap();
        let workshop = bench.open();
        let Some(Error::Catalog(fault)) = workshop.words_fault() else { panic!("{text}") };
        assert_eq!((fault.line, fault.path), (line, bench.file()), "{text}: {}", fault.what);
        assert!(fault.what.contains(what), "{text}: {}", fault.what);
        assert!(workshop.games().unwrap().is_empty() && workshop.library_roots().is_empty());
        // Commands that look still work, and a file that a person may repair is not overwritten.
        workshop.survey(&[bench.folder.path().join("games")], &Filter::default(), &Silent).unwrap();
        let altering = workshop.alter().unwrap();
        assert!(altering.add_library_root(&bench.bay(0)).is_err());
        assert!(altering.set_game(bench.game(0).to_str().unwrap(), &GameEdit::default()).is_err());
        assert_eq!(fs::read_to_string(bench.file()).unwrap(), text);
        drop(altering);
        for game in workshop.games().unwrap() {
            workshop.alter().unwrap().forget_game(&game.id).unwrap_err();
        }
        // Windows removes nothing that is open.
        drop(workshop);
        fs::remove_file(bench.folder.path().join("home/spanner.db")).unwrap();
    }
}

#[test]
fn a_file_that_a_person_wrote_is_read_and_kept() {
    let bench = Bench::new();
    drop(bench.open());
    let root = bench.game(0);
    let text = format!(
        "schema = 1\n# my games\nroots = ['/far/away']\n\n[[game]]\nid = 'mine'\ntitle = 'Mine'\n\
         root = '{}'\nonline = true\nversion-file = 'version.txt'\nversion-pattern = 'build (\\S+)'\n\n[[pin]]\ngame = 'mine'\n\
         family = 'sharpwater'\nversion = '3.1'\n",
        root.display()
    );
    fs::write(bench.file(), text).unwrap();
    let workshop = bench.open();
    let view = workshop.game("mine", &Silent).unwrap();
    assert_eq!(view.game.settings.online, Some(true));
    assert_eq!(workshop.game_version(&view).unwrap().version, Some("4.5".parse().unwrap()));
    let edit = GameEdit { edition: Some("boxed".to_owned()), ..GameEdit::default() };
    workshop.alter().unwrap().set_game("Mine", &edit).unwrap();
    let workshop = bench.open();
    let games = workshop.games().unwrap();
    let mine = games.iter().find(|game| game.id == "mine").unwrap();
    assert_eq!(mine.settings.edition.as_deref(), Some("boxed"));
    assert_eq!(mine.settings.online, Some(true));
    assert_eq!(workshop.library_roots(), [PathBuf::from("/far/away")]);
    assert_eq!(workshop.pins_of("mine")[0].version, Some("3.1".parse().unwrap()));
}

#[test]
fn of_many_that_say_something_at_once_each_is_heard() {
    let bench = Bench::new();
    drop(bench.open());
    let folders: Vec<PathBuf> = (0..16)
        .map(|n| {
            let folder = bench.folder.path().join(format!("library-{n:02}"));
            fs::create_dir(&folder).unwrap();
            folder
        })
        .collect();
    std::thread::scope(|scope| {
        for folder in &folders {
            scope.spawn(|| {
                let workshop = bench.open();
                workshop.alter().unwrap().add_library_root(folder).unwrap();
            });
        }
    });
    assert_eq!(bench.open().library_roots().len(), folders.len());
}

#[cfg(unix)]
#[test]
fn what_cannot_be_noted_is_refused_and_the_rest_stays() {
    use std::os::unix::ffi::OsStrExt;
    let bench = Bench::new();
    let odd = bench.folder.path().join(std::ffi::OsStr::from_bytes(b"odd-\xff"));
    fs::create_dir(&odd).unwrap();
    let workshop = bench.open();
    let altering = workshop.alter().unwrap();
    altering.add_library_root(&bench.bay(0)).unwrap();
    altering.add_library_root(&odd).unwrap_err();
    altering.add_game(&odd, &GameEdit::default()).unwrap_err();
    let game = bench.game(0);
    let edit = GameEdit { bays: vec![("mods".to_owned(), odd)], ..GameEdit::default() };
    let error = altering.set_game(game.to_str().unwrap(), &edit).unwrap_err();
    assert!(error.to_string().contains("not Unicode"), "{error}");
    for (name, folder) in [("exe", bench.bay(0)), ("Mods", bench.bay(0)), ("mods", game.join("no"))]
    {
        let edit = GameEdit { bays: vec![(name.to_owned(), folder)], ..GameEdit::default() };
        altering.set_game(game.to_str().unwrap(), &edit).unwrap_err();
    }
    for (file, pattern) in [(Some("version.txt"), "("), (Some("none.txt"), "x"), (None, "x")] {
        let edit = GameEdit {
            version_file: file.map(str::to_owned),
            version_pattern: Some(pattern.to_owned()),
            ..GameEdit::default()
        };
        altering.set_game(game.to_str().unwrap(), &edit).unwrap_err();
    }
    let workshop = bench.open();
    assert_eq!(workshop.library_roots().len(), 1);
    assert!(workshop.games().unwrap().iter().all(|game| !game.registered));
}

/// Pins and bays of such a file are unknown, so nothing is altered either.
#[test]
fn a_file_of_a_newer_version_is_left_alone_and_named() {
    let bench = Bench::new();
    drop(bench.open());
    let newer = "schema = 9\nanything = true\n";
    fs::write(bench.file(), newer).unwrap();
    let workshop = bench.open();
    let fault = workshop.words_fault().unwrap();
    assert_eq!(fault.code(), "newer-home", "{fault}");
    assert!(workshop.alter().unwrap().forget_game("pier").is_err());
    assert_eq!(fs::read_to_string(bench.file()).unwrap(), newer);
}
