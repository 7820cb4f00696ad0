//! Patterns that cannot match a certain character.

use regex_syntax::hir::{
    Capture, Class, ClassBytes, ClassBytesRange, ClassUnicode, ClassUnicodeRange, Hir, HirKind,
    Look, Repetition,
};

/// The pattern that matches what `hir` does, but nothing that holds `byte`, which is ASCII; what
/// becomes of its looks and its groups, `look` and `group` say.
pub(super) fn without(
    hir: &Hir,
    byte: u8,
    look: fn(Look) -> Hir,
    group: fn(&Capture, Hir) -> Hir,
) -> Hir {
    let inner = |hir: &Hir| without(hir, byte, look, group);
    match hir.kind() {
        HirKind::Empty => Hir::empty(),
        HirKind::Literal(literal) if literal.0.contains(&byte) => Hir::fail(),
        HirKind::Literal(literal) => Hir::literal(literal.0.clone()),
        HirKind::Class(Class::Unicode(class)) => {
            let mut class = class.clone();
            let c = char::from(byte);
            class.difference(&ClassUnicode::new([ClassUnicodeRange::new(c, c)]));
            Hir::class(Class::Unicode(class))
        }
        HirKind::Class(Class::Bytes(class)) => {
            let mut class = class.clone();
            class.difference(&ClassBytes::new([ClassBytesRange::new(byte, byte)]));
            Hir::class(Class::Bytes(class))
        }
        HirKind::Look(kind) => look(*kind),
        HirKind::Repetition(repetition) => Hir::repetition(Repetition {
            sub: Box::new(inner(&repetition.sub)),
            ..*repetition
        }),
        HirKind::Capture(capture) => group(capture, inner(&capture.sub)),
        HirKind::Concat(parts) => Hir::concat(parts.iter().map(inner).collect()),
        HirKind::Alternation(parts) => Hir::alternation(parts.iter().map(inner).collect()),
    }
}
