//! The corpus: made up from a seed, always the same, and kept between runs.

use std::fs::{self, File};
use std::io::{BufWriter, Write};
use std::path::{Path, PathBuf};

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

/// The folder they are kept in: beside the program.
pub fn folder() -> PathBuf {
    let own = std::env::current_exe().expect("a path of its own");
    let folder = own.with_file_name("bench-corpora");
    fs::create_dir_all(&folder).expect("a writable folder");
    folder
}

/// The corpus of this name; `make` makes it, where it is not there yet.
pub fn kept(name: &str, make: impl FnOnce(&Path)) -> PathBuf {
    let place = folder().join(name);
    if !place.exists() {
        let unfinished = folder().join("unfinished");
        let _ = fs::remove_dir_all(&unfinished);
        let _ = fs::remove_file(&unfinished);
        make(&unfinished);
        fs::rename(&unfinished, &place).expect("a rename");
    }
    place
}

const SHIPS: [&str; 6] = [
    "Tessaly",
    "Marram",
    "Lady Orrin",
    "Petrel",
    "Corran Light",
    "Ulva Wren",
];

/// Lines such as programs are made of, about the port; one in 5,000 names a berth.
fn source_lines() -> Vec<String> {
    let mut seed = Seed::new(11);
    let things = [
        "tide", "gauge", "pilot", "mooring", "notice", "quay", "fender", "depth", "signal", "lock",
    ];
    let verbs = ["read", "check", "merge", "post", "load", "count", "open"];
    let mut line = |n: usize| {
        let (a, b, verb) = (seed.pick(&things), seed.pick(&things), seed.pick(&verbs));
        match n % 16 {
            0 => String::new(),
            1 => "    }".into(),
            2 => format!("    // The {a} is known once the {b} has been {verb}."),
            3 => format!("fn {verb}_{a}({b}: &{b}::Log) -> Result<u32, Error> {{"),
            4 => format!("    let {a} = {b}.{verb}({})?;", seed.below(1000)),
            5 => format!("    if {a}.{b}() > {} {{", seed.below(90)),
            6 => format!("        return Err(Error::new(\"no {a} at the {b}\"));"),
            7 => format!("    for {a} in {b}.iter().filter(|{a}| {a}.is_open()) {{"),
            8 => format!("    /* der Fährhafen, {a}: Höhe über Null */"),
            9 => format!("        total += {a}.{b} * {};", seed.below(64)),
            10 => format!("    assert_eq!({verb}(&{a}), \"{}\");", seed.pick(&SHIPS)),
            11 => format!(
                "    {a}.push({b}_{verb}({}, 0x{:04X}));",
                seed.below(9),
                seed.below(60000)
            ),
            _ => format!("        let {verb} = {a}.get({b})?.to_owned();"),
        }
    };
    let mut lines: Vec<String> = (0..4999).map(&mut line).collect();
    lines.push("    let place = registry.berth(\"berth 17\", Side::Port)?;".into());
    lines
}

/// A tree of this many files of 23 KB on average; one in ten has the word `harbourmaster`, once.
pub fn tree(files: usize) -> PathBuf {
    kept(&format!("tree-{files}"), |place| {
        let lines = source_lines();
        let mut seed = Seed::new(3);
        for n in 0..files {
            let folder = place.join(format!("port{:02}/part{:02}", n % 25, n / 25 % 24));
            fs::create_dir_all(&folder).expect("a writable folder");
            // Most are small, some are large.
            let size = 2_000 + seed.below(210) * seed.below(210) * 2;
            let mut text = String::new();
            while (text.len() as u64) < size {
                text.push_str(&lines[seed.below(lines.len() as u64) as usize]);
                text.push('\n');
            }
            if n % 10 == 0 {
                text.push_str("// Ask the harbourmaster.\n");
            }
            fs::write(folder.join(format!("file{n:05}.rs")), text).expect("space");
        }
    })
}

/// A tree of this many files whose sizes are spread as those of unpacked sources: half of them below
/// 4 KB, one in twenty above 64 KB.
pub fn sources(files: usize) -> PathBuf {
    // The sizes at the ends of twenty equal shares of all files, as measured on 17,000 of them.
    const SIZES: [u64; 21] = [
        0, 85, 200, 346, 600, 936, 1_250, 1_627, 2_150, 2_751, 3_400, 4_139, 5_150, 6_368, 8_200,
        10_572, 14_200, 19_806, 32_000, 64_630, 250_000,
    ];
    kept(&format!("sources-{files}"), |place| {
        let lines = source_lines();
        let mut seed = Seed::new(5);
        for n in 0..files {
            let folder = place.join(format!("part{:04}/src", n / 6));
            fs::create_dir_all(&folder).expect("a writable folder");
            let share = seed.below(20) as usize;
            let size = SIZES[share] + seed.below(SIZES[share + 1] - SIZES[share]);
            let mut text = String::new();
            while (text.len() as u64) < size {
                text.push_str(&lines[seed.below(lines.len() as u64) as usize]);
                text.push('\n');
            }
            fs::write(folder.join(format!("file{n:05}.rs")), text).expect("space");
        }
    })
}

/// A log of about this many bytes; one line in 100 reports a level.
pub fn log(bytes: u64) -> PathBuf {
    kept(&format!("gauge-{bytes}.log"), |place| {
        let mut seed = Seed::new(5);
        let words = ["wind", "swell", "visibility", "current", "pressure"];
        let mut line = |n: usize| {
            let (day, hour, minute) = (n / 1440 % 28 + 1, n / 60 % 24, n % 60);
            let what = if n.is_multiple_of(100) {
                "level"
            } else {
                seed.pick(&words)
            };
            let (gauge, value) = (seed.below(9), seed.below(400));
            format!(
                "2026-03-{day:02} {hour:02}:{minute:02} gauge L{gauge} {what} {}.{:02} by {}\n",
                value / 100,
                value % 100,
                seed.pick(&SHIPS)
            )
        };
        let text: Vec<u8> = (0..100_000).flat_map(|n| line(n).into_bytes()).collect();
        repeat(place, &text, bytes);
    })
}

/// Writes whole lines of `text` again and again, until there are about this many bytes.
fn repeat(place: &Path, text: &[u8], bytes: u64) {
    let mut out = BufWriter::with_capacity(1 << 20, File::create(place).expect("a new file"));
    let mut left = bytes as usize;
    while left > 0 {
        let part = &text[..left.min(text.len())];
        let end = part
            .iter()
            .rposition(|b| *b == b'\n')
            .map_or(0, |at| at + 1);
        out.write_all(&part[..end]).expect("space");
        left = if end < part.len() { 0 } else { left - end };
    }
    out.flush().expect("space");
}

/// A register of moorings of about this many bytes: one berth in ten is written in another form.
pub fn moorings(bytes: u64) -> PathBuf {
    kept(&format!("moorings-{bytes}.csv"), |place| {
        moorings_at(place, bytes);
    })
}

/// A JSON document of this many bytes: an array of mooring records, a quarter of them with a berth that
/// is written out.
pub fn document(bytes: u64) -> PathBuf {
    kept(&format!("moorings-{bytes}.json"), |place| {
        let mut seed = Seed::new(13);
        let file = File::create(place).expect("a new file");
        let mut out = BufWriter::with_capacity(1 << 20, file);
        let mut written = 0;
        while written < bytes {
            let berth = ["berth ", "B-", "B-", "B-"][seed.below(4) as usize];
            let record = format!(
                "{}  {{\n    \"ship\": {{\"name\": \"{}\", \"length\": {}}},\n    \"berth\": \"{berth}{}\",\n    \"note\": \"crane, {} t\",\n    \"open\": {}\n  }}",
                if written == 0 { "[\n" } else { ",\n" },
                seed.pick(&SHIPS),
                seed.below(200),
                seed.below(40),
                seed.below(90),
                seed.below(2) == 0,
            );
            out.write_all(record.as_bytes()).expect("space");
            written += record.len() as u64;
        }
        out.write_all(b"\n]\n").expect("space");
        out.flush().expect("space");
    })
}

fn moorings_at(path: &Path, bytes: u64) {
    let mut seed = Seed::new(7);
    let mut out = BufWriter::with_capacity(1 << 20, File::create(path).expect("a new file"));
    let mut written = 0;
    let mut put = |row: String| {
        out.write_all(row.as_bytes()).expect("space");
        written += row.len() as u64;
        written < bytes
    };
    put("id,berth,ship,depth_m,length_m,status,pilot,note\n".into());
    let notes = [
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
            seed.pick(&SHIPS),
            seed.below(15),
            seed.below(10),
            40 + seed.below(300),
            seed.pick(&["open", "closed", "restricted"]),
            seed.pick(&["Quill", "Marr", "Holm", "Brandt"]),
            seed.pick(&["Signe", "Matthis", "Tamsin", "Orla"]),
            seed.pick(&notes),
        );
        if !put(row) {
            break;
        }
    }
    out.flush().expect("space");
}

/// One line of about this many bytes, of `part` again and again.
pub fn one_line(name: &str, part: &str, bytes: usize) -> PathBuf {
    kept(&format!("{name}-{bytes}.txt"), |place| {
        fs::write(place, part.repeat(bytes / part.len())).expect("space");
    })
}

/// About this many bytes of `text`, which is whole lines, again and again.
pub fn lines(name: &str, text: &str, bytes: u64) -> PathBuf {
    kept(&format!("{name}-{bytes}.txt"), |place| {
        repeat(
            place,
            text.repeat(1 + 100_000 / text.len()).as_bytes(),
            bytes,
        );
    })
}
