//! The project's English: counts constructions that make text hard to read, for each 1,000 words of docs, messages and
//! comments. A match is a hint rather than an error, so there are limits, which only fall.

use std::fs;
use std::path::{Path, PathBuf};

use regex::Regex;

/// Patterns with the advice for each.
const PATTERNS: [(&str, &str); 9] = [
    (
        r"\b[Ww]hat (is|are|was|were|has|had|it|they|the|a|there|you|people|comes|goes)\b",
        "name the thing",
    ),
    (
        r"\b[Ww]here (it|they|there|that|one|nothing|something|no|none|this|you) ",
        "use `if` or `when` for a condition",
    ),
    (r"\b(is|are|was|were) (said|told|asked|meant)\b", "say who acts"),
    (r"\b(stands|stood|lies|lay|bears|bore)\b", "use is, has or contains"),
    (
        r"\b(takes? the place of|goes? again|gone on with|goes? on with)\b",
        "use replace or continue",
    ),
    (r"\b(another|other) than\b", "use `different from`"),
    (r"\b(is|are|was|were) no\b", "use `is not a` or `has no`"),
    (r"\b(anew|besides|beforehand|meanwhile|thereby|mends?|mended)\b", "use an everyday word"),
    (r"\b(of|by) (itself|its own|theirs|yours)\b", "use `automatically`, `separate` or `its own`"),
];

/// The most matches for each 1,000 words. Lower a limit when the count has fallen.
const LIMITS: [(&str, f64); 3] = [("docs", 4.0), ("messages", 5.0), ("comments", 1.5)];

/// One text with its location.
struct Line {
    group: &'static str,
    place: String,
    text: String,
}

fn project() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

fn files_below(folder: &Path, ending: &str) -> Vec<PathBuf> {
    let mut files = Vec::new();
    for entry in fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        if path.is_dir() && path.file_name().is_none_or(|name| name != "target") {
            files.extend(files_below(&path, ending));
        } else if path.extension().is_some_and(|end| end == ending) {
            files.push(path);
        }
    }
    files
}

/// The longer texts between quotation marks in a line of code.
fn quoted(code: &str) -> String {
    let texts = code.replace("\\\"", "'");
    let texts = texts.split('"').skip(1).step_by(2);
    texts.filter(|text| text.split_whitespace().count() > 3).collect::<Vec<_>>().join(" ")
}

fn lines() -> Vec<Line> {
    let mut lines = Vec::new();
    let mut add = |group, path: &Path, number: usize, text: String| {
        let place = format!("{}:{}", path.display(), number + 1);
        lines.push(Line { group, place, text });
    };
    let docs = ["README.md", "CONTRIBUTING.md", "CHANGELOG.md"].map(|name| project().join(name));
    for path in docs.into_iter().chain(files_below(&project().join("docs"), "md")) {
        for (number, line) in fs::read_to_string(&path).unwrap().lines().enumerate() {
            add("docs", &path, number, line.to_owned());
        }
    }
    for folder in ["crates", "benches", "fuzz/fuzz_targets"] {
        for path in files_below(&project().join(folder), "rs") {
            // The patterns themselves.
            if path.file_name().is_some_and(|name| name == "english.rs") {
                continue;
            }
            let is_help = path.file_name().is_some_and(|name| name == "args.rs");
            for (number, line) in fs::read_to_string(&path).unwrap().lines().enumerate() {
                match line.trim_start().strip_prefix("//") {
                    Some(comment) => {
                        let group = if is_help { "messages" } else { "comments" };
                        add(
                            group,
                            &path,
                            number,
                            comment.trim_start_matches(['/', '!']).to_owned(),
                        );
                    }
                    None => add("messages", &path, number, quoted(line)),
                }
            }
        }
    }
    lines
}

#[test]
fn the_text_of_the_project_reads_easily() {
    let patterns = PATTERNS.map(|(pattern, advice)| (Regex::new(pattern).unwrap(), advice));
    let lines = lines();
    for (group, limit) in LIMITS {
        let of_group = || lines.iter().filter(|line| line.group == group);
        let words: usize = of_group().map(|line| line.text.split_whitespace().count()).sum();
        assert!(words > 10_000, "only {words} words of {group} were found");
        let mut found = Vec::new();
        for line in of_group() {
            for (pattern, advice) in &patterns {
                let matches = pattern.find_iter(&line.text);
                found.extend(
                    matches.map(|at| format!("{}: `{}`: {advice}", line.place, at.as_str())),
                );
            }
        }
        #[expect(clippy::cast_precision_loss, reason = "a few thousand")]
        let rate = 1000.0 * found.len() as f64 / words as f64;
        found.truncate(30);
        assert!(rate <= limit, "{group}: {rate:.1} for each 1,000 words\n{}", found.join("\n"));
    }
}

#[test]
fn odd_constructions_are_found() {
    let finds = |text: &str| PATTERNS.iter().any(|(p, _)| Regex::new(p).unwrap().is_match(text));
    assert!(finds("What is on the rack") && finds("it lies there") && finds("this is no id"));
    assert!(!finds("The builds on the rack") && !finds("this is not a valid id"));
}
