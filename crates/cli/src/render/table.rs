//! Tables without lines, indented under their heading.

use comfy_table::{CellAlignment, ColumnConstraint, ContentArrangement, Table, presets};
use owo_colors::OwoColorize;

use super::fit_path;

/// Lays rows out in columns under a heading; the columns in `right` are aligned to the right.
pub fn table(headings: &[&str], right: &[usize], rows: Vec<Vec<String>>) -> String {
    let mut table = Table::new();
    table.load_preset(presets::NOTHING).set_content_arrangement(ContentArrangement::Disabled);
    // It has no layout or colours, and does not ask the terminal for each cell.
    table.force_no_tty();
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

/// Takes those of some columns away in which no row says anything.
pub fn drop_empty(
    headings: &mut Vec<&str>,
    rows: &mut [Vec<String>],
    columns: &[usize],
    empty: &str,
) {
    for &column in columns.iter().rev() {
        if rows.iter().all(|row| row[column] == empty) {
            headings.remove(column);
            for row in &mut *rows {
                row.remove(column);
            }
        }
    }
}

/// The same limited to a number of columns: long texts in the last column are wrapped.
pub fn wrapping_table(headings: &[&str], rows: Vec<Vec<String>>, width: usize) -> String {
    let mut table = Table::new();
    table.load_preset(presets::NOTHING).set_content_arrangement(ContentArrangement::Dynamic);
    table.set_width(u16::try_from(width).unwrap_or(u16::MAX)).force_no_tty();
    table.set_header(headings.iter().map(|heading| heading.dimmed().to_string()));
    table.add_rows(rows);
    let last = headings.len().saturating_sub(1);
    for (index, column) in table.column_iter_mut().enumerate() {
        column.set_padding((if index == 0 { 2 } else { 0 }, 2));
        if index < last {
            column.set_constraint(ColumnConstraint::ContentWidth);
        }
    }
    let lines: Vec<String> = table.lines().map(|line| line.trim_end().to_owned()).collect();
    lines.join("\n") + "\n"
}

/// Cuts the paths of the last column down to the room that the other columns leave.
pub fn fit_places(headings: &[&str], rows: &mut [Vec<String>], width: usize) {
    let last = headings.len().saturating_sub(1);
    let taken: usize = (0..last)
        .map(|n| {
            let cells = rows.iter().map(|row| anstream::adapter::strip_str(&row[n]).to_string());
            let cells: Vec<String> = cells.chain([headings[n].to_owned()]).collect();
            widest(cells.iter().map(String::as_str)) + 2
        })
        .sum();
    let room = width.saturating_sub(taken + 2).max(16);

    for row in rows {
        row[last] = fit_path(&row[last], room);
    }
}

/// The width of the widest text.
pub fn widest<'a>(texts: impl IntoIterator<Item = &'a str>) -> usize {
    texts.into_iter().map(unicode_width::UnicodeWidthStr::width).max().unwrap_or(0)
}
