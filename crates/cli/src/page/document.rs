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
const STYLE_HASH: &str = "sha256-myzSdrEKlLodlWYCjJng2Y5fJEeTYajXafi74qCOs1o=";
const SCRIPT_HASH: &str = "sha256-wCq0t/seRYRLgAqiU880jtf6nn8ASY4PgIQYq6eITE8=";

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
        header.letter.wide {
            div.two {
                div {
                    div.stroke {}
                    h1 { @match &letter.title { Some(own) => (own), None => { "Review of " (title) } } }
                    p.meta { b { (counted(plan.entries.len() as u64, "proposed change")) } " to the text of " (files) ", found on " (letter.date) }
                }
                @if let Some(note) = &letter.note { blockquote.note { (note) } }
            }
            p.todo { b { "Decide about each change, then save; send the file back." } " "
                span.quiet { "What is refused or left open stays as it is. You can stop, save, and open the file here again later." } }
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
        (bar(&doc.hash(), plan.entries.len()))
        (PreEscaped("<main class=\"wide\">"))
        (kinds::section(plan, kinds, within_words))
        (PreEscaped("<section>"))
            div.head { h2 #changes { "Changes" } p.quiet role="status" aria-live="polite" { span #found {} " "
                span { del { "old text" } span.to { "→" } ins { "new text" } "; a dot in them is a blank" } } }
            (filters())
            div #list {}
            nav #pager aria-label="pages" {
                button #back { "‹ Back" } " " span #page {} " " button #on { "Next ›" }
            }
            (PreEscaped("<div id=\"all\">"))
    };
    markup.into_string() + "\n"
}

/// All behind the changes.
pub fn foot(hash: &str) -> String {
    let key = |key: &str, does: &str| html! { span { kbd { (key) } " " (does) } };
    let markup = html! {
        (PreEscaped("</div></section>"))
        p.how { "Saving downloads a file; return it to the sender, who imports it with "
            code { "bquill review --plan PLAN --decisions FILE…" }
            " and applies with " code { "bquill apply --plan PLAN" } "; " code { "last" } " is the last preview. The plan is " code { (hash) } "." }
        (PreEscaped("</main>"))
        section.strip aria-label="the current change" { div.wide {
            span #current {} span.pair #pair {}
            span #alike {}
            span #alike-act {}
            div.keys { (key("A", "accept")) (key("R", "refuse")) (key("O", "leave open")) (key("↓", "next")) (key("U", "undo")) button #show-keys { "Keys (?)" } }
        } }
        dialog #saving aria-label="Save decisions" {
            h2 { "Save decisions" }
            p #stays {}
            label { "Your name " input #by maxlength="100" autocomplete="name" placeholder="optional"; }
            div.ends { button #not-now type="button" { "Not now" } button.strong #save-now type="button" { "Save the file" } }
        }
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

/// The bar that stays: progress and saving. It is of no use without script.
fn bar(hash: &str, changes: usize) -> Markup {
    html! {
        section.bar #tools data-plan=(hash) aria-label="progress and saving" { div.wide {
            div.far {
                span #progress role="status" aria-live="polite" {}
                progress #bar max=(changes.to_string()) value="0" aria-label="decided" {}
                span #tally {}
            }
            button #undo { "Undo" } button #redo { "Redo" }
            button #next-open { "Next open" }
            button #load { "Open saved" } input #file type="file" accept=".jsonl" hidden aria-label="A file of decisions";
            button.strong #save { "Save decisions" }
            p #overrule role="status" aria-live="polite" {}
            p #saved role="status" aria-live="polite" {}
        } }
    }
}

/// The choice of what is shown, and decisions about all of that.
fn filters() -> Markup {
    html! { div.filters role="group" aria-label="filters" {
        label { "Text " input #find type="search" placeholder="in a change (/)" ; }
        label { "Decision " select #only-decision {
            option value="" { "Any" }
            @for decision in Decision::ALL { option value=(decision.letter()) { (decision.name()) } }
        } }
        label { "Kind " select #only-kind { option value="" { "All" } } }
        label { "File " select #only-file { option value="" { "All" } } }
        span.end { button #accept-all .a { "Accept all shown" } button #refuse-all .r { "Refuse all shown" } }
    } }
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
