//! Queries as texts without what differs from one to the next.

/// Texts longer than this are cut: nobody reads on, and a generated list has no end.
const LONGEST: usize = 2_000;

/// A query with its literals and placeholders as `?`, its comments gone, its blanks single, and lists of values as
/// one: what two queries of one statement have in common. Text in double quotes is a name (SQL-92, 5.2).
#[must_use]
pub fn folded(query: &str) -> String {
    fold(query).text
}

/// Whether a query has placeholders where values were: its text is the same whatever was asked for.
#[must_use]
pub fn hides_values(query: &str) -> bool {
    fold(query).placeholders
}

fn fold(query: &str) -> Folding {
    let mut text = Folding::default();
    let mut rest = query.chars().peekable();
    let mut before = ' ';
    while let Some(c) = rest.next() {
        match c {
            '\'' => {
                quoted(&mut rest, '\'');
                text.value();
            }
            '"' | '`' => {
                text.push(c);
                for inner in rest.by_ref() {
                    text.push(inner);
                    if inner == c {
                        break;
                    }
                }
            }
            '-' if rest.peek() == Some(&'-') => {
                while rest.next_if(|c| *c != '\n').is_some() {}
                text.blank();
            }
            '/' if rest.peek() == Some(&'*') => {
                rest.next();
                let mut last = ' ';
                for inner in rest.by_ref() {
                    if last == '*' && inner == '/' {
                        break;
                    }
                    last = inner;
                }
                text.blank();
            }
            '?' => {
                while rest.next_if(char::is_ascii_digit).is_some() {}
                text.placeholders = true;
                text.value();
            }
            '$' | ':' | '@'
                if rest.peek().is_some_and(|c| c.is_alphanumeric() || *c == '_')
                    && before != ':'
                    && !is_word(before) =>
            {
                while rest.next_if(|c| c.is_alphanumeric() || *c == '_').is_some() {}
                text.placeholders = true;
                text.value();
            }
            '%' if rest.peek() == Some(&'s') => {
                rest.next();
                text.placeholders = true;
                text.value();
            }
            c if c.is_ascii_digit() && !is_word(before) => {
                while rest.next_if(|c| c.is_alphanumeric() || *c == '.').is_some() {}
                text.value();
            }
            c if c.is_whitespace() => text.blank(),
            c => text.push(c),
        }
        before = c;
        if text.text.len() > LONGEST {
            text.text.push('…');
            break;
        }
    }
    text.text = text.text.trim().to_owned();
    text
}

fn is_word(c: char) -> bool {
    c.is_alphanumeric() || c == '_' || c == '$'
}

/// Reads on to the end of a literal; a doubled quote is one in it.
fn quoted(rest: &mut std::iter::Peekable<std::str::Chars<'_>>, quote: char) {
    while let Some(c) = rest.next() {
        if c == '\\' {
            rest.next();
        } else if c == quote && rest.next_if_eq(&quote).is_none() {
            break;
        }
    }
}

#[derive(Default)]
struct Folding {
    text: String,
    /// Whether a place for one did.
    placeholders: bool,
}

impl Folding {
    fn blank(&mut self) {
        if !self.text.ends_with(' ') {
            self.text.push(' ');
        }
    }

    fn push(&mut self, c: char) {
        self.text.push(c);
        // A list of rows of values is as long as it is: one stands for all.
        if c == ')' {
            while let Some(without) = self.text.strip_suffix("(?), (?)").or_else(|| self.text.strip_suffix("(?),(?)")) {
                let kept = without.len() + 3;
                self.text.truncate(kept);
            }
        }
    }

    fn value(&mut self) {
        let listed = self.text.trim_end();
        if let Some(without) = listed.strip_suffix(',')
            && without.trim_end().ends_with('?')
        {
            let kept = without.trim_end().len();
            self.text.truncate(kept);
            return;
        }
        self.text.push('?');
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn placeholders_hide_values() {
        for hidden in ["select a where b = %s", "select a where b = ?", "select a where b = $1 limit 10"] {
            assert!(hides_values(hidden), "{hidden}");
        }
        for told in ["select a where b = 4", "select a", "select 'what?'"] {
            assert!(!hides_values(told), "{told}");
        }
    }

    #[test]
    fn literals_lists_and_comments_are_folded_and_names_are_not() {
        for (query, text) in [
            ("select max(height) from levels where day = 149", "select max(height) from levels where day = ?"),
            ("SELECT * FROM t2 WHERE a='it''s' AND b = -1.5e3", "SELECT * FROM t2 WHERE a=? AND b = -?"),
            (
                "select a\n  from \"my 2 tables\" -- why\n where id in (1, 2,3)",
                "select a from \"my 2 tables\" where id in (?)",
            ),
            ("insert into v values (1, 'x'), (2, 'y'),(3,'z')", "insert into v values (?)"),
            (
                "select /* 12 */ `n1` from x where y = $1 and z = :name and w::text = %s",
                "select `n1` from x where y = ? and z = ? and w::text = ?",
            ),
            ("select x where y like 'a\\'b' limit 10", "select x where y like ? limit ?"),
            ("insert into v (a, b) values (?1, ?2)", "insert into v (a, b) values (?)"),
            ("", ""),
        ] {
            assert_eq!(folded(query), text);
        }
        assert!(folded(&"select a, ".repeat(1_000)).chars().count() <= LONGEST + 2);
    }

    proptest! {
        #[test]
        fn what_differs_in_its_values_alone_folds_to_one(a in 0u32..1_000_000, b in "[a-z ']{0,12}") {
            let of = |n: u32, word: &str| folded(&format!("select x from t where n = {n} and w = '{}'", word.replace('\'', "''")));
            prop_assert_eq!(of(a, &b), of(7, "seven"));
        }

        #[test]
        fn any_text_is_folded(text in "\\PC{0,60}") {
            let once = folded(&text);
            prop_assert!(once.len() <= LONGEST + 8);
        }
    }
}
