// Files of a board drawn: layers on a canvas, nets followed by a click, distances between edges, differences on top.
import { t } from "./frame/texts.js";
import { Camera } from "./inspect/camera.js";
import { edgeNear, inRings, pathOf } from "./inspect/shapes.js";

const $ = (id) => document.getElementById(id);
const canvas = $("drawing");
const { key, against } = document.body.dataset;
const style = getComputedStyle(document.documentElement);
const ink = (name) => style.getPropertyValue(name).trim();
const COLOURS = {
  "copper front": "--front",
  "copper back": "--back",
  "copper in1": "--in1",
  "copper in2": "--in2",
  mask: "--note",
  legend: "--ink",
  paste: "--quiet",
  components: "--quiet",
  other: "--quiet",
};
// What is drawn at first: what a board looks like; the rest can be ticked.
const SHOWN = new Set(["copper", "legend"]);

const view = new Camera();
const board = { layers: [], box: [0, 0, 1, 1], nets: {}, ground: new Path2D(), bores: new Path2D() };
let chosen = null,
  measuring = false,
  marks = [],
  asked = 0;

function colourOf({ kind, side }) {
  return ink(COLOURS[`${kind} ${side}`] ?? COLOURS[kind] ?? "--in2");
}

function draw() {
  asked = 0;
  const ctx = canvas.getContext("2d");
  const [w, h] = view.fitTo(canvas);
  ctx.setTransform(1, 0, 0, 1, 0, 0);
  ctx.fillStyle = ink("--paper");
  ctx.fillRect(0, 0, w, h);
  view.apply(ctx);
  ctx.globalAlpha = 1;
  ctx.fillStyle = ink("--substrate");
  ctx.fill(board.ground, "evenodd");
  const order = [...board.layers].reverse();
  for (const layer of view.flipped ? order.reverse() : order) {
    if (!layer.on) continue;
    ctx.globalAlpha = layer.solid;
    ctx.fillStyle = colourOf(layer);
    ctx.fill(layer.path, "evenodd");
  }
  ctx.globalAlpha = 1;
  ctx.fillStyle = ink("--paper");
  ctx.fill(board.bores, "nonzero");
  ctx.lineWidth = view.px(1.5);
  ctx.strokeStyle = ink("--ink");
  ctx.stroke(board.ground);
  if (chosen) {
    ctx.fillStyle = ink("--look-fill");
    for (const layer of board.layers)
      if (layer.on && chosen.has(layer)) ctx.fill(chosen.get(layer), "evenodd");
  }
  for (const [which, colour] of [
    ["first", "--stop"],
    ["second", "--shown"],
  ]) {
    if (!board[which]) continue;
    ctx.fillStyle = ctx.strokeStyle = ink(colour);
    ctx.lineWidth = view.px(3);
    ctx.fill(board[which], "evenodd");
    ctx.stroke(board[which]);
  }
  ruler(ctx);
}

function ruler(ctx) {
  if (!marks.length) return;
  ctx.strokeStyle = ctx.fillStyle = ink("--ink");
  ctx.lineWidth = view.px(2);
  ctx.beginPath();
  for (const [x, y] of marks) {
    ctx.moveTo(x + view.px(5), y);
    ctx.arc(x, y, view.px(5), 0, 7);
  }
  if (marks.length > 1) {
    ctx.moveTo(...marks[0]);
    ctx.lineTo(...marks[1]);
  }
  ctx.stroke();
}

const redraw = () => (asked ||= requestAnimationFrame(draw));

function list() {
  $("layer-list").replaceChildren(
    ...board.layers.map((layer, k) => {
      const row = document.createElement("li"),
        label = document.createElement("label"),
        tick = document.createElement("input"),
        swatch = document.createElement("i"),
        solid = document.createElement("input"),
        up = document.createElement("button"),
        name = `${layer.kind} ${layer.side}`.trim();
      tick.type = "checkbox";
      tick.className = "form-check-input";
      tick.checked = layer.on;
      tick.addEventListener("change", () => {
        layer.on = tick.checked;
        redraw();
      });
      swatch.style.background = colourOf(layer);
      label.append(tick, swatch, name);
      label.title = layer.name;
      Object.assign(solid, { type: "range", min: 10, max: 100, value: 100 * layer.solid });
      solid.ariaLabel = t`How solid ${name} is`;
      solid.addEventListener("input", () => {
        layer.solid = solid.value / 100;
        redraw();
      });
      up.type = "button";
      up.textContent = "↑";
      up.ariaLabel = t`Raise ${name}`;
      up.disabled = !k;
      up.addEventListener("click", () => {
        board.layers.splice(k - 1, 0, board.layers.splice(k, 1)[0]);
        list();
        redraw();
      });
      row.append(label, solid, up);
      return row;
    }),
  );
}

function say(text) {
  $("told").textContent = text;
}

// The piece of copper under a place that lies uppermost, and all that hangs together with it.
function follow(x, y) {
  const order = view.flipped ? [...board.layers].reverse() : board.layers;
  for (const layer of order) {
    if (!layer.on || layer.kind !== "copper") continue;
    const at = layer.shapes.findIndex((rings) => inRings(rings, x, y));
    if (at < 0) continue;
    const net = layer.nets[at];
    chosen = new Map();
    let pieces = 0;
    for (const other of board.layers) {
      if (other.kind !== "copper") continue;
      const mine = other.shapes.filter((_, n) => other.nets[n] === net);
      if (!mine.length) continue;
      pieces += mine.length;
      chosen.set(other, pathOf(mine));
    }
    const name = board.nets[net] || t`a net without a name`;
    say(t`${name}: ${pieces} pieces on ${[...chosen.keys()].map((k) => k.side).join(", ")}`);
    return;
  }
  chosen = null;
  say(t`No copper there. Click copper to follow its net.`);
}

function measure(x, y) {
  if (marks.length > 1) marks = [];
  const near = edgeNear(
    board.layers.filter((layer) => layer.on),
    x,
    y,
    view.px(10),
  );
  marks.push(near ?? [x, y]);
  if (marks.length < 2) {
    say(t`From here: click the second place. Edges within reach are taken.`);
    return;
  }
  const [dx, dy] = [marks[1][0] - marks[0][0], marks[1][1] - marks[0][1]].map((v) => v / 1000);
  say(
    t`${Math.hypot(dx, dy).toFixed(3)} mm apart: ${Math.abs(dx).toFixed(3)} mm across, ${Math.abs(dy).toFixed(3)} mm upwards`,
  );
}

function go(x, y) {
  view.centre(x * 1000, y * 1000, Math.max(view.scale, 0.08));
  marks = [[x * 1000, y * 1000]];
  redraw();
}

const acts = {
  fit: () => view.fit(board.box),
  flip: () => view.flip(),
  measure: () => {
    measuring = !measuring;
    marks = [];
    say(measuring ? t`Click the first place.` : t`Click copper to follow its net.`);
  },
  nearer: () => view.zoom(1.4),
  farther: () => view.zoom(1 / 1.4),
  left: () => view.move(60, 0),
  right: () => view.move(-60, 0),
  up: () => view.move(0, 60),
  down: () => view.move(0, -60),
  away: () => {
    chosen = null;
    marks = [];
  },
};
const KEYS = {
  "+": "nearer",
  "=": "nearer",
  "-": "farther",
  f: "fit",
  v: "flip",
  m: "measure",
  Escape: "away",
  ArrowLeft: "left",
  ArrowRight: "right",
  ArrowUp: "up",
  ArrowDown: "down",
};

function act(what) {
  acts[what]();
  for (const button of document.querySelectorAll("[data-do]")) {
    if (button.dataset.do === "flip") button.ariaPressed = String(view.flipped);
    if (button.dataset.do === "measure") button.ariaPressed = String(measuring);
  }
  redraw();
}

document.addEventListener("click", (event) => {
  const button = event.target.closest("[data-do]"),
    place = event.target.closest("[data-go]");
  if (button) act(button.dataset.do);
  if (place) go(...place.dataset.go.split(",").map(Number));
});
document.addEventListener("change", (event) => {
  if (event.target.matches("[data-submits]")) event.target.form.requestSubmit();
});

if (canvas) {
  canvas.addEventListener("keydown", (event) => {
    const what = KEYS[event.key];
    if (!what) return;
    event.preventDefault();
    act(what);
  });
  let from = null,
    far = 0;
  canvas.addEventListener("pointerdown", (event) => {
    canvas.setPointerCapture(event.pointerId);
    from = [event.clientX, event.clientY];
    far = 0;
  });
  canvas.addEventListener("pointermove", (event) => {
    const [x, y] = view.at(event.offsetX, event.offsetY);
    $("spot").textContent = `${(x / 1000).toFixed(3)}, ${(y / 1000).toFixed(3)} mm`;
    if (!from) return;
    const [dx, dy] = [event.clientX - from[0], event.clientY - from[1]];
    far += Math.abs(dx) + Math.abs(dy);
    from = [event.clientX, event.clientY];
    view.move(dx, dy);
    redraw();
  });
  canvas.addEventListener("pointerup", (event) => {
    from = null;
    if (far > 4) return;
    const [x, y] = view.at(event.offsetX, event.offsetY);
    if (measuring) measure(x, y);
    else follow(x, y);
    redraw();
  });
  canvas.addEventListener(
    "wheel",
    (event) => {
      event.preventDefault();
      view.zoom(1.0015 ** -event.deltaY, event.offsetX, event.offsetY);
      redraw();
    },
    { passive: false },
  );
  $("see").addEventListener("input", (event) => {
    for (const layer of board.layers) layer.solid = event.target.value / 100;
    list();
    redraw();
  });
  new ResizeObserver(redraw).observe(canvas);
  const told = await (await fetch(`/inspect/${key}/board.json?against=${against}`)).json();
  for (const layer of told.layers) {
    layer.on = SHOWN.has(layer.kind);
    layer.solid = 0.7;
    layer.path = pathOf(layer.shapes);
    if (layer.kind !== "outline") board.layers.push(layer);
  }
  board.box = told.box;
  board.nets = told.nets;
  board.ground = pathOf(told.outline);
  board.bores = pathOf(told.slots);
  for (const [x, y, size] of told.holes) {
    board.bores.moveTo(x + size / 2, y);
    board.bores.arc(x, y, size / 2, 0, 7);
  }
  for (const which of ["first", "second"]) {
    if (!told.differences) continue;
    board[which] = pathOf(told.differences.flatMap((d) => d[which]));
    for (const [x, y, size, first] of told.loose_holes) {
      if (first !== (which === "first")) continue;
      board[which].moveTo(x + size / 2, y);
      board[which].arc(x, y, size / 2, 0, 7);
    }
  }
  list();
  view.fitTo(canvas);
  view.fit(board.box);
  canvas.dataset.ready = "yes";
  redraw();
}
