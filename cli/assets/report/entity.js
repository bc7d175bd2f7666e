// The list of entities, and the one that is chosen.

/** More than this are not listed, but found. */
const MOST_LISTED = 400;

const labelOf = (entity) => data.playback.entities[entity].label;

function rounded(number) {
  return Number.isInteger(number) ? `${number}` : `${+number.toPrecision(6)}`;
}

/** A value on one line. */
function plain(value) {
  if (typeof value === "number") return rounded(value);
  if (typeof value === "string") return value;
  if (Array.isArray(value)) return value.map(plain).join(", ");
  if (value !== null && typeof value === "object") return Object.entries(value).map(([name, inner]) => `${name} ${plain(inner)}`).join("; ");
  return String(value);
}

let listed = "";

function listEntities() {
  const state = stateAt(chosen.frame);
  const part = byId("search").value.trim().toLowerCase();
  const fits = (entity) => {
    const { label, template } = data.playback.entities[entity];
    return label.toLowerCase().includes(part) || (template ?? "").toLowerCase().includes(part);
  };
  const found = [...state.alive].filter(fits);
  const shown = found.slice(0, MOST_LISTED);
  const signature = `${part} ${shown.join(" ")} ${found.length}`;
  const list = byId("entities");
  if (signature !== listed) {
    listed = signature;
    const options = shown.map((entity) => {
      const { label, template } = data.playback.entities[entity];
      return el("option", { value: entity }, template && !label.startsWith(template) ? `${label} (${template})` : label);
    });
    const more = found.length - shown.length;
    list.replaceChildren(...options, ...(more > 0 ? [el("option", { disabled: true }, `and ${more} more; type a part of a name`)] : []));
  }
  list.value = chosen.entity === null ? "" : String(chosen.entity);
}

/** A button that chooses another entity. */
const jump = (entity) => el("button", { type: "button", className: "plain", onclick: () => choose(entity) }, labelOf(entity));

const separated = (nodes) => nodes.flatMap((node, at) => (at === 0 ? [node] : [", ", node]));

function showEntity() {
  const host = byId("entity");
  const entity = chosen.entity;
  if (entity === null) {
    host.replaceChildren(el("p", { className: "note" }, "Click an entity in the picture, or choose one from the list: its contacts and components are shown here."));
    return;
  }
  const at = stateAt(chosen.frame).at;
  // Asked for first, because there is one state at a time.
  const before = at > 0 ? new Map(stateAt(changes[at - 1].frame).values.get(entity)) : new Map();
  const state = stateAt(chosen.frame);
  const { id, label, template } = data.playback.entities[entity];
  const title = el("h3", {}, label);
  const made = el("p", { className: "note" }, `${id}${template ? `, made from ${template}` : ""}`);
  if (!state.alive.has(entity)) {
    host.replaceChildren(title, made, el("p", {}, "It is not there in this frame."));
    return;
  }
  const parent = state.parents.get(entity) ?? null;
  const children = [...state.parents].filter(([, above]) => above === entity).map(([child]) => child);
  host.replaceChildren(
    title, made,
    ...(parent === null ? [] : [el("p", {}, "under ", jump(parent))]),
    ...(children.length === 0 ? [] : [el("p", {}, "above ", ...separated(children.slice(0, 24).map(jump)), children.length > 24 ? ` and ${children.length - 24} more` : "")]),
    ...contactsOf(state, entity), ...componentsOf(state, entity, before));
}

function contactsOf(state, entity) {
  const rows = [...state.contacts].flatMap(([pair, contact]) => {
    const [first, second] = pair.split(" ").map(Number);
    if (first !== entity && second !== entity) return [];
    // The normal leads from the first to the second.
    const normal = first === entity ? contact.normal : contact.normal.map((part) => -part);
    return [{ other: first === entity ? second : first, normal, contact }];
  });
  if (rows.length === 0) return [el("h3", {}, "Contacts"), el("p", { className: "note" }, "none")];
  const remark = ({ contact }) => {
    if (contact.leftover) return "left over";
    if (contact.standing !== null) return contact.standing === labelOf(entity) ? "stands on it" : "carries it";
    return contact.kind === "sensor" ? "sensor" : "";
  };
  return [el("h3", {}, "Contacts"), table([
    { title: "with", cell: (row) => jump(row.other) },
    { title: "side", cell: (row) => side(row.normal) },
    { title: "depth", number: (row) => row.contact.depth, cell: (row) => `${(row.contact.depth * 1000).toFixed(1)} mm` },
    { title: "since", number: (row) => row.contact.since, cell: (row) => row.contact.since },
    { title: "", cell: remark },
  ], rows, `Contacts of ${labelOf(entity)}`)];
}

/** On which side along which axis. */
function side(normal) {
  const sizes = normal.map(Math.abs);
  const axis = sizes.indexOf(Math.max(...sizes));
  return `${normal[axis] > 0 ? "+" : "-"}${"xyz"[axis]}`;
}

function componentsOf(state, entity, before) {
  const values = [...(state.values.get(entity) ?? [])].map(([component, value]) => ({ name: data.playback.components[component], value, before: before.get(component) }));
  // Links are shown by name above.
  const shown = values.filter(({ name }) => name !== "links").sort((a, b) => a.name.localeCompare(b.name));
  const rows = shown.flatMap(({ name, value, before: earlier }) => rowsOf(name, value, earlier, false));
  return [el("h3", {}, "Components"), el("table", { ariaLabel: `Components of ${labelOf(entity)}` }, el("tbody", {}, rows))];
}

/** A value with its name; each field of a table has a row of its own. What was another value in the frame before is marked. */
function rowsOf(name, value, before, isWithin) {
  const className = isWithin ? "within" : "";
  if (value !== null && typeof value === "object" && !Array.isArray(value) && !isWithin) {
    const fields = Object.entries(value).flatMap(([field, inner]) => rowsOf(field, inner, before?.[field], true));
    return [el("tr", {}, el("td", { colSpan: 2 }, name)), ...fields];
  }
  const isChanged = before !== undefined && JSON.stringify(before) !== JSON.stringify(value);
  return [el("tr", {}, el("td", { className }, name), el("td", { className: isChanged ? "changed" : "" }, plain(value)))];
}

function startEntity() {
  byId("search").addEventListener("input", listEntities);
  byId("entities").addEventListener("change", (event) => choose(event.target.value === "" ? null : Number(event.target.value)));
  chosen.frameCallbacks.push(listEntities, showEntity);
  chosen.entityCallbacks.push(listEntities, showEntity);
  listEntities();
  showEntity();
}

