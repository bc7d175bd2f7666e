//! Checks what single actions name.

use super::Checker;
use crate::scene::action::ActionKind;
use crate::scene::document::{
    ActionEntry, ChangeEntry, DetachEntry, EntityEntry, LinkEntry, PushEntry, SetEntry,
};
use crate::scene::language::{self, ExpressionKind, Problem};
use crate::scene::place::Parts;
use glam::Vec3;
use toml::Spanned;

impl<'d> Checker<'d> {
    pub(super) fn check_set(&mut self, set: &'d SetEntry) -> ActionKind {
        self.check_name(&set.entity);
        let parts = Parts::of_set(set, self.read.values(set.components.as_ref()));
        self.check_parts(&parts);
        ActionKind::Set {
            entity: set.entity.get_ref().clone(),
            parts: Box::new(parts),
        }
    }

    /// What is spawned has been planned before: its names had to be known.
    pub(super) fn check_spawn(&mut self, spawn: Option<&'d EntityEntry>) -> ActionKind {
        if let Some(parent) = spawn.and_then(|spawn| spawn.parent.as_ref()) {
            self.check_name(parent);
        }
        ActionKind::Spawn(self.spawned.pop_front().unwrap_or_default())
    }

    pub(super) fn check_link(&mut self, link: &'d LinkEntry) -> ActionKind {
        self.check_name(&link.entity);
        self.check_name(&link.under);
        if link.entity.get_ref() == link.under.get_ref() {
            let message = format!("`{}` cannot be under itself", link.entity.get_ref());
            self.fault(&link.under, message, "name two entities");
        }
        ActionKind::Link {
            entity: link.entity.get_ref().clone(),
            under: link.under.get_ref().clone(),
            in_place: link.in_place.unwrap_or(true),
        }
    }

    pub(super) fn check_detach(&mut self, detach: &'d DetachEntry) -> ActionKind {
        self.check_name(&detach.entity);
        let known: Vec<&str> = self.registry.names().collect();
        self.check_known(
            &detach.component,
            "component",
            "registered components",
            known,
        );
        ActionKind::Detach {
            entity: detach.entity.get_ref().clone(),
            component: detach.component.get_ref().clone(),
        }
    }

    pub(super) fn check_push(
        &mut self,
        push: &'d PushEntry,
        entry: &Spanned<ActionEntry>,
    ) -> Option<ActionKind> {
        match (
            &push.entity,
            push.impulse,
            &push.away_from,
            &push.radius,
            push.strength,
        ) {
            (Some(entity), Some(impulse), None, None, None) => {
                self.check_name(entity);
                Some(ActionKind::Push {
                    entity: entity.get_ref().clone(),
                    impulse: impulse.into(),
                })
            }
            (None, None, Some(from), Some(radius), Some(strength)) => {
                if *radius.get_ref() <= 0.0 {
                    let message = format!("nothing is nearer than {} m", radius.get_ref());
                    self.fault(radius, message, "write a number above 0");
                }
                Some(ActionKind::PushAway {
                    from: Vec3::from(*from.get_ref()),
                    radius: *radius.get_ref(),
                    strength,
                })
            }
            _ => {
                self.fault(
                    entry,
                    "this push does not say whom and how",
                    "give it `entity` and `impulse`, or `away-from`, `radius` and `strength`",
                );
                None
            }
        }
    }

    pub(super) fn check_change(&mut self, change: &'d ChangeEntry) -> Option<ActionKind> {
        let to = match language::parse(change.to.get_ref()) {
            Ok(to) => {
                for source in to.sources() {
                    self.check_source(source, &change.to);
                }
                Some(to)
            }
            Err(problem) => {
                self.problem(problem, &change.to);
                None
            }
        };
        let field = match language::parse(change.field.get_ref()) {
            Ok(parsed) => parsed,
            Err(problem) => {
                self.problem(problem, &change.field);
                return None;
            }
        };
        let span = field.span.clone();
        match field.kind {
            ExpressionKind::Path(path) if !path.fields.is_empty() => {
                let problem = self.check_path(&path).or_else(|| {
                    let is_derived = ["position", "parent", "template", "collider"]
                        .contains(&path.fields[0].as_str());
                    is_derived.then(|| {
                        (
                            format!("`{}` cannot be changed like that", path.fields[0]),
                            String::from("use `set`, or `link` for parents"),
                        )
                    })
                });
                if let Some((message, mend)) = problem {
                    self.problem(
                        Problem {
                            span,
                            message,
                            mend,
                        },
                        &change.field,
                    );
                    return None;
                }
                Some(ActionKind::Change {
                    field: path,
                    to: to?,
                })
            }
            _ => {
                let problem = Problem {
                    span,
                    message: String::from("this is no field of an entity"),
                    mend: String::from(
                        "write an entity, a component and a field, such as `crate-1.load.tonnes`",
                    ),
                };
                self.problem(problem, &change.field);
                None
            }
        }
    }
}
