//! `dialect`: a sign that means something else in patterns and templates here.

use crate::hints::hint::{Hint, Remedy, quoted};
use crate::hints::rule::{Example, Rule, all_forms};
use crate::hints::study::StepStudy;
use crate::hints::wider::WiderKind;
use brisk_quill_core::numbers::counted;
use brisk_quill_core::step::actions::Action;

pub const RULE: Rule = Rule {
    name: "dialect",
    speaks: "a sign means something else here: `\\(` and `\\|` are the characters themselves, `&` is no \
             reference, and `s/old/new/` is a pattern like any other",
    example: Example {
        words: &[r"berth \([0-9]\)", "--with", "B"],
        file: "notice.txt",
        text: b"berth 4 is free\n",
    },
    hides: &["near-miss", "left-out-files", "no-reference", "inside-word"],
    judge,
    named: all_forms,
};

fn judge(study: &StepStudy<'_>) -> Option<Hint> {
    if study.plan.pattern().options().literal {
        return None;
    }
    command(study)
        .or_else(|| escaped(study))
        .or_else(|| ampersand(study))
}

/// A command of another program instead of a pattern and a template.
fn command(study: &StepStudy<'_>) -> Option<Hint> {
    let source = study.plan.pattern().source();
    let Command { old, new, flags } = Command::read(source)?;
    // Between other signs than slashes it is a pattern of its own, which may match by chance.
    let is_clear = new.is_some() && !flags.is_empty() && !source.contains('/');
    if study.counts.matches > 0 && !is_clear {
        return None;
    }
    let old = match flags.contains('i') {
        true => format!("(?i){old}"),
        false => old.to_owned(),
    };
    let message = format!(
        "{} is a pattern as a whole here, slashes too",
        quoted(source)
    );
    let remedy = match (new, study.plan.acts()) {
        (Some(new), true) => Remedy::Both(old, new.to_owned()),
        (_, false) | (None, true) if flags != "d" => Remedy::Pattern(old),
        _ => Remedy::Words("write only what stands between the slashes, and add `--drop-lines`"),
    };
    Some(Hint::new(RULE.name, message).cured_by(remedy))
}

/// `s/old/new/flags`, `/old/flags` or `g/old/d`, with lines before it, as in `%s/…` or `1,$s/…`, and with another
/// sign in the place of the slashes, as in `s|old|new|`.
struct Command<'s> {
    old: &'s str,
    new: Option<&'s str>,
    flags: &'s str,
}

impl<'s> Command<'s> {
    fn read(source: &'s str) -> Option<Self> {
        let behind_lines =
            source.trim_start_matches(|c: char| c.is_ascii_digit() || "%,$.".contains(c));
        let border = |c: char| (!c.is_alphanumeric() && !"\\ ()[]{}".contains(c)).then_some(c);
        let replaces = behind_lines.strip_prefix('s').and_then(|rest| {
            let border = rest.chars().next().and_then(border)?;
            Some((border, &rest[border.len_utf8()..]))
        });
        let (has_new, border, rest) = match replaces {
            Some((border, rest)) => (true, border, rest),
            None => (
                false,
                '/',
                source.strip_prefix("g/").or(source.strip_prefix('/'))?,
            ),
        };
        let mut parts = rest.split(border);
        let old = parts.next().filter(|old| !old.is_empty())?;
        let new = if has_new { Some(parts.next()?) } else { None };
        let flags = parts.next()?;
        let is_flag = |c: char| "gimsuxd".contains(c);
        let fits = flags.len() <= 3 && flags.chars().all(is_flag) && parts.next().is_none();
        // That slashes alone are meant as borders must show in the text.
        let is_command = has_new || !flags.is_empty();
        (fits && is_command).then_some(Self { old, new, flags })
    }
}

/// `\(…\)` where a group is meant.
fn escaped(study: &StepStudy<'_>) -> Option<Hint> {
    if study.counts.matches > 0 {
        return None;
    }
    let (count, first, form) = study.gather_wider(WiderKind::Dialect, |_| true)?;
    let source = study.plan.pattern().source();
    let sign = [r"\(", r"\|", r"\{", r"\+", r"\?"];
    let sign = sign.into_iter().find(|sign| source.contains(sign));
    let (sign, is, without) = match sign {
        _ if source.starts_with(r"\v") => (r"\v", "a vertical tab", "it"),
        Some(sign) => (sign, "the character itself", "backslashes"),
        None => ("/", "the character itself", "slashes"),
    };
    let message = format!(
        "`{sign}` is {is} here; without {without} the pattern would match {}: {}",
        counted(count, "text"),
        first.shown(),
    );
    let remedy = Remedy::Pattern(form.pattern.source().to_owned());
    Some(Hint::at(RULE.name, (count, &first.spot), message).cured_by(remedy))
}

/// `&` for the whole match.
fn ampersand(study: &StepStudy<'_>) -> Option<Hint> {
    let Action::Replace(template) = study.plan.action else {
        return None;
    };
    let source = template.source();
    if template.refers() || study.plan.pattern().source().contains('&') {
        return None;
    }
    let mut signs = source.match_indices('&').map(|(at, _)| at);
    let at = signs.next().filter(|_| signs.next().is_none())?;
    let (before, behind) = (
        source[..at].chars().next_back(),
        source[at + 1..].chars().next(),
    );
    // `R&D`, `a & b`, `&amp;` and `&name` are text.
    let is_apart = |c: Option<char>| c.is_none_or(|c| !c.is_alphanumeric() && !c.is_whitespace());
    if source == "&" || !is_apart(before) || !is_apart(behind) {
        return None;
    }
    let message = "`&` in a template is the character itself; the whole match is `$0`".to_owned();
    let amended = format!("{}$0{}", &source[..at], &source[at + 1..]);
    Some(Hint::new(RULE.name, message).cured_by(Remedy::Template(amended)))
}
