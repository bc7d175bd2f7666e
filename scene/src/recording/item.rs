//! The items of a recording, and how each is wrapped so that damage to it is noticed.
//!
//! A recording is a CBOR sequence (RFC 8742). Each item is a list of two: the payload as a byte string with tag 24 (encoded CBOR,
//! RFC 8949 section 3.4.5.1), and the XXH3 checksum of these bytes, whose seed is the checksum of the item before it. An item of
//! another recording does not match there.

use crate::settings::Settings;
use ciborium::Value;
use gerust::runtime::Origin;
use gerust::store::{Entity, IdSequence};
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::collections::BTreeMap;
use std::num::NonZeroU32;
use std::sync::Arc;
use xxhash_rust::xxh3::xxh3_64_with_seed;

/// What the header says that it is.
pub(super) const FORMAT: &str = "gerust recording";
pub(super) const VERSION: u32 = 3;
/// From this version on, the seed of each checksum is the checksum before it.
pub(super) const CHAINED: u32 = 3;
/// The tag of encoded CBOR.
const ENCODED: u64 = 24;

#[derive(Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(super) enum Item {
    Header(Box<Header>),
    Frame(Box<FrameItem>),
    End(End),
}

/// The recorded run.
#[derive(Clone, PartialEq, Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(super) struct Header {
    pub(super) format: String,
    pub(super) version: u32,
    pub(super) title: String,
    /// The scene file, as it was named.
    pub(super) scene: String,
    pub(super) parameters: BTreeMap<String, String>,
    /// 0 if no scene says so.
    pub(super) frames: u64,
    /// The number that frame 0 of the recording had in the recorded runtime.
    #[serde(default, skip_serializing_if = "is_default")]
    pub(super) first: u64,
    /// Why the recording was made, if a black box made it.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) reason: Option<String>,
    /// The types that are not registered and therefore not recorded.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub(super) missing: Vec<String>,
    /// The state of the program after frame 0, as `Runtime::save` writes it: bytes.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(super) state: Option<Value>,
    pub(super) settings: Settings,
}

impl Default for Header {
    fn default() -> Self {
        Self {
            format: FORMAT.to_owned(),
            version: VERSION,
            title: String::new(),
            scene: String::new(),
            parameters: BTreeMap::new(),
            frames: 0,
            first: 0,
            reason: None,
            missing: Vec::new(),
            state: None,
            settings: Settings::default(),
        }
    }
}

/// How the run ended.
#[derive(Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Debug)]
pub(super) struct End {
    pub(super) held: u64,
    pub(super) failed: u64,
}

/// An entity in two numbers; its own form names its fields each time.
#[derive(Clone, Copy, PartialEq, Eq, Serialize, Deserialize, Debug)]
pub(super) struct Id(u32, NonZeroU32);

impl From<Entity> for Id {
    fn from(entity: Entity) -> Self {
        let generation = NonZeroU32::new(entity.generation());
        Self(entity.index(), generation.unwrap_or(NonZeroU32::MIN))
    }
}

impl From<Id> for Entity {
    fn from(Id(index, generation): Id) -> Self {
        Self::from_parts(index, generation)
    }
}

/// The replacement of a value: the whole value as bytes, or a map of the changed fields.
pub(super) type Put = (Id, Value);

/// The changes of a frame, or, for a key frame, the whole world.
#[derive(Default, Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case", default)]
pub(super) struct FrameItem {
    pub(super) frame: u64,
    /// Of the world as it is then.
    pub(super) digest: u64,
    /// Whether nothing before it is needed.
    #[serde(skip_serializing_if = "is_false")]
    pub(super) key: bool,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) gone: Vec<Id>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) come: Vec<Id>,
    /// By component: those that lack it from now on.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) cut: BTreeMap<String, Vec<Id>>,
    /// By component: those whose value has changed.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) put: BTreeMap<String, Vec<Put>>,
    /// Which ids come next, if that has changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) ids: Option<IdSequence>,
    #[serde(skip_serializing_if = "is_default")]
    pub(super) happened: Happened,
    /// The error with which the frame failed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) failure: Option<String>,
    /// How long it and its parts took.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) times: Option<FrameTimes>,
}

/// How long a frame took, in nanoseconds.
#[derive(Clone, PartialEq, Default, Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case")]
pub(crate) struct FrameTimes {
    pub(crate) took: u64,
    /// In the order of their ends.
    pub(crate) spans: Vec<SpanTimes>,
}

/// A span: its category, its name, its depth, its thread, when it began and how long it took, in nanoseconds.
#[derive(Clone, PartialEq, Serialize, Deserialize, Debug)]
pub(crate) struct SpanTimes(
    pub(crate) Cow<'static, str>,
    pub(crate) Arc<str>,
    pub(crate) u32,
    pub(crate) u32,
    pub(crate) u64,
    pub(crate) u64,
);

/// What happened in a frame besides changes of components, and how the run stands.
#[derive(Clone, PartialEq, Default, Serialize, Deserialize, Debug)]
#[serde(rename_all = "kebab-case", default)]
pub(super) struct Happened {
    /// The pairs that have begun to touch.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) begun: Vec<[Id; 2]>,
    /// By name: the events that were posted.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) events: BTreeMap<String, Vec<serde_json::Value>>,
    /// By name: how many were posted so far.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) counts: BTreeMap<String, u64>,
    /// Where control inputs are that are not at rest.
    #[serde(skip_serializing_if = "BTreeMap::is_empty")]
    pub(super) controls: BTreeMap<String, f32>,
    /// Systems that are switched off.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) off: Vec<String>,
    /// By rule: whether its condition holds, and whether it has acted.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub(super) rules: Vec<(bool, bool)>,
    /// Where the origin is, once it has moved.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub(super) origin: Option<Origin>,
}

#[expect(clippy::trivially_copy_pass_by_ref, reason = "serde asks like that")]
fn is_false(truth: &bool) -> bool {
    !truth
}

fn is_default<T: Default + PartialEq>(value: &T) -> bool {
    *value == T::default()
}

pub(super) fn encoded(value: &impl Serialize) -> Vec<u8> {
    let mut bytes = Vec::new();
    ciborium::into_writer(value, &mut bytes).expect("writing to memory does not fail");
    bytes
}

/// The bytes of an item and its checksum, which is seeded with the checksum before it; the first item is seeded with 0.
pub(super) fn wrapped(item: &Item, before: u64) -> (Vec<u8>, u64) {
    let payload = encoded(item);
    let check = xxh3_64_with_seed(&payload, before);
    let payload = Value::Tag(ENCODED, Box::new(Value::Bytes(payload)));
    let bytes = encoded(&Value::Array(vec![payload, Value::from(check)]));
    (bytes, check)
}

/// An item that was read.
pub(super) struct Unwrapped {
    pub(super) item: Item,
    /// The bytes that it takes up.
    pub(super) length: usize,
    pub(super) check: u64,
}

/// Reads the item at the start of some bytes, with the checksum of the item before it. Returns what is wrong if it cannot.
pub(super) fn unwrapped(bytes: &[u8], before: u64) -> Result<Unwrapped, String> {
    let mut rest = bytes;
    let value: Value = ciborium::from_reader(&mut rest).map_err(|error| match error {
        ciborium::de::Error::Io(_) => String::from("it is cut off"),
        other => format!("it is no CBOR: {other}"),
    })?;
    let length = bytes.len() - rest.len();
    let unexpected = || String::from("it does not have the form of a recording");
    let Value::Array(parts) = value else {
        return Err(unexpected());
    };
    let [Value::Tag(ENCODED, payload), check] = parts.as_slice() else {
        return Err(unexpected());
    };
    let (Value::Bytes(payload), Some(check)) = (&**payload, check.as_integer()) else {
        return Err(unexpected());
    };
    let wanted = xxh3_64_with_seed(payload, before);
    // A fuzzer does not guess checksums, but it must reach the code behind them.
    if u64::try_from(check) != Ok(wanted) && !cfg!(fuzzing) {
        return Err(String::from("its checksum does not match"));
    }
    let item = ciborium::from_reader(payload.as_slice());
    let item = item.map_err(|error| format!("it cannot be understood: {error}"))?;
    Ok(Unwrapped {
        item,
        length,
        check: wanted,
    })
}
