// The plan as a graph: phases one below the other, systems from left to right.

const NODE_HEIGHT = 26;
const NODE_GAP = 10;
const WAVE_GAP = 54;

/** A letter takes about seven pixels. */
const nodeWidth = (name) => name.length * 7.1 + 18;

/** Where the systems of a phase lie: a column for each wave. */
function arranged(phase, top) {
  const places = new Map();
  const waves = [];
  for (const system of phase.systems) (waves[system.wave - 1] ??= []).push(system);
  let left = 14;
  let bottom = top;
  for (const wave of waves) {
    wave.forEach((system, row) => {
      const y = top + row * (NODE_HEIGHT + NODE_GAP);
      places.set(system.name, { x: left, y, width: nodeWidth(system.name) });
      bottom = Math.max(bottom, y + NODE_HEIGHT);
    });
    left += Math.max(...wave.map((system) => nodeWidth(system.name))) + WAVE_GAP;
  }
  return { places, width: left - WAVE_GAP + 14, bottom };
}

function paintPlan() {
  const drawing = [];
  const edges = [];
  let [y, width] = [0, 300];
  for (const phase of data.plan.phases) {
    if (phase.systems.length === 0) continue;
    drawing.push(svg("text", { x: 14, y: y + 20, class: "faint" }, phaseTitle(phase)));
    const placed = arranged(phase, y + 32);
    for (const edge of phase.edges) edges.push(edgeLine(edge, placed.places));
    for (const system of phase.systems) drawing.push(node(system, phase, placed.places.get(system.name)));
    width = Math.max(width, placed.width);
    y = placed.bottom + 18;
    drawing.push(svg("line", { x1: 0, x2: 20000, y1: y, y2: y, class: "rule" }));
  }
  const arrow = svg("marker", { id: "arrow", viewBox: "0 0 8 8", refX: 1, refY: 4, markerWidth: 8, markerHeight: 8, markerUnits: "userSpaceOnUse", orient: "auto" },
    svg("path", { d: "M0,0 L8,4 L0,8 z", class: "arrow" }));
  const picture = svg("svg", { width, height: y, viewBox: `0 0 ${width} ${y}` }, arrow, edges, drawing);
  const light = (event) => {
    const name = event.target.closest?.(".node")?.dataset.name ?? null;
    for (const line of picture.querySelectorAll(".edge")) {
      line.classList.toggle("lit", name !== null && (line.dataset.first === name || line.dataset.second === name));
    }
    byId("edge").replaceChildren(...(name === null ? ["\u00a0"] : said(describedSystem(name))));
  };
  picture.addEventListener("pointerover", light);
  picture.addEventListener("focusin", light);
  byId("graph").replaceChildren(picture);
  byId("edges").replaceChildren(...data.plan.phases.filter((phase) => phase.systems.length > 0).flatMap(phaseInWords),
    ...sentences("Never ran", data.plan["never-ran"]), ...sentences("Found nothing to work on", data.plan["rows-without-match"]));
}

function phaseTitle(phase) {
  return phase.cost === null ? `${phase.phase}: never ran` : `${phase.phase}: ${time(phase.cost["work-ms"])} of work, ${time(phase.cost["span-ms"])} on the critical path`;
}

function node(system, phase, place) {
  const isCritical = phase.cost?.["critical-path"].includes(system.name) ?? false;
  const group = svg("g", {
    class: `node${system.on ? "" : " off"}${isCritical ? " critical" : ""}`, tabindex: 0, role: "img",
    "aria-label": `${system.name}, ${system.on ? time(system["mean-ms"]) : "off"}`, "data-name": system.name,
  },
  svg("rect", { x: place.x, y: place.y, width: place.width, height: NODE_HEIGHT, rx: 3 }),
  svg("text", { x: place.x + 9, y: place.y + 17 }, system.name));
  return group;
}

function edgeLine(edge, places) {
  const [from, to] = [places.get(edge.first), places.get(edge.second)];
  const [x1, y1, x2, y2] = [from.x + from.width, from.y + NODE_HEIGHT / 2, to.x, to.y + NODE_HEIGHT / 2];
  const bend = Math.max((x2 - x1) / 2, 20);
  return svg("path", {
    d: `M${x1},${y1} C${x1 + bend},${y1} ${x2 - bend},${y2} ${x2 - 7},${y2}`, class: "edge", "marker-end": "url(#arrow)",
    "data-first": edge.first, "data-second": edge.second,
  }, svg("title", {}, edge.reason));
}

/** What a system costs and whom it waits for. */
function describedSystem(name) {
  const phase = data.plan.phases.find((known) => known.systems.some((system) => system.name === name));
  const system = phase.systems.find((known) => known.name === name);
  const waits = phase.edges.filter((edge) => edge.second === name).map((edge) => edge.reason);
  const cost = system.on ? `${time(system["mean-ms"])} in the mean, ${system.runs} runs` : "off";
  return `${name}: ${cost}. ${waits.length === 0 ? "It waits for no system of its phase." : waits.join("; ")}`;
}

function phaseInWords(phase) {
  const advice = phase.cost?.advice;
  return [
    el("h3", {}, phase.phase),
    ...(advice ? [el("p", { className: "note" }, said(advice))] : []),
    phase.edges.length === 0 ? el("p", {}, "No system waits for another.") : el("ul", {}, phase.edges.map((edge) => el("li", {}, said(edge.reason)))),
  ];
}

function sentences(title, list) {
  return list.length === 0 ? [] : [el("h3", {}, title), el("ul", {}, list.map((sentence) => el("li", {}, said(sentence.what))))];
}

