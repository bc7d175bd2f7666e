//! The changes from one snapshot to the next, and their application.

use super::item::{FrameItem, Id, encoded};
use ciborium::Value;
use gerust::store::{Entity, Snapshot};
use std::sync::Arc;

/// All that a snapshot holds.
pub(super) fn key_frame(now: &Snapshot) -> FrameItem {
    FrameItem {
        key: true,
        ids: Some(now.ids()),
        ..change(&Snapshot::default(), now)
    }
}

/// The changes that turn a snapshot into another one.
pub(super) fn change(before: &Snapshot, now: &Snapshot) -> FrameItem {
    let mut item = FrameItem::default();
    let gone = before.entities();
    item.gone = gone
        .filter(|entity| !now.contains(*entity))
        .map(Id::from)
        .collect();
    for entity in now.entities() {
        if !before.contains(entity) {
            item.come.push(entity.into());
        }
        note_entity(&mut item, entity, before, now);
    }
    let (old, new) = (before.ids(), now.ids());
    item.ids = (old != new).then_some(new);
    item
}

fn note_entity(item: &mut FrameItem, entity: Entity, before: &Snapshot, now: &Snapshot) {
    let names = before.all_bytes(entity).map(|(name, _)| name);
    for name in names.filter(|name| now.bytes(entity, name).is_none()) {
        let cut = item.cut.entry(name.to_string()).or_default();
        cut.push(entity.into());
    }
    for (name, bytes) in now.all_bytes(entity) {
        let known = before.bytes(entity, name);
        if known == Some(bytes) {
            continue;
        }
        let value = known.and_then(|known| fields_that_differ(known, bytes));
        let value = value.unwrap_or_else(|| Value::Bytes(bytes.to_vec()));
        // Most names are known: they are copied only once.
        match item.put.get_mut(name) {
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
        *snapshot = Snapshot::default();
    }
    for &id in &item.gone {
        let entity = Entity::from(id);
        if !snapshot.remove_entity(entity) {
            return Err(format!("{entity} goes and was not there"));
        }
    }
    for &id in &item.come {
        snapshot.add_entity(id.into());
    }
    for (name, ids) in &item.cut {
        for &id in ids {
            snapshot.remove_component(present(snapshot, id)?, name);
        }
    }
    for (name, values) in &item.put {
        let name: Arc<str> = Arc::from(name.as_str());
        for (id, value) in values {
            let entity = present(snapshot, *id)?;
            let bytes = match value {
                Value::Bytes(bytes) => Some(bytes.clone()),
                fields => snapshot
                    .bytes(entity, &name)
                    .and_then(|before| with_fields(before, fields)),
            };
            let bytes = bytes.ok_or_else(|| format!("{name} has changed and was not there"))?;
            snapshot.set_bytes(entity, &name, bytes);
        }
    }
    if let Some(ids) = &item.ids {
        let set = snapshot.set_ids(ids);
        set.map_err(|_| "the ids make no sense")?;
    }
    match snapshot.digest() == item.digest {
        true => Ok(()),
        false => Err(String::from("its digest does not fit")),
    }
}

/// The entity of an id; an error if it is not there.
fn present(snapshot: &Snapshot, id: Id) -> Result<Entity, String> {
    let entity = Entity::from(id);
    match snapshot.contains(entity) {
        true => Ok(entity),
        false => Err(format!("{entity} has changed and is not there")),
    }
}
