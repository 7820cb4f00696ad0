//! Dates of the calendar in use.

use jiff::civil::Date;

/// True if there is such a day; months and days count from 1.
///
/// ```
/// use brisk_quill_core::calendar::is_date;
/// assert!(is_date(2032, 2, 29));
/// assert!(!is_date(2031, 2, 29));
/// assert!(!is_date(2031, 13, 1));
/// ```
pub fn is_date(year: i16, month: i8, day: i8) -> bool {
    Date::new(year, month, day).is_ok()
}
