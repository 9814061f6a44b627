//! `starts-programs`: a value of the registry by which the system starts programs.

use crate::finding::{Finding, Severity};
use upright_spanner_settings::registry::{ValueName, folded};

pub(crate) const CODE: &str = "starts-programs";

/// Keys below which values make the system start something: at logging on, for a kind of file or an object, in
/// place of another program, or into every program.
const KEYS: [&str; 13] = [
    r"software\classes",
    r"software\microsoft\command processor",
    r"software\microsoft\windows\currentversion\run",
    r"software\microsoft\windows\currentversion\runonce",
    r"software\microsoft\windows\currentversion\runonceex",
    r"software\microsoft\windows\currentversion\runservices",
    r"software\microsoft\windows\currentversion\policies\explorer\run",
    r"software\microsoft\windows\currentversion\explorer\shell folders",
    r"software\microsoft\windows\currentversion\explorer\user shell folders",
    r"software\microsoft\windows nt\currentversion\image file execution options",
    r"software\microsoft\windows nt\currentversion\silentprocessexit",
    r"software\microsoft\windows nt\currentversion\winlogon",
    r"software\microsoft\windows nt\currentversion\aedebug",
];

/// Single values that do.
const VALUES: [(&str, &str); 5] = [
    (r"software\microsoft\windows nt\currentversion\windows", "load"),
    (r"software\microsoft\windows nt\currentversion\windows", "run"),
    (r"software\microsoft\windows nt\currentversion\windows", "appinit_dlls"),
    ("environment", "userinitmprlogonscript"),
    (r"control panel\desktop", "scrnsave.exe"),
];

/// The level of keys at which 32-bit programs see their own.
const NARROW: &str = r"\wow6432node";

pub(crate) fn check(value: &ValueName) -> Option<Finding> {
    let key = folded(&value.key).replace(NARROW, "");
    let is_below = |of: &&str| {
        key.strip_prefix(*of).is_some_and(|rest| rest.is_empty() || rest.starts_with('\\'))
    };
    let name = folded(&value.name);
    let is_named = VALUES.iter().any(|(of, other)| key == *of && name == *other);
    if !is_named && !KEYS.iter().any(is_below) {
        return None;
    }
    let sentence = format!("{value} is one by which the system starts programs.");
    let remedy = "Make sure that you trust its source: it would run without your asking.";
    Some(Finding::new(CODE, Severity::Stop, sentence, remedy))
}
