#![no_main]

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| gerust_fuzz::save(bytes));
