//! Waits for keys while there is a terminal.

use std::io;
use std::time::Instant;

/// The result of waiting.
pub(super) enum Waited {
    /// Nothing happened in that time.
    InVain,
    /// Keys were pressed, or the size of the terminal may have changed.
    ForSomething,
    /// The terminal has gone.
    Gone,
}

/// Waits for keys. The terminal package reads a terminal that has gone over and over again, so that is found out before it is asked.
#[cfg(unix)]
pub(super) fn wait_until(until: Instant) -> io::Result<Waited> {
    use rustix::event::{PollFd, PollFlags, Timespec, poll};

    let left = until.saturating_duration_since(Instant::now());
    let timeout = Timespec::try_from(left).map_err(io::Error::other)?;
    let input = io::stdin();
    let mut keys = [PollFd::new(&input, PollFlags::IN)];
    match poll(&mut keys, Some(&timeout)) {
        // A signal, such as the one about another size.
        Err(rustix::io::Errno::INTR) => return Ok(Waited::ForSomething),
        other => other?,
    };
    let happened = keys[0].revents();
    let is_gone = happened.intersects(PollFlags::HUP | PollFlags::ERR | PollFlags::NVAL);
    Ok(match (is_gone, happened.is_empty()) {
        (true, _) => Waited::Gone,
        (false, true) => Waited::InVain,
        (false, false) => Waited::ForSomething,
    })
}

/// Waits for keys.
#[cfg(not(unix))]
pub(super) fn wait_until(until: Instant) -> io::Result<Waited> {
    let left = until.saturating_duration_since(Instant::now());
    Ok(match ratatui::crossterm::event::poll(left)? {
        true => Waited::ForSomething,
        false => Waited::InVain,
    })
}
