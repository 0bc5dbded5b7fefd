// The board view: fetches what is drawn, gives the pointer and the keys to the tool in hand.
import { design, onChange, select, tell } from "./frame.js";
import { arrange } from "./board/arrange.js";
import * as camera from "./board/camera.js";
import { choose, chosen } from "./board/choice.js";
import { draw, drawing, glow, GRIDS, ringAt, svg } from "./board/drawing.js";
import { heat } from "./board/heat.js";
import "./board/job.js";
import { layerKeys } from "./board/layers.js";
import { measure } from "./board/measure.js";
import "./board/proposals.js";
import { say } from "./board/tip.js";
import { track } from "./board/track.js";
import { t } from "./frame/texts.js";

const where = document.getElementById("where");
const button = (id) => document.getElementById(id);
// What the buttons of the page show: the tool in hand, the side, the grid, whether the 3D view is open.
let view = { tool: "arrange", back: false, grid: GRIDS[0][1], space: false, heat: false };
document.addEventListener("alpine:init", () => {
  window.Alpine.store("board", view);
  view = window.Alpine.store("board");
});

// A tool: what to do at pointer down, move and up, at a key (gives whether it took it) and when it is put away.
const TOOLS = { arrange, track, measure };

async function load() {
  const answer = await fetch(`/d/${design}/board.json`);
  if (!answer.ok) return;
  drawing.data = await answer.json();
  redraw();
  if (!camera.isSet()) camera.all();
  layerKeys();
}
function redraw() {
  const waiting = draw(chosen());
  if (waiting === 1) tell(t`A part waits for a place. Type arrange, or choose “Arrange the parts”.`, true);
  else if (waiting)
    tell(t`${waiting} parts wait for a place. Type arrange, or choose “Arrange the parts”.`, true);
}

function take(name) {
  TOOLS[view.tool].cancel();
  view.tool = name;
  say(null, "");
  svg.style.cursor = name === "arrange" ? "" : "crosshair";
}
const toggle = (name) => take(view.tool === name ? "arrange" : name);

svg.addEventListener("pointerdown", (event) => {
  svg.focus({ preventScroll: true });
  const hand = event.button === 0 ? TOOLS[view.tool] : arrange;
  hand.down(event, camera.at(event));
});
svg.addEventListener("pointermove", (event) => {
  const p = camera.at(event);
  where.textContent = `x ${p[0].toFixed(2)}  y ${p[1].toFixed(2)} mm`;
  TOOLS[view.tool].move(event, p);
  if (view.tool !== "arrange") arrange.move(event, p);
});
svg.addEventListener("pointerup", (event) => {
  TOOLS[view.tool].up(event);
  if (view.tool !== "arrange") arrange.up(event);
});
svg.addEventListener("wheel", camera.wheel, { passive: false });
// A click that no pointer made: the enter key or a reader of the screen.
svg.addEventListener("click", (event) => {
  const part = event.detail === 0 && event.target.closest(".part");
  if (part) choose([part.dataset.ref]);
});

function nextGrid() {
  drawing.grid = (drawing.grid + 1) % GRIDS.length;
  view.grid = GRIDS[drawing.grid][1];
  redraw();
}
function turnOver() {
  drawing.below = -drawing.below;
  view.back = drawing.below < 0;
  svg.classList.toggle("from-below", drawing.below < 0);
  redraw();
  camera.all();
}
const fitChosen = () => camera.fitPart(chosen().length === 1 ? chosen()[0] : null);

// What draws the 3D view is large and is fetched when it is asked for.
let space = null;
const holder = button("space");
async function inSpace() {
  const on = holder.hidden;
  holder.hidden = !on;
  view.space = on;
  if (!on) {
    svg.focus();
    return;
  }
  if (!space) {
    const { space: make } = await import("./space.js");
    const tall = Number(svg.dataset.tall);
    space = make(holder, { design, tall, choose: (ref) => choose(ref ? [ref] : []), close: inSpace });
  }
  await space.show();
}

async function warm() {
  view.heat = await heat(!view.heat);
  redraw();
}

const WORKS = { fit: fitChosen, below: turnOver, grid: nextGrid, "in-space": inSpace, "show-heat": warm };
for (const [id, work] of Object.entries(WORKS)) button(id).addEventListener("click", work);
button("tool-arrange").addEventListener("click", () => take("arrange"));
for (const name of ["track", "measure"]) button(`tool-${name}`).addEventListener("click", () => toggle(name));

// Shows a part in the middle and chooses it; of anything else that is named, the net.
function go(name) {
  if (!drawing.parts[name]) {
    glow(name);
    select("net", name);
    return;
  }
  const { place } = drawing.parts[name].part;
  camera.show(place.x_nm / 1e6, place.y_nm / 1e6);
  choose([name]);
}
document.addEventListener("vane:choose", (e) => choose(e.detail.refs));
document.addEventListener("vane:go", (e) => go(e.detail.name));
document.addEventListener("vane:hover", (e) => {
  if (drawing.data) ringAt(e.detail);
});
document.addEventListener("vane:visit", ({ detail: d }) => {
  const first = d.refs && d.refs.split(" ")[0];
  if (d.x !== undefined) camera.show(Number(d.x), Number(d.y));
  else if (first && drawing.parts[first]) go(first);
  ringAt(d);
  if (d.net) glow(d.net);
});

function escape() {
  if (!holder.hidden) inSpace();
  else if (TOOLS[view.tool].cancel()) return;
  else if (view.tool !== "arrange") take("arrange");
  else choose([]);
}
const KEYS = {
  escape,
  l: () => toggle("track"),
  m: () => toggle("measure"),
  f: fitChosen,
  b: turnOver,
  g: nextGrid,
  h: warm,
  s: inSpace,
  "+": () => camera.zoom(1 / 1.3),
  "-": () => camera.zoom(1.3),
  0: camera.all,
};
document.addEventListener("vane:key", ({ detail: { event } }) => {
  const hand = track.active() ? track : TOOLS[view.tool];
  if (hand.key(event)) return;
  const work = KEYS[event.key.toLowerCase()];
  if (work) work();
  else if (view.tool !== "arrange") arrange.key(event);
});

onChange(async () => {
  if (view.heat) view.heat = await heat(true);
  load();
  if (space && !holder.hidden) space.show();
});
load().then(() => {
  if (location.hash) go(decodeURIComponent(location.hash.slice(1)));
});
