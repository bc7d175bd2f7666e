//! Checks templates: what each consists of, and what comes along under it.

use super::Checker;
use crate::scene::document::EntityEntry;
use crate::scene::place::{EntityPlan, Parts};
use crate::store::Name;
use toml::Spanned;

/// What a template comes to.
#[derive(Debug)]
pub(super) struct TemplatePlan {
    pub(super) parts: Parts,
    pub(super) children: Vec<EntityPlan>,
}

impl<'d> Checker<'d> {
    pub(super) fn check_templates(&mut self) {
        for name in self.document.templates.keys() {
            self.plan_template(name.get_ref(), &mut Vec::new());
        }
    }

    /// All templates, each as an entity without a name.
    pub(super) fn template_plans(&self) -> Vec<EntityPlan> {
        let templates = self.templates.iter();
        templates
            .map(|(name, template)| EntityPlan {
                name: None,
                template: Some(Name::new(name)),
                parent: None,
                parts: template.parts.clone(),
                children: template.children.clone(),
            })
            .collect()
    }

    /// Plans a template after those that its children are made from. `around` are the templates in which it is nested.
    fn plan_template(&mut self, name: &'d str, around: &mut Vec<&'d str>) {
        let document = self.document;
        let found = document
            .templates
            .iter()
            .find(|(known, _)| known.get_ref() == name);
        let Some((_, preset)) = found else {
            // Whoever names it is told.
            return;
        };
        if self.templates.contains_key(name) {
            return;
        }
        around.push(name);
        self.plan_templates_of(&preset.children, around);
        around.pop();
        let parts = Parts::of_preset(preset, self.read.values(preset.components.as_ref()));
        self.check_parts(&parts);
        let children = self.plan_children(&preset.children);
        self.templates
            .insert(name, TemplatePlan { parts, children });
    }

    fn plan_templates_of(
        &mut self,
        children: &'d [Spanned<EntityEntry>],
        around: &mut Vec<&'d str>,
    ) {
        for child in children.iter().map(Spanned::get_ref) {
            if let Some(template) = &child.template {
                let name = template.get_ref().as_str();
                if let Some(at) = around.iter().position(|known| *known == name) {
                    let circle = [&around[at..], &[name]].concat().join(" → ");
                    let message = format!("these templates come in each other: {circle}");
                    self.fault(template, message, "make this child from another template");
                } else {
                    self.plan_template(name, around);
                }
            }
            self.plan_templates_of(&child.children, around);
        }
    }
}
