//! A line of a recipe in words, each with its column: quotes as in a shell, `#` begins a comment, `${name}` is a value.

use std::collections::BTreeMap;

/// Values for `${name}`, by their names.
pub(crate) type Values = BTreeMap<String, String>;

/// A word, and the column that it begins in, from 1.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Word {
    pub(crate) text: String,
    pub(crate) column: usize,
}

/// What is wrong with a line, and in which column.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Wrong {
    pub(crate) column: usize,
    pub(crate) what: String,
}

/// The words of a line. A value stays within the word that it stands in, whatever it holds.
pub(crate) fn words(line: &str, values: &Values) -> Result<Vec<Word>, Wrong> {
    let mut words: Vec<Word> = Vec::new();
    let mut word: Option<Word> = None;
    let mut quote: Option<(char, usize)> = None;
    let mut rest = line.chars().enumerate().map(|(at, c)| (at + 1, c)).peekable();
    while let Some((column, c)) = rest.next() {
        let begun = |word: &mut Option<Word>, text: &str| {
            word.get_or_insert_with(|| Word { text: String::new(), column }).text.push_str(text);
        };
        match (c, quote) {
            (c, Some((open, _))) if c == open => quote = None,
            ('\'' | '"', None) => {
                quote = Some((c, column));
                begun(&mut word, "");
            }
            ('#', None) if word.is_none() => break,
            (c, None) if c.is_whitespace() => words.extend(word.take()),
            ('\\', None | Some(('"', _))) => match rest.next() {
                Some((_, next)) => begun(&mut word, next.encode_utf8(&mut [0; 4])),
                None => return Err(Wrong { column, what: "nothing follows the backslash".into() }),
            },
            ('$', quote)
                if quote.is_none_or(|(open, _)| open == '"') && rest.peek().is_some_and(|(_, c)| *c == '{') =>
            {
                let name: String = rest.by_ref().skip(1).map(|(_, c)| c).take_while(|c| *c != '}').collect();
                let value = values.get(&name).ok_or_else(|| Wrong { column, what: unknown(&name, values) })?;
                begun(&mut word, value);
            }
            (c, _) => begun(&mut word, c.encode_utf8(&mut [0; 4])),
        }
    }
    if let Some((open, column)) = quote {
        return Err(Wrong { column, what: format!("the quote {open} is not closed") });
    }
    words.extend(word);
    Ok(words)
}

fn unknown(name: &str, values: &Values) -> String {
    let known: Vec<&str> = values.keys().map(String::as_str).collect();
    match known.is_empty() {
        true => format!("${{{name}}} has no value; give one with --set {name}=VALUE"),
        false => format!("${{{name}}} has no value; give one with --set {name}=VALUE (set are {})", known.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plain(line: &str) -> Vec<(usize, String)> {
        let values = Values::from([("wide".into(), "3 0".into()), ("n".into(), "4".into())]);
        words(line, &values).unwrap().into_iter().map(|w| (w.column, w.text)).collect()
    }

    #[test]
    fn words_have_columns_quotes_comments_and_values() {
        let want = |list: &[(usize, &str)]| list.iter().map(|(c, w)| (*c, w.to_string())).collect::<Vec<_>>();
        assert_eq!(plain("  resize --width 30 # small"), want(&[(3, "resize"), (10, "--width"), (18, "30")]));
        assert_eq!(
            plain("a 'b # c' \"d \\\" ${n}\" e\\ f"),
            want(&[(1, "a"), (3, "b # c"), (11, "d \" 4"), (23, "e f")])
        );
        // A value is no further words, and nothing in it is read again.
        assert_eq!(plain("x${wide}y '${n}' $n #${no}"), want(&[(1, "x3 0y"), (11, "${n}"), (18, "$n")]));
        assert_eq!(plain("flatten #102030"), want(&[(1, "flatten")]), "a colour needs quotes");
        assert_eq!(plain("'' b#c"), want(&[(1, ""), (4, "b#c")]));
        assert_eq!(plain("   # nothing"), want(&[]));
    }

    #[test]
    fn what_is_wrong_has_its_column() {
        let wrong = |line| words(line, &Values::new()).unwrap_err();
        assert_eq!(wrong("crop 'x"), Wrong { column: 6, what: "the quote ' is not closed".into() });
        assert_eq!(wrong("crop \\").column, 6);
        let no = wrong("a --width ${wide}");
        assert_eq!((no.column, no.what.as_str()), (11, "${wide} has no value; give one with --set wide=VALUE"));
    }

    proptest::proptest! {
        /// Whatever stands in a line is words or a mistake with a column in it.
        #[test]
        fn any_line_is_words_or_wrong(line in ".{0,60}") {
            let values = Values::from([("a".into(), "b c".into())]);
            match words(&line, &values) {
                Ok(words) => proptest::prop_assert!(words.iter().all(|w| w.column <= line.chars().count())),
                Err(wrong) => proptest::prop_assert!((1..=line.chars().count()).contains(&wrong.column)),
            }
        }

        /// Words as they are shown are read as the same words.
        #[test]
        fn shown_words_are_read_again(list in proptest::collection::vec(".{0,12}", 1..5)) {
            let line = list.iter().map(|word| super::super::shown(word)).collect::<Vec<_>>().join(" ");
            let found = words(&line, &Values::new()).unwrap();
            proptest::prop_assert_eq!(found.into_iter().map(|w| w.text).collect::<Vec<_>>(), list);
        }
    }
}
