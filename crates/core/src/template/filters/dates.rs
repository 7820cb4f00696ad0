//! Dates and times, read in one form and written in another.

use crate::template::filters::argument::CallError;
use crate::template::filters::filter::{Effect, Filter, Unfit};
use jiff::fmt::strtime::{self, BrokenDownTime};

pub(super) const FILTERS: &[Filter] = &[Filter {
    name: "date",
    arguments: "FROM TO",
    does: "a date or time, read as FROM and written as TO",
    examples: &[
        ("14.08.2026", "date %d.%m.%Y %F", "2026-08-14"),
        ("07:30", "date %H:%M %T", "07:30:00"),
    ],
    read: |arguments| {
        let (from, to) = (arguments.text()?.to_owned(), arguments.text()?.to_owned());
        for form in [&from, &to] {
            check_form(form)?;
        }
        let words = format!("read as the date or time {from} and written as {to}");
        let effect = Effect::new(move |value| convert(value.text, &from, &to));
        Ok(effect.worded(words).fallible())
    },
}];

/// Makes sure that a form of dates can be used at all.
fn check_form(form: &str) -> Result<(), CallError> {
    let unusable = || {
        CallError::Argument(format!(
            "`{form}` is not a form of dates: it is made of such as %Y %m %d %H %M %S %b"
        ))
    };
    let moment = jiff::civil::date(2026, 11, 23).at(6, 30, 0, 0);
    let moment = moment
        .to_zoned(jiff::tz::TimeZone::UTC)
        .map_err(|_| unusable())?;
    let tried = strtime::format(form, &moment);
    tried.map(drop).map_err(|_| unusable())
}

/// `text`, read as `from`, and written as `to`.
fn convert(text: &str, from: &str, to: &str) -> Result<String, Unfit> {
    let fail = |_| format!("cannot be read as {from}");
    let mut read = BrokenDownTime::parse(from, text).map_err(fail)?;
    // All three together must be a day that there is.
    if read.year().is_some() && read.month().is_some() && read.day().is_some() {
        let fail = |_| format!("cannot be read as {from}: there is no such day");
        read.to_date().map_err(fail)?;
    }
    whole_year(&read, text)?;
    no_leap_second(&read, text, from)?;
    if read.hour().is_some() {
        // A time without seconds is on the full minute.
        let minute = read.minute().unwrap_or(0);
        read.set_minute(Some(minute)).map_err(fail)?;
        let second = read.second().unwrap_or(0);
        read.set_second(Some(second)).map_err(fail)?;
    }
    let fail = |_| format!("cannot be read as {from} and written as {to}: it does not say enough");
    Ok(read.to_string(to).map_err(fail)?)
}

/// A year of four digits must be written with four: `24` is not the year 24.
fn whole_year(read: &BrokenDownTime, text: &str) -> Result<(), Unfit> {
    let years = [read.year(), read.iso_week_year()];
    let mut years = years.into_iter().flatten();
    let short = |year: &i16| {
        let written = format!("{:04}", year.unsigned_abs());
        year.unsigned_abs() < 1000 && !text.contains(&written)
    };
    match years.find(short) {
        Some(year) => Err(format!(
            "has the year {year}, and %Y takes four digits: read two digits with %y"
        )
        .into()),
        None => Ok(()),
    }
}

/// A second numbered 60 has no place in other forms of the day.
fn no_leap_second(read: &BrokenDownTime, text: &str, from: &str) -> Result<(), Unfit> {
    if read.second() != Some(59) || !text.contains("60") {
        return Ok(());
    }
    // It is read as 59: then the text has one fewer of these than what it was read as.
    let written = read.to_string(from).unwrap_or_default();
    match text.matches("59").count() < written.matches("59").count() {
        true => Err("has a second numbered 60, which cannot be kept".into()),
        false => Ok(()),
    }
}
