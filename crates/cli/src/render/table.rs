//! Tables without lines, indented under their heading.

use comfy_table::{CellAlignment, ContentArrangement, Table, presets};
use owo_colors::OwoColorize;

/// Lays rows out in columns under a heading; the columns in `right` are aligned to the right.
pub fn table(headings: &[&str], right: &[usize], rows: Vec<Vec<String>>) -> String {
    let mut table = Table::new();
    table.load_preset(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    table.set_header(headings.iter().map(|heading| heading.dimmed().to_string()));
    table.add_rows(rows);
    let last = headings.len().saturating_sub(1);
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 2 } else { 0 }, if index == last { 0 } else { 2 }));
        if right.contains(&index) {
            column.set_cell_alignment(CellAlignment::Right);
        }
    }
    let lines: Vec<String> = table.lines().map(|line| line.trim_end().to_owned()).collect();
    lines.join("\n") + "\n"
}

/// The width of the widest text.
pub fn widest<'a>(texts: impl IntoIterator<Item = &'a str>) -> usize {
    texts.into_iter().map(unicode_width::UnicodeWidthStr::width).max().unwrap_or(0)
}
