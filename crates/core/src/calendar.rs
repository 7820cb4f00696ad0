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

/// The day of a number of days since 1 January 1970, as ISO 8601 writes it. It counts by the rules of today before they were
/// in use, too.
///
/// ```
/// use brisk_quill_core::calendar::date;
/// assert_eq!(date(0), "1970-01-01");
/// assert_eq!(date(-1), "1969-12-31");
/// ```
pub fn date(days: i64) -> String {
    // A year is counted from March on, so that the day of a leap year is its last; all comes again after 400 years.
    let shifted = days.saturating_add(719_468);
    let era = shifted.div_euclid(146_097);
    let of_era = shifted.rem_euclid(146_097);
    let year = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * year + year / 4 - year / 100);
    let shifted_month = (5 * of_year + 2) / 153;
    let day = of_year - (153 * shifted_month + 2) / 5 + 1;
    let month = if shifted_month < 10 {
        shifted_month + 3
    } else {
        shifted_month - 9
    };
    let year = year + era * 400 + i64::from(month <= 2);
    format!("{year:04}-{month:02}-{day:02}")
}

/// The time of a number of seconds since midnight, as `06:30:00`.
///
/// ```
/// assert_eq!(brisk_quill_core::calendar::clock(61), "00:01:01");
/// ```
pub fn clock(seconds: i64) -> String {
    let (hours, minutes) = (seconds / 3600, seconds / 60 % 60);
    format!("{hours:02}:{minutes:02}:{:02}", seconds % 60)
}
