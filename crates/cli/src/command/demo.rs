//! `demo`: creates the invented games and runs the program's own commands on them, with their output.

use std::fs;
use std::io::{self, Write};
use std::path::Path;
use std::process::{Command, Stdio};

use anyhow::{Context, Result, bail};
use owo_colors::OwoColorize;
use upright_spanner_sample::world;

use crate::args;
use crate::exit::Exit;
use crate::render;
use crate::session::Session;
use crate::text::slashes;

/// Marks a folder as a demo's own, which the next demo may make again.
const MARK: &str = "made-by-spanner-demo.txt";

/// A chapter: a sentence, the words of a command, and its expected exit code.
struct Scene {
    say: &'static str,
    words: &'static [&'static str],
    ends: Exit,
    /// What happens in the invented world before it.
    before: Option<fn(&Path) -> io::Result<()>>,
}

const STORY: [Scene; 30] = [
    Scene {
        say: "Four games: their components, and the program that is the game itself.",
        words: &["survey", "games"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Add the downloads to the rack. The files identify themselves.",
        words: &[
            "rack",
            "add",
            "downloads/sharpwater-2026.3.0.zip",
            "downloads/sharpwater-2026.3.0-x86.zip",
            "downloads/sharpwater-2.9.1.zip",
            "downloads/undertow-2.3.0.zip",
            "downloads/brine-2.8.1-win64.zip",
        ],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "A dry run shows the plan and touches nothing.",
        words: &["fit", "tin-lighthouse", "sharpwater@2026.3.0", "--dry-run"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Do it. Both places of the upscaler are served.",
        words: &["fit", "tin-lighthouse", "sharpwater@2026.3.0"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Look again: the file that was fitted, and what else the rack could offer.",
        words: &["survey", "games"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The 32-bit build in this 64-bit game would not load: it is refused before anything is copied.",
        words: &["fit", "tin-lighthouse", "sharpwater@2026.3.0+x86"],
        ends: Exit::Refused,
        before: None,
    },
    Scene {
        say: "An upscaler build for a game without an upscaler is refused.",
        words: &["fit", "kite-harbour", "sharpwater@2026.3.0"],
        ends: Exit::Refused,
        before: None,
    },
    Scene {
        say: "A loader for a game without one: it is fitted where the game will load it, with the reason.",
        words: &["fit", "tin-lighthouse", "undertow"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Restore the shipped files, byte for byte.",
        words: &["rollback", "tin-lighthouse"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The history so far.",
        words: &["history", "tin-lighthouse"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "A newer extender over one that was installed by hand: it includes the starter for the game.",
        words: &["fit", "moss-meridian", "downloads/lampwright-31.4.zip"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The game was played, and its extender has written a log. Was it loaded?",
        words: &["prove", "moss-meridian"],
        ends: Exit::Done,
        before: Some(world::play_moss_and_meridian),
    },
    Scene {
        say: "Then the launcher updates the game. What did it do?",
        words: &["drift", "moss-meridian"],
        ends: Exit::Attend,
        before: Some(world::describe_launcher_and_update),
    },
    Scene {
        say: "Back to the older release, with the files that it must not load moved aside.",
        words: &[
            "wind",
            "moss-meridian",
            "--from",
            "releases/moss-meridian-22.4.7",
            "--aside",
            "Data/orchard.pack",
            "--expect",
            "22.4.7",
        ],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Keep it there: the launcher must ask before it updates this game.",
        words: &["hold", "moss-meridian", "--why", "until the extender knows 22.5"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The launcher tries again. Still held, and an update waits.",
        words: &["drift", "moss-meridian"],
        ends: Exit::Done,
        before: Some(world::update_moss_and_meridian_again),
    },
    Scene {
        say: "The extender's new build has come: the game goes forward again ...",
        words: &["undo", "5"],
        ends: Exit::Done,
        before: Some(world::new_lampwright),
    },
    Scene {
        say: "... and the build that supports it is fitted.",
        words: &["fit", "moss-meridian", "downloads/lampwright-32.0.zip"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "An overlay's settings: values, allowed values, and locations.",
        words: &["tune", "saltglass-drift", "tidemark"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Set a preset, and lock the file so that the program does not rewrite it.",
        words: &["tune", "saltglass-drift", "tidemark", "--preset", "racing", "--lock"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Turn a debug switch on, despite the lock ...",
        words: &["tune", "saltglass-drift", "tidemark", "trace=on"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "... and off again.",
        words: &["tune", "saltglass-drift", "tidemark", "trace=off"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Restore everything, the lock included.",
        words: &["rollback", "saltglass-drift", "tidemark"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The history of that game.",
        words: &["history", "saltglass-drift"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "A friend publishes builds as a feed. First a key, which identifies the publisher ...",
        words: &["feed", "key", "new", "friend.key", "--no-passphrase"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "... and then the feed: files for any web server, or for a shared folder.",
        words: &[
            "--home",
            "friend",
            "feed",
            "make",
            "feed",
            "--from",
            "shared",
            "--sign-with",
            "friend.key",
            "--title",
            "Quayside",
        ],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Add it by its address and its key.",
        words: &["feed", "add", "feed", "--key", "friend.key.pub"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "The feed's builds for a game. This needs no network: the feed was fetched when it was added.",
        words: &["survey", "kite-harbour"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Its change log, before the download.",
        words: &["rack", "notes", "brine@2.9.2"],
        ends: Exit::Done,
        before: None,
    },
    Scene {
        say: "Download it and fit it with one command.",
        words: &["fit", "kite-harbour", "brine", "--get"],
        ends: Exit::Done,
        before: None,
    },
];

pub fn run(args: &args::Demo, session: &Session) -> Result<Exit> {
    let folder = std::path::absolute(&args.folder)?;
    prepare(&folder)?;
    world::create(&folder).with_context(|| format!("could not make {}", slashes(&folder)))?;
    let home = folder.join("home");

    let mut out = anstream::stdout();
    let shown = render::clean(&render::slashes(&folder)).into_owned();
    writeln!(out, "Everything below happens in {shown}, on games that do not exist.\n")?;
    for (number, scene) in (1..).zip(&STORY) {
        if let Some(before) = scene.before {
            before(&folder).context("could not play a game of the demo")?;
        }
        writeln!(out, "{}", format!("# {number}/{} {}", STORY.len(), scene.say).cyan())?;
        writeln!(out, "{} spanner {}", "$".green().bold(), scene.words.join(" ").bold())?;
        out.flush()?;
        let code = play(scene, &folder, &home)?;
        if code != Some(scene.ends as i32) {
            bail!("the demo stopped: `spanner {}` ended unexpectedly", scene.words.join(" "));
        }
        writeln!(out)?;
    }

    let set = if cfg!(windows) { "set" } else { "export" };
    render::hint(session, "The folder is kept, so you can try more commands in it:")?;
    writeln!(out, "  cd {}", render::quoted(&args.folder.to_string_lossy()))?;
    writeln!(out, "  {set} SPANNER_HOME={}", render::quoted(&home.to_string_lossy()))?;
    for next in [
        "spanner survey games --why",
        "spanner inspect \"games/Saltglass Drift/bin/winmm.dll\"",
        "spanner check --all",
        "spanner check kite-harbour --entries",
        "spanner fit kite-harbour brine --dry-run",
        "spanner fit saltglass-drift undertow",
        "spanner start moss-meridian --dry-run",
        "spanner drift",
        "spanner rollback saltglass-drift",
        "spanner feed list -v",
    ] {
        writeln!(out, "  {next}")?;
    }

    Ok(Exit::Done)
}

/// Runs one command of the story in the demo's folder; its output goes where ours goes.
fn play(scene: &Scene, folder: &Path, home: &Path) -> Result<Option<i32>> {
    let program = std::env::current_exe().context("could not find this program's own file")?;
    let status = Command::new(&program)
        .args(scene.words)
        .current_dir(folder)
        .env("SPANNER_HOME", home)
        .stdin(Stdio::null())
        .status()
        .with_context(|| format!("could not start {}", slashes(&program)))?;
    Ok(status.code())
}

/// Makes the folder, or empties the one that an earlier demo made. No other is touched.
fn prepare(folder: &Path) -> Result<()> {
    if folder.join(MARK).is_file() {
        for part in ["games", "downloads", "shared", "releases", "loads", "home", "friend", "feed"]
        {
            match world::remove_tree(&folder.join(part)) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => {
                    let part = folder.join(part);
                    return Err(error).context(format!("could not remove {}", slashes(&part)));
                }
                _ => {}
            }
        }
        // No key is written over another.
        for key in ["friend.key", "friend.key.pub"] {
            match fs::remove_file(folder.join(key)) {
                Err(error) if error.kind() != io::ErrorKind::NotFound => {
                    let key = folder.join(key);
                    return Err(error).context(format!("could not remove {}", slashes(&key)));
                }
                _ => {}
            }
        }
    } else if fs::read_dir(folder).is_ok_and(|mut entries| entries.next().is_some()) {
        bail!(
            "{} is not empty and no demo made it: name another folder, as in `spanner demo DIR`",
            slashes(folder)
        );
    }

    fs::create_dir_all(folder).with_context(|| format!("could not make {}", slashes(folder)))?;
    fs::write(folder.join(MARK), "The demo of spanner created this folder and may replace it.\n")
        .with_context(|| format!("could not write into {}", slashes(folder)))
}
