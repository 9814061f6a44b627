//! The documents are correct: commands exist, links lead somewhere, the first session works as printed.

use std::collections::BTreeSet;
use std::fs;
use std::path::{Path, PathBuf};

use crate::common::{Bench, errors, output};

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The documents for people: each path from the project's folder, with its text.
fn documents() -> Vec<(String, String)> {
    let names = ["README.md", "CONTRIBUTING.md", "CHANGELOG.md"].map(str::to_owned);
    let docs = fs::read_dir(project().join("docs")).unwrap();
    let docs = docs.map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let docs = docs
        .filter(|name| Path::new(name).extension().is_some_and(|end| end == "md"))
        .map(|name| format!("docs/{name}"));
    let read = |name: String| {
        let text = fs::read_to_string(project().join(&name)).unwrap().replace("\r\n", "\n");
        (name, text)
    };
    names.into_iter().chain(docs).map(read).collect()
}

/// Takes a line apart as shells do: words between quotes are one.
fn words(line: &str) -> Vec<String> {
    let (mut words, mut word, mut quote) = (Vec::new(), String::new(), None);
    for c in line.chars() {
        match (c, quote) {
            ('"' | '\'', None) => quote = Some(c),
            (c, Some(q)) if c == q => quote = None,
            (' ', None) => words.extend(Some(std::mem::take(&mut word)).filter(|w| !w.is_empty())),
            (c, _) => word.push(c),
        }
    }
    words.extend(Some(word).filter(|word| !word.is_empty()));
    words
}

#[test]
fn lines_are_taken_apart_as_shells_do() {
    assert_eq!(words("a 'b c' --d \"e f\"g  h"), ["a", "b c", "--d", "e fg", "h"]);
}

/// The commands that are in a document: in their own lines, inside of sentences, and behind the colon of what to do.
fn commands(text: &str) -> Vec<Vec<String>> {
    let own = text.lines().filter_map(|line| line.strip_prefix("    spanner "));
    let remedies = text.lines().filter(|line| line.starts_with("What to do: "));
    let remedies = remedies.filter_map(|line| line.split_once(": spanner ")?.1.into());
    let lines = own.chain(remedies);
    let inside =
        text.split('`').skip(1).step_by(2).filter_map(|code| code.strip_prefix("spanner "));
    // Files of the home begin with words that look like a command; completions are of a shell by its name.
    let others = ["change 1", "build 1", "completions"];
    let is_command = |line: &&str| !others.iter().any(|other| line.starts_with(other));
    // A redirection belongs to the shell.
    let lines = lines.chain(inside).filter(is_command);
    lines.map(|line| words(line.split(" > ").next().unwrap_or(line))).collect()
}

#[test]
fn every_command_in_the_documents_is_one_that_the_program_takes() {
    let bench = Bench::empty();
    let mut seen = BTreeSet::new();
    for (name, text) in documents() {
        for mut command in commands(&text) {
            seen.insert(command[0].clone());
            command
                .iter_mut()
                .filter(|word| *word == "CHANGE")
                .for_each(|word| *word = "12".into());
            // Unknown options are reported before any help.
            command.push("--help".to_owned());
            let command: Vec<&str> = command.iter().map(String::as_str).collect();
            let assert = bench.run(&command);
            let code = assert.get_output().status.code();
            assert_eq!(code, Some(0), "{name}: {command:?}: {}", errors(&assert));
        }
    }
    // Every command that people can see is somewhere in the documents.
    let help = bench.ok(&["--help"]);
    let listed = help.lines().skip_while(|line| *line != "Commands:").skip(1);
    let listed = listed.take_while(|line| !line.is_empty());
    let listed: BTreeSet<&str> = listed.filter_map(|line| line.split_whitespace().next()).collect();
    assert!(listed.len() > 20, "{help}");
    for command in listed.into_iter().filter(|command| !["help", "completions"].contains(command)) {
        assert!(seen.contains(command), "no document shows `spanner {command}`");
    }
}

/// A heading as links name it.
fn anchor(heading: &str) -> String {
    let kept = heading.trim_start_matches('#').trim().to_lowercase();
    let kept = kept.chars().filter(|c| c.is_alphanumeric() || *c == '-' || *c == ' ');
    kept.collect::<String>().replace(' ', "-")
}

#[test]
fn every_link_in_the_documents_leads_somewhere() {
    let mut links = 0;
    for (name, text) in documents() {
        let path = project().join(&name);
        for piece in text.split("](").skip(1) {
            let link = piece.split(')').next().unwrap();
            let (file, heading) = link.split_once('#').unwrap_or((link, ""));
            let target =
                if file.is_empty() { path.clone() } else { path.parent().unwrap().join(file) };
            assert!(target.exists(), "{name}: {link}");
            if !heading.is_empty() {
                let text = fs::read_to_string(&target).unwrap();
                let mut headings = text.lines().filter(|line| line.starts_with('#'));
                assert!(headings.any(|line| anchor(line) == heading), "{name}: {link}");
            }
            links += 1;
        }
    }
    assert!(links > 20, "{links} links");
}

#[test]
fn every_picture_is_shown_somewhere_and_there_are_few() {
    let readme = fs::read_to_string(project().join("README.md")).unwrap();
    let pictures = fs::read_dir(project().join("docs/screenshots")).unwrap();
    let pictures = pictures.map(|entry| entry.unwrap().file_name().into_string().unwrap());
    let pictures: Vec<String> = pictures.collect();
    assert!((5..20).contains(&pictures.len()), "{pictures:?}");
    for picture in pictures {
        assert!(readme.contains(&format!("docs/screenshots/{picture}")), "{picture}");
    }
}

#[test]
fn continuous_integration_runs_each_command_of_the_readme() {
    let read = |path: &str| fs::read_to_string(project().join(path)).unwrap().replace("\r\n", "\n");
    let (readme, run) = (read("README.md"), read(".ci/run"));
    let mut commands = 0;
    for section in readme.split("\n## ") {
        let here = section.lines().filter(|line| line.starts_with("    ")).count();
        let heading = section.lines().next().unwrap();
        let runs = run.contains(&format!(".ci/readme \"{heading}\""));
        assert_eq!(here > 0, runs, "`.ci/run` and the commands under {heading}");
        commands += here;
    }
    assert!(commands > 10, "only {commands} commands were found");
    for needed in ["cargo run --release -- demo", "cargo test --workspace"] {
        assert!(readme.contains(&format!("\n    {needed}\n")), "{needed}");
    }
}

/// Line by line, as it is pasted; the home is the test's own.
#[test]
fn the_first_session_of_the_readme_works_as_it_stands() {
    let bench = Bench::empty();
    let readme = fs::read_to_string(project().join("README.md")).unwrap().replace("\r\n", "\n");
    let session = readme.split("## A first session").nth(1).unwrap();
    let lines = session.lines().skip_while(|line| !line.starts_with("    "));
    let lines: Vec<&str> = lines.take_while(|line| line.starts_with("    ")).collect();
    assert!(lines.len() > 8, "{lines:?}");

    let mut folder = bench.path().to_owned();
    let mut said = String::new();
    for line in lines {
        let words = words(line);
        if words[0] == "cd" {
            folder.push(&words[1]);
            continue;
        }
        assert_eq!(words[0], "spanner", "{line}");
        let words: Vec<&str> = words[1..].iter().map(String::as_str).collect();
        let mut program = bench.program(&words);
        program.current_dir(&folder);
        let assert = crate::common::in_time(program, 120);
        // A check may find something to attend to.
        let wanted: &[i32] = if words[0] == "check" { &[0, 1] } else { &[0] };
        let code = assert.get_output().status.code().unwrap();
        assert!(wanted.contains(&code), "{line}: {code}: {}", errors(&assert));
        said += &output(&assert);
    }
    for wanted in ["4 games", "added", "Dry run", "Read back", "Everything is as it was left"] {
        assert!(said.contains(wanted), "{wanted}: {said}");
    }
}
