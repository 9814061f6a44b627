//! Steps, plans, changes and errors as documents for programs.

use serde_json::{Value, json};
use upright_spanner_core::Error;
use upright_spanner_core::change::{Change, Side, State, Step, state_name};
use upright_spanner_core::check::Finding;
use upright_spanner_core::plan::{Handoff, Merge, Place, Plan};
use upright_spanner_core::survey::LookError;

use super::{remedy, slashes};

/// What is at a target; nothing where there is nothing.
pub fn side(side: &Side) -> Value {
    match &side.state {
        State::Absent => Value::Null,
        State::Folder(mode) => json!({ "mode": mode }),
        State::Mark(set) => json!(set),
        State::File(file) => {
            let mut value = json!({
                "blake3": file.content.blake3,
                "size": file.content.size,
                "modified": file.stamp.modified,
                "mode": file.stamp.mode,
                "read_only": file.stamp.read_only,
                "version": side.label,
            });
            if let Some(attributes) = file.stamp.attributes {
                value["attributes"] = json!(attributes);
            }
            value
        }
    }
}

/// A place: the path below the game's folder, or below a bay elsewhere.
pub fn place(place: &Place) -> Value {
    let mut value = json!({ "path": place.path() });
    if let Some(bay) = place.bay() {
        value["bay"] = json!(super::slashes(bay));
    }
    value
}

fn step(step: &Step) -> Value {
    let mut value = place(step.place());
    value["kind"] = json!(step.target().kind());
    value["family"] = json!(step.owner());
    value["before"] = side(step.before());
    value["after"] = side(step.after());
    if let Some(source) = step.source() {
        value["build"] = json!(source);
    }
    value
}

/// The steps that are not about folders.
pub fn steps(steps: &[Step]) -> Vec<Value> {
    steps.iter().filter(|step| !step.target().is_folder()).map(self::step).collect()
}

/// The folders that come and go.
fn folders(steps: &[Step]) -> Value {
    let those = |gone: bool| -> Vec<Value> {
        let folders = steps.iter().filter(|step| step.target().is_folder());
        let those = folders.filter(|step| step.after().state.is_absent() == gone);
        those.map(|step| place(step.place())).collect()
    };
    json!({ "made": those(false), "removed": those(true) })
}

fn merge(merge: &Merge) -> Value {
    let mut value = place(&merge.place);
    value["added"] = json!(merge.merged.added);
    value["followed"] = json!(merge.merged.followed);
    value["vanished"] = json!(merge.merged.vanished);
    value["left_out"] = json!(merge.merged.left_out);
    value
}

fn handoff(file: &Handoff) -> Value {
    json!({ "to": file.to, "blake3": file.content.blake3, "size": file.content.size })
}

/// A plan.
pub fn plan(plan: &Plan) -> Value {
    json!({
        "schema": 1,
        "game": plan.game.id,
        "summary": plan.summary,
        "steps": steps(&plan.steps),
        "folders": folders(&plan.steps),
        "merges": plan.merges.iter().map(merge).collect::<Vec<_>>(),
        "handoff": plan.handoff.iter().map(handoff).collect::<Vec<_>>(),
        "findings": findings(&plan.findings),
    })
}

/// What checks say.
pub fn findings<'a>(findings: impl IntoIterator<Item = &'a Finding>) -> Vec<Value> {
    let one = |finding: &Finding| {
        let mut value = json!({
            "code": finding.code,
            "severity": finding.severity,
            "sentence": finding.sentence,
            "remedy": remedy::worded(&finding.remedy),
        });
        if finding.overridden {
            value["overridden"] = json!(true);
        }
        value
    };
    findings.into_iter().map(one).collect()
}

/// A change.
pub fn change(change: &Change) -> Value {
    let executable = change.executable.as_ref().map(|mark| {
        json!({
            "path": mark.path,
            "version": mark.version,
            "size": mark.size,
            "stamp": mark.stamp,
        })
    });
    json!({
        "number": change.number(),
        "game": change.game(),
        "summary": change.summary(),
        "deed": change.purpose.to_text(),
        "executable": executable,
        "despite": change.despite,
        "began": change.began().to_string(),
        "state": state_name(change.state()),
        "steps": steps(change.steps()),
        "folders": folders(change.steps()),
    })
}

/// What is wrong: a stable code, a sentence, and what to do.
pub fn error_body(error: &anyhow::Error) -> Value {
    let known = error.downcast_ref::<Error>();
    json!({
        "code": known.map_or("failed", Error::code),
        "message": error.to_string(),
        "advice": known.and_then(remedy::of),
    })
}

/// An error that ended a run.
pub fn error(error: &anyhow::Error) -> Value {
    json!({ "schema": 1, "error": error_body(error) })
}

/// One of several games with which something could not be done.
pub fn failed_game(game: &str, error: &anyhow::Error) -> Value {
    json!({ "game": game, "error": error_body(error) })
}

/// A command line that is not understood.
pub fn wrong_usage(message: &str) -> Value {
    json!({ "schema": 1, "error": { "code": "usage", "message": message, "advice": null } })
}

/// What could not be looked at.
pub fn errors(errors: &[LookError]) -> Vec<Value> {
    let one = |error: &LookError| json!({ "path": slashes(&error.path), "code": error.code, "message": error.message });
    errors.iter().map(one).collect()
}
