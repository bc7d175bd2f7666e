//! Scenes of any size, each of which names many things.

use std::fmt::Write as _;

/// The name of an input, and a function that makes its scene text for a size.
pub(crate) type Input = (&'static str, fn(usize) -> String);

pub(crate) const INPUTS: [Input; 14] = [
    ("entities below one parent", |size| {
        let mut text = head() + "[[entities]]\nname = 'p'\n";
        for number in 0..size {
            let _ = writeln!(text, "[[entities]]\nname = 'e{number}'\nparent = 'p'");
        }
        text
    }),
    ("a chain of parents", |size| {
        let mut text = head() + "[[entities]]\nname = 'e0'\n";
        for number in 1..size {
            let above = number - 1;
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\nparent = 'e{above}'"
            );
        }
        text
    }),
    ("a chain of parents, the lowest first", |size| {
        let mut text = head();
        for number in (1..size).rev() {
            let above = number - 1;
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\nparent = 'e{above}'"
            );
        }
        text + "[[entities]]\nname = 'e0'\n"
    }),
    ("templates that are unknown", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(
                text,
                "[templates.t{number}]\n[[entities]]\ntemplate = 'u{number}'"
            );
        }
        text
    }),
    ("parents and names that are unknown", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\nparent = 'u{number}'"
            );
            let _ = writeln!(text, "[[expect]]\nthat = 'v{number}.position.y = 0 at end'");
        }
        text
    }),
    ("templates with children and overrides", |size| {
        let mut text = head() + "[templates.row]\n";
        for number in 0..size {
            let _ = writeln!(text, "[[templates.row.children]]\nname = 'c{number}'");
        }
        text += "[[entities]]\nname = 'e'\ntemplate = 'row'\n";
        for number in 0..size {
            let _ = writeln!(text, "overrides.c{number}.body.mass = 3");
        }
        text
    }),
    ("templates, each used", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(
                text,
                "[templates.t{number}]\n[[entities]]\ntemplate = 't{number}'"
            );
        }
        text
    }),
    ("expectations", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(text, "[[entities]]\nname = 'e{number}'");
            let _ = writeln!(text, "[[expect]]\nthat = 'e{number}.position.y = 0 always'");
        }
        text
    }),
    ("rules", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(text, "[[entities]]\nname = 'e{number}'\n[[rules]]");
            let _ = writeln!(
                text,
                "when = 'e{number}.position.y > 3'\ndo = [{{ despawn = 'e{number}' }}]"
            );
        }
        text
    }),
    ("an arrangement that a cue spawns", |size| {
        let mut text = head() + "[[entities]]\nname = 'p'\n[[cues]]\nframe = 1\n";
        let _ = writeln!(
            text,
            "spawn = {{ name = 'e', parent = 'p', arrange = {{ row = {size}, step = [1, 0, 0] }}, children = [{{ name = 'c' }}] }}"
        );
        text
    }),
    ("cues that spawn", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(
                text,
                "[[cues]]\nframe = 1\nspawn = {{ name = 'e{number}' }}"
            );
        }
        text
    }),
    ("cues that set", |size| {
        let mut text = head();
        for number in 0..size {
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\n[[cues]]\nframe = 1"
            );
            let _ = writeln!(text, "set = {{ entity = 'e{number}', body.mass = 3 }}");
        }
        text
    }),
    ("layers and colliders", |size| {
        let mut text = head() + "layers.goods = []\n";
        for number in 0..size {
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\ntransform.translation = [{number}, 0, 0]\ncollider = {{ size = [0.5, 1, 1], layer = 'goods' }}"
            );
        }
        text
    }),
    ("entities whose children share a template", |size| {
        let mut text = head() + "[templates.lamp]\n[[templates.lamp.children]]\nname = 'bulb'\n";
        for number in 0..size {
            let _ = writeln!(
                text,
                "[[entities]]\nname = 'e{number}'\nchildren = [{{ name = 'left', template = 'lamp' }}, {{ name = 'right', template = 'lamp' }}]"
            );
        }
        text
    }),
];

fn head() -> String {
    String::from("title = 't'\nframes = 2\n")
}
