//! Any text as a journal file, as a path, and as the user's settings of games.
#![no_main]

use libfuzzer_sys::fuzz_target;
use upright_spanner_change::{Record, TreePath};

fuzz_target!(|text: &str| {
    let (record, faults) = Record::parse(text);
    assert!(record.is_some() || !faults.is_empty());
    if let Some(record) = record {
        assert_eq!(record.steps.len(), record.spares.len());
        let _ = record.effects().count();
    }
    if let Ok(path) = TreePath::new(text) {
        assert_eq!(TreePath::new(path.as_str()), Ok(path));
    }
});
