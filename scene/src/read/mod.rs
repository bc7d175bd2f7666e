//! From text to a [`Document`], collecting every fault of shape on the way.
//!
//! `serde` stops at the first fault. So what it stumbles over is noted, cut out of the parsed tree by its span, and the
//! rest is read again, until nothing is left to stumble over.

mod files;
mod parameters;
mod sources;
mod words;

use super::document::Document;
use super::fault::{Fault, MOST_FAULTS};
use super::registry::{Attach, Registry};
use gerust::suggest;
use serde::Deserialize;
use std::borrow::Cow;
use std::ops::Range;
use std::path::Path;
use toml::Spanned;
use toml::de::{DeArray, DeTable, DeValue, Deserializer};
use words::{shape_fault, syntax_fault};

pub use files::SceneFiles;
pub use parameters::Parameters;
pub(super) use parameters::{ParameterValues, place_of, start_in};
pub(super) use sources::{FilesRead, Sources, read_file, refuse_elsewhere, root_of};

/// The values of one `components` table, by name.
pub(super) type ComponentValues = Vec<(String, Attach)>;

/// A document with the component values that were taken out of it.
pub(super) struct ReadScene {
    pub(super) document: Document,
    /// The keys with faulty values: suppresses errors that follow from the first.
    cut: Vec<Cut>,
    component_values: Vec<ComponentValues>,
    pub(super) parameters: ParameterValues,
    /// The text of all files.
    pub(super) text: String,
}

/// An entry that was taken out of the tree because it was at fault.
struct Cut {
    key: String,
    span: Range<usize>,
}

impl ReadScene {
    /// Whether one of these keys was there, in a region of the file, but at fault.
    pub(super) fn was_at_fault(&self, keys: &[&str], region: &Range<usize>) -> bool {
        self.cut
            .iter()
            .any(|cut| keys.contains(&cut.key.as_str()) && region.contains(&cut.span.start))
    }

    /// Whether anything at fault was cut out of a region of the file.
    pub(super) fn was_cut_in(&self, region: &Range<usize>) -> bool {
        self.cut.iter().any(|cut| region.contains(&cut.span.start))
    }

    /// The values that a `components` entry stands for.
    pub(super) fn values(&self, key: Option<&String>) -> &[(String, Attach)] {
        key.and_then(|key| key.parse::<usize>().ok())
            .and_then(|at| self.component_values.get(at))
            .map_or(&[], Vec::as_slice)
    }
}

/// The parsed scene, and its faults. Without a document there is at least one fault.
pub(super) struct Outcome {
    pub(super) scene: Option<ReadScene>,
    pub(super) sources: Sources,
    pub(super) faults: Vec<Fault>,
}

/// Reads as much of a text and of what it includes as can be read, and lists what cannot.
pub(super) fn read(
    text: &str,
    path: &Path,
    registry: &Registry,
    parameters: &Parameters,
    files: &mut FilesRead,
) -> Outcome {
    let mut faults = Vec::new();
    let sources = Sources::gather(text, path, registry, files, &mut faults);
    // A scene that exceeds a limit is not checked any further: that would use the memory that the limit saves.
    let scene = match files.is_exceeded() {
        true => None,
        false => read_sources(&sources, registry, parameters, &mut faults),
    };
    Outcome {
        scene,
        sources,
        faults,
    }
}

fn read_sources(
    sources: &Sources,
    registry: &Registry,
    parameters: &Parameters,
    faults: &mut Vec<Fault>,
) -> Option<ReadScene> {
    // Declared first, because the tree borrows from them.
    let mut literals = Vec::new();
    let text = sources.text();
    let mut parsed = Vec::new();
    for source in sources.iter() {
        let (mut root, syntax_errors) = DeTable::parse_recoverable(&source.text);
        let errors = syntax_errors.iter();
        faults.extend(errors.map(|error| syntax_fault(error, source.start)));
        if source.start > 0 {
            sources::shift(root.get_mut(), source.start);
        }
        parsed.push((root, syntax_errors.is_empty()));
    }
    if parsed.iter().any(|(_, is_whole)| !is_whole) {
        // Lines after a broken one would be misread, so only the broken lines are reported.
        return None;
    }
    let mut parsed = parsed.into_iter().map(|(root, _)| root);
    let mut root = parsed.next()?;
    for included in parsed {
        sources::include(root.get_mut(), included.into_inner(), faults);
    }
    let mut reader = Reader {
        registry,
        faults: std::mem::take(faults),
        cut: Vec::new(),
        component_values: Vec::new(),
    };
    let values = ParameterValues::take(root.get_mut(), &text, parameters, &mut reader.faults);
    values.replace_all(
        root.get_mut(),
        &text,
        &mut literals,
        &mut reader.faults,
        &mut reader.cut,
    );
    reader.refuse_odd_numbers(root.get_mut());
    reader.take_all_components(root.get_mut());
    let document = reader.read_document(root);
    *faults = reader.faults;
    Some(ReadScene {
        document: document?,
        cut: reader.cut,
        component_values: reader.component_values,
        parameters: values,
        text,
    })
}

struct Reader<'r> {
    registry: &'r Registry,
    faults: Vec<Fault>,
    cut: Vec<Cut>,
    component_values: Vec<ComponentValues>,
}

impl Reader<'_> {
    fn read_document(&mut self, mut root: Spanned<DeTable<'_>>) -> Option<Document> {
        for _ in 0..MOST_FAULTS {
            let error = match Document::deserialize(Deserializer::from(root.clone())) {
                Ok(document) => return Some(document),
                Err(error) => error,
            };
            let span = error.span().unwrap_or(0..0);
            let cut = cut_out(root.get_mut(), &span);
            if !self.follows_from_a_cut(&error, &span) {
                self.faults.push(shape_fault(&error, span));
            }
            self.cut.push(cut?);
        }
        None
    }

    /// Whether a key is only missing because it was cut out.
    fn follows_from_a_cut(&self, error: &toml::de::Error, span: &Range<usize>) -> bool {
        let missing = error.message().strip_prefix("missing field `");
        missing.is_some_and(|rest| {
            self.cut.iter().any(|cut| {
                let is_inside = span.start <= cut.span.start && cut.span.end <= span.end;
                rest.trim_end() == format!("{}`", cut.key) && is_inside
            })
        })
    }

    /// Numbers that are not finite, or not finite as 32-bit floats, are refused wherever they stand.
    fn refuse_odd_numbers(&mut self, table: &mut DeTable<'_>) {
        let odd: Vec<_> = table
            .iter_mut()
            .filter_map(|(key, value)| (!self.keep_number(value)).then(|| key.get_ref().clone()))
            .collect();
        for key in odd {
            table.remove(key.as_ref());
        }
    }

    fn keep_number(&mut self, value: &mut Spanned<DeValue<'_>>) -> bool {
        let span = value.span();
        match value.get_mut() {
            DeValue::Float(float) => {
                let digits = float.as_str().replace('_', "");
                let is_fine = digits
                    .parse::<f64>()
                    .is_ok_and(|number| number.is_finite() && (number as f32).is_finite());
                if !is_fine {
                    self.faults.push(Fault::new(
                        span,
                        format!("`{}` is not a number that a scene can use", float.as_str()),
                        "write a finite number below 3.4e38",
                    ));
                }
                is_fine
            }
            DeValue::Array(array) => {
                // An array must keep its length, or a second fault would be reported; it is removed as a whole.
                let mut is_fine = true;
                for item in array.iter_mut() {
                    is_fine &= self.keep_number(item);
                }
                is_fine
            }
            DeValue::Table(table) => {
                self.refuse_odd_numbers(table);
                true
            }
            _ => true,
        }
    }

    fn take_all_components(&mut self, root: &mut DeTable<'_>) {
        if let Some(DeValue::Table(templates)) = entry(root, "templates") {
            for (_, template) in templates.iter_mut() {
                self.take_components_of_entity(template.get_mut());
            }
        }
        for entity in items(root, "entities") {
            self.take_components_of_entity(entity);
        }
        for list in ["cues", "rules"] {
            for holder in items(root, list) {
                self.take_components_of_actions(holder);
            }
        }
    }

    /// Those of what a cue, a rule or an action sets and spawns, and of what it does one after the other.
    fn take_components_of_actions(&mut self, holder: &mut DeValue<'_>) {
        let DeValue::Table(holder) = holder else {
            return;
        };
        for action in ["set", "spawn"] {
            if let Some(value) = entry(holder, action) {
                self.take_components_of_entity(value);
            }
        }
        for action in items(holder, "do") {
            self.take_components_of_actions(action);
        }
    }

    /// Those of an entity or a template, and of what is under it.
    fn take_components_of_entity(&mut self, holder: &mut DeValue<'_>) {
        self.take_components(holder);
        let DeValue::Table(holder) = holder else {
            return;
        };
        for child in items(holder, "children") {
            self.take_components_of_entity(child);
        }
        if let Some(DeValue::Table(overrides)) = entry(holder, "overrides") {
            for (_, preset) in overrides.iter_mut() {
                self.take_components_of_entity(preset.get_mut());
            }
        }
    }

    /// Reads the values under `components` by their registered types and leaves a key to them in their place.
    fn take_components(&mut self, holder: &mut DeValue<'_>) {
        let DeValue::Table(holder) = holder else {
            return;
        };
        let Some(components) = holder.get_mut("components") else {
            return;
        };
        let span = components.span();
        let key = self.component_values.len().to_string();
        let taken = std::mem::replace(components.get_mut(), DeValue::String(Cow::Owned(key)));
        let DeValue::Table(values) = taken else {
            self.faults.push(Fault::new(
                span,
                "`components` is not a table",
                "write `components.name = value`, one line for each component",
            ));
            holder.remove("components");
            return;
        };
        let values = values
            .into_iter()
            .filter_map(|(name, value)| self.read_component(&name, value))
            .collect();
        self.component_values.push(values);
    }

    fn read_component(
        &mut self,
        name: &Spanned<Cow<'_, str>>,
        value: Spanned<DeValue<'_>>,
    ) -> Option<(String, Attach)> {
        let span = value.span();
        let text = name.get_ref();
        match self.registry.read(text, value) {
            Some(Ok(attach)) => Some((text.clone().into_owned(), attach)),
            Some(Err(error)) => {
                let span = error.span().unwrap_or(span);
                self.faults.push(shape_fault(&error, span));
                None
            }
            None => {
                self.faults.push(Fault::new(
                    name.span(),
                    format!("unknown component `{text}`"),
                    suggest(text, "registered components", self.registry.names()),
                ));
                None
            }
        }
    }
}

fn entry<'t, 'i>(table: &'t mut DeTable<'i>, key: &str) -> Option<&'t mut DeValue<'i>> {
    table.get_mut(key).map(Spanned::get_mut)
}

fn items<'t, 'i>(
    table: &'t mut DeTable<'i>,
    key: &str,
) -> impl Iterator<Item = &'t mut DeValue<'i>> + use<'t, 'i> {
    let array = match entry(table, key) {
        Some(DeValue::Array(array)) => Some(array),
        _ => None,
    };
    array
        .into_iter()
        .flat_map(|array| array.iter_mut().map(Spanned::get_mut))
}

/// Removes what lies at a span: the entry of a table whose key or value it is, or the item of a list of tables. An item of
/// a plain list goes with the whole list, or a second fault would report the length of the list.
fn cut_out(table: &mut DeTable<'_>, span: &Range<usize>) -> Option<Cut> {
    let found = table
        .iter()
        .find(|(key, value)| {
            key.span() == *span || value.span() == *span || is_plain_item(value.get_ref(), span)
        })
        .map(|(key, _)| key.get_ref().clone());
    if let Some(key) = found {
        table.remove(key.as_ref());
        return Some(Cut {
            key: key.into_owned(),
            span: span.clone(),
        });
    }
    table
        .iter_mut()
        .find_map(|(_, value)| cut_out_of_value(value.get_mut(), span))
}

/// Whether a list of anything but tables has an item at a span.
fn is_plain_item(value: &DeValue<'_>, span: &Range<usize>) -> bool {
    let DeValue::Array(array) = value else {
        return false;
    };
    let mut items = array.iter();
    items.any(|item| item.span() == *span && !item.get_ref().is_table())
}

fn cut_out_of_value(value: &mut DeValue<'_>, span: &Range<usize>) -> Option<Cut> {
    match value {
        DeValue::Table(table) => cut_out(table, span),
        DeValue::Array(array) => {
            let whole = array.iter().position(|item| item.span() == *span);
            if let Some(position) = whole {
                let rest = std::mem::replace(array, DeArray::new()).into_iter();
                *array = rest
                    .enumerate()
                    .filter(|&(at, _)| at != position)
                    .map(|(_, item)| item)
                    .collect();
                return Some(Cut {
                    key: String::new(),
                    span: span.clone(),
                });
            }
            array
                .iter_mut()
                .find_map(|item| cut_out_of_value(item.get_mut(), span))
        }
        _ => None,
    }
}
