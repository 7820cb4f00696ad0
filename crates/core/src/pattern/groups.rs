//! Groups of patterns.

use std::sync::Arc;

/// The groups of a pattern: number 0 is the whole match, the others count from 1.
///
/// ```
/// use brisk_quill_core::pattern::Pattern;
/// use brisk_quill_core::pattern::options::MatchOptions;
/// let pattern = Pattern::new(r"(?<quay>\w+) (\d+)", &MatchOptions::default()).expect("a pattern");
/// let groups = pattern.groups();
/// assert_eq!((groups.len(), groups.name(1), groups.name(2)), (3, Some("quay"), None));
/// ```
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Groups {
    names: Arc<[Option<Box<str>>]>,
}

impl Groups {
    /// Groups with these names; the first stands for the whole match and has none.
    pub fn new(names: impl IntoIterator<Item = Option<String>>) -> Self {
        let names = names.into_iter().map(|n| n.map(String::into_boxed_str));
        Self {
            names: names.collect(),
        }
    }

    /// The number of groups, the whole match included.
    #[expect(
        clippy::len_without_is_empty,
        reason = "the whole match is always there"
    )]
    pub fn len(&self) -> usize {
        self.names.len()
    }

    /// The number of the group called `name`.
    pub fn number_of(&self, name: &str) -> Option<usize> {
        self.names.iter().position(|n| n.as_deref() == Some(name))
    }

    /// The name of a group, where it has one.
    pub fn name(&self, number: usize) -> Option<&str> {
        self.names.get(number)?.as_deref()
    }

    /// All names in order of number.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.names.iter().filter_map(Option::as_deref)
    }
}
