//! The changes from one snapshot to the next, and their application.

use super::item::{FrameItem, Id, encoded};
use crate::store::{Entities, Entity, EntityValues, Snapshot};
use ciborium::Value;
use std::collections::BTreeMap;
use std::sync::Arc;

/// All that a snapshot holds.
pub(super) fn key_frame(now: &Snapshot) -> FrameItem {
    FrameItem {
        key: true,
        ids: Some(now.ids.sequence()),
        ..change(&nothing(), now)
    }
}

/// The changes that turn a snapshot into another one.
pub(super) fn change(before: &Snapshot, now: &Snapshot) -> FrameItem {
    let mut item = FrameItem::default();
    let gone = before.values.keys().copied();
    item.gone = gone
        .filter(|entity| !now.values.contains_key(entity))
        .map(Id::from)
        .collect();
    let none = EntityValues::new();
    for (&entity, written) in &now.values {
        let known = before.values.get(&entity);
        if known.is_none() {
            item.come.push(entity.into());
        }
        note_entity(&mut item, entity, known.unwrap_or(&none), written);
    }
    let (old, new) = (before.ids.sequence(), now.ids.sequence());
    item.ids = (old != new).then_some(new);
    item
}

fn note_entity(item: &mut FrameItem, entity: Entity, before: &EntityValues, now: &EntityValues) {
    for name in before.keys().filter(|name| !now.contains_key(*name)) {
        let cut = item.cut.entry(name.to_string()).or_default();
        cut.push(entity.into());
    }
    for (name, bytes) in now {
        let known = before.get(name);
        if known == Some(bytes) {
            continue;
        }
        let value = known.and_then(|known| fields_that_differ(known, bytes));
        let value = value.unwrap_or_else(|| Value::Bytes(bytes.clone()));
        // Most names are known: they are copied only once.
        match item.put.get_mut(&**name) {
            Some(all) => all.push((entity.into(), value)),
            None => drop(
                item.put
                    .insert(name.to_string(), vec![(entity.into(), value)]),
            ),
        }
    }
}

/// The fields of a value that differ from those before, if that is less than the whole and says as much.
fn fields_that_differ(before: &[u8], now: &[u8]) -> Option<Value> {
    let Ok(Value::Map(old)) = ciborium::from_reader(before) else {
        return None;
    };
    let Ok(Value::Map(new)) = ciborium::from_reader(now) else {
        return None;
    };
    let is_alike = old.len() == new.len() && old.iter().zip(&new).all(|(old, new)| old.0 == new.0);
    if !is_alike {
        return None;
    }
    let pairs = old.iter().zip(&new);
    let fields: Vec<(Value, Value)> = pairs
        .filter(|(old, new)| old.1 != new.1)
        .map(|(_, new)| new.clone())
        .collect();
    if fields.len() == new.len() {
        return None;
    }
    let fields = Value::Map(fields);
    // A value that would not be restored bit for bit, such as one with NaN, is written as a whole.
    (with_fields(before, &fields).as_deref() == Some(now)).then_some(fields)
}

/// A value with some of its fields replaced.
fn with_fields(before: &[u8], fields: &Value) -> Option<Vec<u8>> {
    let (Ok(Value::Map(mut whole)), Value::Map(fields)) = (ciborium::from_reader(before), fields)
    else {
        return None;
    };
    for (key, value) in fields {
        let place = whole.iter_mut().find(|(known, _)| known == key)?;
        place.1 = value.clone();
    }
    Some(encoded(&Value::Map(whole)))
}

/// Brings a snapshot from the frame before to that of an item; a key frame needs none. Says what does not fit.
pub(super) fn apply(snapshot: &mut Snapshot, item: &FrameItem) -> Result<(), String> {
    if item.key {
        snapshot.values.clear();
    }
    for &id in &item.gone {
        let entity = Entity::from(id);
        let gone = snapshot.values.remove(&entity);
        gone.ok_or_else(|| format!("{entity} goes and was not there"))?;
    }
    for &id in &item.come {
        snapshot.values.insert(id.into(), EntityValues::new());
    }
    for (name, ids) in &item.cut {
        for &id in ids {
            of(snapshot, id)?.remove(name.as_str());
        }
    }
    for (name, values) in &item.put {
        let name: Arc<str> = Arc::from(name.as_str());
        for (id, value) in values {
            let written = of(snapshot, *id)?;
            let bytes = match value {
                Value::Bytes(bytes) => Some(bytes.clone()),
                fields => written
                    .get(&name)
                    .and_then(|before| with_fields(before, fields)),
            };
            let bytes = bytes.ok_or_else(|| format!("{name} has changed and was not there"))?;
            written.insert(name.clone(), bytes);
        }
    }
    if let Some(ids) = &item.ids {
        let entities = Entities::with_sequence(ids, snapshot.values.len());
        snapshot.ids = entities.ok_or("the ids make no sense")?;
    }
    match snapshot.digest() == item.digest {
        true => Ok(()),
        false => Err(String::from("its digest does not fit")),
    }
}

fn of(snapshot: &mut Snapshot, id: Id) -> Result<&mut EntityValues, String> {
    let entity = Entity::from(id);
    let written = snapshot.values.get_mut(&entity);
    written.ok_or_else(|| format!("{entity} has changed and is not there"))
}

/// No entity.
pub(super) fn nothing() -> Snapshot {
    Snapshot {
        ids: Entities::default(),
        values: BTreeMap::new(),
    }
}
