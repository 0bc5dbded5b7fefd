// The tool that measures: two points, or the copper of two pads.
import { drawing } from "./drawing.js";
import { toShape } from "./geometry.js";
import { el, line } from "./svg.js";
import { say } from "./tip.js";
import { t } from "../frame/texts.js";

const REACH_MM = 0.6;
let ends = [];

function spotAt(p) {
  const { pads, vias, holes } = drawing.data;
  let best = null;
  for (const q of [...pads, ...vias, ...holes]) {
    const d = Math.hypot(q.x - p[0], q.y - p[1]);
    if (d >= REACH_MM || (best && d >= best.d)) continue;
    const shape = q.pin ? { poly: q.poly, line: q.line, r: q.r } : null;
    best = { d, x: q.x, y: q.y, name: q.pin || q.id, shape };
  }
  const [x, y] = p.map((v) => Math.round(v * 20) / 20);
  return best || { x, y, name: "", shape: null };
}

function copperGap(a, b) {
  if (!a.shape || !b.shape || a.name === b.name) return "";
  const of = b.shape;
  const outline = of.poly ? [...of.poly, of.poly[0]] : [of.line[0], of.line[of.line.length - 1]];
  const gaps = outline.slice(1).map((q, i) => toShape(outline[i], q, a.shape));
  const gap = Math.max(0, Math.min(...gaps) - (of.poly ? 0 : of.r));
  return `\n${t`copper to copper ${gap.toFixed(3)} mm`}`;
}

function read(event, spot) {
  const [a] = ends;
  const [dx, dy] = [spot.x - a.x, spot.y - a.y];
  const names = a.name || spot.name ? `  ${t`${a.name || t`point`} to ${spot.name || t`point`}`}` : "";
  const turn = ((Math.atan2(dy, dx) * 180) / Math.PI).toFixed(1);
  const parts = `x ${dx.toFixed(3)}  y ${dy.toFixed(3)}  ${turn}°`;
  drawRuler(spot);
  say(event, `${Math.hypot(dx, dy).toFixed(3)} mm${names}\n${parts}${copperGap(a, spot)}`);
}

function drawRuler(to) {
  const g = document.getElementById("ruler");
  if (!g) return;
  g.replaceChildren();
  const spots = to ? [ends[0], to] : ends;
  for (const q of spots) el("circle", { cx: q.x, cy: q.y, r: 0.3, class: "ruler-end" }, g);
  if (spots.length > 1) el("path", { d: line(spots.map((q) => [q.x, q.y])), class: "ruler-line" }, g);
}

export const measure = {
  down(event, p) {
    const spot = spotAt(p);
    ends = ends.length === 1 ? [ends[0], spot] : [spot];
    if (ends.length === 2) {
      read(event, spot);
      return;
    }
    drawRuler();
    say(event, t`from ${spot.name || `${spot.x.toFixed(2)}, ${spot.y.toFixed(2)}`}`);
  },
  move(event, p) {
    if (ends.length === 1) read(event, spotAt(p));
  },
  up() {},
  // Gives whether there was something to give up.
  cancel() {
    const had = ends.length === 1;
    ends = [];
    drawRuler();
    return had;
  },
  key: () => false,
};
