//! The facts at the end of a file that the library does not keep as they were: the version, and by which order
//! the least and the greatest value of each column were found. Under another order, readers would pass over those of
//! columns that have not changed.
//!
//! They are in the compact protocol of Thrift: a field begins with a byte for its distance and type.

use super::damaged;
use parquet::basic::ColumnOrder;
use parquet::file::metadata::FileMetaData;
use std::io;

/// The length of the footer, and the magic bytes after it.
const END: usize = 8;
/// Field 1, a number of 32 bits: the version.
const VERSION: u8 = 0x15;
/// The field after the one before, a list: the orders of the columns.
const ORDERS: u8 = 0x19;
/// The end of a struct.
const STOP: u8 = 0;

/// Gives a new file the version and the orders of an old one.
///
/// # Errors
///
/// When the library writes its footer in another way than is known here.
pub fn keep(new: &mut Vec<u8>, old: &FileMetaData) -> io::Result<()> {
    let unknown =
        || damaged("the library for Parquet files writes their ends in a way that is not known");
    let end = new.len().checked_sub(END).ok_or_else(unknown)?;
    let length = new[end..]
        .first_chunk()
        .map_or(0, |bytes| u32::from_le_bytes(*bytes) as usize);
    let start = end.checked_sub(length).ok_or_else(unknown)?;
    let columns = old.schema_descr().num_columns();
    let written = list(columns, |_| Some(IEEE));
    let begin = (end - 1)
        .checked_sub(written.len())
        .filter(|begin| *begin > start)
        .ok_or_else(unknown)?;
    let is_known = new[start] == VERSION
        && new[begin] == ORDERS
        && new[begin..end - 1].len() == written.len()
        && new[end - 1] == STOP;
    if !is_known {
        return Err(unknown());
    }
    let version = u8::try_from(old.version())
        .ok()
        .filter(|version| *version < 64);
    new[start + 1] = version.ok_or_else(unknown)? << 1;
    let orders = match old.column_orders() {
        Some(orders) => list(columns, |column| order(orders.get(column)?)),
        None => Vec::new(),
    };
    new.splice(begin..end - 1, orders);
    let end = new.len() - END;
    let length = u32::try_from(end - start).map_err(|_| unknown())?;
    new[end..end + 4].copy_from_slice(&length.to_le_bytes());
    Ok(())
}

/// The field with the orders of all columns; those that are not known go as the order of the type.
fn list(columns: usize, order: impl Fn(usize) -> Option<u8>) -> Vec<u8> {
    const STRUCT: u8 = 12;
    let mut field = vec![ORDERS];
    match u8::try_from(columns) {
        Ok(columns @ 0..15) => field.push(columns << 4 | STRUCT),
        _ => {
            field.push(0xf0 | STRUCT);
            let mut rest = columns;
            while rest >= 0x80 {
                field.push((rest & 0x7f) as u8 | 0x80);
                rest >>= 7;
            }
            field.push(rest as u8);
        }
    }
    for column in 0..columns {
        field.extend([order(column).unwrap_or(BY_TYPE), STOP, STOP]);
    }
    field
}

/// The tags of the orders: a struct in field 1, 2 or 3.
const BY_TYPE: u8 = 0x1c;
const IEEE: u8 = 0x2c;
const INT96: u8 = 0x3c;

fn order(order: &ColumnOrder) -> Option<u8> {
    match order {
        ColumnOrder::TYPE_DEFINED_ORDER(_) => Some(BY_TYPE),
        ColumnOrder::IEEE_754_TOTAL_ORDER => Some(IEEE),
        ColumnOrder::INT96_TIMESTAMP_ORDER => Some(INT96),
        _ => None,
    }
}
