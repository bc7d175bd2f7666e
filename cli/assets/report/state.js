// What the page knows, and which frame and entity are chosen.

const data = JSON.parse(byId("data").textContent);
const changes = data.playback.changes;

/** The chosen frame and entity, and the callbacks that run when they change. */
const chosen = { frame: 0, entity: null, frameCallbacks: [], entityCallbacks: [] };

const firstFrame = changes[0].frame;
const lastFrame = changes[changes.length - 1].frame;

/** The frame of the change `by` places after that of the chosen frame. */
function neighbor(by) {
  const at = lastUpTo(changeFrames, chosen.frame) + by;
  return changeFrames[Math.min(Math.max(at, 0), changeFrames.length - 1)];
}

function goTo(frame) {
  const within = Math.min(Math.max(Math.round(frame), firstFrame), lastFrame);
  if (within === chosen.frame) return;
  chosen.frame = within;
  for (const callback of chosen.frameCallbacks) callback(within);
}

function choose(entity) {
  chosen.entity = entity;
  for (const callback of chosen.entityCallbacks) callback(entity);
}

/** The place of the last of some ascending numbers that is not above a value; -1 if all are. */
function lastUpTo(numbers, value) {
  let [low, high] = [0, numbers.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (numbers[middle] <= value) low = middle + 1;
    else high = middle;
  }
  return low - 1;
}

const changeFrames = changes.map((change) => change.frame);

/** Every N-th state is kept, so that stepping back need not start at frame 0. */
const KEPT_EVERY = 64;
const kept = [];

function emptyState() {
  return { at: -1, alive: new Set(), boxes: new Map(), points: new Map(), parents: new Map(), values: new Map(), contacts: new Map() };
}

/** A copy that can advance independently; values in the maps are never changed in place. */
function copyOf(state) {
  return {
    at: state.at, alive: new Set(state.alive), boxes: new Map(state.boxes), points: new Map(state.points),
    parents: new Map(state.parents), values: new Map(state.values), contacts: new Map(state.contacts),
  };
}

function valueAfter(before, change) {
  if (Array.isArray(change)) return change[0];
  return { ...before, ...change };
}

/** Takes a state to the next change. */
function step(state) {
  const change = changes[++state.at];
  for (const entity of change.born ?? []) state.alive.add(entity);
  for (const [entity, drawn] of Object.entries(change.drawn ?? {})) {
    state.boxes.delete(+entity);
    state.points.delete(+entity);
    if (drawn === null) continue;
    // A look and boxes, or a place.
    (typeof drawn[0] === "string" ? state.boxes : state.points).set(+entity, drawn);
  }
  for (const [entity, parent] of Object.entries(change.parents ?? {})) state.parents.set(+entity, parent);
  for (const [entity, values] of Object.entries(change.values ?? {})) {
    const known = new Map(state.values.get(+entity));
    for (const [component, value] of Object.entries(values)) {
      if (value === 0) known.delete(+component);
      else known.set(+component, valueAfter(known.get(+component), value));
    }
    state.values.set(+entity, known);
  }
  for (const [pair, contact] of Object.entries(change.contacts ?? {})) {
    if (contact === null) state.contacts.delete(pair);
    else state.contacts.set(pair, contact);
  }
  for (const entity of change.gone ?? []) {
    for (const map of [state.alive, state.boxes, state.points, state.parents, state.values]) map.delete(entity);
  }
}

let current = emptyState();

/** The scene after a frame, or after the last one before it that is there. Only to be read. */
function stateAt(frame) {
  const wanted = Math.max(lastUpTo(changeFrames, frame), 0);
  const nearest = Math.floor(wanted / KEPT_EVERY);
  if (current.at > wanted || current.at < nearest * KEPT_EVERY) {
    const from = Math.min(nearest, kept.length - 1);
    if (current.at > wanted || kept[from]?.at > current.at) current = from >= 0 ? copyOf(kept[from]) : emptyState();
  }
  while (current.at < wanted) {
    step(current);
    if (current.at === kept.length * KEPT_EVERY) kept.push(copyOf(current));
  }
  return current;
}

