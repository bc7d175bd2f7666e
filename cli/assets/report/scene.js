// The boxes of the scene after the chosen frame.

const VIEWS = data.playback["is-flat"]
  ? [{ title: "front", axes: [0, 1], sign: 1 }]
  : [{ title: "side", axes: [0, 1], sign: 1 }, { title: "above", axes: [0, 2], sign: -1 }];
const LOOKS = { static: "steel", kinematic: "teal", dynamic: "blue", sensor: "ochre", "switched off": "steel" };
const MOST_NAMED_POINTS = 8;
const DASHES = { sensor: [6, 3], "switched off": [2, 3] };

/** The current view of the scene: its direction, scale and center. */
const look = { view: VIEWS[0], zoom: 1, middle: null };

function wholeMiddle() {
  const [across, up] = look.view.axes;
  const bounds = data.playback.bounds;
  return [(bounds[across] + bounds[across + 3]) / 2, (look.view.sign * (bounds[up] + bounds[up + 3])) / 2];
}

/** From metres to pixels of the canvas, and how many pixels a metre takes. */
function projection(canvas) {
  const [across, up] = look.view.axes;
  const bounds = data.playback.bounds;
  const size = (axis) => Math.max(bounds[axis + 3] - bounds[axis], 1);
  const fit = Math.min((canvas.clientWidth - 40) / size(across), (canvas.clientHeight - 56) / size(up));
  const scale = fit * look.zoom;
  const middle = look.middle ?? wholeMiddle();
  return {
    scale,
    x: (metres) => canvas.clientWidth / 2 + (metres - middle[0]) * scale,
    y: (metres) => (canvas.clientHeight - 16) / 2 - (look.view.sign * metres - middle[1]) * scale,
  };
}

/** The rectangle of a box on the canvas. */
function rectangle(box, to) {
  const [across, up] = look.view.axes;
  const left = to.x(box[across]);
  const [one, other] = [to.y(box[up]), to.y(box[up + 3])];
  return { left, top: Math.min(one, other), width: to.x(box[across + 3]) - left, height: Math.abs(one - other) };
}

function paintScene() {
  const canvas = byId("picture");
  const state = stateAt(chosen.frame);
  const ratio = devicePixelRatio;
  canvas.width = canvas.clientWidth * ratio;
  canvas.height = canvas.clientHeight * ratio;
  const pen = canvas.getContext("2d");
  pen.scale(ratio, ratio);
  pen.font = '11px "DejaVu Sans", sans-serif';
  const to = projection(canvas);
  paintPoints(pen, state, to);
  for (const [entity, [name, boxes]] of state.boxes) paintBoxes(pen, entity, name, boxes, to);
  for (const contact of state.contacts.keys()) paintContact(pen, state, contact, to);
  if (byId("names").checked) paintNames(pen, state, to);
  paintBar(pen, canvas, to);
  const at = (changes[state.at].frame * data.playback["step-seconds"]).toFixed(2);
  byId("chosen").textContent = `frame ${chosen.frame} of ${lastFrame}, ${at} s`;
  const isOther = changes[state.at].frame !== chosen.frame;
  byId("scene-note").textContent = `After frame ${changes[state.at].frame}, ${at} s: ${counted(state.alive.size, "entity", "entities")}, ${counted(state.contacts.size, "contact", "contacts")}${isOther ? "; the frames between are not kept" : ""}.`;
}

function paintPoints(pen, state, to) {
  const [across, up] = look.view.axes;
  for (const [entity, at] of state.points) {
    const isChosen = entity === chosen.entity;
    pen.fillStyle = color(isChosen ? "vermilion" : "ink");
    pen.beginPath();
    pen.arc(to.x(at[across]), to.y(at[up]), isChosen ? 5 : 2, 0, 7);
    pen.fill();
  }
}

function paintBoxes(pen, entity, name, boxes, to) {
  const isChosen = entity === chosen.entity;
  pen.strokeStyle = pen.fillStyle = color(LOOKS[name]);
  pen.setLineDash(DASHES[name] ?? []);
  pen.lineWidth = isChosen ? 3 : 1;
  for (const box of boxes) {
    const { left, top, width, height } = rectangle(box, to);
    if (!DASHES[name] || isChosen) {
      pen.globalAlpha = isChosen ? 0.45 : 0.18;
      pen.fillRect(left, top, width, height);
      pen.globalAlpha = 1;
    }
    pen.strokeRect(left, top, width, height);
  }
  pen.setLineDash([]);
}

/** One box around all boxes of an entity. */
function around(state, entity) {
  const boxes = state.boxes.get(entity)?.[1];
  return boxes?.reduce((all, box) => all.map((side, at) => (at < 3 ? Math.min(side, box[at]) : Math.max(side, box[at]))));
}

/** Outlines what the two share, which is flat where only faces touch. */
function paintContact(pen, state, pair, to) {
  const [one, other] = pair.split(" ").map((entity) => around(state, +entity));
  if (!one || !other) return;
  const shared = one.map((side, at) => (at < 3 ? Math.max(side, other[at]) : Math.min(side, other[at])));
  const { left, top, width, height } = rectangle(shared, to);
  pen.strokeStyle = color("vermilion");
  pen.lineWidth = 2;
  pen.strokeRect(left, top, Math.max(width, 0), height);
}

/** Names where they do not cover each other; that of the chosen entity first. */
function paintNames(pen, state, to) {
  const taken = [];
  // Not all names of a large group are drawn.
  const points = [...state.points.keys()].filter((entity) => state.points.size <= MOST_NAMED_POINTS || entity === chosen.entity);
  const places = [...state.boxes.keys(), ...points];
  places.sort((a, b) => (b === chosen.entity) - (a === chosen.entity));
  for (const entity of places) {
    const label = data.playback.entities[entity].label;
    if (label.startsWith("#") && entity !== chosen.entity) continue;
    const box = around(state, entity) ?? [...state.points.get(entity), ...state.points.get(entity)];
    const { left, top, width } = rectangle(box, to);
    const area = { left: left + width / 2 - pen.measureText(label).width / 2, top: top - 14, width: pen.measureText(label).width, height: 13 };
    const covers = (other) => area.left < other.left + other.width && other.left < area.left + area.width
      && area.top < other.top + other.height && other.top < area.top + area.height;
    if (taken.some(covers)) continue;
    taken.push(area);
    pen.fillStyle = color(entity === chosen.entity ? "vermilion" : "ink");
    pen.fillText(label, area.left, area.top + 11);
  }
}

/** A bar of a round number of metres. */
function paintBar(pen, canvas, to) {
  const metres = roundStep(canvas.clientWidth / to.scale, 8);
  const [left, below] = [12, canvas.clientHeight - 10];
  pen.strokeStyle = pen.fillStyle = color("ink");
  pen.lineWidth = 2;
  pen.beginPath();
  pen.moveTo(left, below);
  pen.lineTo(left + metres * to.scale, below);
  pen.stroke();
  pen.fillText(`${metres} m`, left, below - 5);
}

/** The smallest thing under a place of the canvas. */
function entityAt(x, y) {
  const state = stateAt(chosen.frame);
  const to = projection(byId("picture"));
  const [across, up] = look.view.axes;
  let found = { entity: null, size: Infinity };
  for (const [entity, [, boxes]] of state.boxes) {
    for (const box of boxes) {
      const { left, top, width, height } = rectangle(box, to);
      const isIn = x >= left - 3 && x <= left + width + 3 && y >= top - 3 && y <= top + height + 3;
      if (isIn && width * height < found.size) found = { entity, size: width * height };
    }
  }
  for (const [entity, at] of state.points) {
    if (Math.hypot(x - to.x(at[across]), y - to.y(at[up])) < 6) return entity;
  }
  return found.entity;
}

function startScene() {
  const canvas = byId("picture");
  const repaint = () => paintScene();
  const buttons = VIEWS.map((view) => el("button", {
    type: "button", role: "radio", onclick: () => {
      look.view = view;
      look.middle = null;
      marked();
      repaint();
    },
  }, view.title));
  const marked = () => buttons.forEach((button, at) => button.setAttribute("aria-checked", VIEWS[at] === look.view));
  marked();
  byId("views").append(...buttons);
  byId("names").addEventListener("change", repaint);
  const zoom = (factor) => {
    look.zoom = Math.min(Math.max(look.zoom * factor, 0.5), 200);
    repaint();
  };
  byId("closer").addEventListener("click", () => zoom(1.5));
  byId("farther").addEventListener("click", () => zoom(1 / 1.5));
  byId("all").addEventListener("click", () => {
    Object.assign(look, { zoom: 1, middle: null });
    repaint();
  });
  let drag = null;
  canvas.addEventListener("pointerdown", (event) => {
    drag = { x: event.offsetX, y: event.offsetY, middle: look.middle ?? wholeMiddle(), isMoved: false };
    canvas.setPointerCapture(event.pointerId);
  });
  canvas.addEventListener("pointermove", (event) => {
    if (drag === null) return;
    const [byX, byY] = [event.offsetX - drag.x, event.offsetY - drag.y];
    if (!drag.isMoved && Math.hypot(byX, byY) < 4) return;
    drag.isMoved = true;
    const { scale } = projection(canvas);
    look.middle = [drag.middle[0] - byX / scale, drag.middle[1] + byY / scale];
    repaint();
  });
  canvas.addEventListener("pointerup", (event) => {
    if (drag !== null && !drag.isMoved) choose(entityAt(event.offsetX, event.offsetY));
    drag = null;
  });
  canvas.addEventListener("keydown", (event) => {
    const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, 1], ArrowDown: [0, -1] }[event.key];
    if (event.key === "+") zoom(1.5);
    else if (event.key === "-") zoom(1 / 1.5);
    else if (way) {
      const { scale } = projection(canvas);
      const middle = look.middle ?? wholeMiddle();
      look.middle = [middle[0] + (way[0] * 40) / scale, middle[1] + (way[1] * 40) / scale];
      repaint();
    } else return;
    event.preventDefault();
  });
  const legend = ["static", "kinematic", "dynamic"].map((name) => el("span", {}, el("span", { className: "swatch", style: `background:var(--${LOOKS[name]})` }), name));
  byId("legend").append(...legend,
    el("span", {}, el("span", { className: "swatch dashed" }), "sensor"),
    el("span", {}, el("span", { className: "swatch", style: "border:2px solid var(--vermilion)" }), "overlap of two boxes that touch"),
    el("span", {}, el("span", { className: "swatch point" }), "entity without a box"),
    el("span", { className: "hint" }, "Click chooses, dragging moves; with the keyboard: arrows, + and -."));
  chosen.frameCallbacks.push(repaint, paintEvents);
  chosen.entityCallbacks.push(repaint);
  matchMedia("(prefers-color-scheme: dark)").addEventListener("change", repaint);
  new ResizeObserver(repaint).observe(canvas);
  repaint();
  paintEvents();
}

/** What was posted in the frame. */
function paintEvents() {
  const at = stateAt(chosen.frame).at;
  const events = changes[at].events ?? [];
  const several = at > 0 && changes[at].frame - changes[at - 1].frame > 1 ? `s ${changes[at - 1].frame + 1} to ${changes[at].frame}` : ` ${changes[at].frame}`;
  byId("events").replaceChildren(
    el("h3", {}, `Events of frame${several}`),
    events.length === 0 ? el("p", { className: "note" }, "none") : el("ul", {}, events.map(([name, value]) => el("li", {}, `${name}: ${plain(value)}`))));
}

