//! Output before any work: the greeting, the manual, the completions, and errors of the command line.

#[cfg(windows)]
use crate::common::flat;
use crate::common::{Bench, errors, output};

#[test]
fn who_starts_it_without_a_word_is_told_what_to_do_first() {
    let bench = Bench::empty();
    let greeting = output(&bench.run(&[]).code(0));
    for command in ["spanner survey FOLDER", "spanner demo", "spanner --help"] {
        assert!(greeting.contains(command), "{greeting}");
    }
    assert_eq!(greeting.lines().count(), 4);
    assert!(!bench.file("home").exists(), "a greeting makes no home");
}

#[test]
fn every_shell_gets_its_completions_and_the_manual_has_a_page_a_command() {
    let bench = Bench::empty();
    for shell in ["bash", "elvish", "fish", "powershell", "zsh"] {
        let script = bench.ok(&["completions", shell]);
        assert!(script.contains("rollback") && script.contains("despite"), "{shell}");
    }
    bench.ok(&["man", "pages"]);
    let page = std::fs::read_to_string(bench.file("pages/spanner-rack-add.1")).unwrap();
    assert!(page.contains(".TH") && page.contains("rack"), "{page}");
    assert!(bench.file("pages/spanner-history-show.1").is_file());
}

/// Neither `cmd` nor PowerShell expands patterns.
#[test]
fn patterns_stand_for_files_whatever_the_shell_does() {
    let bench = Bench::world();
    let names = ["downloads/brine-2.8.1-win64.zip", "downloads/undertow-2.3.0.zip"];
    let words: Vec<&str> = if cfg!(windows) {
        vec!["rack", "add", "downloads\\brine-*.zip", "downloads/undert?w-*.zip"]
    } else {
        [&["rack", "add"][..], &names].concat()
    };
    bench.ok(&words);
    let builds = bench.json(&["rack", "list"]);
    assert_eq!(builds["builds"].as_array().unwrap().len(), 2);
}

/// Windows takes `\"` for a quote that belongs to the text.
#[cfg(windows)]
#[test]
fn a_folder_that_swallowed_the_next_words_is_recognised() {
    let bench = Bench::world();
    let said = flat(&errors(&bench.run(&["survey", "games\\Kite Harbour\" --all"]).code(2)));
    assert!(said.contains("Write the folder without its last \\"), "{said}");
    assert!(said.contains("\"games\\Kite Harbour\""), "{said}");
    bench.ok(&["family", "list", "--json"]);
}

/// The program's version, icon and manifest are in it, and it reads them.
#[cfg(windows)]
#[test]
fn the_program_states_itself() {
    let bench = Bench::empty();
    let inspected = bench.json(&["inspect", env!("CARGO_BIN_EXE_spanner")]);
    let image = &inspected["images"][0];
    let version = format!("{}.0", env!("CARGO_PKG_VERSION"));
    assert_eq!(image["file_version"], version);
    assert_eq!(image["strings"]["ProductName"], "Upright Spanner");
    assert_eq!(image["strings"]["OriginalFilename"], "spanner.exe");
}

#[test]
fn wrong_usage_says_what_is_wrong() {
    let bench = Bench::empty();
    let said = errors(&bench.run(&["fit"]).code(2));
    assert!(said.contains("<GAME>") && said.contains("--help"), "{said}");
    let said = errors(&bench.run(&["history", "show"]).code(2));
    assert!(said.contains("<CHANGE>"), "{said}");
}
