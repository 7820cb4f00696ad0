//! `no-such-date`: a new text is a date that is on no calendar.

use crate::hints::beside::Beside;
use crate::hints::evidence::Form;
use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use brisk_quill_core::calendar::is_date;
use brisk_quill_core::numbers::counted;

pub const RULE: Rule = Rule {
    name: "no-such-date",
    speaks: "a change writes a date that is on no calendar, as where the day and the month change places",
    example: Example {
        words: &[r"(\d\d)/(\d\d)/(\d{4})", "--with", "$3-$2-$1"],
        file: "notice.txt",
        text: b"closed 05/25/2031\n",
    },
    hides: &[],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    let (count, first) = study.gather(|form| wrong_date(form).is_some())?;
    let message = format!(
        "{} a date that is on no calendar: {}",
        match count {
            1 => "1 change writes".to_owned(),
            n => format!("{} write", counted(n, "change")),
        },
        quoted(&wrong_date(first)?),
    );
    let template = study.plan.template().map(|template| template.source());
    let turned = template.and_then(turned).map(Remedy::Template);
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(turned))
}

/// The first date in the new text of a form that is none.
fn wrong_date(form: &Form) -> Option<String> {
    let after = form
        .after
        .as_deref()
        .filter(|after| *after != form.before())?;
    let is_whole = form.left != Beside::Digit && form.right != Beside::Digit;
    let text = std::str::from_utf8(after).ok().filter(|_| is_whole)?;
    let was = String::from_utf8_lossy(form.before());
    let is_part = |c: char| c.is_ascii_digit() || "-./".contains(c);
    let mut runs = text.split(|c| !is_part(c));
    let wrong = runs.find(|run| is_wrong(run) && !was.contains(run))?;
    Some(wrong.to_owned())
}

/// True for three numbers that are written as a date and can be none.
fn is_wrong(run: &str) -> bool {
    let signs = ['-', '.', '/'];
    let Some(sign) = signs.into_iter().find(|sign| run.contains(*sign)) else {
        return false;
    };
    let parts: Vec<&str> = run.trim_end_matches(sign).split(sign).collect();
    let &[first, second, third] = &parts[..] else {
        return false;
    };
    let is_number = |text: &str, digits: &[usize]| {
        digits.contains(&text.len()) && text.bytes().all(|b| b.is_ascii_digit())
    };
    let year = |text: &str| {
        let year = text.parse().ok().filter(|_| is_number(text, &[4]));
        year.filter(|year| (1000..3000).contains(year))
    };
    let small = |text: &str| text.parse().ok().filter(|_| is_number(text, &[1, 2]));
    // After a year comes the month; before one, both orders are in use.
    if let (Some(year), Some(month), Some(day)) = (year(first), small(second), small(third)) {
        return !is_date(year, month, day);
    }
    match (small(first), small(second), year(third)) {
        (Some(one), Some(two), Some(year)) => !is_date(year, one, two) && !is_date(year, two, one),
        _ => false,
    }
}

/// A template that writes a date, a year first, with its month and its day in the places of each other.
fn turned(template: &str) -> Option<String> {
    let mut references = template.match_indices('$').map(|(at, _)| {
        let rest = &template[at + 1..];
        let length = match rest.strip_prefix('{') {
            Some(inner) => inner.find('}')? + 2,
            None => rest.bytes().take_while(u8::is_ascii_digit).count(),
        };
        (length > 0).then_some(at..at + 1 + length)
    });
    let (_, month, day) = (
        references.next()??,
        references.next()??,
        references.next()??,
    );
    if references.next().is_some() {
        return None;
    }
    let (own_month, own_day) = (&template[month.clone()], &template[day.clone()]);
    let mut amended = template.to_owned();
    amended.replace_range(day, own_month);
    amended.replace_range(month, own_day);
    Some(amended)
}
