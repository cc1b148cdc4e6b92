//! A scene as PDF, by way of its SVG: text that can be searched and copied, with the fonts inside.
//!
//! Not here: what is drawn ([`crate::svg`]).
//!
//! Invariant: no font of the machine is used, so that the same scene gives the same bytes everywhere.

use crate::scene::Scene;
use crate::svg::{self, Look};
use krilla::Document;
use krilla::geom::Size;
use krilla::metadata::Metadata;
use krilla::page::PageSettings;
use krilla_svg::{SurfaceExt, SvgSettings};
use std::sync::Arc;
use usvg::fontdb::Database;

/// The fonts that come with it; every family is one of them.
const MONO: &str = "DejaVu Sans Mono";
/// A point is so many pixels.
const POINTS: f32 = 0.75;
/// The widest and the narrowest page, in points, that readers take.
const WIDEST: f32 = 14_400.0;

/// Why a drawing is no page.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum PdfError {
    /// With the reader's own words.
    #[error("the drawing was not read: {0}")]
    NotRead(String),
    #[error("the drawing has no size")]
    NoSize,
    /// With the writer's own words.
    #[error("the page was not made: {0}")]
    NotMade(String),
}

/// The file's bytes. `width`: how wide the page is, in pixels; as wide as it is drawn where none is given.
///
/// # Errors
/// What the writer says.
pub fn write(scene: &Scene, look: Look, width: Option<f64>) -> Result<Vec<u8>, PdfError> {
    of_svg(&svg::write(scene, look, width))
}

/// The same of a drawing that [`svg::write`] made.
///
/// # Errors
/// A text that is no such drawing; what the writer says.
pub fn of_svg(text: &str) -> Result<Vec<u8>, PdfError> {
    let read = roxmltree::Document::parse(text).map_err(|e| PdfError::NotRead(e.to_string()))?;
    let inside = |name: &str| {
        let found = read.root_element().children().find(|n| n.has_tag_name(("http://www.w3.org/2000/svg", name)));
        found.and_then(|n| n.text()).unwrap_or_default().to_string()
    };
    let mut fonts = Database::new();
    for font in [dejavu::sans_mono::regular(), dejavu::sans_mono::bold(), dejavu::sans::regular()] {
        fonts.load_font_data(font.to_vec());
    }
    // Text without a family that is known vanishes without an error.
    fonts.set_monospace_family(MONO);
    fonts.set_sans_serif_family(MONO);
    fonts.set_serif_family(MONO);
    let options = usvg::Options { font_family: MONO.into(), fontdb: Arc::new(fonts), ..usvg::Options::default() };
    let tree = usvg::Tree::from_str(text, &options).map_err(|e| PdfError::NotRead(e.to_string()))?;
    let (w, h) = (tree.size().width() * POINTS, tree.size().height() * POINTS);
    // A drawing that is larger than any page is made smaller as a whole.
    let fit = (WIDEST / w.max(h)).min(1.0);
    let (w, h) = ((w * fit).max(3.0), (h * fit).max(3.0));
    let (Some(page), Some(size)) = (PageSettings::from_wh(w, h), Size::from_wh(w, h)) else {
        return Err(PdfError::NoSize);
    };
    let mut document = Document::new();
    document.set_metadata(Metadata::new().title(inside("title")).description(inside("desc")));
    let mut page = document.start_page_with(page);
    let mut surface = page.surface();
    surface.draw_svg(&tree, size, SvgSettings::default());
    surface.finish();
    page.finish();
    document.finish().map_err(|e| PdfError::NotMade(format!("{e:?}")))
}
