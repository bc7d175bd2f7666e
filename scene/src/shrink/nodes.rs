//! The parts of a scene file that can be taken out.

use crate::read::Parameters;
use toml_edit::{DocumentMut, Item, Table, TableLike, Value};

/// A way to a part.
#[derive(Clone, PartialEq, Eq, Debug)]
pub(super) struct Node(Vec<Step>);

#[derive(Clone, PartialEq, Eq, Debug)]
enum Step {
    Key(String),
    Item(usize),
}

/// The tables at the top whose entries are listed by name.
const LISTS: [&str; 6] = [
    "templates",
    "layers",
    "controls",
    "parameters",
    "budgets-ms",
    "overrides",
];

impl Node {
    /// Whether it is one of several things of a kind: an entity, a cue, an action, a template.
    pub(super) fn is_listed(&self) -> bool {
        match self.0.as_slice() {
            [.., Step::Item(_)] => true,
            [.., Step::Key(list), Step::Key(_)] => LISTS.contains(&list.as_str()),
            _ => false,
        }
    }
}

/// All parts in the order of the file; those of a part come after it.
pub(super) fn nodes_of(document: &DocumentMut) -> Vec<Node> {
    let mut nodes = Vec::new();
    list_table(document.as_table(), &mut Vec::new(), &mut nodes);
    nodes
}

fn list_table(table: &dyn TableLike, way: &mut Vec<Step>, nodes: &mut Vec<Node>) {
    for (key, item) in table.iter() {
        way.push(Step::Key(key.to_owned()));
        nodes.push(Node(way.clone()));
        match item {
            Item::ArrayOfTables(tables) => {
                for (at, table) in tables.iter().enumerate() {
                    list_item(table, at, way, nodes);
                }
            }
            Item::Value(Value::Array(items)) => {
                for (at, value) in items.iter().enumerate() {
                    if let Value::InlineTable(table) = value {
                        list_item(table, at, way, nodes);
                    }
                }
            }
            item => {
                if let Some(table) = item.as_table_like() {
                    list_table(table, way, nodes);
                }
            }
        }
        way.pop();
    }
}

fn list_item(table: &dyn TableLike, at: usize, way: &mut Vec<Step>, nodes: &mut Vec<Node>) {
    way.push(Step::Item(at));
    nodes.push(Node(way.clone()));
    list_table(table, way, nodes);
    way.pop();
}

/// Takes parts out, which are in the order of the file.
pub(super) fn remove(document: &mut DocumentMut, nodes: &[Node]) {
    // From the end, so that the places of those before stay.
    for Node(way) in nodes.iter().rev() {
        remove_from(document.as_table_mut(), way);
    }
}

fn remove_from(table: &mut dyn TableLike, way: &[Step]) -> Option<()> {
    let [Step::Key(key), rest @ ..] = way else {
        return None;
    };
    match rest {
        [] => table.remove(key).map(drop),
        [Step::Item(at), rest @ ..] => match table.get_mut(key)? {
            Item::ArrayOfTables(tables) => {
                match rest {
                    [] => drop(tables.remove(*at)),
                    rest => remove_from(tables.get_mut(*at)?, rest)?,
                }
                // An empty list would still be written.
                if tables.is_empty() {
                    table.remove(key);
                }
                Some(())
            }
            Item::Value(Value::Array(items)) => match rest {
                [] => {
                    items.remove(*at);
                    Some(())
                }
                rest => match items.get_mut(*at)? {
                    Value::InlineTable(table) => remove_from(table, rest),
                    _ => None,
                },
            },
            _ => None,
        },
        rest => remove_from(table.get_mut(key)?.as_table_like_mut()?, rest),
    }
}

/// Keys whose numbers say how much of something there is.
const COUNTS: [&str; 5] = ["grid", "random", "ring", "row", "total"];

fn is_count(way: &[Step], value: &Value) -> Option<i64> {
    let is_one = match way {
        [Step::Key(parameters), Step::Key(_)] if parameters == "parameters" => true,
        [.., Step::Key(key)] => COUNTS.contains(&key.as_str()),
        _ => false,
    };
    value.as_integer().filter(|number| is_one && *number > 0)
}

/// The numbers that say how much of something there is, in the order of the file.
pub(super) fn numbers_of(document: &DocumentMut) -> Vec<i64> {
    let mut document = document.clone();
    let mut numbers = Vec::new();
    visit(
        document.as_table_mut(),
        &mut Vec::new(),
        &mut |_, number| {
            numbers.push(number);
            None
        },
    );
    numbers
}

/// Replaces one of these numbers.
pub(super) fn replace_number(document: &mut DocumentMut, place: usize, by: i64) {
    let mut at = 0;
    visit(document.as_table_mut(), &mut Vec::new(), &mut |_, _| {
        at += 1;
        (at == place + 1).then_some(by)
    });
}

/// Shows all counts, and replaces those for which there is another number.
fn visit(
    table: &mut dyn TableLike,
    way: &mut Vec<Step>,
    see: &mut impl FnMut(&[Step], i64) -> Option<i64>,
) {
    for (key, item) in table.iter_mut() {
        way.push(Step::Key(key.get().to_owned()));
        match item {
            Item::Value(value) => visit_value(value, way, see),
            Item::ArrayOfTables(tables) => {
                for table in tables.iter_mut() {
                    visit(table, way, see);
                }
            }
            Item::Table(table) => visit(table, way, see),
            Item::None => {}
        }
        way.pop();
    }
}

fn visit_value(
    value: &mut Value,
    way: &mut Vec<Step>,
    see: &mut impl FnMut(&[Step], i64) -> Option<i64>,
) {
    match value {
        Value::InlineTable(table) => visit(table, way, see),
        Value::Array(items) => {
            for item in items.iter_mut() {
                // Numbers along the axes of a grid, or tables.
                visit_value(item, way, see);
            }
        }
        value => {
            if let Some(number) = is_count(way, value)
                && let Some(other) = see(way, number)
            {
                let decor = value.decor().clone();
                *value = Value::from(other);
                *value.decor_mut() = decor;
            }
        }
    }
}

/// Makes values that were given from outside the defaults of the file.
pub(super) fn set_parameters(document: &mut DocumentMut, parameters: &Parameters) {
    let given: Vec<(&str, &str)> = parameters.iter().collect();
    if given.is_empty() {
        return;
    }
    let table = document
        .entry("parameters")
        .or_insert_with(|| Item::Table(Table::new()));
    let Some(table) = table.as_table_like_mut() else {
        return;
    };
    for (name, text) in given {
        let value = text.parse::<Value>();
        let is_plain = value
            .as_ref()
            .is_ok_and(|value| value.is_integer() || value.is_float() || value.is_bool());
        let value = match value {
            Ok(value) if is_plain => value,
            _ => Value::from(text),
        };
        table.insert(name, toml_edit::value(value));
    }
}
