//! Damage to a file is always noticed, and every value that can still be read is right.
#![cfg(all(feature = "export", feature = "snapshot"))]

use gerust::prelude::*;
use gerust::profile::RecordedProfile;

#[test]
fn every_byte_of_a_saved_profile_counts() {
    let mut runtime = Runtime::new();
    runtime.run_frames(3).expect("nothing fails");
    let profile = RecordedProfile::of(runtime.profiler()).about("machine", "two cores");
    let mut whole = Vec::new();
    profile.write(&mut whole).expect("memory does not fail");
    for at in 0..whole.len() {
        for byte in [whole[at] ^ 1, whole[at] ^ 0x10, b'0', b'1', b' '] {
            let mut damaged = whole.clone();
            damaged[at] = byte;
            let Ok(text) = String::from_utf8(damaged) else {
                continue;
            };
            match RecordedProfile::read(&text) {
                Ok(read) => assert_eq!(read, profile, "byte {at} as {byte}"),
                Err(error) => assert!(!error.to_string().is_empty()),
            }
        }
    }
}

#[test]
fn a_box_set_that_is_not_there_is_refused() {
    let cube = Aabb::from_center(Vec3::ZERO, Vec3::ONE);
    let mut crane = Collider::solid(cube).with_set("folded", [cube]);
    crane.switch_to("folded").expect("there is such a set");
    let stored = serde_json::to_string(&crane).expect("it can be written");
    let read = |text: &str| serde_json::from_str::<Collider>(text);
    assert_eq!(read(&stored).expect("it was written"), crane);
    let forged = stored.replace(r#""current":1"#, r#""current":2"#);
    let error = read(&forged).expect_err("there is one set besides the default");
    assert!(error.to_string().contains("box set 2"), "{error}");
}
