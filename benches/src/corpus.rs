//! What is measured on: made up from a seed, always the same.

use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;

/// Numbers that look random: each is the one before it times 48,271, modulo 2^31 - 1.
pub struct Seed(u64);

impl Seed {
    pub fn new(seed: u64) -> Self {
        Self(seed.max(1))
    }

    /// A number below `most`.
    pub fn below(&mut self, most: u64) -> u64 {
        self.0 = self.0 * 48_271 % 0x7FFF_FFFF;
        self.0 % most
    }

    /// One of several.
    pub fn pick<'t>(&mut self, all: &[&'t str]) -> &'t str {
        // The index is below the length.
        all[self.below(all.len() as u64) as usize]
    }
}

/// A register of moorings of about so many bytes: one berth in ten is written in another form.
pub fn moorings(path: &Path, bytes: u64) {
    let mut seed = Seed::new(7);
    let mut out = BufWriter::with_capacity(1 << 20, File::create(path).expect("a new file"));
    let mut written = 0;
    let mut put = |row: String| {
        out.write_all(row.as_bytes()).expect("space");
        written += row.len() as u64;
        written < bytes
    };
    put("id,berth,ship,depth_m,length_m,status,pilot,remark\n".into());
    let ships = [
        "Tessaly",
        "Marram",
        "Lady Orrin",
        "Petrel",
        "Corran Light",
        "Ulva Wren",
    ];
    let remarks = [
        "",
        "ask the harbour master",
        "\"crane, 40 t\"",
        "\"\"\"fresh\"\" water\"",
        "\"power 3,5 kV; no bunkering\"",
    ];
    let mut number = 0;
    loop {
        number += 1;
        let form = if seed.below(10) == 0 {
            seed.pick(&["berth ", "B_", "b", "B "])
        } else {
            "B-"
        };
        let row = format!(
            "M{number:07},{form}{:02},{},\"{},{}\",{},{},\"{}, {}\",{}\n",
            seed.below(99),
            seed.pick(&ships),
            seed.below(15),
            seed.below(10),
            40 + seed.below(300),
            seed.pick(&["open", "closed", "restricted"]),
            seed.pick(&["Quill", "Marr", "Holm", "Brandt"]),
            seed.pick(&["Signe", "Matthis", "Tamsin", "Orla"]),
            seed.pick(&remarks),
        );
        if !put(row) {
            break;
        }
    }
    out.flush().expect("space");
}
