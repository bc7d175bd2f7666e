// Making elements and writing figures.

/** An element with properties and children; texts are shown as they are. */
function el(tag, properties, ...children) {
  const element = document.createElement(tag);
  for (const [name, value] of Object.entries(properties ?? {})) {
    if (name in element) element[name] = value;
    else element.setAttribute(name, value);
  }
  element.append(...children.flat().filter((child) => child !== null && child !== undefined));
  return element;
}

/** An SVG element with attributes and children. */
function svg(tag, attributes, ...children) {
  const element = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [name, value] of Object.entries(attributes ?? {})) element.setAttribute(name, value);
  element.append(...children.flat());
  return element;
}

/** A text with names between backticks set apart. */
const said = (text) => text.split("`").map((part, at) => (at % 2 === 0 ? part : el("code", {}, part)));

const byId = (id) => document.getElementById(id);

/** A color of the page's own, as it is in light or dark. */
const color = (name) => getComputedStyle(document.documentElement).getPropertyValue(`--${name}`).trim();

/** Milliseconds with three digits and their unit. */
function time(ms) {
  if (ms === null || ms === undefined) return "";
  const micro = ms * 1000;
  if (micro < 9.995) return `${micro.toFixed(2)} µs`;
  if (micro < 99.95) return `${micro.toFixed(1)} µs`;
  if (micro < 999.5) return `${micro.toFixed(0)} µs`;
  if (ms < 9.995) return `${ms.toFixed(2)} ms`;
  if (ms < 99.95) return `${ms.toFixed(1)} ms`;
  return `${ms.toFixed(0)} ms`;
}

function bytes(count) {
  const sign = count < 0 ? "-" : "";
  const size = Math.abs(count);
  if (size < 1024) return `${count} B`;
  if (size < 1024 * 1024) return `${sign}${(size / 1024).toFixed(1)} KiB`;
  return `${sign}${(size / 1024 / 1024).toFixed(1)} MiB`;
}

/** A number of things. */
const counted = (number, one, many) => `${number} ${number === 1 ? one : many}`;

const signed = (count) => (count > 0 ? `+${bytes(count)}` : bytes(count));

function percent(share) {
  const value = share * 100;
  if (value < 0.005) return "<0.01 %";
  return `${value < 1 ? value.toFixed(2) : value < 10 ? value.toFixed(1) : value.toFixed(0)} %`;
}

/**
 * A table. Each column has a `title`, a `cell` that makes the content of a row, and may be a `number`, which can be sorted by.
 * `group` keeps rows together that belong together while nothing is sorted.
 */
function table(columns, rows, label) {
  const body = el("tbody");
  const fill = (sorted) => {
    body.replaceChildren(...sorted.map((row) => el("tr", {}, columns.map((column) => {
      const content = column.cell(row);
      return el("td", { className: column.number ? "number" : column.className?.(row) ?? "" }, content);
    }))));
  };
  const heads = columns.map((column) => {
    if (!column.number) return el("th", { scope: "col" }, column.title);
    const head = el("th", { scope: "col", className: "number" });
    const sort = () => {
      const isSorted = head.getAttribute("aria-sort") === "descending";
      for (const other of heads) other.removeAttribute("aria-sort");
      if (isSorted) return fill(rows);
      head.setAttribute("aria-sort", "descending");
      fill([...rows].sort((a, b) => (column.number(b) ?? -Infinity) - (column.number(a) ?? -Infinity)));
    };
    head.append(el("button", { type: "button", onclick: sort }, column.title));
    return head;
  });
  fill(rows);
  return el("table", { ariaLabel: label }, el("thead", {}, el("tr", {}, heads)), body);
}

/** A column of figures: what is sorted by, and how it is written. */
const figures = (title, key, write) => ({ title, number: (row) => row[key], cell: (row) => write(row[key], row) });

