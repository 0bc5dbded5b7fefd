// The board as drawn: copper by layer, parts, print, open connections, and the places for what tools draw over it.
import { el, line, ring } from "./svg.js";

export const svg = document.getElementById("board");
// What is drawn: `data` as the program gives it, `below` -1 when seen from the back, `grid` the number of one of GRIDS,
// the nodes of parts and prints by their names, and how warm the board gets where that is shown.
export const drawing = { data: null, below: 1, grid: 0, parts: {}, prints: {}, ringed: null, heat: null };
export const GRIDS = [
  [0, "off"],
  [0.5, "0.5 mm"],
  [1, "1 mm"],
  [1.27, "1.27 mm"],
  [2.54, "2.54 mm"],
];
// Every layer differs in pattern as well as hue; the front is solid.
const HATCHES = [
  ["front", 0],
  ["back", 35],
  ["in1", -35],
  ["in2", 90],
];

// Draws all anew; `chosen` are references. Gives how many parts wait for a place.
export function draw(chosen) {
  const { data, below } = drawing;
  svg.replaceChildren();
  patterns();
  const top = el(
    "g",
    { transform: `scale(${below} -1)`, class: data.layers.length === 1 ? "one-layer" : "" },
    svg,
  );
  el("path", { d: data.rims.map(ring).join(""), "fill-rule": "evenodd", class: "substrate" }, top);
  copper(top);
  for (const raster of drawing.heat?.rasters ?? []) warmth(top, raster.data, raster.box);
  print(top);
  const waiting = parts(top, chosen);
  zones(top);
  for (const t of data.texts) hold(top, t);
  el("g", { id: "connections" }, top);
  connections();
  if (drawing.grid) gridOver(top);
  for (const id of ["ghosts", "ruler", "places"]) el("g", { id }, top);
  ringAt(drawing.ringed);
  return waiting;
}

// A picture of cells: its rows run down, the drawing's axis up.
function warmth(top, href, [x, y, width, height]) {
  const rim = el("clipPath", { id: "rim" }, top);
  el("path", { d: drawing.data.rims.map(ring).join(""), "clip-rule": "evenodd" }, rim);
  const within = el("g", { "clip-path": "url(#rim)" }, top);
  const transform = `translate(${x} ${y + height}) scale(1 -1)`;
  el("image", { href, width, height, transform, preserveAspectRatio: "none", class: "warmth" }, within);
}

function patterns() {
  const defs = el("defs", {}, svg);
  for (const [layer, turn] of HATCHES) {
    const common = { patternUnits: "userSpaceOnUse", patternTransform: `rotate(${turn})` };
    const hatch = el("pattern", { id: `hatch-${layer}`, width: 0.5, height: 0.5, ...common }, defs);
    el("rect", { width: 0.5, height: 0.5, fill: `var(--${layer})` }, hatch);
    el("rect", { width: 0.5, height: 0.13, fill: "var(--substrate)" }, hatch);
    const pour = el("pattern", { id: `pour-${layer}`, width: 1.4, height: 1.4, ...common }, defs);
    el("rect", { width: 1.4, height: 0.22, fill: `var(--${layer})`, opacity: 0.26 }, pour);
  }
}

function copper(top) {
  const { data, below } = drawing;
  for (const p of data.pours) {
    const kind = `pour-${p.layer}${p.plane ? " plane" : ""}`;
    for (const r of p.rings) {
      el("path", { d: r.map(ring).join(""), "fill-rule": "evenodd", class: kind }, top);
    }
  }
  const last = data.layers[data.layers.length - 1];
  const underneath = (p) => p.layers[0] === "back" && p.layers.length === 1 && data.layers.length > 1;
  for (const layer of below > 0 ? [...data.layers].reverse() : data.layers) {
    for (const t of data.tracks) {
      if (t.layer !== layer) continue;
      const names = { "data-id": t.id, "data-net": t.net };
      el("path", { d: line(t.points), class: `track c-${layer}`, "stroke-width": t.width, ...names }, top);
    }
    if (layer === last) pads(top, underneath);
  }
  pads(top, (p) => !underneath(p));
  for (const v of data.vias) {
    const names = { class: "via", "data-id": v.id, "data-net": v.net };
    el("circle", { cx: v.x, cy: v.y, r: v.pad / 2, ...names }, top);
    bore(v, top);
  }
  for (const j of data.jumpers) {
    const names = { "data-id": j.id, "data-net": j.net };
    for (const p of [j.a, j.b]) {
      el("circle", { cx: p[0], cy: p[1], r: j.pad / 2, class: "jumper-pad", ...names }, top);
      bore({ x: p[0], y: p[1], drill: j.drill }, top);
    }
    const wire = { class: "wire-jumper", "stroke-width": j.wire / 2 };
    el("path", { d: line([j.a, j.b]), ...wire, ...names }, top);
  }
  for (const h of data.holes) bore(h, top, h.own ? { "data-item": h.id } : {});
}

/** Draw a hole; the middle line of a slot reaches `slot` from its middle to both sides. */
function bore({ x, y, drill, slot }, top, more = {}) {
  const r = drill / 2;
  if (!slot) {
    el("circle", { cx: x, cy: y, r, class: "bore", ...more }, top);
    return;
  }
  const [dx, dy] = slot;
  const [nx, ny] = [(-dy * r) / Math.hypot(dx, dy), (dx * r) / Math.hypot(dx, dy)];
  const bend = `A${r} ${r} 0 0 1 `;
  const d =
    `M${x - dx + nx} ${y - dy + ny}${bend}${x - dx - nx} ${y - dy - ny}L${x + dx - nx} ${y + dy - ny}` +
    `${bend}${x + dx + nx} ${y + dy + ny}Z`;
  el("path", { d, class: "bore", ...more }, top);
}

function pads(top, test) {
  for (const p of drawing.data.pads) {
    if (!test(p)) continue;
    const kind = p.layers.length > 1 || p.drill ? "through" : p.layers[0];
    const common = { class: `pad ${kind}`, "data-pin": p.pin, "data-net": p.net };
    if (p.poly) el("path", { d: ring(p.poly), "stroke-width": 0, ...common }, top);
    else if (p.line.length > 1) {
      const stroke = { "stroke-width": 2 * p.r, "stroke-linecap": "round" };
      el("path", { d: line(p.line), ...stroke, ...common }, top);
    } else {
      el("circle", { cx: p.line[0][0], cy: p.line[0][1], r: p.r, "stroke-width": 0, ...common }, top);
    }
    if (p.drill) bore(p, top);
  }
}

function print(top) {
  const together = {};
  for (const k of drawing.data.legend) (together[`${k.owner} ${k.side} ${k.width}`] ||= []).push(k);
  drawing.prints = {};
  for (const lines of Object.values(together)) {
    const [{ owner, side, width }] = lines;
    const d = lines.map((k) => line(k.points)).join("");
    const node = el("path", { d, class: `print ${side}`, "stroke-width": width }, top);
    (drawing.prints[owner] ||= []).push(node);
  }
  for (const k of drawing.data.letters) {
    const d = k.lines.map((points) => line(points)).join("");
    drawing.prints[k.id] = [el("path", { d, class: `track c-${k.layer}`, "stroke-width": k.width }, top)];
  }
}

function parts(top, chosen) {
  drawing.parts = {};
  let waiting = 0;
  for (const part of drawing.data.parts) {
    const { place, ref, value, yard } = part;
    if (!place) {
      waiting += 1;
      continue;
    }
    const x = place.x_nm / 1e6;
    const y = place.y_nm / 1e6;
    const state = `${place.locked ? " kept" : ""}${chosen.includes(ref) ? " chosen" : ""}`;
    const says = `${ref} ${value}, ${x.toFixed(2)}, ${y.toFixed(2)} mm`;
    const group = el(
      "g",
      { class: `part${state}`, "data-ref": ref, tabindex: 0, role: "button", "aria-label": says },
      top,
    );
    const flip = place.side === "back" ? " scale(-1 1)" : "";
    const size = { x: yard[0], y: yard[1], width: yard[2] - yard[0], height: yard[3] - yard[1] };
    const transform = `translate(${x} ${y}) rotate(${place.turn_deg})${flip}`;
    el("rect", { ...size, class: "yard", transform }, group);
    drawing.parts[ref] = { part, group, prints: drawing.prints[ref] || [] };
  }
  return waiting;
}

function zones(top) {
  const { data, below } = drawing;
  for (const z of data.zones) {
    el("path", { d: ring(z.points), class: "zone" }, top);
    const xs = z.points.map((p) => p[0]);
    const x = below > 0 ? Math.min(...xs) + 0.4 : Math.max(...xs) - 0.4;
    const y = Math.max(...z.points.map((p) => p[1])) - 1.4;
    const transform = `translate(${x} ${y}) scale(${below} -1)`;
    el("text", { transform, "font-size": 1.2, class: "zone-name" }, top).textContent = `${z.id} ${z.kind}`;
  }
}

// A text is taken hold of by the box round it.
function hold(top, t) {
  const size = { x: -t.width / 2, y: -t.height / 2, width: t.width, height: t.height };
  const transform = `translate(${t.x} ${t.y}) rotate(${t.turn})`;
  el("rect", { ...size, class: "hold", "data-item": t.id, transform }, top);
}

function gridOver(top) {
  const step = GRIDS[drawing.grid][0];
  const [x0, y0, x1, y1] = drawing.data.box;
  const [bx, by] = drawing.data.grid_at;
  const first = (low, begin) => Math.ceil((low - begin) / step) * step + begin;
  const d = [];
  for (let x = first(x0, bx); x <= x1; x += step) d.push(`M${x} ${y0}V${y1}`);
  for (let y = first(y0, by); y <= y1; y += step) d.push(`M${x0} ${y}H${x1}`);
  el("path", { d: d.join(""), class: "grid-over" }, top);
}

export const partOf = (pin) => pin.slice(0, pin.indexOf("."));

// Draws what is open, some parts moved by a shift; gives the length of all connections, and of those of these parts.
export function connections(refs = [], shift = [0, 0], wished = []) {
  const group = document.getElementById("connections");
  group.replaceChildren();
  const total = { all: 0, own: 0 };
  const moved = (pin, [x, y]) => (refs.includes(partOf(pin)) ? [x + shift[0], y + shift[1]] : [x, y]);
  for (const k of [...drawing.data.links, ...wished]) {
    const a = moved(k.a, k.from);
    const b = moved(k.b, k.to);
    const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
    const length = Math.hypot(dx, dy);
    total.all += length;
    if (refs.includes(partOf(k.a)) !== refs.includes(partOf(k.b))) total.own += length;
    const bend = Math.min(3, length * 0.08) / (length || 1);
    const middle = [(a[0] + b[0]) / 2 - dy * bend, (a[1] + b[1]) / 2 + dx * bend];
    const d = `M${a[0]} ${a[1]}Q${middle[0]} ${middle[1]} ${b[0]} ${b[1]}`;
    el("path", { d, class: "connection", "data-net": k.net }, group);
    for (const p of [a, b]) el("circle", { cx: p[0], cy: p[1], r: 0.35, class: "connection-end" }, group);
  }
  return total;
}

export function glow(net) {
  for (const node of svg.querySelectorAll("[data-net]")) {
    node.classList.toggle("hot-net", Boolean(net) && node.dataset.net === net);
  }
}

// Rings a place, which stays ringed when the board is drawn anew; nothing takes the ring away.
export function ringAt(spot) {
  drawing.ringed = spot;
  const g = document.getElementById("places");
  if (!g) return;
  g.replaceChildren();
  if (spot && spot.x !== undefined) el("circle", { cx: spot.x, cy: spot.y, r: 2.4, class: "place-mark" }, g);
}
