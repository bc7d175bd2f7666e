//! Entities that a control input moves.

use crate::runtime::Controls;
use crate::schedule::{Clock, System};
use crate::space::Transform;
use crate::store::{Global, Rows};
use glam::Vec3;

/// Moves the entity's [`Transform`] as a control input says, in its parent's space, through everything: by its velocity times
/// where the control is. Without the global [`Controls`] nothing moves.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
/// use gerust::runtime::{Controls, Steered};
///
/// let mut runtime = Runtime::new();
/// runtime.add_kit(StandardKit)?;
/// runtime.set_step_seconds(0.5)?;
/// let steered = Steered { control: String::from("hoist"), velocity: Vec3::Y * 4.0 };
/// let hook = runtime.world_mut().spawn((Transform::default(), steered));
/// runtime.world_mut().global_mut::<Controls>()?.set("hoist", -0.5);
/// runtime.run_frames(3)?;
/// assert_eq!(runtime.world().get::<Transform>(hook)?.translation.y, -3.0);
/// # Ok::<(), gerust::Error>(())
/// ```
#[derive(Clone, PartialEq, Debug)]
#[cfg_attr(
    feature = "snapshot",
    derive(serde::Serialize, serde::Deserialize),
    serde(deny_unknown_fields)
)]
pub struct Steered {
    /// The name of the control.
    pub control: String,
    /// Metres per second where the control is at 1.
    pub velocity: Vec3,
}

type Claims<'w> = (
    Rows<'w, (&'static mut Transform, &'static Steered)>,
    Global<'w, Controls>,
    Global<'w, Clock>,
);

pub(super) fn system() -> System {
    System::named("standard: steer")
        .after("standard: travel")
        .takes::<Claims>()
        .runs(steer)
}

fn steer((mut rows, controls, clock): Claims<'_>) {
    let step = clock.step_seconds();
    rows.each(|(transform, steered)| {
        // One whose control is at rest is not written, so that nothing below it is placed again.
        let value = controls.value(&steered.control);
        if value != 0.0 {
            transform.translation += steered.velocity * value * step;
        }
    });
}
