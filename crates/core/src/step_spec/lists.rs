//! Lists of values in a rewrite file, and values of two parts.

use serde::{Deserialize, Deserializer, Serialize, Serializer};

/// The pairs in a flat list.
pub fn in_pairs(flat: &[String]) -> impl Iterator<Item = (&str, &str)> {
    flat.chunks_exact(2).map(|pair| (&*pair[0], &*pair[1]))
}

/// A list, or one value without its brackets.
pub fn one_or_more<'de, D, T>(deserializer: D) -> Result<Vec<T>, D::Error>
where
    D: Deserializer<'de>,
    T: Deserialize<'de>,
{
    #[derive(Deserialize)]
    #[serde(untagged, expecting = "one value, or a list of such values")]
    enum OneOrMore<T> {
        More(Vec<T>),
        One(T),
    }
    Ok(match OneOrMore::deserialize(deserializer)? {
        OneOrMore::More(values) => values,
        OneOrMore::One(value) => vec![value],
    })
}

/// Pairs of texts, flat in memory; in a file one pair, or a list of pairs.
pub mod pairs {
    use super::*;

    /// Writes a list of pairs.
    ///
    /// # Errors
    ///
    /// Those of the format.
    pub fn serialize<S: Serializer>(flat: &[String], serializer: S) -> Result<S::Ok, S::Error> {
        serializer.collect_seq(in_pairs(flat))
    }

    /// Reads one pair, or a list of pairs.
    ///
    /// # Errors
    ///
    /// When it is neither.
    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<String>, D::Error> {
        let pairs: Vec<[String; 2]> = one_or_more(d)?;
        Ok(pairs.into_iter().flatten().collect())
    }
}

/// One pair of texts, flat in memory, where nothing is not a pair.
pub mod one_pair {
    use super::*;

    /// Writes the pair.
    ///
    /// # Errors
    ///
    /// Those of the format.
    pub fn serialize<S: Serializer>(flat: &[String], serializer: S) -> Result<S::Ok, S::Error> {
        flat.serialize(serializer)
    }

    /// Reads a pair.
    ///
    /// # Errors
    ///
    /// When it is none.
    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<String>, D::Error> {
        <[String; 2]>::deserialize(d).map(Vec::from)
    }
}

/// Pairs of a text and a number, flat in memory; in a file one pair, or a list of pairs.
pub mod near_pairs {
    use super::*;

    /// Writes a list of pairs; what is not a number is written as the text it is.
    ///
    /// # Errors
    ///
    /// Those of the format.
    pub fn serialize<S: Serializer>(flat: &[String], serializer: S) -> Result<S::Ok, S::Error> {
        #[derive(Serialize)]
        #[serde(untagged)]
        enum Distance<'t> {
            Number(u64),
            Text(&'t str),
        }
        serializer.collect_seq(in_pairs(flat).map(|(pattern, distance)| {
            let distance = distance
                .parse()
                .map_or(Distance::Text(distance), Distance::Number);
            (pattern, distance)
        }))
    }

    /// Reads one pair, or a list of pairs.
    ///
    /// # Errors
    ///
    /// When it is neither.
    pub fn deserialize<'de, D: Deserializer<'de>>(d: D) -> Result<Vec<String>, D::Error> {
        let pairs: Vec<(String, u64)> = one_or_more(d)?;
        let flat = pairs
            .into_iter()
            .flat_map(|(pattern, distance)| [pattern, distance.to_string()]);
        Ok(flat.collect())
    }
}
