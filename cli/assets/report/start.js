// Puts the page together.

function startPlayer() {
  const slider = byId("slider");
  // A place for each frame that is there.
  Object.assign(slider, { min: 0, max: changes.length - 1, step: 1 });
  slider.addEventListener("input", () => goTo(changeFrames[+slider.value]));
  byId("back").addEventListener("click", () => goTo(neighbor(-1)));
  byId("forth").addEventListener("click", () => goTo(neighbor(1)));
  byId("worst").addEventListener("click", () => goTo(worstFrame));
  const moveSlider = () => {
    slider.value = lastUpTo(changeFrames, chosen.frame);
    slider.setAttribute("aria-valuetext", `frame ${chosen.frame}`);
  };
  chosen.frameCallbacks.push(moveSlider);
  moveSlider();
  const play = byId("play");
  let playing = null;
  const stop = () => {
    cancelAnimationFrame(playing);
    playing = null;
    play.textContent = "\u25b6";
    play.setAttribute("aria-label", "Play");
  };
  const begin = () => {
    // At the pace of the scene, from the start again if it is at its end.
    if (chosen.frame >= lastFrame) goTo(firstFrame);
    const from = { frame: chosen.frame, at: performance.now() };
    let shown = chosen.frame;
    const next = (now) => {
      // The user has chosen another frame meanwhile.
      if (chosen.frame !== shown) Object.assign(from, { frame: chosen.frame, at: now });
      const passed = Math.max(now - from.at, 0) / 1000 / data.playback["step-seconds"];
      goTo(from.frame + passed);
      shown = chosen.frame;
      if (chosen.frame >= lastFrame) stop();
      else playing = requestAnimationFrame(next);
    };
    playing = requestAnimationFrame(next);
    play.textContent = "\u275a\u275a";
    play.setAttribute("aria-label", "Stop");
  };
  play.addEventListener("click", () => (playing === null ? begin() : stop()));
}

// The first question is usually why the slowest frame was slow; of a recording, what happened in its first failed frame, or in its last one.
chosen.frame = data.recording === null ? Math.min(worstFrame, lastFrame) : data.recording.failures[0]?.frame ?? lastFrame;
showComparison();
showHeader();
showExpectations();
startChart();
showSlowest();
startScene();
startEntity();
startThreads();
showNames();
paintPlan();
showMemory();
startPlayer();
