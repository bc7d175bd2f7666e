use super::*;
use schemars::schema_for;

/// Another component: nothing but this description makes its fields known to the table of a scene file.
#[derive(Debug, PartialEq, Default)]
struct Crane {
    reach: f32,
    hooks: u8,
    is_lit: bool,
    rope: Vec3,
    stand: Quat,
    load: f32,
}

gerust::describe_fields! {
    Crane {
        reach: "How far it reaches, in metres." [at_least(0.0), at_most(60.0)];
        hooks: "How many hooks it has.";
        is_lit: "Whether its lamps are on.";
        rope: "Where the rope ends, in metres.";
        stand: "How it stands.";
        load: "What hangs on it, in tonnes." [derived()];
    }
}

impl Part for Crane {
    fn fresh() -> Self {
        Self {
            reach: 40.0,
            ..Self::default()
        }
    }
}

/// Where a crane works.
#[derive(Deserialize, JsonSchema, Debug, Default, Clone)]
#[serde(deny_unknown_fields, default)]
struct CraneKeys {
    #[schemars(with = "Option<String>")]
    berth: Option<Spanned<String>>,
}

type CraneEntry = Entry<Crane, CraneKeys>;

fn read(text: &str) -> Result<CraneEntry, toml::de::Error> {
    toml::from_str(text)
}

#[test]
fn a_table_gives_described_fields_and_other_keys() {
    let text = "reach = 55\nberth = 'north'\nhooks = 2\nis-lit = true\nrope = [1, 2.5, 3]\nstand = [0, 1, 0, 0]\n";
    let entry = read(text).expect("all keys are known");
    let mut crane = Crane::fresh();
    entry.given.apply(&mut crane);
    let wanted = Crane {
        reach: 55.0,
        hooks: 2,
        is_lit: true,
        rope: Vec3::new(1.0, 2.5, 3.0),
        stand: Quat::from_xyzw(0.0, 1.0, 0.0, 0.0),
        load: 0.0,
    };
    assert_eq!(crane, wanted);
    let berth = entry.rest.berth.expect("it is given");
    assert_eq!(&text[berth.span()], "'north'");
    let rope = entry.given.get("rope").expect("it is given");
    assert_eq!(&text[rope.span()], "[1, 2.5, 3]");
    assert!(entry.given.get("load").is_none());
}

#[test]
fn an_entry_overrides_its_template_field_by_field() {
    let own = read("reach = 50").expect("it is known");
    let base = read("reach = 20\nhooks = 3").expect("they are known");
    let mut crane = Crane::fresh();
    own.given.over(&base.given).apply(&mut crane);
    assert_eq!((crane.reach, crane.hooks), (50.0, 3));
}

#[test]
fn unknown_keys_are_errors_with_their_place() {
    for (text, wrong) in [
        ("reach = 5\nreech = 6\n", "reech"),
        ("reach = 5\nload = 6\n", "load"),
    ] {
        let error = read(text).expect_err(text);
        assert_eq!(&text[error.span().expect("it has a place")], wrong);
        let known = "`reach`, `hooks`, `is-lit`, `rope`, `stand`, `berth`";
        assert_eq!(
            error.message(),
            format!("unknown field `{wrong}`, expected one of {known}")
        );
    }
    for text in ["reach = 'far'", "rope = [1, 2]", "hooks = 1.5", "berth = 3"] {
        let error = read(text).expect_err(text);
        let at = text.find('=').expect("it has a value") + 2;
        assert_eq!(error.span(), Some(at..text.len()), "{text}: {error}");
    }
    let error = toml::from_str::<BTreeMap<String, CraneEntry>>("crane = 7").unwrap_err();
    assert!(error.message().contains("a table in braces"), "{error}");
}

#[test]
fn values_that_do_not_fit_are_faults() {
    let text = "reach = 61\nhooks = -1\nstand = [0, 0, 0, 2]\n";
    let entry = read(text).expect("the shapes are right");
    let faults = entry.given.faults();
    let told: Vec<(&str, String)> = faults
        .map(|fault| (&text[fault.span()], fault.message().to_owned()))
        .collect();
    let wanted = [
        ("61", "`reach` must be a number from 0 to 60, found 61"),
        (
            "-1",
            "`hooks` must be a whole number from 0 to 255, found -1",
        ),
        (
            "[0, 0, 0, 2]",
            "a rotation is a quaternion of length 1, but this one has length 2",
        ),
    ];
    let wanted: Vec<(&str, String)> = wanted
        .map(|(at, message)| (at, message.to_owned()))
        .to_vec();
    assert_eq!(told, wanted);
    let mut crane = Crane::fresh();
    entry.given.apply(&mut crane);
    assert_eq!(crane, Crane::fresh(), "none of them is written");
}

#[test]
fn the_schema_lists_all_fields_that_a_file_can_give() {
    let schema = schema_for!(CraneEntry);
    let schema = schema.as_value();
    assert_eq!(schema["description"], "Where a crane works.");
    assert_eq!(schema["additionalProperties"], false);
    let properties = schema["properties"].as_object().expect("it has some");
    let keys: Vec<&str> = properties.keys().map(String::as_str).collect();
    assert_eq!(keys, ["berth", "hooks", "is-lit", "reach", "rope", "stand"]);
    let reach = &properties["reach"];
    assert_eq!(
        reach["description"],
        "How far it reaches, in metres. Default: 40."
    );
    assert_eq!(reach["maximum"], 60.0);
    assert_eq!(properties["hooks"]["maximum"], 255);
}
