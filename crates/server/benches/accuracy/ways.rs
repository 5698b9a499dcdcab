//! Every rare way in which a largest element comes to be shown, alone on a page: with nothing late, and with each of its
//! files late, one at a time.

use crate::blame::{Instead, Measured, Tried, judged, largest};
use crate::generated::loaded;
use crate::kept::keep;
use crate::rarer::{every_way, plain};
use phainon_core::{ResourceKey, standings};
use std::ops::Range;
use std::path::Path;

/// Seeds of a way's pages lie so far apart, and those of a variant's: a page a file of it.
const A_WAY: u64 = 1_000;
const A_VARIANT: u64 = 10;

/// Records them in some variants and keeps what came of it; `only` are parts of ways' names, with commas between.
pub async fn ways(variants: Range<u64>, folder: &Path, only: Option<&str>) {
    let picture = crate::picture::picture();
    for variant in variants {
        let wanted = |name: &str| only.is_none_or(|only| only.split(',').any(|o| name.contains(o)));
        for (way, (name, _)) in every_way().enumerate().filter(|(_, (name, _))| wanted(name)) {
            println!("{way}, {variant}: {name}");
            if let Err(why) = one(way, variant, &picture, folder).await {
                println!("  could not be measured: {why}");
            }
        }
    }
}

async fn one(way: usize, variant: u64, picture: &[u8], folder: &Path) -> Result<(), String> {
    let packages = folder.join("packages");
    let page = plain(way, variant, None, picture, &packages).ok_or("no such way")?;
    if page.files.iter().any(|file| file.body.is_empty() && file.leads.is_none()) {
        return Err("a library is not there".into());
    }
    let files: Vec<String> = page.files.iter().map(|f| format!("https://{}/{}", f.host, f.name)).collect();
    let (before_ms, what) = largest(&loaded(page).await?).ok_or("no largest paint")?;
    for (at, file) in files.iter().enumerate() {
        let page = plain(way, variant, Some(at), picture, &packages).ok_or("no such file")?;
        let (about, markup) = (page.about.clone(), page.html.clone());
        let mut load = loaded(page).await?;
        // The address of a picture out of a fetch is another in every load.
        let same = |found: &str| found == what || what.starts_with("blob:") && found.starts_with("blob:");
        let Some((again_ms, _)) = largest(&load).filter(|(_, found)| same(found)) else {
            println!("  {file}: another largest element, {:?}", largest(&load));
            continue;
        };
        (load.largest_stands, load.words_stand) = standings(&load, markup.as_bytes());
        let seed = way as u64 * A_WAY + variant * A_VARIANT + at as u64;
        let tried = vec![Tried { file: ResourceKey::of(file), instead: Instead::AtOnce, largest_ms: before_ms }];
        let measured = Measured { seed, about, load, again_ms, tried };
        println!("{}", judged(&measured).lines.join("\n"));
        keep(&measured, &folder.join("ways"))?;
    }
    Ok(())
}

/// The HTML of such a page, by its seed.
pub fn markup_of(seed: u64) -> Option<String> {
    let page = plain(usize::try_from(seed / A_WAY).ok()?, seed % A_WAY / A_VARIANT, None, &[], Path::new(""))?;
    Some(page.html)
}
