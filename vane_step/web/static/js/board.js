// The board view: drawing, choosing, moving parts with live readings, laying tracks by hand.
import { ask, design, onChange, send, slip, state, tell } from "./frame.js";
import { toShape } from "./geometry.js";
import { laying } from "./laying.js";

const NS = "http://www.w3.org/2000/svg";
const svg = document.getElementById("board"), tip = document.getElementById("tip"), where = document.getElementById("where");
// Seen from below, x runs the other way: -1.
let below = 1, grid = 0, ruler = null;
let ringed = null, data = null, chosen = null, group = [], mode = "arrange", drag = null, box = null, partNodes = {}, printNodes = {};

function el(name, attributes, parent) {
  const node = document.createElementNS(NS, name);
  for (const [k, v] of Object.entries(attributes)) node.setAttribute(k, v);
  if (parent) parent.append(node);
  return node;
}
const line = (points) => "M" + points.map((p) => `${p[0]} ${p[1]}`).join("L");
// Every layer differs in pattern as well as hue; the front is solid.
const HATCHES = [["front", 0], ["back", 35], ["in1", -35], ["in2", 90]];
const ring = (points) => line(points) + "Z";

async function load(fit) {
  const answer = await fetch(`/d/${design}/board.json`);
  if (!answer.ok) return;
  data = await answer.json();
  draw();
  if (fit || !box) all();
  if (fit || keysFor !== data.layers.join()) layerKeys();
}

function draw() {
  svg.replaceChildren();
  const defs = el("defs", {}, svg);
  defs.innerHTML = HATCHES.map(([layer, turn]) => `<pattern id="hatch-${layer}" patternUnits="userSpaceOnUse" width=".5" height=".5" patternTransform="rotate(${turn})"><rect width=".5" height=".5" fill="var(--${layer})"/><rect width=".5" height=".13" fill="var(--substrate)"/></pattern><pattern id="pour-${layer}" patternUnits="userSpaceOnUse" width="1.4" height="1.4" patternTransform="rotate(${turn})"><rect width="1.4" height=".22" fill="var(--${layer})" opacity=".26"/></pattern>`).join("");
  const top = el("g", { transform: `scale(${below} -1)`, class: data.layers.length === 1 ? "one-layer" : "" }, svg);
  el("path", { d: data.rims.map(ring).join(""), "fill-rule": "evenodd", class: "substrate" }, top);
  for (const p of data.pours) for (const r of p.rings) el("path", { d: r.map(ring).join(""), "fill-rule": "evenodd", class: `pour-${p.layer}${p.plane ? " plane" : ""}` }, top);
  for (const layer of below > 0 ? [...data.layers].reverse() : data.layers) {
    for (const t of data.tracks) if (t.layer === layer) el("path", { d: line(t.points), class: `track c-${layer}`, "stroke-width": t.width, "data-id": t.id, "data-net": t.net }, top);
    if (layer === data.layers[data.layers.length - 1]) pads(top, (p) => p.layers[0] === "back" && data.layers.length > 1 && p.layers.length === 1);
  }
  pads(top, (p) => !(p.layers[0] === "back" && p.layers.length === 1 && data.layers.length > 1));
  for (const v of data.vias) { el("circle", { cx: v.x, cy: v.y, r: v.pad / 2, class: "via", "data-id": v.id, "data-net": v.net }, top); el("circle", { cx: v.x, cy: v.y, r: v.drill / 2, class: "bore" }, top); }
  for (const j of data.jumpers) {
    for (const p of [j.a, j.b]) { el("circle", { cx: p[0], cy: p[1], r: j.pad / 2, class: "jumper-pad", "data-id": j.id, "data-net": j.net }, top); el("circle", { cx: p[0], cy: p[1], r: j.drill / 2, class: "bore" }, top); }
    el("path", { d: line([j.a, j.b]), class: "wire-jumper", "stroke-width": j.wire / 2, "data-id": j.id, "data-net": j.net }, top);
  }
  for (const h of data.holes) el("circle", { cx: h.x, cy: h.y, r: h.drill / 2, class: "bore", ...(h.own ? { "data-item": h.id } : {}) }, top);
  const byOwner = {};
  for (const k of data.legend) (byOwner[`${k.owner} ${k.side} ${k.width}`] ||= []).push(k);
  const prints = {};
  for (const lines of Object.values(byOwner)) { const node = el("path", { d: lines.map((k) => line(k.points)).join(""), class: `print ${lines[0].side}`, "stroke-width": lines[0].width }, top); (prints[lines[0].owner] ||= []).push(node); }
  printNodes = prints;
  partNodes = {};
  let waiting = 0;
  for (const p of data.parts) {
    if (!p.place) { waiting += 1; continue; }
    const g = el("g", { class: `part${p.place.locked ? " kept" : ""}${chosen === p.ref || group.includes(p.ref) ? " chosen" : ""}`, "data-ref": p.ref, tabindex: 0, role: "button", "aria-label": `${p.ref} ${p.value}, ${(p.place.x_nm / 1e6).toFixed(2)}, ${(p.place.y_nm / 1e6).toFixed(2)} mm` }, top);
    const flip = p.place.side === "back" ? " scale(-1 1)" : "";
    el("rect", { x: p.yard[0], y: p.yard[1], width: p.yard[2] - p.yard[0], height: p.yard[3] - p.yard[1], class: "yard", transform: `translate(${p.place.x_nm / 1e6} ${p.place.y_nm / 1e6}) rotate(${p.place.turn_deg})${flip}` }, g);
    partNodes[p.ref] = { part: p, group: g, prints: prints[p.ref] || [] };
  }
  for (const z of data.zones) {
    el("path", { d: ring(z.points), class: "zone" }, top);
    const [x, y] = [Math.min(...z.points.map((p) => p[0])), Math.max(...z.points.map((p) => p[1]))];
    el("text", { transform: `translate(${below > 0 ? x + 0.4 : Math.max(...z.points.map((p) => p[0])) - 0.4} ${y - 1.4}) scale(${below} -1)`, "font-size": 1.2, class: "zone-name" }, top).textContent = `${z.id} ${z.kind}`;
  }
  for (const t of data.texts) el("rect", { x: -t.width / 2, y: -t.height / 2, width: t.width, height: t.height, class: "hold", "data-item": t.id, transform: `translate(${t.x} ${t.y}) rotate(${t.turn})` }, top);
  el("g", { id: "links" }, top);
  links();
  if (grid) gridOver(top);
  el("g", { id: "ghosts" }, top);
  el("g", { id: "ruler" }, top);
  el("g", { id: "places" }, top);
  ringAt(ringed);
  if (waiting) tell(`${waiting} parts wait for a place. Type arrange, or choose “Arrange the parts”.`, true);
}

function pads(top, test) {
  for (const p of data.pads) {
    if (!test(p)) continue;
    const kind = p.layers.length > 1 || p.drill ? "through" : p.layers[0];
    const common = { class: `pad ${kind}`, "data-pin": p.pin, "data-net": p.net };
    if (p.poly) el("path", { d: ring(p.poly), "stroke-width": 0, ...common }, top);
    else if (p.line.length > 1) el("path", { d: line(p.line), "stroke-width": 2 * p.r, "stroke-linecap": "round", ...common }, top);
    else el("circle", { cx: p.line[0][0], cy: p.line[0][1], r: p.r, "stroke-width": 0, ...common }, top);
    if (p.drill) el("circle", { cx: p.x, cy: p.y, r: p.drill / 2, class: "bore" }, top);
  }
}

const partOf = (pin) => pin.slice(0, pin.indexOf("."));
// Where parts that are dragged want to be: for each of their nets without an open link the nearest pad of others on it.
// Nets that are poured are near everywhere.
function wishes(refs) {
  const pours = new Set(data.pours.map((p) => p.net)), nets = new Map();
  for (const k of data.links) if (refs.includes(partOf(k.a)) || refs.includes(partOf(k.b))) pours.add(k.net);
  for (const p of data.pads) {
    if (!p.net || pours.has(p.net)) continue;
    if (!nets.has(p.net)) nets.set(p.net, { net: p.net, mine: [], others: [] });
    nets.get(p.net)[refs.includes(partOf(p.pin)) ? "mine" : "others"].push(p);
  }
  return [...nets.values()].filter((n) => n.mine.length && n.others.length);
}
function nearest({ net, mine, others }, [dx, dy]) {
  let best = null, least = Infinity;
  for (const p of mine) for (const q of others) {
    const d = (p.x + dx - q.x) ** 2 + (p.y + dy - q.y) ** 2;
    if (d < least) { least = d; best = { net, a: p.pin, b: q.pin, from: [p.x, p.y], to: [q.x, q.y] }; }
  }
  return best;
}
// Draws what is open, some parts moved by a shift; gives the length of all links, and of those of these parts.
function links(refs = [], shift = [0, 0], wished = []) {
  const group = document.getElementById("links");
  group.replaceChildren();
  const total = { all: 0, own: 0 };
  for (const k of [...data.links, ...wished]) {
    const [a, b] = [[k.a, k.from], [k.b, k.to]].map(([pin, [x, y]]) => (refs.includes(partOf(pin)) ? [x + shift[0], y + shift[1]] : [x, y]));
    const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    total.all += length;
    if (refs.includes(partOf(k.a)) !== refs.includes(partOf(k.b))) total.own += length;
    const bend = Math.min(3, length * 0.08), mx = (a[0] + b[0]) / 2 - (b[1] - a[1]) / (length || 1) * bend, my = (a[1] + b[1]) / 2 + (b[0] - a[0]) / (length || 1) * bend;
    el("path", { d: `M${a[0]} ${a[1]}Q${mx} ${my} ${b[0]} ${b[1]}`, class: "openlink", "data-net": k.net }, group);
    for (const p of [a, b]) el("circle", { cx: p[0], cy: p[1], r: 0.35, class: "linkend" }, group);
  }
  return total;
}

// -- view box --
function setBox(b) { box = b; svg.setAttribute("viewBox", b.join(" ")); }
function fit(x0, y0, x1, y1, m = 2.5) { setBox([(below > 0 ? x0 : -x1) - m, -y1 - m, x1 - x0 + 2 * m, y1 - y0 + 2 * m]); }
// The whole board stands above the row of buttons at the foot of the view.
const FOOT_PX = 46;
function all() {
  fit(...data.box);
  const { width, height } = svg.getBoundingClientRect();
  if (height > 3 * FOOT_PX) setBox([box[0], box[1], box[2], box[3] + FOOT_PX * Math.max(box[2] / width, box[3] / (height - FOOT_PX))]);
}
function fitChosen() {
  const node = chosen && partNodes[chosen];
  if (!node) { all(); return; }
  const r = node.group.getBBox(), w = Math.max(r.width, r.height, 4);
  fit(r.x, r.y, r.x + r.width, r.y + r.height, w);
}
function zoom(f, cx, cy) { const [x, y, w, h] = box; if (w * f < 2 || w * f > 2000) return; setBox([cx - (cx - x) * f, cy - (cy - y) * f, w * f, h * f]); }
function at(e) { const p = new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse()); return [below * p.x, -p.y]; }
svg.addEventListener("wheel", (e) => { e.preventDefault(); const p = at(e); zoom(e.deltaY > 0 ? 1.2 : 1 / 1.2, below * p[0], -p[1]); }, { passive: false });
function show(x, y, reach = 9) { setBox([below * x - reach * 1.4, -y - reach, reach * 2.8, reach * 2]); }

function say(e, text, bad = false) {
  tip.hidden = !text;
  if (!text) return;
  tip.textContent = text;
  tip.classList.toggle("bad", bad);
  const r = svg.getBoundingClientRect();
  tip.style.left = `${Math.min(e.clientX - r.left + 16, r.width - 240)}px`;
  tip.style.top = `${e.clientY - r.top + 18}px`;
}

// -- choosing and moving --
function choose(ref) { chooseMany(ref ? [ref] : []); }
// One part is told of in full, several in what can be done with all of them.
function chooseMany(refs) {
  group = refs.length > 1 ? refs : [];
  chosen = refs.length === 1 ? refs[0] : null;
  document.querySelectorAll("#board .part").forEach((g) => g.classList.toggle("chosen", refs.includes(g.dataset.ref)));
  if (group.length) slip("group", group.join(",")); else slip(chosen ? "part" : null, chosen);
}
const those = () => (group.length ? group : chosen ? [chosen] : []);
document.addEventListener("vane:choose", (e) => chooseMany(e.detail.refs));
function nearestDecap(ref, shift) {
  const mine = data.pads.filter((p) => p.pin.startsWith(`${ref}.`) && p.net && data.roles[p.net] === "supply");
  let best = null;
  for (const p of mine) for (const q of data.pads) {
    if (q.net !== p.net || q.pin.startsWith(`${ref}.`)) continue;
    const d = Math.hypot(p.x + shift[0] - q.x, p.y + shift[1] - q.y);
    if (!best || d < best[0]) best = [d, q.pin];
  }
  return best;
}
// What is dragged is drawn apart, so that the board under it need not be drawn again while it moves.
function carry(refs) {
  const nodes = refs.flatMap((r) => [...svg.querySelectorAll(`[data-pin^="${CSS.escape(r)}."]`), ...partNodes[r].prints, partNodes[r].group]);
  const links = document.getElementById("links"), g = el("g", { class: "carried" });
  g.append(...nodes);
  links.before(g);
  return g;
}
svg.addEventListener("pointerdown", (e) => {
  svg.focus({ preventScroll: true });
  const p = at(e);
  if (mode === "lay" && e.button === 0) { hand.point(e, p); return; }
  if (mode === "measure" && e.button === 0) { measurePoint(e, p); return; }
  const part = e.target.closest(".part");
  if (part && e.button === 0 && e.shiftKey) {
    const ref = part.dataset.ref, now = those();
    chooseMany(now.includes(ref) ? now.filter((r) => r !== ref) : [...now, ref]);
    return;
  }
  if (part && e.button === 0) {
    const ref = part.dataset.ref;
    drag = { ref, refs: group.includes(ref) ? group.filter((r) => partNodes[r]) : [ref], from: p, shift: [0, 0], id: e.pointerId };
    svg.setPointerCapture(e.pointerId);
    return;
  }
  if (e.target.dataset && e.target.dataset.item && e.button === 0) { drag = { item: e.target.dataset.item, node: e.target, from: p, shift: [0, 0], base: e.target.getAttribute("transform") || "" }; svg.setPointerCapture(e.pointerId); return; }
  if (e.target.dataset && e.target.dataset.id) {
    slip("copper", e.target.dataset.id);
    glow(e.target.dataset.net);
    if (e.button === 0 && e.target.classList.contains("track")) { drag = { bend: e.target.dataset.id, x: e.clientX, y: e.clientY }; svg.setPointerCapture(e.pointerId); }
    return;
  }
  if (e.target.dataset && e.target.dataset.net && e.target.dataset.pin) { slip("net", e.target.dataset.net); glow(e.target.dataset.net); return; }
  if (e.shiftKey && e.button === 0) { drag = { box: p, from: p }; svg.setPointerCapture(e.pointerId); return; }
  choose(null);
  glow(null);
  drag = { pan: true, x: e.clientX, y: e.clientY, box: [...box] };
  svg.setPointerCapture(e.pointerId);
});
svg.addEventListener("pointermove", (e) => {
  const p = at(e);
  where.textContent = `x ${p[0].toFixed(2)}  y ${p[1].toFixed(2)} mm`;
  if (mode === "lay" && hand.active()) { hand.move(e, p); return; }
  if (mode === "measure" && ruler && ruler.length === 1) { measureTo(e, spotAt(p)); return; }
  if (!drag) return;
  if (drag.pan) { const s = box[2] / svg.getBoundingClientRect().width, t = Math.max(s, box[3] / svg.getBoundingClientRect().height); setBox([drag.box[0] - (e.clientX - drag.x) * t, drag.box[1] - (e.clientY - drag.y) * t, box[2], box[3]]); return; }
  if (drag.box) {
    const [x0, x1, y0, y1] = [Math.min(p[0], drag.box[0]), Math.max(p[0], drag.box[0]), Math.min(p[1], drag.box[1]), Math.max(p[1], drag.box[1])];
    drag.inside = Object.values(partNodes).filter(({ part: { place } }) => place.x_nm >= x0 * 1e6 && place.x_nm <= x1 * 1e6 && place.y_nm >= y0 * 1e6 && place.y_nm <= y1 * 1e6).map(({ part }) => part.ref);
    const g = document.getElementById("ghosts");
    g.replaceChildren();
    el("rect", { x: x0, y: y0, width: x1 - x0, height: y1 - y0, class: "lasso" }, g);
    say(e, `${drag.inside.length} parts`);
    return;
  }
  if (drag.bend) {
    if (!hand.active() && Math.hypot(e.clientX - drag.x, e.clientY - drag.y) > 4) hand.bend(drag.bend);
    if (hand.active()) hand.move(e, p);
    return;
  }
  const step = e.shiftKey ? 0.1 : 0.5;
  if (drag.item) {
    drag.shift = [0, 1].map((i) => Math.round((p[i] - drag.from[i]) / step) * step);
    drag.node.setAttribute("transform", `translate(${drag.shift[0]} ${drag.shift[1]}) ${drag.base}`);
    for (const n of printNodes[drag.item] || []) n.setAttribute("transform", `translate(${drag.shift[0]} ${drag.shift[1]})`);
    const [x, y] = itemAt(drag.item, drag.shift);
    say(e, `${drag.item}  ${x.toFixed(2)}, ${y.toFixed(2)} mm`);
    return;
  }
  const kept = drag.refs.find((r) => partNodes[r].part.place.locked);
  if (kept) { say(e, `${kept} is kept in place`, true); return; }
  drag.shift = [0, 1].map((i) => Math.round((p[i] - drag.from[i]) / step) * step);
  svg.classList.add("dragging");
  if (!drag.carried) { drag.carried = carry(drag.refs); drag.wishes = wishes(drag.refs); }
  drag.carried.style.transform = `translate(${drag.shift[0]}px, ${drag.shift[1]}px)`;
  const total = links(drag.refs, drag.shift, drag.wishes.map((w) => nearest(w, drag.shift)));
  const place = partNodes[drag.ref].part.place, x = place.x_nm / 1e6 + drag.shift[0], y = place.y_nm / 1e6 + drag.shift[1];
  const near = drag.refs.length === 1 && nearestDecap(drag.ref, drag.shift);
  say(e, `${drag.refs.length > 1 ? `${drag.refs.length} parts, ${drag.shift[0].toFixed(2)}, ${drag.shift[1].toFixed(2)} mm` : `${drag.ref}  ${x.toFixed(2)}, ${y.toFixed(2)} mm`}\nits connections ${total.own.toFixed(1)} mm${data.links.length ? `, all that are open ${total.all.toFixed(1)} mm` : ""}${near ? `\n${near[0].toFixed(1)} mm to ${near[1]}` : ""}`);
});
svg.addEventListener("pointerup", async (e) => {
  if (!drag) return;
  const d = drag;
  drag = null;
  svg.classList.remove("dragging");
  say(e, "");
  if (d.pan) return;
  if (d.box) { document.getElementById("ghosts").replaceChildren(); chooseMany(d.inside || []); return; }
  if (d.bend) { if (hand.active()) await hand.drop(); return; }
  if (d.item) {
    const [x, y] = itemAt(d.item, d.shift);
    if ((d.shift[0] || d.shift[1]) && !await ask(`move ${d.item} ${x.toFixed(3)} ${y.toFixed(3)}`)) draw();
    return;
  }
  if (d.refs.length === 1) choose(d.ref);
  if (!d.shift[0] && !d.shift[1]) { if (d.refs.length > 1) choose(d.ref); if (d.carried) draw(); return; }
  await move(d.refs, d.shift);
});
function itemAt(id, shift) {
  const found = [...data.holes, ...data.texts].find((i) => i.id === id);
  return [found.x + shift[0], found.y + shift[1]];
}
async function move(refs, shift) {
  const place = partNodes[refs[0]].part.place;
  const one = `place ${refs[0]} ${(place.x_nm / 1e6 + shift[0]).toFixed(3)} ${(place.y_nm / 1e6 + shift[1]).toFixed(3)}`;
  if (!await ask(refs.length === 1 ? one : `shift ${refs.join(" ")} ${shift[0].toFixed(3)} ${shift[1].toFixed(3)}`)) draw();
}

// -- laying tracks --
const press = (id, on) => document.getElementById(id).setAttribute("aria-pressed", on);
function setMode(m) { mode = m; hand.cancel(); ruler = null; drawRuler(); say(null, ""); press("mode-arrange", m === "arrange"); press("mode-lay", m === "lay"); press("measure", m === "measure"); svg.style.cursor = m === "arrange" ? "" : "crosshair"; }
document.getElementById("mode-arrange").addEventListener("click", () => setMode("arrange"));
document.getElementById("mode-lay").addEventListener("click", () => setMode("lay"));
const hand = laying({ data: () => data, el, line, say, glow });

// -- measuring, the grid, and the board from below --
function spotAt(p) {
  let best = null;
  for (const q of [...data.pads, ...data.vias, ...data.holes]) {
    const d = Math.hypot(q.x - p[0], q.y - p[1]);
    if (d < 0.6 && (!best || d < best.d)) best = { d, x: q.x, y: q.y, name: q.pin || q.id, shape: q.pin ? { poly: q.poly, line: q.line, r: q.r } : null };
  }
  return best || { x: Math.round(p[0] * 20) / 20, y: Math.round(p[1] * 20) / 20, name: "", shape: null };
}
function measurePoint(e, p) {
  const spot = spotAt(p);
  ruler = ruler && ruler.length === 1 ? [ruler[0], spot] : [spot];
  if (ruler.length === 2) measureTo(e, spot); else { drawRuler(); say(e, `from ${spot.name || `${spot.x.toFixed(2)}, ${spot.y.toFixed(2)}`}`); }
}
function measureTo(e, spot) {
  const a = ruler[0], dx = spot.x - a.x, dy = spot.y - a.y, long = Math.hypot(dx, dy);
  drawRuler(spot);
  let gap = "";
  if (spot.shape && a.shape && spot.name !== a.name) {
    const outline = spot.shape.poly ? [...spot.shape.poly, spot.shape.poly[0]] : spot.shape.line.length > 1 ? spot.shape.line : [spot.shape.line[0], spot.shape.line[0]];
    const near = Math.min(...outline.slice(1).map((q, i) => toShape(outline[i], q, a.shape))) - (spot.shape.poly ? 0 : spot.shape.r);
    gap = `\ncopper to copper ${Math.max(0, near).toFixed(3)} mm`;
  }
  say(e, `${long.toFixed(3)} mm${a.name || spot.name ? `  ${a.name || "point"} to ${spot.name || "point"}` : ""}\nx ${dx.toFixed(3)}  y ${dy.toFixed(3)}  ${(Math.atan2(dy, dx) * 180 / Math.PI).toFixed(1)}°${gap}`);
}
function drawRuler(to) {
  const g = document.getElementById("ruler");
  if (!g) return;
  g.replaceChildren();
  if (!ruler) return;
  const a = ruler[0], b = to || ruler[1];
  for (const q of b ? [a, b] : [a]) el("circle", { cx: q.x, cy: q.y, r: 0.3, class: "ruler-end" }, g);
  if (b) el("path", { d: line([[a.x, a.y], [b.x, b.y]]), class: "ruler-line" }, g);
}
const GRIDS = [[0, "off"], [1, "1 mm"], [2.54, "2.54 mm"]];
function gridOver(top) {
  const step = GRIDS[grid][0], [x0, y0, x1, y1] = data.box;
  const d = [];
  for (let x = Math.ceil(x0 / step) * step; x <= x1; x += step) d.push(`M${x} ${y0}V${y1}`);
  for (let y = Math.ceil(y0 / step) * step; y <= y1; y += step) d.push(`M${x0} ${y}H${x1}`);
  el("path", { d: d.join(""), class: "grid-over" }, top);
}
function nextGrid() { grid = (grid + 1) % GRIDS.length; document.getElementById("grid").textContent = `Grid: ${GRIDS[grid][1]}`; draw(); }
function turnOver() { below = -below; press("below", below < 0); svg.classList.toggle("from-below", below < 0); draw(); all(); }
for (const [id, work] of [["fit", fitChosen], ["measure", () => setMode(mode === "measure" ? "arrange" : "measure")], ["below", turnOver], ["grid", nextGrid]]) document.getElementById(id).addEventListener("click", work);

// -- in space: what draws it is large and is fetched when it is asked for --
let space = null;
async function inSpace() {
  const holder = document.getElementById("space"), on = holder.hidden;
  holder.hidden = !on;
  press("in-space", on);
  if (!on) { svg.focus(); return; }
  if (!space) space = (await import("./space.js")).space(holder, { design, tall: Number(svg.dataset.tall), choose, close: inSpace });
  await space.show();
}
document.getElementById("in-space").addEventListener("click", inSpace);

// -- sides, findings, keys, jobs --
// The layer keys are the legend of the drawing and choose which layer stands out.
let keysFor = "";
const SAYS = { front: "front", in1: "inner 1", in2: "inner 2", back: "back" };
function layerKeys() {
  keysFor = data.layers.join();
  const keys = document.getElementById("layers");
  const names = data.layers.length > 1 ? ["", ...data.layers] : data.layers;
  keys.replaceChildren(...names.map((name) => {
    const b = document.createElement("button");
    b.type = "button";
    b.className = "btn btn-outline-primary";
    if (name) { const swatch = document.createElement("i"); swatch.className = `k-${name}`; b.append(swatch); }
    b.append(name ? SAYS[name] : "all");
    b.addEventListener("click", () => only(name));
    b.dataset.layer = name;
    return b;
  }));
  only("");
}
function only(name) {
  document.querySelectorAll("#layers button").forEach((b) => b.setAttribute("aria-pressed", b.dataset.layer === name));
  for (const layer of ["front", "in1", "in2", "back"]) {
    svg.classList.toggle(`fade-${layer}`, Boolean(name) && name !== layer);
    svg.classList.toggle(`only-${layer}`, name === layer);
  }
}
function glow(net) { svg.querySelectorAll("[data-net]").forEach((x) => x.classList.toggle("hot-net", Boolean(net) && x.dataset.net === net)); }
function ringAt(d) {
  ringed = d;
  const g = document.getElementById("places");
  if (!g) return;
  g.replaceChildren();
  if (d && d.x !== undefined) el("circle", { cx: d.x, cy: d.y, r: 2.4, class: "place-mark" }, g);
}
document.addEventListener("vane:hover", (e) => { if (!data) return; ringAt(e.detail); });
document.addEventListener("vane:visit", (e) => {
  const d = e.detail;
  if (d.x !== undefined) show(Number(d.x), Number(d.y));
  else if (d.refs && partNodes[d.refs.split(" ")[0]]) go(d.refs.split(" ")[0]);
  ringAt(d);
  if (d.net) glow(d.net);
});
function go(name) {
  if (partNodes[name]) { const p = partNodes[name].part.place; show(p.x_nm / 1e6, p.y_nm / 1e6); choose(name); } else { glow(name); slip("net", name); }
}
document.addEventListener("vane:go", (e) => go(e.detail.name));
document.addEventListener("vane:key", (e) => {
  const key = e.detail.key, low = key.toLowerCase();
  if (low === "l") setMode(mode === "lay" ? "arrange" : "lay");
  else if (low === "m") setMode(mode === "measure" ? "arrange" : "measure");
  else if (low === "f") fitChosen();
  else if (low === "b") turnOver();
  else if (low === "g") nextGrid();
  else if (low === "s") inSpace();
  else if (key === "Escape") { if (!document.getElementById("space").hidden) inSpace(); else if (hand.active()) { hand.cancel(); drag = null; } else if (mode !== "arrange") setMode("arrange"); else choose(null); }
  else if (key === "Enter" && hand.active()) hand.finish();
  else if (low === "v" && hand.active()) hand.changeLayer();
  else if (low === "n" && hand.active()) hand.changeWidth();
  else if (low === "x" && hand.active()) hand.flip();
  else if (key === "Backspace" && hand.active()) hand.back();
  else if (key === "+") zoom(1 / 1.3, box[0] + box[2] / 2, box[1] + box[3] / 2);
  else if (key === "-") zoom(1.3, box[0] + box[2] / 2, box[1] + box[3] / 2);
  else if (key === "0") all();
  else if (those().length && low === "t") ask(`turn ${those().join(" ")}`);
  else if (those().length && low === "u") ask(`flip ${those().join(" ")}`);
  else if (those().length && low === "k") ask(`${those().every((r) => partNodes[r] && partNodes[r].part.place.locked) ? "unlock" : "lock"} ${those().join(" ")}`);
  else if (those().length && key.startsWith("Arrow")) {
    e.detail.event.preventDefault();
    const s = e.detail.shift ? 0.1 : 0.5;
    move(those(), { ArrowLeft: [-s * below, 0], ArrowRight: [s * below, 0], ArrowUp: [0, s], ArrowDown: [0, -s] }[key]);
  }
});
svg.addEventListener("click", (e) => { if (e.detail === 0) { const part = e.target.closest(".part"); if (part) choose(part.dataset.ref); } });
const job = document.getElementById("job"), stop = document.getElementById("stop-route");
document.addEventListener("vane:job", (e) => {
  const d = e.detail, over = d.state === "done" || d.state === "failed";
  job.hidden = over;
  stop.hidden = over;
  if (over) { if (d.proposals) htmx.trigger("#score", "refresh"); return; }
  const bar = job.querySelector("progress");
  if (d.total) {
    bar.max = d.total; bar.value = d.settled;
    const left = d.settled > 0 ? ` · about ${Math.max(1, Math.round(d.seconds * (d.total - d.settled) / d.settled))} s left` : "";
    job.querySelector("span").textContent = `${d.settled} of ${d.total} ${d.of}, ${d.seconds} s${left}`;
  } else { bar.removeAttribute("value"); job.querySelector("span").textContent = d.says; }
});
stop.addEventListener("click", () => send("route/stop", {}));

// -- proposed arrangements: pointing at one shows its places on the board --
const score = document.getElementById("score");
let shown = null;
async function preview(number) {
  if (number === shown) return;
  shown = number;
  const g = document.getElementById("ghosts");
  if (!g || hand.active()) return;
  g.replaceChildren();
  svg.classList.toggle("comparing", number !== null);
  if (number === null) return;
  const answer = await fetch(`/d/${design}/proposals/${number}`);
  if (!answer.ok || shown !== number) return;
  const { yards, other, meets } = await answer.json();
  for (const [x, y, first] of other || []) {
    el(first ? "rect" : "circle", first ? { x: x - 0.5, y: y - 0.5, width: 1, height: 1, class: "otherpad" } : { cx: x, cy: y, r: 0.5, class: "otherpad" }, g);
  }
  for (const [ref, points] of Object.entries(yards)) {
    const xs = points.map((p) => p[0]), ys = points.map((p) => p[1]);
    el("path", { d: ring(points), class: "proposed" }, g);
    if (meets) continue;
    const wide = Math.max(...xs) - Math.min(...xs), size = Math.min(2, wide / (0.62 * ref.length), Math.max(...ys) - Math.min(...ys));
    const name = el("text", { transform: `translate(${(Math.min(...xs) + Math.max(...xs)) / 2} ${(Math.min(...ys) + Math.max(...ys)) / 2 - size * 0.35}) scale(${below} -1)`, "font-size": size, class: "proposed-ref" }, g);
    name.textContent = ref;
  }
  for (const m of meets || []) {
    const says = el("text", { transform: `translate(${m.x + 0.5 * below} ${m.y + 0.6}) rotate(${45 * below}) scale(${below} -1)`, "font-size": 1.1, class: m.clash ? "meets clash" : "meets" }, g);
    says.textContent = m.says;
  }
}
const line_of = (e) => e.target.closest("[data-proposal]");
for (const kind of ["pointerover", "focusin"]) score.addEventListener(kind, (e) => preview(line_of(e) ? line_of(e).dataset.proposal : null));
for (const kind of ["pointerleave", "focusout"]) score.addEventListener(kind, (e) => { if (!score.contains(e.relatedTarget)) preview(null); });
score.addEventListener("click", (e) => { const take = e.target.closest("[data-take]"); if (take) { preview(null); send(`proposals/${take.dataset.take}`, {}); } });
score.addEventListener("click", (e) => { const late = e.target.closest("[data-late]"); if (late) send("late", { version: state.version, apply: late.dataset.late === "yes" }); });
onChange(() => { load(false); if (space && !document.getElementById("space").hidden) space.show(); });
load(true).then(() => { if (location.hash) go(decodeURIComponent(location.hash.slice(1))); });
