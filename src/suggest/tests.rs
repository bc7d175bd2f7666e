use super::suggest;

fn fix(wrong: &str, known: &[&str]) -> String {
    suggest(wrong, "names", known.iter().copied())
}

#[test]
fn the_nearest_name_comes_first_however_many_there_are() {
    let trucks: Vec<String> = (1..40).map(|number| format!("truck-{number}")).collect();
    let mut known: Vec<&str> = trucks.iter().map(String::as_str).collect();
    known.push("barge");
    let fix = fix("truk-33", &known);
    assert!(
        fix.starts_with("did you mean `truck-33`? the names are `barge`, "),
        "{fix}"
    );
    assert!(fix.ends_with(" and 28 more"), "{fix}");
}

#[test]
fn a_name_within_a_longer_one_is_found() {
    let known = ["standard: spin", "standard: spin faster", "move: bodies"];
    assert!(fix("spin", &known).starts_with("did you mean `standard: spin`?"));
    // Two letters are in about every name.
    assert!(fix("st", &known).starts_with("the names are"));
    assert!(fix("bodies", &known).starts_with("did you mean `move: bodies`?"));
}

#[test]
fn names_that_are_far_from_all_get_the_list() {
    assert_eq!(
        fix("zeppelin", &["barge", "tug", "tug"]),
        "the names are `barge`, `tug`"
    );
    assert_eq!(fix("brge", &["barge"]), "did you mean `barge`?");
    assert_eq!(fix("barge", &[]), "there are no names");
}
