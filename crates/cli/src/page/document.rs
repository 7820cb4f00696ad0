//! The page around the changes.

use crate::page::kinds;
use crate::render::decisions::what_is_written;
use crate::theme::{Background, Tone};
use brisk_quill_core::numbers::counted;
use brisk_quill_core::plan::decision::Decision;
use brisk_quill_files::plan_file::{PlanDoc, PlanKinds};
use maud::{DOCTYPE, Markup, PreEscaped, html};

const STYLE: &str = include_str!("page.css");
const SCRIPT: &str = include_str!("page.js");

/// The hashes of the style and the script, as a content-security policy names them; a test says the new ones.
const STYLE_HASH: &str = "sha256-vLMSfbAThNbYfJ91q8Ai3+fBU3jYwLih147WaSzxbrc=";
const SCRIPT_HASH: &str = "sha256-Vi4PEP4VFZYzxixCnD6oA0pyqTGt6gsWs/otqVuUEmE=";

/// The colours of the page, and their names in its style.
const TONES: [(&str, Tone); 6] = [
    ("was", Tone::Was),
    ("now", Tone::Now),
    ("accepted", Tone::Accepted),
    ("refused", Tone::Refused),
    ("modified", Tone::Modified),
    ("hint", Tone::Hint),
];

/// The keys, and what they do.
const KEYS: [(&str, &str); 12] = [
    (
        "a",
        "accept this change, and go on to the next that is open",
    ),
    ("r", "refuse it, and go on"),
    ("o", "leave it open again"),
    ("u U", "undo, redo"),
    ("↓ ↑", "next, previous change (also j k)"),
    ("f F", "next, previous file"),
    ("s S", "next, previous change of the same kind"),
    ("v", "only open changes, or all"),
    ("x", "only this kind, or all kinds"),
    ("t", "the list of kinds"),
    ("/", "only changes that hold a text"),
    ("?", "this list"),
];

/// The words of the sender to the person who decides.
#[derive(Clone, Debug, Default)]
pub struct Letter {
    pub title: Option<String>,
    pub note: Option<String>,
    /// The day on which it is written, as `2031-05-01`.
    pub date: String,
}

/// All before the changes.
pub fn head(
    (doc, request, letter): (&PlanDoc, &str, &Letter),
    kinds: &PlanKinds,
    within_words: &[u64],
) -> String {
    let plan = &doc.index;
    let style = style();
    let policy = format!(
        "default-src 'none'; style-src '{STYLE_HASH}'; script-src '{SCRIPT_HASH}'; base-uri 'none'; form-action 'none'"
    );
    let changes = counted(plan.entries.len() as u64, "change");
    let with_changes = plan.files.iter().filter(|file| file.first < file.end);
    let files = counted(with_changes.count() as u64, "file");
    let title = format!("{changes} in {files}");
    let markup = html! {
        (DOCTYPE)
        // The end of `html` and of `body` may be left out, and is.
        (PreEscaped("<html lang=\"en\">"))
        head {
            meta charset="utf-8";
            meta http-equiv="Content-Security-Policy" content=(policy);
            meta name="viewport" content="width=device-width, initial-scale=1";
            meta name="referrer" content="no-referrer";
            title { "Review: " (title) }
            style { (PreEscaped(&style)) }
        }
        (PreEscaped("<body>"))
        a.skip href="#changes" { "Skip to the changes" }
        header.top {
            h1 { @match &letter.title { Some(own) => (own), None => { "Review of " (title) } } }
            p.quiet { (title) ", found on " (letter.date) "." }
            @if let Some(note) = &letter.note { blockquote.note { (note) } }
            p.todo { b { "What to do: " } "decide about each change, or about a whole kind; then save, and send the saved file back." }
            pre.request { (request) }
            p #written role="status" aria-live="polite" { (what_is_written(plan)) }
            @if plan.problems > 0 {
                p.warn { (counted(plan.problems, "problem")) " left aside: units that could not be computed." }
            }
            @for hint in &plan.hints { p.hint { b { "hint " } (hint) } }
            @let conflicts = plan.conflicts();
            @if !conflicts.is_empty() {
                p.warn { (counted(conflicts.len() as u64, "change")) " decided differently by reviewers; they are open." }
            }
            p.noscript { "Without script this page can be read, folded and printed, but takes no decisions." }
        }
        (PreEscaped("<main>"))
        (kinds::section(plan, kinds, within_words))
        (tools(&doc.hash(), plan.entries.len()))
        h2 #changes { "Changes" }
        div #list {}
        (PreEscaped("<div id=\"all\">"))
    };
    markup.into_string() + "\n"
}

/// All behind the changes.
pub fn foot() -> String {
    let markup = html! {
        (PreEscaped("</div></main>"))
        dialog #keys aria-label="Keys" {
            h2 { "Keys" }
            p { label { input #keys-on type="checkbox" checked; " Single keys decide and move" } }
            table { @for (keys, does) in KEYS { tr { th scope="row" { kbd { (keys) } } td { (does) } } } }
            form method="dialog" { button { "Close" } }
        }
        script { (PreEscaped(SCRIPT)) }
    };
    markup.into_string() + "\n"
}

/// The part of the page that takes decisions; it is of no use without script.
fn tools(hash: &str, changes: usize) -> Markup {
    html! {
        section.tools #tools data-plan=(hash) aria-label="filters and decisions" {
            div.decide {
                span.progress { span #progress role="status" aria-live="polite" {} progress #bar max=(changes.to_string()) value="0" aria-label="decided" {} }
                button #next-open { "Next open" }
                button #undo { "Undo" } button #redo { "Redo" }
                button #show-keys { "Keys (?)" }
                label.name { "Your name " input #by maxlength="100" autocomplete="name" placeholder="optional"; }
                button.strong #save { "Save decisions" }
                span #saved role="status" aria-live="polite" {}
            }
            p #overrule role="status" aria-live="polite" {}
            details #filter { summary { "Filter, and decide about all that is shown" }
            div.filters {
                label { "Text " input #find type="search" placeholder="in a change (/)" ; }
                label { "Decision " select #only-decision {
                    option value="" { "any" }
                    @for decision in Decision::ALL { option value=(decision.sign()) { (decision.name()) } }
                } }
                label { "Kind " select #only-kind { option value="" { "all" } } }
                label { "File " select #only-file { option value="" { "all" } } }
                span #found role="status" aria-live="polite" {}
                button #accept-all .a { "Accept all shown" } button #refuse-all .r { "Refuse all shown" }
            } }
            nav #pager aria-label="pages" {
                button #back { "‹ Back" } " " span #page {} " " button #on { "Next ›" }
            }
        }
        p.quiet.how { "Saving downloads a file; return it to the sender, who imports it with "
            code { "bquill review --plan PLAN --decisions FILE…" }
            " and applies with " code { "bquill apply --plan PLAN" } "; " code { "last" } " is the last preview. The plan is " code.hash { (hash) } "." }
    }
}

/// All of the style.
fn style() -> String {
    format!("{}\n{STYLE}", colours())
}

/// The colours for both backgrounds, as the style names them.
fn colours() -> String {
    let of = |background| {
        let one = |(name, tone): (&str, Tone)| format!("--{name}:{};", tone.hex(background));
        TONES.map(one).concat()
    };
    format!(
        ":root{{{}}}\n@media (prefers-color-scheme:dark){{:root{{{}}}}}",
        of(Background::Light),
        of(Background::Dark)
    )
}

#[cfg(test)]
mod tests {
    use super::{SCRIPT, SCRIPT_HASH, STYLE_HASH, style};
    use base64::Engine as _;
    use base64::engine::general_purpose::STANDARD as BASE64;
    use sha2::{Digest, Sha256};

    /// A browser runs the script, and follows the style, only under their own hashes.
    #[test]
    fn hashes_are_those_of_the_sources() {
        let hash =
            |text: &str| format!("sha256-{}", BASE64.encode(Sha256::digest(text.as_bytes())));
        assert_eq!(hash(SCRIPT), SCRIPT_HASH);
        assert_eq!(hash(&style()), STYLE_HASH);
    }
}
