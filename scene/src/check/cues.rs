//! Checks cues and rules.

use super::{Checker, DEFAULT_LAYER};
use crate::action::{Action, ActionKind, PAIR_NAMES};
use crate::cue::{Cue, Rule, Side, Times, Trigger};
use crate::document::{ActionEntry, CueEntry, RuleEntry};
use crate::language::{self, Expression};
use toml::Spanned;

impl<'d> Checker<'d> {
    pub(super) fn check_cue(&mut self, entry: &'d Spanned<CueEntry>) -> Option<Cue> {
        self.enter(entry);
        let cue = entry.get_ref();
        let at = self.check_times(entry);
        let mut actions = Vec::new();
        let mut given = 0;
        if let Some(set) = &cue.set {
            given += 1;
            let kind = self.check_set(set);
            actions.push(self.action(kind));
        }
        if cue.spawn.is_some() {
            given += 1;
            let kind = self.check_spawn(cue.spawn.as_ref());
            actions.push(self.action(kind));
        }
        if let Some(despawn) = &cue.despawn {
            given += 1;
            self.check_name(despawn);
            let kind = ActionKind::Despawn(despawn.get_ref().clone());
            actions.push(self.action(kind));
        }
        if let Some(list) = &cue.actions {
            given += 1;
            actions.extend(self.check_actions(list));
        }
        if given != 1 && !self.was_at_fault(&["set", "spawn", "despawn", "do", "entity"]) {
            self.fault(
                entry,
                format!("this cue does {given} things"),
                "give it exactly one of `set`, `spawn`, `despawn` and `do`, which takes a list of several",
            );
        }
        Some(Cue { at: at?, actions })
    }

    fn check_times(&mut self, entry: &'d Spanned<CueEntry>) -> Option<Times> {
        let cue = entry.get_ref();
        let once = [cue.frame.is_some(), cue.time.is_some()];
        let repeated = [cue.every.is_some(), cue.every_frames.is_some()];
        let count = |given: &[bool]| given.iter().filter(|given| **given).count();
        if count(&repeated) == 0 {
            for bound in [&cue.from, &cue.to].into_iter().flatten() {
                self.fault(
                    bound,
                    "only what happens again and again has a beginning and an end",
                    "add `every` or `every-frames`, or leave it out",
                );
            }
        }
        match count(&once) + count(&repeated) {
            1 => {}
            0 => {
                if !self.was_at_fault(&["frame", "time", "every", "every-frames"]) {
                    let fix = "add `frame = …` or `time = …`";
                    self.fault(entry, "this cue has no time", fix);
                }
                return None;
            }
            _ => {
                let fix = "keep one of `frame`, `time`, `every` and `every-frames`";
                self.fault(entry, "this cue has several times", fix);
                return None;
            }
        }
        if let Some(frame) = &cue.frame {
            return Some(Times::At(self.check_frame(frame, *frame.get_ref(), 1)));
        }
        if let Some(time) = &cue.time {
            return Some(Times::At(self.frame_of_time(time, 1)));
        }
        let seconds = self.check_interval(cue)?;
        let from = cue.from.as_ref();
        let to = cue.to.as_ref();
        Some(Times::Every {
            seconds,
            step: self.step,
            from: from.map_or(1, |from| self.frame_of_time(from, 1)),
            to: to.map_or(self.frames(), |to| self.frame_of_time(to, 1)),
        })
    }

    /// The seconds between two times of a cue that repeats.
    fn check_interval(&mut self, cue: &CueEntry) -> Option<f64> {
        if let Some(every) = &cue.every {
            if *every.get_ref() <= 0.0 {
                let message = format!("nothing happens every {} s", every.get_ref());
                self.fault(every, message, "write a number above 0");
                return None;
            }
            return Some(*every.get_ref());
        }
        let every = cue.every_frames.as_ref()?;
        if *every.get_ref() == 0 {
            self.fault(every, "nothing happens every 0 frames", "write 1 or more");
            return None;
        }
        Some(*every.get_ref() as f64 * self.step)
    }

    pub(super) fn check_rule(&mut self, entry: &'d Spanned<RuleEntry>) -> Option<Rule> {
        self.enter(entry);
        let rule = entry.get_ref();
        if rule.actions.is_empty() {
            self.fault(
                entry,
                "this rule does nothing",
                "list what it does under `do`",
            );
        }
        // The sides are resolved before `it` and `other` become names.
        let sides = rule.contact.as_ref();
        let sides = sides.map(|[one, other]| self.check_side(one).zip(self.check_side(other)));
        // Only what such a rule asks and does can name the two, and the event.
        let own: Vec<String> = match (&rule.contact, &rule.event) {
            (None, None) => Vec::new(),
            _ => PAIR_NAMES.map(str::to_owned).to_vec(),
        };
        let added: Vec<String> = own
            .into_iter()
            .filter(|name| self.names.insert(name.clone()))
            .collect();
        self.is_about_event = rule.event.is_some();
        let condition = rule.condition.as_ref();
        let condition = condition.and_then(|condition| self.check_condition_of_rule(condition));
        let trigger = match (&rule.when, sides, &rule.event) {
            (Some(when), None, None) => {
                if let Some(needless) = &rule.condition {
                    let message = "`where` is for rules on contacts and events";
                    self.fault(needless, message, "join it to `when` by `and`");
                }
                self.check_condition_of_rule(when).map(Trigger::When)
            }
            (None, Some(sides), None) => {
                sides.map(|(one, other)| Trigger::Contact([one, other], condition))
            }
            (None, None, Some(event)) => {
                let known = self.registry.event_names().collect::<Vec<_>>().into_iter();
                self.check_known(event, "event", "registered events", known);
                Some(Trigger::Event(event.get_ref().clone(), condition))
            }
            _ => {
                if !self.was_at_fault(&["when", "contact", "event"]) {
                    let message = "this rule does not say on what it acts";
                    let fix = "give it exactly one of `when`, `contact` and `event`";
                    self.fault(entry, message, fix);
                }
                None
            }
        };
        let actions = self.check_actions(&rule.actions);
        self.is_about_event = false;
        for name in added {
            self.names.remove(&name);
        }
        Some(Rule {
            text: rule.describe(),
            trigger: trigger?,
            once: rule.once,
            each_frame: rule.each_frame,
            actions,
        })
    }

    fn check_condition_of_rule(&mut self, when: &Spanned<String>) -> Option<Expression> {
        match language::parse(when.get_ref()) {
            Ok(parsed) => {
                self.check_condition(&parsed, when);
                Some(parsed)
            }
            Err(problem) => {
                self.problem(problem, when);
                None
            }
        }
    }

    /// The meaning of a name of a side: an entity, otherwise a template, otherwise a layer.
    fn check_side(&mut self, name: &Spanned<String>) -> Option<Side> {
        let text = name.get_ref();
        let mut layers = self.document.layers.keys();
        if self.names.contains(text) {
            Some(Side::Entity(text.clone()))
        } else if self.templates.contains_key(text.as_str()) {
            Some(Side::Template(text.clone()))
        } else if text == DEFAULT_LAYER || layers.any(|layer| layer.get_ref() == text) {
            Some(Side::Layer(text.clone()))
        } else {
            let names = self.names.iter().map(String::as_str);
            let templates = self.templates.keys().copied();
            let layers = self.document.layers.keys();
            let layers = layers.map(|layer| layer.get_ref().as_str());
            let known = names.chain(templates).chain(layers);
            let fix = self.suggest(text, "names, templates and layers", known);
            let message = format!("there is no entity, template or layer `{text}`");
            self.fault(name, message, fix);
            None
        }
    }

    fn check_actions(&mut self, entries: &'d [Spanned<ActionEntry>]) -> Vec<Action> {
        let all = entries.iter();
        all.filter_map(|entry| self.check_action(entry)).collect()
    }

    /// An action that is always done.
    fn action(&mut self, kind: ActionKind) -> Action {
        self.actions += 1;
        Action {
            chance: 1.0,
            number: self.actions,
            kind,
        }
    }

    fn check_action(&mut self, entry: &'d Spanned<ActionEntry>) -> Option<Action> {
        let action = entry.get_ref();
        let mut kinds: Vec<Option<ActionKind>> = Vec::new();
        if let Some(set) = &action.set {
            kinds.push(Some(self.check_set(set)));
        }
        if action.spawn.is_some() {
            kinds.push(Some(self.check_spawn(action.spawn.as_ref())));
        }
        if let Some(despawn) = &action.despawn {
            self.check_name(despawn);
            kinds.push(Some(ActionKind::Despawn(despawn.get_ref().clone())));
        }
        if let Some(link) = &action.link {
            kinds.push(Some(self.check_link(link)));
        }
        if let Some(unlink) = &action.unlink {
            self.check_name(unlink);
            kinds.push(Some(ActionKind::Unlink(unlink.get_ref().clone())));
        }
        if let Some(detach) = &action.detach {
            kinds.push(Some(self.check_detach(detach)));
        }
        if let Some(push) = &action.push {
            kinds.push(self.check_push(push, entry));
        }
        if let Some(change) = &action.change {
            kinds.push(self.check_change(change));
        }
        if let Some(switch) = &action.switch {
            kinds.push(Some(ActionKind::Switch {
                system: switch.system.clone(),
                on: switch.on,
            }));
        }
        if let Some(emit) = &action.emit {
            kinds.push(self.check_emit(emit));
        }
        if let Some(control) = &action.control {
            kinds.push(self.check_control(control));
        }
        if let Some(own) = &action.own {
            kinds.push(Some(self.check_own(own)));
        }
        if let Some(load) = &action.load {
            kinds.push(self.check_load(load));
        }
        if let Some(unload) = &action.unload {
            kinds.push(self.check_unload(unload));
        }
        if let Some(stop) = &action.stop {
            kinds.push(Some(ActionKind::Stop {
                verdict: stop.verdict,
                why: stop.why.clone(),
            }));
        }
        // An inline table covers all that it holds: what is missing may be what was cut out of it.
        if kinds.len() != 1 && !self.read.was_cut_in(&entry.span()) {
            self.fault(
                entry,
                format!("this does {} things", kinds.len()),
                "give it exactly one of `set`, `spawn`, `despawn`, `link`, `unlink`, `detach`, `push`, `change`, `emit`, `control`, `own`, `switch`, `load`, `unload` and `stop`",
            );
        }
        let chance = action.chance.as_ref();
        if let Some(chance) = chance
            && !(0.0..=1.0).contains(chance.get_ref())
        {
            let message = format!("a chance of {} is none", chance.get_ref());
            self.fault(chance, message, "write a number from 0 to 1");
        }
        let kind = kinds.pop()??;
        Some(Action {
            chance: chance.map_or(1.0, |chance| *chance.get_ref()),
            ..self.action(kind)
        })
    }
}
