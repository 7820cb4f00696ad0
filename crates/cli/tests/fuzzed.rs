//! The small corpus of the fuzz targets, run through the same checks.

#[path = "../../../fuzz/src/checks.rs"]
mod checks;

type Check = fn(&[u8]);

#[test]
fn the_corpus_holds() {
    let corpus = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("../../fuzz/corpus");
    let targets: [(&str, Check); 6] = [
        ("rewrites", checks::rewrites),
        ("plans", checks::plans),
        ("decisions", checks::decisions),
        ("journals", checks::journals),
        ("tables", checks::tables),
        ("words", checks::words),
    ];
    for (target, check) in targets {
        let files = std::fs::read_dir(corpus.join(target)).unwrap();
        let mut inputs: Vec<_> = files.map(|file| file.unwrap().path()).collect();
        inputs.sort();
        assert!(!inputs.is_empty(), "{target}");
        for input in inputs {
            println!("{}", input.display());
            check(&std::fs::read(input).unwrap());
        }
    }
}
