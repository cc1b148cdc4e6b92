//! Maps as CSV (RFC 4180), out and in: a row for each row of cells, a cell's tile by its name, nothing where there is none.
//!
//! Invariant: what is written is read back as the same map; a row that is shorter ends in cells without a tile.

use mayfly_base::AreaId;
use mayfly_session::session::Session;
use std::collections::BTreeMap;

/// Cells of a map at most.
const MAX: usize = 1_000_000;

/// An area at the session's moment.
pub fn write(s: &Session, area: AreaId) -> String {
    let (p, w) = (&s.engine.program, &s.now.world);
    let map = &p.maps[area.index()];
    let mut out = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(vec![]);
    for y in 0..map.height {
        let row = (0..map.width).map(|x| w.tile(p, area, (x, y)).map_or("", |t| p.tiles[t.index()].name.as_str()));
        // Memory does not fail to be written to, and every row is as long as the first.
        let _ = out.write_record(row);
    }
    out.into_inner().ok().and_then(|b| String::from_utf8(b).ok()).unwrap_or_default()
}

/// Why a table is no map.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum MapError {
    /// With the words of the reader of CSV.
    #[error("line {line}: {why}")]
    Row { line: u64, why: String },
    #[error("the map has more than {MAX} cells")]
    TooLarge,
    #[error("there is no row in it")]
    Empty,
    #[error("there are more tiles than signs for them")]
    TooManyTiles,
}

/// A map of our language from a table of tile names, or of single characters: `tiles` for the names, and the map itself.
///
/// # Errors
/// What is wrong with the table, with its line; a map that is too large; more names than there are signs.
pub fn read(text: &str) -> Result<String, MapError> {
    let mut table = csv::ReaderBuilder::new().has_headers(false).flexible(true).from_reader(text.as_bytes());
    let mut rows: Vec<Vec<String>> = vec![];
    let mut cells = 0;
    for row in table.records() {
        let row =
            row.map_err(|e| MapError::Row { line: e.position().map_or(0, csv::Position::line), why: e.to_string() })?;
        cells += row.len();
        if cells > MAX {
            return Err(MapError::TooLarge);
        }
        rows.push(row.iter().map(|c| c.trim().to_string()).collect());
    }
    if rows.is_empty() {
        return Err(MapError::Empty);
    }
    let mut signs: BTreeMap<&str, char> = BTreeMap::new();
    let mut free: Vec<char> = ('!'..='~').filter(|c| !matches!(c, '"' | '\\' | '.' | '\'' | '{' | '}')).collect();
    for name in rows.iter().flatten().filter(|n| !n.is_empty()) {
        if signs.contains_key(name.as_str()) {
            continue;
        }
        // The sign itself, else the first letter that is left.
        let mut letters = name.chars();
        let own = letters.next().filter(|c| free.contains(c));
        let sign = own.or(free.iter().copied().find(|c| c.is_ascii_alphabetic())).or(free.first().copied());
        let sign = sign.ok_or(MapError::TooManyTiles)?;
        free.retain(|c| *c != sign);
        signs.insert(name, sign);
    }
    // A sign has no name of its own; two names that our language cannot tell apart get a number.
    let mut given: std::collections::BTreeSet<String> = std::collections::BTreeSet::new();
    let mut name_of = |name: &str| -> String {
        let plain: String = name.chars().map(|c| if c.is_alphanumeric() || c == '_' { c } else { '_' }).collect();
        let begins = plain.chars().next().is_some_and(char::is_alphabetic);
        let plain = if begins { plain } else { format!("tile_{}", plain.trim_matches('_')) };
        let plain = plain.trim_end_matches('_').to_string();
        let mut out = plain.clone();
        let mut n = 2;
        while !given.insert(out.clone()) {
            out = format!("{plain}_{n}");
            n += 1;
        }
        out
    };
    let tiles: Vec<String> = signs.iter().map(|(name, sign)| format!("'{sign}' {}", name_of(name))).collect();
    let width = rows.iter().map(Vec::len).max().unwrap_or(0);
    let lines = rows.iter().map(|r| {
        let cell = |x: usize| r.get(x).filter(|n| !n.is_empty()).map_or('.', |n| signs[n.as_str()]);
        (0..width).map(cell).collect::<String>()
    });
    let map: Vec<String> = lines.collect();
    Ok(format!("tiles {{ {} }}\nmap \"\"\"\n{}\n\"\"\"\n", tiles.join("; "), map.join("\n")))
}
