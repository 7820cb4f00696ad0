//! Numbers and counts as people read them.

/// `12345` as `12,345`.
pub fn number(n: u64) -> String {
    let digits = n.to_string();
    let mut out = String::with_capacity(digits.len() + digits.len() / 3);
    for (i, digit) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(',');
        }
        out.push(digit);
    }
    out
}

/// `1 file`, `3 files`.
pub fn counted(n: u64, noun: &str) -> String {
    let plural = match noun {
        _ if n == 1 => "",
        noun if noun.ends_with("ch") => "es",
        _ => "s",
    };
    format!("{} {noun}{plural}", number(n))
}

/// The part that `n` is of `total`: `12.5%`.
pub fn share(n: u64, total: u64) -> String {
    // Only shown, so the rounding of a float does no harm.
    let part = n as f64 * 100.0 / total.max(1) as f64;
    format!("{part:.1}%")
}
