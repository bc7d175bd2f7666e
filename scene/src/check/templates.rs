//! Checks templates: the parts of each, and the entities that come along below it.

use super::{Checker, circle};
use crate::document::{EntityEntry, Preset};
use crate::place::{EntityPlan, Parts};
use gerust::store::Name;
use std::collections::BTreeSet;
use std::vec::IntoIter;
use toml::Spanned;

/// A template that is being planned, with the templates of its children that are still to be planned.
struct Pending<'d> {
    name: &'d str,
    preset: &'d Preset,
    children: IntoIter<&'d Spanned<String>>,
}

impl<'d> Pending<'d> {
    fn new(name: &'d str, preset: &'d Preset) -> Self {
        Self {
            name,
            preset,
            children: templates_below(&preset.children).into_iter(),
        }
    }
}

impl<'d> Checker<'d> {
    pub(super) fn check_templates(&mut self) {
        let presets: Vec<(&str, &Preset)> = self
            .presets
            .iter()
            .map(|(&name, &preset)| (name, preset))
            .collect();
        for (name, preset) in presets {
            if !self.templates.contains_key(name) {
                self.plan_template(Pending::new(name, preset));
            }
        }
    }

    /// All templates, each as an entity without a name.
    pub(super) fn template_plans(&mut self) -> Vec<EntityPlan> {
        std::mem::take(&mut self.templates).into_values().collect()
    }

    /// Plans a template after the templates of its children. Pending templates are kept in a list instead of on the stack, because a
    /// chain of templates can be as long as the file.
    fn plan_template(&mut self, first: Pending<'d>) {
        let mut around = BTreeSet::from([first.name]);
        let mut waiting = vec![first];
        while let Some(last) = waiting.last_mut() {
            let Some(child) = last.children.next() else {
                let (name, preset) = (last.name, last.preset);
                waiting.pop();
                around.remove(name);
                self.finish_template(name, preset);
                continue;
            };
            let name = child.get_ref().as_str();
            if around.contains(name) {
                let names: Vec<&str> = waiting
                    .iter()
                    .map(|pending| pending.name)
                    .skip_while(|&other| other != name)
                    .collect();
                let message = format!("these templates come in each other: {}", circle(&names));
                self.fault(child, message, "make this child from another template");
            } else if let Some(&preset) = self.presets.get(name)
                && !self.templates.contains_key(name)
            {
                around.insert(name);
                waiting.push(Pending::new(name, preset));
            }
        }
    }

    fn finish_template(&mut self, name: &'d str, preset: &'d Preset) {
        let parts = Parts::of_preset(preset, self.read.values(preset.components.as_ref()));
        self.check_parts(&parts);
        let mut plan = EntityPlan::new(None, Some(Name::new(name)), parts);
        for child in self.plan_children(&preset.children) {
            plan.push(0, &child);
        }
        self.templates.insert(name, plan);
    }
}

/// The names of the templates from which children are made, at any depth. The parser bounds the depth.
fn templates_below(children: &[Spanned<EntityEntry>]) -> Vec<&Spanned<String>> {
    let mut names = Vec::new();
    for child in children.iter().map(Spanned::get_ref) {
        names.extend(child.template.as_ref());
        names.extend(templates_below(&child.children));
    }
    names
}
