//! Names like one that is not there.

use std::fmt;

/// Names that may be meant instead of one that is not there.
#[derive(Clone, Debug, PartialEq, Eq)]
pub enum Nearest {
    /// One that is much like it.
    One(String),
    /// All where there are few, else some.
    Several {
        /// The names.
        names: Vec<String>,
        /// The number of all names there are.
        of: usize,
    },
}

impl fmt::Display for Nearest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let quoted = |name: &String| format!("`{}`", crate::escape::visible(name.as_bytes()));
        match self {
            Self::One(name) => write!(f, ": did you mean {}?", quoted(name)),
            Self::Several { names, .. } if names.is_empty() => Ok(()),
            Self::Several { names, of } => {
                let quoted: Vec<String> = names.iter().map(quoted).collect();
                match of - names.len() {
                    0 => write!(f, "; there is {}", quoted.join(", ")),
                    more => write!(f, "; there is {} and {more} more", quoted.join(", ")),
                }
            }
        }
    }
}

/// From this likeness on, a name is taken for a slip of another.
const ALIKE: f64 = 0.82;

/// The name that is much like one that is not there.
pub fn alike<'n>(name: &str, names: impl Iterator<Item = &'n str>) -> Option<&'n str> {
    let wanted = name.to_lowercase();
    let rated = names.map(|name| (strsim::jaro_winkler(&wanted, &name.to_lowercase()), name));
    let best = rated.max_by(|(a, _), (b, _)| a.total_cmp(b));
    let (_, name) = best.filter(|(likeness, _)| *likeness >= ALIKE)?;
    Some(name)
}

/// The number of letters by which two words differ: put in, left out, changed, or swapped with the next.
pub fn distance(one: &str, other: &str) -> usize {
    strsim::osa_distance(one, other)
}

/// The names like one that is not there.
pub(crate) fn nearest<'n>(name: &str, names: impl Iterator<Item = &'n str>) -> Nearest {
    let wanted = name.trim_start_matches('/').to_lowercase();
    let names: Vec<&str> = names.collect();
    if let Some(name) = alike(&wanted, names.iter().copied()) {
        return Nearest::One(name.to_owned());
    }
    let likeness = |name: &&str| strsim::jaro_winkler(&wanted, &name.to_lowercase());
    let mut rated: Vec<(f64, &str)> = names.iter().map(|name| (likeness(name), *name)).collect();
    if rated.len() > 7 {
        rated.sort_by(|(a, _), (b, _)| b.total_cmp(a));
        rated.truncate(3);
    }
    Nearest::Several {
        of: names.len(),
        names: rated.into_iter().map(|(_, name)| name.to_owned()).collect(),
    }
}
