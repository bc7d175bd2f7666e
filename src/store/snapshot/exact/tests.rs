use super::*;
use proptest::prelude::*;
use serde::Deserialize;
use std::collections::BTreeMap;

#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
struct Unit;

#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
struct Wrapped(Option<()>);

/// A value of every shape that serde knows, with options where null can hide.
#[derive(Clone, PartialEq, Debug, Serialize, Deserialize)]
enum Shape {
    Alone,
    Number(i64),
    Wide(u128, i128),
    Real(f32, f64),
    Text {
        text: String,
        letter: char,
    },
    Hidden(Option<Option<Option<u8>>>),
    Empty(Option<()>, Option<Unit>, Option<Wrapped>),
    List(Vec<Option<Shape>>),
    Named {
        by: BTreeMap<i32, Option<Option<Shape>>>,
        bytes: Vec<u8>,
    },
    Boxed(Box<Shape>),
}

fn shape() -> impl Strategy<Value = Shape> {
    let leaf = prop_oneof![
        Just(Shape::Alone),
        any::<i64>().prop_map(Shape::Number),
        (any::<u128>(), any::<i128>()).prop_map(|(u, i)| Shape::Wide(u, i)),
        (any::<f32>(), any::<f64>()).prop_map(|(a, b)| Shape::Real(a, b)),
        (".{0,6}", any::<char>()).prop_map(|(text, letter)| Shape::Text { text, letter }),
        any::<Option<Option<Option<u8>>>>().prop_map(Shape::Hidden),
        any::<(Option<()>, bool, Option<Option<()>>)>()
            .prop_map(|(a, b, c)| { Shape::Empty(a, b.then_some(Unit), c.map(Wrapped)) }),
    ];
    leaf.prop_recursive(3, 24, 4, |inner| {
        let option = proptest::option::of(inner.clone());
        let map = proptest::collection::btree_map(
            any::<i32>(),
            proptest::option::of(option.clone()),
            0..4,
        );
        prop_oneof![
            proptest::collection::vec(option, 0..4).prop_map(Shape::List),
            (map, any::<Vec<u8>>()).prop_map(|(by, bytes)| Shape::Named { by, bytes }),
            inner.prop_map(|inner| Shape::Boxed(Box::new(inner))),
        ]
    })
}

fn written(value: &impl Serialize) -> Vec<u8> {
    let mut bytes = Vec::new();
    write(value, &mut bytes).expect("it can be written");
    bytes
}

proptest! {
    #[test]
    fn every_value_reads_as_it_was_written(one in shape(), other in shape()) {
        let bytes = written(&one);
        let back: Shape = read(&bytes).expect("it was written");
        // NaN is not equal to itself; its bytes are.
        prop_assert_eq!(&written(&back), &bytes);
        prop_assert_eq!(written(&other) == bytes, format!("{one:?}") == format!("{other:?}"));
    }
}

#[test]
fn empty_options_are_distinguished() {
    let all: [Option<Option<Option<u8>>>; 4] =
        [None, Some(None), Some(Some(None)), Some(Some(Some(7)))];
    for value in all {
        assert_eq!(read(&written(&value)), Ok(value));
    }
    for value in [None, Some(())] {
        assert_eq!(read(&written(&value)), Ok(value));
    }
    for value in [None, Some(Wrapped(None)), Some(Wrapped(Some(())))] {
        assert_eq!(read(&written(&value)), Ok(value.clone()));
    }
}

#[test]
fn values_without_hidden_nulls_are_plain_cbor() {
    let value = (1_u8, Some("gull"), None::<u8>, vec![Some(2.5_f64)]);
    let mut plain = Vec::new();
    ciborium::into_writer(&value, &mut plain).expect("memory does not fail");
    assert_eq!(written(&value), plain);
}

#[test]
fn a_value_that_cannot_be_written_says_why() {
    struct Stubborn;
    impl Serialize for Stubborn {
        fn serialize<S: serde::Serializer>(&self, _: S) -> Result<S::Ok, S::Error> {
            Err(serde::ser::Error::custom("the seal is broken"))
        }
    }
    assert_eq!(
        write(&Stubborn, &mut Vec::new()),
        Err(String::from("the seal is broken"))
    );
    assert_eq!(
        write(&Some(Stubborn), &mut Vec::new()),
        Err(String::from("the seal is broken"))
    );
}
