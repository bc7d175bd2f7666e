// What ran when on which thread in the chosen frame.

const LANE_TITLE = 74;
const BLOCK_HEIGHT = 20;
const BLOCK_KINDS = { p: "phase", s: "system", b: "part" };

function threadsOf(frame) {
  const frames = data.threads.frames;
  if (frames.length === 0) return null;
  const at = lastUpTo(frames.map((known) => known.frame), frame);
  return frames[Math.max(at, 0)];
}

/** Round steps for an axis, so that about `count` fit. */
function roundStep(length, count) {
  const rough = length / count;
  const power = 10 ** Math.floor(Math.log10(rough));
  return [1, 2, 5, 10].map((factor) => factor * power).find((step) => step >= rough);
}

function told(block) {
  const [name, kind, , start, took, onPath] = block;
  const waited = onPath ? "; the end of the frame waited for it" : "";
  return `${data.threads.names[name]} (${BLOCK_KINDS[kind]}): ${time(took / 1000)}, from ${time(start / 1000)} on${waited}`;
}

function paintThreads() {
  const host = byId("timeline");
  const shown = threadsOf(chosen.frame);
  if (shown === null) {
    byId("threads-note").textContent = "No frame was measured.";
    return;
  }
  const isOther = shown.frame !== chosen.frame;
  byId("threads-note").textContent = `Frame ${shown.frame}, ${time(shown["took-ms"])}${isOther ? `; of frame ${chosen.frame} nothing is kept, this is the nearest before it, or the first` : ""}. Outlined in red: the systems that the end of the frame waited for.`;
  const whole = shown["took-ms"] * 1000;
  const width = Math.max(host.clientWidth - 2, 560);
  const x = (micro) => LANE_TITLE + (micro / whole) * (width - LANE_TITLE - 12);
  const drawing = [];
  let y = 22;
  const step = roundStep(whole, 8);
  for (let tick = 0; tick <= whole; tick += step) {
    drawing.push(svg("line", { x1: x(tick), x2: x(tick), y1: 18, y2: 1000, class: "rule" }));
    drawing.push(svg("text", { x: x(tick), y: 13, "text-anchor": tick === 0 ? "start" : "middle", class: "faint" }, tick === 0 ? "0" : time(tick / 1000)));
  }
  for (const lane of shown.lanes) {
    drawing.push(svg("text", { x: 6, y: y + 14 }, lane.name));
    for (const block of lane.blocks) drawing.push(...paintBlock(block, x, y));
    y += lane.levels * BLOCK_HEIGHT + 10;
  }
  const picture = svg("svg", { width, height: y, viewBox: `0 0 ${width} ${y}` }, drawing);
  picture.addEventListener("pointerover", (event) => {
    const text = event.target.dataset?.told;
    if (text) byId("block").textContent = text;
  });
  host.replaceChildren(picture);
  paintBlockTable(shown);
}

function paintBlock(block, x, y) {
  const [name, kind, level, start, took, onPath] = block;
  const left = x(start);
  const wide = Math.max(x(start + took) - left, 1);
  const top = y + level * BLOCK_HEIGHT;
  const text = told(block);
  const rect = svg("rect", {
    x: left, y: top, width: wide, height: BLOCK_HEIGHT - 2, class: `block ${kind}${onPath ? " path" : ""}`, "data-told": text,
  }, svg("title", {}, text));
  // A letter takes about seven pixels.
  const room = Math.floor((wide - 6) / 7);
  const label = data.threads.names[name];
  if (room < 4) return [rect];
  const fitted = label.length <= room ? label : `${label.slice(0, room - 1)}…`;
  return [rect, svg("text", { x: left + 4, y: top + 13, "pointer-events": "none" }, fitted)];
}

function paintBlockTable(shown) {
  const rows = shown.lanes.flatMap((lane) => lane.blocks.map((block) => ({ lane: lane.name, block })));
  rows.sort((a, b) => a.block[3] - b.block[3]);
  byId("blocks").replaceChildren(table([
    { title: "thread", cell: (row) => row.lane },
    { title: "kind", cell: (row) => BLOCK_KINDS[row.block[1]] },
    { title: "name", cell: (row) => data.threads.names[row.block[0]] },
    { title: "start", number: (row) => row.block[3], cell: (row) => time(row.block[3] / 1000) },
    { title: "took", number: (row) => row.block[4], cell: (row) => time(row.block[4] / 1000) },
    { title: "waited for", cell: (row) => (row.block[5] ? "yes" : "") },
  ], rows, `Blocks of frame ${shown.frame}`));
}

function startThreads() {
  let isWaiting = false;
  // While frames play, drawing once per picture of the browser is enough.
  const later = () => {
    if (isWaiting) return;
    isWaiting = true;
    requestAnimationFrame(() => {
      isWaiting = false;
      paintThreads();
    });
  };
  chosen.frameCallbacks.push(later);
  new ResizeObserver(later).observe(byId("timeline"));
  paintThreads();
}

