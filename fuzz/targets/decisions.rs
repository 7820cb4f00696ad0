#![no_main]
libfuzzer_sys::fuzz_target!(|data: &[u8]| brisk_quill_fuzz::checks::decisions(data));
