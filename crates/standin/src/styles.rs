//! The site's stylesheets.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::fmt::Write;

/// Rules for things that are not on this page, up to about `size` bytes.
fn ballast(seed: u64, prefix: &str, size: usize) -> String {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut text = String::with_capacity(size + 300);
    let mut n = 0;
    while text.len() < size {
        let (a, b, c): (u32, u32, u32) = (rng.random_range(1..60), rng.random_range(1..400), rng.random_range(0..360));
        let _ = write!(
            text,
            ".{prefix}-{n} {{\n  margin: {a}px {b}px;\n  padding: {a}px;\n  color: hsl({c}, 30%, 40%);\n  border-left: {}px solid hsl({}, 40%, 60%);\n}}\n.{prefix}-{n}:hover > a {{\n  transform: translateX({b}px) rotate({c}deg);\n}}\n",
            a % 5,
            (c + 40) % 360
        );
        n += 1;
    }
    text
}

/// What the first screen needs of all four sheets.
pub fn first_screen() -> String {
    "*{box-sizing:border-box}body{margin:0;font:17px/1.55 Quay,Georgia,serif;color:#1d2a3a;background:#f6f4ee}header.site{background:#23415f url(//static.skerryline.test/themes/tidemark/header-waves.jpg) center/cover;color:#fff;padding:18px 20px}header.site a{color:#fff;text-decoration:none;margin-right:18px}header.site strong{display:block;font-size:24px;font-weight:600}#deck{min-height:52vw;background:#d8dee2;overflow:hidden}#deck img{display:block;width:100%;height:52vw;object-fit:cover}@media(min-width:900px){#deck{min-height:420px}#deck img{height:420px}}main{max-width:980px;margin:0 auto;padding:0 20px}h1{font-weight:600;font-size:30px;line-height:1.2;margin:22px 0 8px}\n".to_owned()
}

pub fn base() -> String {
    format!(
        "{}h2 {{ font-weight: 600; font-size: 22px; margin: 32px 0 10px; }}\nfooter {{ margin-top: 48px; padding: 28px 20px; background: #23415f; color: #dfe7ee; }}\na {{ color: #23518a; }}\n.consent-bar {{ background: #fff3d6; border-bottom: 2px solid #c7a14a; padding: 18px 20px; }}\n.consent-bar p {{ margin: 0 0 10px; }}\n.consent-bar button {{ margin-right: 10px; padding: 8px 16px; }}\n{}",
        first_screen(),
        ballast(31, "tide", 88_000)
    )
}

pub fn layout() -> String {
    format!(
        ".crossings {{ display: grid; grid-template-columns: repeat(auto-fill, minmax(260px, 1fr)); gap: 20px; }}\n.crossing {{ background: #fff; border: 1px solid #d9d3c4; padding: 0 0 12px; }}\n.crossing img {{ width: 100%; display: block; }}\n.crossing h3 {{ margin: 12px 14px 4px; font-weight: 600; }}\n.crossing p {{ margin: 0 14px; }}\ntable {{ width: 100%; border-collapse: collapse; }}\ntd, th {{ text-align: left; padding: 6px 8px; border-bottom: 1px solid #d9d3c4; }}\n#advert img {{ width: 100%; display: block; }}\n.only-wide {{ display: none; }}\n.only-phone {{ width: 100%; }}\n@media (min-width: 900px) {{ .only-wide {{ display: block; width: 100%; }} .only-phone {{ display: none; }} #advert img {{ width: 480px; }} }}\n{}",
        ballast(32, "berth", 26_000)
    )
}

pub fn slider() -> String {
    format!(".deck-hero {{ animation: none; }}\n{}", ballast(33, "deck", 17_000))
}

/// The font host's sheet: text stays hidden until the font is there (`block`), or is shown in
/// another font meanwhile (`swap`).
pub fn fonts(display: &str) -> String {
    [400, 600]
        .map(|weight| {
            format!(
                "@font-face {{ font-family: Quay; font-weight: {weight}; font-display: {display}; src: url(//fonts.typequay.test/quay-{weight}.woff2) format('woff2'); }}\n"
            )
        })
        .concat()
}

/// review-stars' sheet.
pub fn stars() -> String {
    format!(".review {{ margin: 0 0 6px; color: #6a5a20; }}\n{}", ballast(34, "star", 21_000))
}

/// What a page builder left in the notice: 170 kB of style, nearly all for other pages.
pub fn inline_notice() -> String {
    format!(
        "{}.notice p {{ max-width: 62ch; }}\n#player img {{ width: 100%; height: auto; }}\n{}",
        first_screen(),
        ballast(35, "built", 168_000)
    )
}

/// The notice's sheets: a chain of imports, and the same in one file.
pub fn notices() -> [(&'static str, String); 4] {
    let (a, b, c) = (ballast(36, "note", 9_000), ballast(37, "type", 12_000), ballast(38, "line", 7_000));
    [
        ("/themes/tidemark/notices.css", format!("@import url(notices-type.css);\n{a}")),
        ("/themes/tidemark/notices-type.css", format!("@import url(notices-rules.css);\n{b}")),
        ("/themes/tidemark/notices-rules.css", format!("main.notice {{ max-width: 760px; }}\n{c}")),
        ("/themes/tidemark/notices-flat.css", format!("main.notice {{ max-width: 760px; }}\n{a}{b}{c}")),
    ]
}
