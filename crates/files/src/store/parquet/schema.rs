//! The tree of a schema, along which rows are put together.

use super::damaged;
use brisk_quill_core::columns::container::LEFT_ALONE;
use parquet::basic::{ConvertedType, LogicalType, Repetition, TimeUnit, Type as Physical};
use parquet::schema::types::{ColumnDescriptor, Type, TypePtr};
use std::collections::HashSet;
use std::io;
use std::ops::Range;

/// The most levels of lists and structs.
const DEPTH_MOST: usize = 64;

/// A part of a row.
pub enum Node {
    /// The values of a column, by its number.
    Leaf(usize),
    /// A part that may be null: below level `def` it is.
    Optional {
        def: i16,
        leaves: Range<usize>,
        inner: Box<Node>,
    },
    /// Each part with `"key":` before it.
    Struct(Vec<(Vec<u8>, Node)>),
    /// Elements: below level `def` there is none, and one that begins at level `rep` is not the first.
    List {
        def: i16,
        rep: i16,
        leaves: Range<usize>,
        element: Box<Node>,
    },
}

/// The parts of a schema's rows.
///
/// # Errors
///
/// When it is nested too deeply, or a struct has no columns.
pub fn fields(root: &Type) -> io::Result<Vec<(Vec<u8>, Node)>> {
    let mut builder = Builder { leaves: 0 };
    builder.fields(root, Levels::default(), HashSet::from(["@".to_owned()]))
}

/// Keys that a struct cannot have: where it has one key alone, those of values that are left alone.
fn taken(group: &Type) -> HashSet<String> {
    let kinds = match group.get_fields().len() {
        1 => LEFT_ALONE,
        _ => &[],
    };
    kinds.iter().map(|kind| (*kind).to_owned()).collect()
}

/// The levels above a part.
#[derive(Clone, Copy, Default)]
struct Levels {
    def: i16,
    rep: i16,
    depth: usize,
}

struct Builder {
    /// Columns met so far.
    leaves: usize,
}

impl Builder {
    /// The parts of a group, whose keys are none of `taken`.
    fn fields(
        &mut self,
        group: &Type,
        levels: Levels,
        mut taken: HashSet<String>,
    ) -> io::Result<Vec<(Vec<u8>, Node)>> {
        let mut fields = Vec::new();
        for field in group.get_fields() {
            let name = field.name();
            let others = (2..).map(|number| format!("{name}_{number}"));
            let mut names = std::iter::once(name.to_owned()).chain(others);
            let key = names
                .find(|name| taken.insert(name.clone()))
                .unwrap_or_default();
            let mut head = serde_json::Value::from(key).to_string().into_bytes();
            head.push(b':');
            fields.push((head, self.field(field, levels)?));
        }
        match fields.is_empty() {
            true => Err(damaged("the Parquet file has a struct without columns")),
            false => Ok(fields),
        }
    }

    /// A part with its repetition.
    fn field(&mut self, field: &Type, mut levels: Levels) -> io::Result<Node> {
        let first = self.leaves;
        levels.depth += 1;
        if levels.depth > DEPTH_MOST {
            return Err(damaged(format!(
                "the Parquet file is nested in more than {DEPTH_MOST} levels"
            )));
        }
        let info = field.get_basic_info();
        let repetition = match info.has_repetition() {
            true => info.repetition(),
            false => Repetition::REQUIRED,
        };
        match repetition {
            Repetition::REQUIRED => self.content(field, levels),
            Repetition::OPTIONAL => {
                levels.def += 1;
                let inner = Box::new(self.content(field, levels)?);
                Ok(Node::Optional {
                    def: levels.def,
                    leaves: first..self.leaves,
                    inner,
                })
            }
            Repetition::REPEATED => {
                levels.def += 1;
                levels.rep += 1;
                let element = Box::new(self.content(field, levels)?);
                Ok(Node::List {
                    def: levels.def,
                    rep: levels.rep,
                    leaves: first..self.leaves,
                    element,
                })
            }
        }
    }

    /// A part once it is there.
    fn content(&mut self, field: &Type, mut levels: Levels) -> io::Result<Node> {
        if field.is_primitive() {
            self.leaves += 1;
            return Ok(Node::Leaf(self.leaves - 1));
        }
        let info = field.get_basic_info();
        let is = |logical, converted: &[ConvertedType]| {
            info.logical_type_ref() == Some(&logical) || converted.contains(&info.converted_type())
        };
        let is_list = is(LogicalType::List, &[ConvertedType::LIST]);
        let is_map = is(
            LogicalType::Map,
            &[ConvertedType::MAP, ConvertedType::MAP_KEY_VALUE],
        );
        let repeated = match field.get_fields() {
            [only] if (is_list || is_map) && is_repeated(only) => only,
            _ => return Ok(Node::Struct(self.fields(field, levels, taken(field))?)),
        };
        let first = self.leaves;
        levels.def += 1;
        levels.rep += 1;
        let element = match inner_fields(repeated) {
            [element] if is_list && !is_tuple(repeated) => self.field(element, levels)?,
            _ => self.content(repeated, levels)?,
        };
        Ok(Node::List {
            def: levels.def,
            rep: levels.rep,
            leaves: first..self.leaves,
            element: Box::new(element),
        })
    }
}

/// The fields of a type, of which a primitive one has none.
fn inner_fields(of: &Type) -> &[TypePtr] {
    match of.is_primitive() {
        true => &[],
        false => of.get_fields(),
    }
}

fn is_repeated(field: &Type) -> bool {
    let info = field.get_basic_info();
    info.has_repetition() && info.repetition() == Repetition::REPEATED
}

/// True if a repeated struct with one field is the element itself, as older programs wrote it
/// (the rules for backward compatibility of the format's description, "Lists").
fn is_tuple(repeated: &Type) -> bool {
    repeated.name() == "array" || repeated.name().ends_with("_tuple")
}

/// The meaning of the values of a column.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    Text,
    Truth,
    Whole {
        bits: u8,
        is_signed: bool,
    },
    Real,
    /// Days since 1970.
    Date,
    /// Parts of a second since midnight, and how many of them are a second.
    Time {
        parts: i64,
    },
    /// Parts of a second since 1970.
    Moment {
        parts: i64,
        is_utc: bool,
    },
    Decimal {
        scale: i32,
    },
    /// Bytes with a meaning that is not known here.
    Blob,
}

impl Kind {
    pub fn of(column: &ColumnDescriptor) -> Self {
        let physical = column.physical_type();
        let told = match column.logical_type_ref() {
            Some(logical) => Self::logical(logical),
            None => Self::converted(column),
        };
        match (physical, told) {
            (Physical::BOOLEAN, _) => Self::Truth,
            (Physical::FLOAT | Physical::DOUBLE, _) => Self::Real,
            (Physical::INT96, _) => Self::Moment {
                parts: NANOS,
                is_utc: false,
            },
            (Physical::INT32, None) => Self::Whole {
                bits: 32,
                is_signed: true,
            },
            (Physical::INT64, None) => Self::Whole {
                bits: 64,
                is_signed: true,
            },
            (_, told) => told.unwrap_or(Self::Blob),
        }
    }

    fn logical(logical: &LogicalType) -> Option<Self> {
        Some(match logical {
            LogicalType::String | LogicalType::Enum | LogicalType::Json => Self::Text,
            LogicalType::Integer(whole) => Self::Whole {
                bits: u8::try_from(whole.bit_width).unwrap_or(64),
                is_signed: whole.is_signed,
            },
            LogicalType::Date => Self::Date,
            LogicalType::Time(time) => Self::Time {
                parts: parts(&time.unit),
            },
            LogicalType::Timestamp(time) => Self::Moment {
                parts: parts(&time.unit),
                is_utc: time.is_adjusted_to_u_t_c,
            },
            LogicalType::Decimal(decimal) => Self::Decimal {
                scale: decimal.scale,
            },
            LogicalType::Unknown => return None,
            _ => Self::Blob,
        })
    }

    fn converted(column: &ColumnDescriptor) -> Option<Self> {
        let whole = |bits, is_signed| Self::Whole { bits, is_signed };
        let moment = |parts| Self::Moment {
            parts,
            is_utc: true,
        };
        Some(match column.converted_type() {
            ConvertedType::UTF8 | ConvertedType::ENUM | ConvertedType::JSON => Self::Text,
            ConvertedType::INT_8 => whole(8, true),
            ConvertedType::INT_16 => whole(16, true),
            ConvertedType::INT_32 => whole(32, true),
            ConvertedType::INT_64 => whole(64, true),
            ConvertedType::UINT_8 => whole(8, false),
            ConvertedType::UINT_16 => whole(16, false),
            ConvertedType::UINT_32 => whole(32, false),
            ConvertedType::UINT_64 => whole(64, false),
            ConvertedType::DATE => Self::Date,
            ConvertedType::TIME_MILLIS => Self::Time { parts: MILLIS },
            ConvertedType::TIME_MICROS => Self::Time { parts: MICROS },
            ConvertedType::TIMESTAMP_MILLIS => moment(MILLIS),
            ConvertedType::TIMESTAMP_MICROS => moment(MICROS),
            ConvertedType::DECIMAL => Self::Decimal {
                scale: column.type_scale(),
            },
            ConvertedType::NONE => return None,
            _ => Self::Blob,
        })
    }
}

const MILLIS: i64 = 1_000;
const MICROS: i64 = 1_000_000;
pub const NANOS: i64 = 1_000_000_000;

fn parts(unit: &TimeUnit) -> i64 {
    match unit {
        TimeUnit::MILLIS => MILLIS,
        TimeUnit::MICROS => MICROS,
        TimeUnit::NANOS => NANOS,
    }
}
