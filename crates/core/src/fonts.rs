//! Which fonts a text is set in (CSS Fonts 4, section 5), and how long it waits for them (section 11).

use crate::Millis;
use serde::{Deserialize, Serialize};
use std::sync::Arc;

/// How text is shown while its font is on its way: `font-display`.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub enum FontDisplay {
    /// As the browser likes.
    #[default]
    Auto,
    /// Not for three seconds.
    Block,
    /// In another font at once.
    Swap,
    /// In another font after a tenth of a second.
    Fallback,
    /// In another font after a tenth of a second, and for good.
    Optional,
}

/// Where a sheet does not say how text is to be shown the browser shows it so many ms after navigation start at the
/// latest, font or no font: it would have the largest paint come by 2.5 s. Measured in the browser that records.
pub(crate) const AUTO_SHOWN: Millis = Millis(2_000.0);
/// So long text is held back for a font that blocks.
pub(crate) const BLOCKED: Millis = Millis(3_000.0);
/// So long at most where another font stands in.
const HARDLY_BLOCKED: Millis = Millis(100.0);

impl FontDisplay {
    /// The value of the descriptor; what is not known counts as `auto`.
    #[must_use]
    pub fn named(value: &str) -> Self {
        match value.trim() {
            "block" => Self::Block,
            "swap" => Self::Swap,
            "fallback" => Self::Fallback,
            "optional" => Self::Optional,
            _ => Self::Auto,
        }
    }

    /// For how long after its font was asked for text waits, and until when at least after navigation start.
    pub(crate) fn limit(self) -> (Millis, Millis) {
        match self {
            Self::Auto => (Millis::ZERO, AUTO_SHOWN),
            Self::Block => (BLOCKED, Millis::ZERO),
            Self::Fallback | Self::Optional => (HARDLY_BLOCKED, Millis::ZERO),
            Self::Swap => (Millis::ZERO, Millis::ZERO),
        }
    }

    /// Until when text waits for a font that was asked for at a moment; `None` where it does not wait.
    #[must_use]
    pub fn waits_until(self, asked: Millis) -> Option<Millis> {
        let (after, not_before) = self.limit();
        (self != Self::Swap).then(|| (asked + after).max(not_before))
    }

    /// When text stopped to wait for a font that was asked for at a moment and came at another: it had come, or was
    /// given up on; `None` where it did not wait.
    #[must_use]
    pub fn settled(self, asked: Millis, came: Option<Millis>) -> Option<Millis> {
        let limit = self.waits_until(asked)?;
        Some(came.map_or(limit, |came| came.min(limit)))
    }
}

/// A font that a page loaded, as its sheets declare it.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct FontFace {
    /// Its family.
    pub family: String,
    /// One weight, or the least and the greatest.
    pub weight: String,
    /// `normal`, `italic` or `oblique` with an angle.
    pub style: String,
    /// The letters that it is for: `U+0-FF, U+131`.
    pub letters: String,
    /// How text is shown meanwhile.
    pub display: String,
    /// Its file.
    pub url: String,
}

/// What a text asks for.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[serde(default)]
pub struct TextStyle {
    /// Families, the first that is there counts.
    pub families: String,
    /// A number.
    pub weight: String,
    /// `normal`, `italic` or `oblique` with an angle.
    pub style: String,
    /// Its different letters.
    pub letters: String,
}

/// A font that a text is set in.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct TextFont {
    /// Its file.
    pub url: Arc<str>,
    /// How the text is shown meanwhile.
    pub display: FontDisplay,
    /// What the text would be set in without it, of the fonts that the page loaded.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub without: Vec<TextFont>,
}

impl TextFont {
    /// A font in whose place the page has none.
    #[must_use]
    pub fn of(url: &str, display: FontDisplay) -> Self {
        Self { url: url.into(), display, without: Vec::new() }
    }
}

/// Families that every browser has.
const GENERIC: [&str; 13] = [
    "serif",
    "sans-serif",
    "monospace",
    "cursive",
    "fantasy",
    "system-ui",
    "ui-serif",
    "ui-sans-serif",
    "ui-monospace",
    "ui-rounded",
    "math",
    "emoji",
    "fangsong",
];

/// The fonts that texts are set in, of those that their page loaded; each once.
#[must_use]
pub fn fonts_of(texts: &[TextStyle], loaded: &[FontFace]) -> Vec<TextFont> {
    let mut fonts = set_in(texts, loaded);
    for font in &mut fonts {
        let its = |text: &&TextStyle| faces(text, loaded).iter().any(|face| *face.url == *font.url);
        let texts: Vec<TextStyle> = texts.iter().filter(its).cloned().collect();
        let left: Vec<FontFace> = loaded.iter().filter(|face| *face.url != *font.url).cloned().collect();
        font.without = set_in(&texts, &left);
    }
    fonts
}

fn set_in(texts: &[TextStyle], loaded: &[FontFace]) -> Vec<TextFont> {
    let mut found: Vec<TextFont> = Vec::new();
    for face in texts.iter().flat_map(|text| faces(text, loaded)) {
        let font = TextFont::of(&face.url, FontDisplay::named(&face.display));
        if !found.contains(&font) {
            found.push(font);
        }
    }
    found
}

/// The faces of the first family that is there: of its style, of the nearest weight, for some letter of the text.
fn faces<'f>(text: &TextStyle, loaded: &'f [FontFace]) -> Vec<&'f FontFace> {
    let wanted: f64 = text.weight.trim().parse().unwrap_or(400.0);
    for family in families(&text.families) {
        if GENERIC.contains(&family.to_ascii_lowercase().as_str()) {
            break;
        }
        let own: Vec<&FontFace> = loaded.iter().filter(|f| unquoted(&f.family).eq_ignore_ascii_case(&family)).collect();
        let off = |face: &&FontFace| (slanted(&face.style) != slanted(&text.style), weight_off(&face.weight, wanted));
        let order = |a: &(bool, (u8, f64)), b: &(bool, (u8, f64))| {
            a.0.cmp(&b.0).then(a.1.0.cmp(&b.1.0)).then(a.1.1.total_cmp(&b.1.1))
        };
        let Some(nearest) = own.iter().map(off).min_by(order) else { continue };
        let ranges = |face: &FontFace| text.letters.chars().any(|c| is_for(&face.letters, c));
        return own.into_iter().filter(|f| off(f) == nearest && ranges(f)).collect();
    }
    Vec::new()
}

/// The names in a list of families.
fn families(list: &str) -> Vec<String> {
    let mut names = vec![String::new()];
    let mut quote = None;
    for c in list.chars() {
        match (quote, c) {
            (None, '"' | '\'') => quote = Some(c),
            (Some(open), _) if open == c => quote = None,
            (None, ',') => names.push(String::new()),
            _ => names.last_mut().expect("never empty").push(c),
        }
    }
    names.into_iter().map(|name| name.trim().to_owned()).filter(|name| !name.is_empty()).collect()
}

fn unquoted(name: &str) -> &str {
    name.trim().trim_matches(['"', '\''])
}

fn slanted(style: &str) -> bool {
    style.contains("italic") || style.contains("oblique")
}

/// How far a face's weight is from the wanted one (CSS Fonts 4, section 5.2): by the direction in which it is looked
/// for, then by the distance.
fn weight_off(weight: &str, wanted: f64) -> (u8, f64) {
    let named = |word: &str| match word {
        "normal" => Some(400.0),
        "bold" => Some(700.0),
        number => number.parse::<f64>().ok(),
    };
    let bounds: Vec<f64> = weight.split_whitespace().filter_map(named).collect();
    let (least, most) = match bounds[..] {
        [one] => (one, one),
        [least, most] => (least.min(most), least.max(most)),
        _ => (400.0, 400.0),
    };
    if (least..=most).contains(&wanted) {
        return (0, 0.0);
    }
    let (above, off) = if least > wanted { (true, least - wanted) } else { (false, wanted - most) };
    let rank = match (wanted, above) {
        (400.0..=500.0, true) if least <= 500.0 => 1,
        (400.0..=500.0, above) => 2 + u8::from(above),
        (..400.0, above) => 1 + u8::from(above),
        (_, above) => 2 - u8::from(above),
    };
    (rank, off)
}

/// Whether a letter is among ranges: `U+26`, `U+0-7F`, `U+4??`; all are where none is named.
fn is_for(ranges: &str, letter: char) -> bool {
    let code = u32::from(letter);
    let mut ranges = ranges.split(',').map(str::trim).filter(|r| !r.is_empty()).peekable();
    if ranges.peek().is_none() {
        return true;
    }
    ranges.any(|range| {
        let Some(range) = range.strip_prefix("U+").or_else(|| range.strip_prefix("u+")) else { return false };
        let hex = |digits: &str| u32::from_str_radix(digits, 16).ok();
        let (from, to) = match range.split_once('-') {
            Some((from, to)) => (hex(from), hex(to)),
            None => (hex(&range.replace('?', "0")), hex(&range.replace('?', "F"))),
        };
        from.zip(to).is_some_and(|(from, to)| (from..=to).contains(&code))
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn face(family: &str, weight: &str, style: &str, letters: &str, url: &str) -> FontFace {
        let [family, weight, style, letters, url] = [family, weight, style, letters, url].map(str::to_owned);
        FontFace { family, weight, style, letters, display: "auto".into(), url }
    }

    fn files(families: &str, weight: &str, style: &str, letters: &str, loaded: &[FontFace]) -> Vec<String> {
        let [families, weight, style, letters] = [families, weight, style, letters].map(str::to_owned);
        let found = fonts_of(&[TextStyle { families, weight, style, letters }], loaded);
        found.iter().map(|f| f.url.to_string()).collect()
    }

    #[test]
    fn a_text_is_set_in_the_first_family_that_is_there() {
        let loaded = [face("Pier", "400", "normal", "", "pier"), face("\"Quay, Old\"", "400", "normal", "", "quay")];
        let of = |families: &str| files(families, "400", "normal", "Words", &loaded);
        assert_eq!(of("\"Quay, Old\", Pier, serif"), ["quay"]);
        assert_eq!(of("Nowhere, PIER"), ["pier"]);
        assert_eq!(of("serif, Pier"), [""; 0], "a generic family is always there");
        assert_eq!(of("Nowhere"), [""; 0]);
    }

    #[test]
    fn of_its_faces_the_nearest_counts() {
        let weights = |wanted: &str, there: &[&str]| {
            let loaded: Vec<FontFace> = there.iter().map(|w| face("Pier", w, "normal", "", w)).collect();
            files("Pier", wanted, "normal", "Words", &loaded)
        };
        assert_eq!(weights("700", &["400", "600", "900"]), ["900"], "a heavy one is looked for above first");
        assert_eq!(weights("300", &["200", "400"]), ["200"], "a light one below");
        assert_eq!(weights("400", &["300", "500", "700"]), ["500"], "up to 500 comes before what is below");
        assert_eq!(weights("450", &["300", "700"]), ["300"]);
        assert_eq!(weights("650", &["300 800", "600"]), ["300 800"]);
        assert_eq!(weights("700", &["normal", "bold"]), ["bold"]);
        let slanted = [face("Pier", "700", "italic", "", "italic"), face("Pier", "400", "normal", "", "upright")];
        assert_eq!(files("Pier", "700", "normal", "Words", &slanted), ["upright"], "style goes before weight");
    }

    #[test]
    fn without_its_font_a_text_is_set_in_the_next_that_is_there() {
        let text = |weight: &str| TextStyle {
            families: "Pier, Quay".into(),
            weight: weight.into(),
            style: "normal".into(),
            letters: "Words".into(),
        };
        let loaded = [
            face("Pier", "700", "normal", "", "bold"),
            face("Pier", "400", "normal", "", "usual"),
            face("Quay", "400", "normal", "", "quay"),
        ];
        let without = |texts: &[TextStyle], loaded: &[FontFace]| -> Vec<(String, Vec<String>)> {
            let urls = |fonts: &[TextFont]| fonts.iter().map(|f| f.url.to_string()).collect();
            fonts_of(texts, loaded).iter().map(|f| (f.url.to_string(), urls(&f.without))).collect()
        };
        let of = |font: &str, others: &[&str]| (font.to_owned(), others.iter().map(|o| (*o).to_owned()).collect());
        assert_eq!(without(&[text("700")], &loaded), [of("bold", &["usual"])], "the bold one is drawn from the other");
        assert_eq!(without(&[text("700")], &loaded[..1]), [of("bold", &[])]);
        assert_eq!(without(&[text("700")], &[loaded[0].clone(), loaded[2].clone()]), [of("bold", &["quay"])]);
        let both = without(&[text("400"), text("700")], &loaded);
        assert_eq!(both, [of("usual", &["bold"]), of("bold", &["usual"])], "each by the words that are set in it");
    }

    #[test]
    fn a_face_for_other_letters_is_not_waited_for() {
        let loaded = [
            face("Pier", "400", "normal", "U+0-FF, U+131", "latin"),
            face("Pier", "400", "normal", "U+1??", "extended"),
            face("Pier", "400", "normal", "U+400-4FF", "cyrillic"),
        ];
        let of = |letters: &str| files("Pier", "400", "normal", letters, &loaded);
        assert_eq!(of("Words"), ["latin"]);
        assert_eq!(of("Łódź"), ["latin", "extended"]);
    }

    #[test]
    fn text_waits_as_its_font_says() {
        let until = |display: &str, asked: f64| FontDisplay::named(display).waits_until(Millis(asked));
        assert_eq!(until("auto", 700.0), Some(Millis(2_000.0)));
        assert_eq!(until("auto", 2_400.0), Some(Millis(2_400.0)), "it is too late to wait at all");
        assert_eq!(until("block", 700.0), Some(Millis(3_700.0)));
        assert_eq!(until("fallback", 700.0), Some(Millis(800.0)));
        assert_eq!(until("swap", 700.0), None);
    }
}
