// The time of each frame, as a stack of its parts.

const times = data.times;
const wholes = times.frames.map((_, at) => times.times.reduce((sum, part) => sum + part[at], 0));
const worstColumn = times.frames.reduce((worst, _, at) => (!times["warm-up"][at] && wholes[at] > wholes[worst] ? at : worst), times["warm-up"].indexOf(false));
const worstFrame = data.run["frame-time"]?.["worst-frame"] ?? times.frames[Math.max(worstColumn, 0)] ?? lastFrame;

function partColor(part) {
  switch (times.parts[part].kind) {
    case "system": return color(`part-${part % 9}`);
    case "others": return color("others");
    case "edits": return color("edits");
    default: return color("between");
  }
}

/** The upper end of the scale. */
function top() {
  const least = byId("with-outliers").checked ? 1.05 * Math.max(...wholes) : times["top-ms"];
  return byId("to-budget").checked ? Math.max(least, 1.12 * times["budget-ms"]) : least;
}

/** Draws what uPlot has no series for: warm-up, the budget, frames above it, and the chosen frame. */
function paintBelow(chart) {
  const { ctx, bbox } = chart;
  const last = times["warm-up"].lastIndexOf(true);
  if (last < 0) return;
  const from = Math.max(chart.valToPos(times.frames[0] - 0.5, "x", true), bbox.left);
  const to = Math.min(chart.valToPos(times.frames[last] + 0.5, "x", true), bbox.left + bbox.width);
  if (to <= from) return;
  ctx.fillStyle = color("warm");
  ctx.fillRect(from, bbox.top, to - from, bbox.height);
}

function paintAbove(chart) {
  const { ctx, bbox } = chart;
  const ratio = devicePixelRatio;
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  const budget = chart.valToPos(times["budget-ms"], "y", true);
  ctx.fillStyle = ctx.strokeStyle = color("vermilion");
  ctx.lineWidth = 1.5 * ratio;
  ctx.font = `${12 * ratio}px "DejaVu Sans", sans-serif`;
  ctx.textAlign = "right";
  const right = bbox.left + bbox.width - 6 * ratio;
  if (budget >= bbox.top) {
    ctx.setLineDash([6 * ratio, 4 * ratio]);
    ctx.beginPath();
    ctx.moveTo(bbox.left, budget);
    ctx.lineTo(bbox.left + bbox.width, budget);
    ctx.stroke();
    ctx.setLineDash([]);
    const text = `budget ${time(times["budget-ms"])}`;
    const width = ctx.measureText(text).width + 8 * ratio;
    ctx.fillStyle = color("sheet");
    ctx.fillRect(right - width + 4 * ratio, budget - 19 * ratio, width, 17 * ratio);
    ctx.fillStyle = color("vermilion");
    ctx.fillText(text, right, budget - 6 * ratio);
  } else {
    ctx.fillText(`budget ${time(times["budget-ms"])}, far above`, right, bbox.top + 14 * ratio);
  }
  times.over.forEach((isOver, at) => {
    if (!isOver) return;
    const x = chart.valToPos(times.frames[at], "x", true);
    ctx.fillRect(x - ratio, bbox.top + bbox.height - 7 * ratio, 2 * ratio, 7 * ratio);
  });
  ctx.strokeStyle = color("ink");
  ctx.lineWidth = ratio;
  const x = chart.valToPos(chosen.frame, "x", true);
  ctx.beginPath();
  ctx.moveTo(x, bbox.top);
  ctx.lineTo(x, bbox.top + bbox.height);
  ctx.stroke();
  ctx.restore();
}

/** Sums from the bottom of the stack up, the whole first: the lower ones are painted over the upper ones. */
function stacked() {
  const sums = [];
  let below = times.frames.map(() => 0);
  for (const part of times.times) {
    below = below.map((sum, at) => sum + part[at]);
    sums.push(below);
  }
  return sums.reverse();
}

function chartSeries() {
  const stepped = uPlot.paths.stepped({ align: 1 });
  const parts = times.parts.map((part, at) => ({
    label: part.name, paths: stepped, points: { show: false }, width: 0, fill: () => partColor(at),
  }));
  const before = times.before === null ? [] : [{
    label: "before", paths: stepped, points: { show: false }, width: 1.5, stroke: () => color("ink"), spanGaps: false,
  }];
  return [{ label: "frame" }, ...parts.reverse(), ...before];
}

function startChart() {
  const host = byId("chart");
  const axis = {
    stroke: () => color("soft"), font: '12px "DejaVu Sans", sans-serif',
    grid: { stroke: () => color("line"), width: 1 }, ticks: { stroke: () => color("line"), width: 1 },
  };
  const size = () => ({ width: host.clientWidth - 10, height: host.clientHeight - 10 });
  const chart = new uPlot({
    ...size(),
    legend: { show: false },
    cursor: { y: false, points: { show: false }, drag: { x: true, y: false } },
    scales: { x: { time: false }, y: { range: () => [0, top()] } },
    axes: [{ ...axis, size: 36 }, { ...axis, size: 68, values: (_, ticks) => ticks.map((tick) => (tick === 0 ? "0" : time(tick))) }],
    series: chartSeries(),
    hooks: {
      drawClear: [paintBelow],
      draw: [paintAbove],
      setCursor: [(drawn) => showFigures(drawn.cursor.idx ?? null)],
    },
  }, [times.frames, ...stacked(), ...(times.before === null ? [] : [times.before])], host);
  let pressedAt = null;
  chart.over.addEventListener("mousedown", (event) => { pressedAt = event.clientX; });
  chart.over.addEventListener("click", (event) => {
    // The end of a drag is no choice of a frame.
    if (pressedAt !== null && Math.abs(event.clientX - pressedAt) > 4) return;
    goTo(times.frames[chart.posToIdx(event.clientX - chart.over.getBoundingClientRect().left)]);
  });
  host.addEventListener("keydown", (event) => {
    const by = { ArrowLeft: -1, ArrowRight: 1, PageDown: -10, PageUp: 10 }[event.key];
    const to = { Home: firstFrame, End: lastFrame }[event.key] ?? (by === undefined ? null : neighbor(by));
    if (to === null) return;
    event.preventDefault();
    goTo(to);
  });
  new ResizeObserver(() => chart.setSize(size())).observe(host);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", () => chart.redraw());
  for (const box of ["to-budget", "with-outliers"]) byId(box).addEventListener("change", () => chart.redraw(true, true));
  if (Math.max(...wholes) <= times["top-ms"]) byId("outliers-label").hidden = true;
  chosen.frameCallbacks.push(() => {
    chart.redraw(false);
    showFigures(null);
  });
  byId("times-note").textContent = timesNote();
  showFigures(null);
}

function timesNote() {
  const parts = times["is-scaled"] ? "the work of all threads, scaled to the length of the frame" : "by the system in which it is spent";
  const several = times["frames-per-column"] === 1 ? "" : `; the slowest of ${times["frames-per-column"]} frames each`;
  const before = times.before === null ? "" : "; the line is the run before";
  const run = data.profile;
  const how = `${run.build} build, ${run.threads} ${run.threads === 1 ? "thread" : "threads"}; warm-up is shaded.`;
  return `Time by part: ${parts}${several}${before}. ${data.recording === null ? how : "As the recorded program measured it."}`;
}

/** The figures of a column, or of the chosen frame. */
function showFigures(column) {
  const at = column ?? lastUpTo(times.frames, chosen.frame);
  const host = byId("figures");
  if (at < 0) {
    host.replaceChildren(el("h3", {}, "As loaded"), el("p", { className: "note" }, "No frame has run yet. Choose one in the chart, or with the slider."));
    return;
  }
  const parts = times.parts.map((part, place) => ({ ...part, place, ms: times.times[place][at] })).reverse();
  const rows = parts.map((part) => el("tr", {},
    el("td", {}, el("span", { className: "swatch", style: `background:${partColor(part.place)}` }), part.name),
    el("td", { className: "number" }, time(part.ms)),
    el("td", { className: "number" }, time(part["median-ms"]))));
  const remarks = [
    times["warm-up"][at] ? "warm-up" : null,
    times.over[at] ? "over the budget" : null,
    times.before?.[at] != null ? `before ${time(times.before[at])}` : null,
  ].filter(Boolean).join(", ");
  const counted = Object.entries(times.counters).filter(([, values]) => values[at] !== null);
  host.replaceChildren(
    el("h3", {}, `Frame ${times.frames[at]}: ${time(wholes[at])}`),
    el("p", { className: "note" }, remarks || `${percent(wholes[at] / times["budget-ms"])} of the budget`),
    el("table", {}, el("thead", {}, el("tr", {}, el("th", {}, "part"), el("th", { className: "number" }, "here"), el("th", { className: "number" }, "median"))), el("tbody", {}, rows)),
    el("p", { className: "note" }, counted.map(([name, values]) => `${name} ${name === "resident memory" ? bytes(values[at]) : values[at]}`).join(", ")),
  );
}

