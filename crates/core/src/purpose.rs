//! What a plugin or third party is for: suggested by its name and the names of its files, decided by the user.

use crate::Owner;

/// Purposes, each with the words that names have for it; a word counts where a part of the name begins with it.
const PURPOSES: [(&str, &[&str]); 16] = [
    ("forms", &["form", "contact", "survey"]),
    ("statistics", &["stat", "analytic", "metric", "count", "track", "measure", "visit", "beacon"]),
    ("tags", &["tag", "tags"]),
    ("security", &["guard", "secur", "firewall", "captcha", "spam", "protect"]),
    ("backup", &["backup", "vault", "snapshot", "restore"]),
    ("slider", &["slider", "slide", "carousel", "gallery", "deck"]),
    ("consent", &["consent", "cookie", "gdpr", "privacy"]),
    ("chat", &["chat", "parley", "messenger", "helpdesk", "support"]),
    ("sharing", &["share", "social"]),
    ("search engines", &["seo", "meta", "sitemap", "search"]),
    ("reviews", &["review", "rating", "star"]),
    ("booking", &["book", "reserv", "berth", "ticket", "calendar", "appointment"]),
    ("pictures", &["image", "picture", "photo", "thumb", "optim"]),
    ("fonts", &["font", "type", "icons"]),
    ("adverts", &["ads", "advert", "banner"]),
    ("video", &["video", "player", "film", "reel", "movie"]),
];

/// Words of a name, in small letters: `gull-stats` is `gull` and `stats`.
fn words(name: &str) -> impl Iterator<Item = String> + '_ {
    name.split(|c: char| !c.is_alphanumeric()).filter(|w| w.len() > 2).map(str::to_ascii_lowercase)
}

/// What an owner is likely for, the likeliest first: its own name tells more than its files' names do.
#[must_use]
pub fn suggested_purposes(owner: &Owner, files: &[String]) -> Vec<&'static str> {
    let points = |wanted: &[&str]| {
        let has = |text: &str| words(text).any(|word| wanted.iter().any(|w| word.starts_with(w)));
        usize::from(has(&owner.name)) * 3 + files.iter().take(40).filter(|file| has(file)).count().min(2)
    };
    let mut found: Vec<(usize, &str)> =
        PURPOSES.iter().map(|(purpose, wanted)| (points(wanted), *purpose)).filter(|(points, _)| *points > 0).collect();
    found.sort_by_key(|(points, _)| std::cmp::Reverse(*points));
    found.into_iter().take(3).map(|(_, purpose)| purpose).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_and_files_suggest_what_an_owner_is_for() {
        let of = |name: &str, files: &[&str]| {
            let files: Vec<String> = files.iter().map(|f| (*f).to_owned()).collect();
            suggested_purposes(&Owner::named(name), &files)
        };
        assert_eq!(of("easy-forms", &["forms.js"]), ["forms"]);
        assert_eq!(of("form-builder", &[]), ["forms"]);
        assert_eq!(of("gull-stats", &["stats.js"]), ["statistics"]);
        assert_eq!(of("night-vault", &[]), ["backup"]);
        assert_eq!(of("islandmedia.test", &["advert.jpg", "place.js"]), ["adverts"]);
        assert_eq!(of("deck-slider", &["slider.css", "slider.js"])[0], "slider");
        assert!(of("mooring", &["a.js"]).is_empty());
    }
}
