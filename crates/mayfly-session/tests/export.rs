//! Cells of a table for other programs.

use mayfly_session::export::*;

#[test]
fn cells_are_no_formulas_and_no_commands() {
    let cases = [
        ("=1+2", "'=1+2"),
        ("-3.5", "-3.5"),
        ("-x", "'-x"),
        ("+cmd", "'+cmd"),
        ("@a", "'@a"),
        ("plain", "plain"),
        ("a\u{1b}[31m", "a\\u{1b}[31m"),
        ("\u{2028}", "\\u{2028}"),
    ];
    for (text, cell) in cases {
        assert_eq!(safe_cell(text), cell);
    }
}
