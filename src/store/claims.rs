//! `claims!`, which declares named tuples of claims.

/// Gives a tuple of claims a name, for systems that are plain functions.
///
/// Write the claims as in [`SystemDraft::takes`](crate::schedule::SystemDraft::takes), without lifetimes: `claims!` declares
/// `type Name<'w>` with `'w` in each claim and `'static` in each reference. A function takes `Name<'_>`. Claims of your own that have a
/// lifetime need it written: `Mine<'w>`.
///
/// # Example
///
/// ```
/// use gerust::prelude::*;
///
/// struct Fuel(f32);
/// #[derive(Clone)]
/// struct RanDry(Entity);
///
/// claims! {
///     /// What the fuel gauge reads and posts.
///     type Gauge = (Rows<(Entity, &mut Fuel)>, Global<Clock>, Outbox<RanDry>);
/// }
///
/// fn burn((mut trucks, clock, mut ran_dry): Gauge<'_>) {
///     for (truck, fuel) in &mut trucks {
///         fuel.0 -= clock.step_seconds();
///         if fuel.0 <= 0.0 {
///             ran_dry.post(RanDry(truck));
///         }
///     }
/// }
///
/// let mut runtime = Runtime::new();
/// runtime.world_mut().spawn((Fuel(0.01),));
/// runtime.add_system(System::named("burn fuel").takes::<Gauge>().runs(burn))?;
/// runtime.run_frames(1)?;
/// assert_eq!(runtime.world().posted::<RanDry>().len(), 1);
/// # Ok::<(), gerust::Error>(())
/// ```
#[macro_export]
macro_rules! claims {
    // Between types.
    () => {};
    ($(#[$attribute:meta])* $visibility:vis type $name:ident = $($rest:tt)+) => {
        $crate::claims!(@type [$(#[$attribute])* $visibility type $name] [] [] $($rest)+);
    };
    // The end of a type: what follows begins the next one.
    (@type [$($head:tt)+] [] [$($done:tt)+] ; $($rest:tt)*) => {
        $($head)+ <'w> = $($done)+;
        $crate::claims!($($rest)*);
    };
    // Into parentheses and out of them: the stack has what was done before them and what follows.
    (@type $head:tt [$($stack:tt)*] [$($done:tt)*] ($($inner:tt)*) $($rest:tt)*) => {
        $crate::claims!(@type $head [[[$($done)*] [$($rest)*]] $($stack)*] [] $($inner)*);
    };
    (@type $head:tt [[[$($before:tt)*] [$($rest:tt)*]] $($stack:tt)*] [$($done:tt)*]) => {
        $crate::claims!(@type $head [$($stack)*] [$($before)* ($($done)*)] $($rest)*);
    };
    // Claims with parameters.
    (@type $head:tt $stack:tt [$($done:tt)*] Rows < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Rows < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Global < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Global < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] GlobalMut < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* GlobalMut < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Inbox < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Inbox < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Outbox < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Outbox < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Lost < $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Lost < 'w,] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Chance $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Chance < 'w >] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] Edits $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* Edits < 'w >] $($rest)*);
    };
    // References; those with a lifetime stay as they are.
    (@type $head:tt $stack:tt [$($done:tt)*] & $lifetime:lifetime $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* & $lifetime] $($rest)*);
    };
    (@type $head:tt $stack:tt [$($done:tt)*] & $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* & 'static] $($rest)*);
    };
    // The rest.
    (@type $head:tt $stack:tt [$($done:tt)*] $next:tt $($rest:tt)*) => {
        $crate::claims!(@type $head $stack [$($done)* $next] $($rest)*);
    };
    (@type $head:tt [] [$($done:tt)*]) => {
        compile_error!("a name of claims ends with `;`, as in `type Pump = (Rows<&Fuel>, Edits);`");
    };
}

#[cfg(test)]
mod tests;
