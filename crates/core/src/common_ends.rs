//! The start and the end that two sequences share.

/// The lengths of the longest common start and of the longest common end, which do not overlap.
///
/// ```
/// use brisk_quill_core::common_ends::common_ends;
/// assert_eq!(common_ends(b"berth 7 north", b"berth 12 north"), (6, 6));
/// assert_eq!(common_ends(b"aa", b"aaa"), (2, 0));
/// ```
pub fn common_ends<T: PartialEq>(a: &[T], b: &[T]) -> (usize, usize) {
    let same = |(a, b): &(&T, &T)| a == b;
    let head = a.iter().zip(b).take_while(same).count();
    let (a, b) = (&a[head..], &b[head..]);
    let tails = a.iter().rev().zip(b.iter().rev());
    (head, tails.take_while(same).count())
}
