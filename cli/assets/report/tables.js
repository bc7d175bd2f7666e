// Text and tables of the page.

function showHeader() {
  const run = data.run;
  byId("title").textContent = run.title;
  const recording = data.recording;
  const verdict = byId("verdict");
  const reason = recording?.reason ?? null;
  verdict.className = run.failed === 0 && reason === null ? "held" : "failed";
  verdict.textContent = reason !== null ? `Written because ${reason}` : run.failed === 0
    ? run.held === 0 ? "Nothing was expected" : `Held: all ${run.held} expectations`
    : `Failed: ${run.failed} of ${run.held + run.failed} expectations`;
  const frame = run["frame-time"];
  const facts = [
    [recording === null ? "scene" : "recording", run.scene],
    ["frames", programFrames(run.frames)],
    ["entities", `${run.entities} at the end`],
    ["contacts", `${run.contacts} at the end, ${run["contacts-begun"]} begun`],
    ...(frame === null ? [] : [
      ["median frame", `${time(frame["median-ms"])}, ${percent(frame["median-ms"] / frame["budget-ms"])} of ${time(frame["budget-ms"])}`],
      ["worst", `${time(frame["worst-ms"])} (frame ${frame["worst-frame"]})`],
      ["over the budget", `${frame["frames-over-budget"]} of ${data.profile["frames-measured"]}`],
    ]),
    ["left over", leftOver(run["left-over"])],
    ["missing, because not registered", (recording?.missing ?? []).join(", ") || null],
    ["gerust", recording === null ? `${data.version}, ${run.build} build` : data.version],
  ];
  byId("facts").append(...facts.filter(([, value]) => value !== null).map(([name, value]) => el("div", {}, el("dt", {}, name), el("dd", {}, value))));
  if (run.build === "debug" && recording === null) {
    verdict.after(el("p", { className: "failed" }, "This was measured with a debug build, many times slower than a release build: do not judge an engine by these times."));
  }
  if (times.frames.length === 0) {
    for (const id of ["frames", "threads", "systems"]) byId(id).hidden = true;
    byId("worst").hidden = true;
  }
  const lists = run.expectations.length + run.missed.length + (recording?.failures.length ?? 0);
  byId("expectations").hidden = recording !== null && lists === 0;
  byId("expectations-title").textContent = recording === null ? "Expectations" : "Frames that failed";
  for (const section of document.querySelectorAll("main section:not([hidden])")) {
    byId("contents").append(el("a", { href: `#${section.id}` }, section.querySelector("h2").textContent));
  }
}

/** The frames, and which ones they were in the program that was recorded. */
function programFrames(last) {
  const first = data.recording?.["first-frame"] ?? 0;
  return first === 0 ? `${last}` : `${last}; frame 0 is frame ${first} of the program`;
}

function leftOver(left) {
  return left === null || left.frames === 0 ? null : `up to ${left.most} overlaps in ${left.frames} frames, the deepest ${left.deepest.toFixed(3)} m (frame ${left["deepest-frame"]})`;
}

/** A button that goes to a frame. */
const frameButton = (frame) => el("button", { type: "button", className: "plain", onclick: () => goTo(frame) }, `frame ${frame}`);

function showExpectations() {
  const host = byId("expectation-list");
  const { expectations, missed } = data.run;
  const failed = expectations.filter((expectation) => !expectation.held);
  const held = expectations.filter((expectation) => expectation.held);
  const failures = data.recording?.failures ?? [];
  host.replaceChildren(
    ...failures.slice(0, 24).map(({ frame, error }) => el("p", { className: "expectation missed" }, el("strong", { className: "failed" }, "failed: "), frameButton(frame), ": ", said(error))),
    ...(failures.length > 24 ? [el("p", { className: "note" }, `and ${failures.length - 24} more frames`)] : []),
    ...failed.map(failure),
    ...missed.map((text) => el("p", { className: "expectation missed" }, said(text))),
    ...(held.length === 0 ? [] : [el("details", { open: failed.length === 0 && held.length <= 24 },
      el("summary", {}, `${held.length} held`),
      table([
        { title: "what", cell: (row) => said(row.what ?? row.wanted) },
        { title: "when", cell: (row) => row.when },
        { title: "found", cell: (row) => said(row.measured) },
        { title: "at", cell: (row) => frameButton(row.frame) },
      ], held, "Expectations that held"))]),
    ...(expectations.length > 0 || data.recording !== null ? [] : [el("p", { className: "note" }, "The scene expects nothing.")]));
  host.classList.add("scroll");
}

function failure(expectation) {
  const lines = [
    ["wanted", said(`${expectation.wanted} ${expectation.when}`)],
    ["found", [...said(expectation.measured), ", at ", frameButton(expectation.frame)]],
    ...expectation.before.map(({ frame, measured }) => ["before", [frameButton(frame), ": ", ...said(measured)]]),
    ...(expectation.touching === null ? [] : [["then", said(expectation.touching)]]),
  ];
  return el("div", { className: "expectation missed" },
    el("strong", { className: "failed" }, "failed: ", said(expectation.what ?? expectation.wanted)),
    el("dl", {}, lines.flatMap(([name, value]) => [el("dt", {}, name), el("dd", {}, value)])));
}

function showSlowest() {
  const slowest = data.profile["slowest-frame"];
  if (slowest === null) return;
  const excess = slowest.excess.map((one) => {
    const where = one.within === null ? "" : `, within ${one.within}`;
    return el("li", {}, `${one.name} (${one.kind}${where}): ${time(one["self-ms"])} itself, usually ${time(one["median-self-ms"])}`);
  });
  const culprits = data.profile["over-budget-because-of"].map((one) => el("li", {}, `${one.name}${one.within === null ? "" : `, within ${one.within}`}: in ${one.frames} frames more than anything else, by up to ${time(one["most-more-ms"])} (`, frameButton(one["worst-frame"]), ")"));
  byId("slowest").replaceChildren(
    el("h3", {}, "The slowest frame"),
    el("p", {}, frameButton(slowest.frame), ` took ${time(slowest["took-ms"])}, the median frame ${time(slowest["median-ms"])}. ${excess.length === 0 ? "No part took longer than its median." : "Parts above their medians:"}`),
    ...(excess.length === 0 ? [] : [el("ul", {}, excess)]),
    ...(culprits.length === 0 ? [] : [el("p", {}, "What made frames go over the budget:"), el("ul", {}, culprits)]));
}

function showNames() {
  byId("names-table").replaceChildren(table([
    { title: "name", cell: (row) => row.name, className: (row) => `name ${row.kind}` },
    { title: "kind", cell: (row) => row.kind },
    figures("calls", "calls", (calls) => calls),
    figures("total", "total-ms", time),
    figures("self", "self-ms", time),
    figures("median", "median-ms", time),
    figures("95 %", "percentile-95-ms", time),
    figures("99 %", "percentile-99-ms", time),
    figures("worst", "worst-ms", (worst, row) => [`${time(worst)} `, frameButton(row["worst-frame"])]),
    figures("of the budget", "share-of-budget", percent),
    ...(data.profile.names.some((row) => row["budget-ms"] !== null && row.kind !== "frame") ? [figures("own budget", "budget-ms", (budget, row) => (budget === null ? "" : `${time(budget)}, ${row["frames-over-budget"]} over`))] : []),
  ], data.profile.names, "Times by name"));
  byId("names-table").append(el("p", { className: "note" }, `A span costs two clock reads, ${time(data.profile.clock["cost-per-frame-ms"])} in a frame of ${data.profile.clock["spans-per-frame"]} spans, which is part of these times.`));
}

function showMemory() {
  const memory = data.memory;
  const seen = memory.allocations;
  const allocations = seen === null ? "This program does not count allocations." : seen["allocating-frames"] === 0
    ? `${seen.frames} more frames without cues allocated nothing.`
    : `${seen["allocating-frames"]} of ${seen.frames} more frames without cues allocated, ${seen.allocations} times in all, at most ${seen["most-in-a-frame"]} in one.`;
  byId("memory-tables").replaceChildren(
    el("p", {}, `After frame ${memory.frame}: ${memory.entities} entities, ${bytes(memory.used)} in values, ${bytes(memory.reserved)} reserved; since frame 0 ${signed(memory["used-growth"])} and ${signed(memory["reserved-growth"])}. Ids and rows take ${memory["bookkeeping-per-entity"].toFixed(1)} bytes per entity besides. ${allocations}`),
    el("div", { className: "scroll" }, table([
      { title: "component", cell: (row) => row.name },
      figures("values", "values", (values) => values),
      figures("each", "per-value", bytes),
      figures("used", "used", bytes),
      figures("reserved", "reserved", bytes),
      figures("growth", "used-growth", signed),
    ], memory.components, "Memory by component")),
    el("details", {}, el("summary", {}, "By table"), el("div", { className: "scroll" }, table([
      figures("entities", "entities", (entities) => entities),
      figures("each", "per-entity", bytes),
      figures("used", "used", bytes),
      { title: "table of", cell: (row) => row.components.join(", ") },
    ], memory.tables, "Memory by table"))));
}

function showComparison() {
  const comparison = data.comparison;
  if (comparison === null) return;
  byId("comparison").hidden = false;
  const differing = comparison.differs.filter(({ fact }) => fact !== "pace");
  const weight = (row) => [row.shown === "slower" || row.shown === "faster" ? 1 : 0, Math.abs(row["after-ms"] - row["before-ms"])];
  const rows = [...comparison.names].sort((a, b) => weight(b)[0] - weight(a)[0] || weight(b)[1] - weight(a)[1]);
  byId("comparison-table").replaceChildren(
    ...(differing.length === 0 ? [el("p", {}, "Nothing differs that is known: the same program, scene and machine.")]
      : [el("ul", {}, differing.map(({ fact, before, after }) => el("li", {}, fact === "program" ? "another build of the program" : `${fact}: ${before || "unknown"} before, ${after || "unknown"} after`)))]),
    el("p", { className: "note" }, said(comparison.note), ` The interval holds the ratio of after to before with 99 %; a difference counts from ${((comparison["least-ratio"] - 1) * 100).toFixed(0)} % and ${time(comparison["least-difference-ms"])} on.`),
    el("div", { className: "scroll" }, table([
      { title: "name", cell: (row) => row.name, className: () => "name" },
      { title: "kind", cell: (row) => row.kind },
      figures("before", "before-ms", time),
      figures("after", "after-ms", time),
      figures("ratio", "ratio", (ratio) => ratio.toFixed(2)),
      { title: "interval", cell: (row) => `${row.low.toFixed(2)}-${row.high.toFixed(2)}` },
      { title: "shown", cell: (row) => row.shown, className: (row) => (row.shown === "slower" ? "failed" : row.shown === "faster" ? "held" : "") },
    ], rows, "Before and after")));
}

