// The tool that draws tracks by hand: the way under the pointer, round what is in the way, with its gap; and bends
// those that are there.
import { design, send, state, tell } from "../frame.js";
import { drawing, glow, svg } from "./drawing.js";
import { elbow, toShape } from "./geometry.js";
import { el, line } from "./svg.js";
import { say } from "./tip.js";
import { t } from "../frame/texts.js";

let now = null,
  asked = null,
  waiting = false;
const data = () => drawing.data;
// On the grid of the ways once it is known, so that drawn and found pieces meet exactly.
const snap = (p) => {
  const [x, y, step] = (now && now.grid) || [0, 0, 0.05];
  return [x + Math.round((p[0] - x) / step) * step, y + Math.round((p[1] - y) / step) * step];
};
const same = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]) < 1e-9;
const long = (points) =>
  points.slice(1).reduce((sum, q, i) => sum + Math.hypot(q[0] - points[i][0], q[1] - points[i][1]), 0);

function shapes(without) {
  const d = data();
  return [
    ...d.pads.map((p) => ({
      net: p.net,
      layers: p.layers,
      name: t`pad ${p.pin}`,
      poly: p.poly,
      line: p.line,
      r: p.r,
    })),
    ...d.tracks
      .filter((one) => one.id !== without)
      .flatMap((one) =>
        one.points.slice(1).map((q, i) => ({
          net: one.net,
          layers: [one.layer],
          name: t`a track of ${one.net}`,
          line: [one.points[i], q],
          r: one.width / 2,
        })),
      ),
    ...d.vias.map((v) => ({
      net: v.net,
      layers: d.layers,
      name: t`a via of ${v.net}`,
      line: [[v.x, v.y]],
      r: v.pad / 2,
    })),
    ...d.jumpers.flatMap((j) =>
      [j.a, j.b].map((q) => ({
        net: j.net,
        layers: d.layers,
        name: t`jumper ${j.id}`,
        line: [q],
        r: j.pad / 2,
      })),
    ),
  ];
}
// The least room of a run of points: gap less what is needed, and between what.
function room(points, layer, half) {
  const d = data();
  let worst = { room: Infinity };
  const held = (gap, need, name) => {
    if (gap - need < worst.room) worst = { room: gap - need, gap, need, name };
  };
  const own = Math.max(d.least.clearance, d.rules[now.net].clearance);
  for (const s of now.shapes) {
    if (s.net === now.net || !s.layers.includes(layer)) continue;
    const need = Math.max(own, s.net && d.rules[s.net] ? d.rules[s.net].clearance : 0);
    for (let i = 1; i < points.length; i++) held(toShape(points[i - 1], points[i], s) - half, need, s.name);
  }
  for (const edge of d.rims)
    for (let i = 1; i < edge.length; i++)
      for (let k = 1; k < points.length; k++) {
        held(
          toShape(points[k - 1], points[k], { line: [edge[i - 1], edge[i]], r: 0 }) - half,
          d.least.edge,
          t`the edge`,
        );
      }
  return worst;
}
function hit(p, net) {
  let best = null;
  for (const s of now ? now.shapes : shapes()) {
    if (!s.net || (net && s.net !== net)) continue;
    const d = toShape(p, p, s);
    if (d <= 0.15 && (!best || d < best.d)) best = { d, s };
  }
  return best && best.s;
}

function begin(p) {
  const s = hit(p);
  if (!s) {
    tell(t`Start on a pad, a via or a track: it tells the net.`);
    return;
  }
  const middle =
    s.line && s.line.length === 1
      ? s.line[0]
      : s.poly
        ? [0, 1].map((i) => s.poly.reduce((a, q) => a + q[i], 0) / s.poly.length)
        : snap(p);
  const layers = data().layers,
    layer = s.layers.length > 1 ? (layers.includes("front") ? "front" : "back") : s.layers[0];
  now = {
    net: s.net,
    layer,
    at: middle,
    runs: [],
    vias: [],
    width: data().rules[s.net].width,
    flip: false,
    past: [],
    shapes: shapes(),
    end: middle,
  };
  glow(s.net);
  askWay(middle);
}
// One question at a time; the newest place is asked for when the answer to the last is there.
async function askWay(end) {
  asked = end;
  if (waiting) return;
  waiting = true;
  while (asked && now) {
    const to = asked,
      mine = now;
    asked = null;
    const body = {
      version: state.version,
      net: now.net,
      layer: now.layer,
      start: now.at,
      goal: to,
      width: now.width,
    };
    if (now.bent)
      Object.assign(body, {
        start: now.bent.points[0],
        goal: now.bent.points[now.bent.points.length - 1],
        through: to,
        without: [now.bent.id],
      });
    const answer = await fetch(`/d/${design}/way`, {
      method: "POST",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(body),
    });
    if (now !== mine) continue;
    if (!answer.ok) {
      now.way = { to, runs: null };
      continue;
    }
    const told = await answer.json();
    if (now !== mine) continue;
    now.grid = told.grid;
    now.way = { to, runs: told.runs };
    if (same(to, now.end)) show();
  }
  waiting = false;
}
function move(e, p) {
  now.end = snap(p);
  now.event = e;
  if (!now.bent) {
    now.path = elbow(now.at, now.end, now.flip);
    now.worst = room(now.path, now.layer, now.width / 2);
  }
  now.round = null;
  if (now.bent || now.worst.room < -1e-6) {
    if (now.way && same(now.way.to, now.end)) {
      show();
      return;
    }
    askWay(now.end);
  }
  show();
}
function show() {
  const known = now.way && same(now.way.to, now.end) ? now.way : null;
  const straight = !now.bent && now.worst && now.worst.room >= -1e-6;
  now.round = !straight && known && known.runs && known.runs.length ? known : null;
  const runs = now.round
    ? now.round.runs
    : now.bent
      ? []
      : [{ layer: now.layer, width: now.width, points: now.path || [now.at] }];
  const bad = !straight && !now.round;
  draw(runs, bad);
  if (!now.event) return;
  let worst = now.worst;
  if (now.round)
    worst = runs.map((r) => room(r.points, r.layer, r.width / 2)).sort((a, b) => a.room - b.room)[0];
  const what = now.bent
    ? t`${now.net}, bent`
    : t`${now.net} on the ${now.layer}, ${now.width.toFixed(2)} mm wide`;
  const way = now.round && !now.bent ? t`, round what is in the way` : "";
  const gap =
    now.bent && bad
      ? known
        ? `\n${t`no way through here`}`
        : `\n${t`looking for a way`}`
      : worst && Number.isFinite(worst.gap)
        ? `\n${t`gap ${worst.gap.toFixed(3)} to ${worst.name}, at least ${worst.need.toFixed(2)}`}`
        : "";
  say(
    now.event,
    `${what}\n${runs.reduce((sum, r) => sum + long(r.points), 0).toFixed(2)} mm${way}${gap}`,
    bad,
  );
}
function draw(runs, bad) {
  const g = document.getElementById("ghosts");
  if (!g) return;
  g.replaceChildren();
  if (!now) return;
  const gap = Math.max(data().least.clearance, data().rules[now.net].clearance);
  for (const r of runs)
    if (r.points.length > 1)
      el(
        "path",
        { d: line(r.points), class: `ghost halo${bad ? " bad" : ""}`, "stroke-width": r.width + 2 * gap },
        g,
      );
  for (const r of [...now.runs, ...runs])
    if (r.points.length > 1)
      el(
        "path",
        {
          d: line(r.points),
          class: `ghost c-${r.layer}${bad && !now.runs.includes(r) ? " bad" : ""}`,
          "stroke-width": r.width,
        },
        g,
      );
}
async function point(e, p) {
  if (!now) {
    begin(p);
    return;
  }
  move(e, p);
  if (now.worst.room < -1e-6 && !now.round) {
    // The answer for this very place may still be on its way.
    for (let k = 0; k < 400 && now && !(now.way && same(now.way.to, now.end)); k++)
      await new Promise((done) => setTimeout(done, 25));
    if (!now) return;
    show();
    if (!now.round) {
      tell(
        t`Gap to ${now.worst.name} is ${now.worst.gap.toFixed(3)} mm; at least ${now.worst.need.toFixed(2)} mm is needed. The track was not drawn there.`,
      );
      return;
    }
  }
  const runs = now.round ? now.round.runs : [{ layer: now.layer, width: now.width, points: now.path }];
  now.past.push({ at: now.at, layer: now.layer, runs: [...now.runs], vias: [...now.vias] });
  now.runs.push(...runs.filter((r) => r.points.length > 1));
  const last = runs[runs.length - 1].points;
  now.at = last[last.length - 1];
  now.way = null;
  const s = hit(now.at, now.net);
  if (s && s.layers.includes(now.layer) && now.runs.length) finish();
  else {
    now.path = [now.at];
    askWay(now.end);
  }
}
function changeLayer() {
  const d = data();
  if (d.layers.length < 2) {
    tell(t`This board has one copper layer.`);
    return;
  }
  const probe = d.layers
    .map((layer) => room([now.at, now.at], layer, d.least.via_pad / 2))
    .sort((a, b) => a.room - b.room)[0];
  if (probe.room < -1e-6) {
    tell(
      t`A via here comes ${probe.gap.toFixed(3)} mm near to ${probe.name}; at least ${probe.need.toFixed(2)} mm is needed.`,
    );
    return;
  }
  now.past.push({ at: now.at, layer: now.layer, runs: [...now.runs], vias: [...now.vias] });
  now.vias.push(now.at);
  now.layer = d.layers[(d.layers.indexOf(now.layer) + 1) % d.layers.length];
  now.way = null;
  if (now.event) show();
}
function changeWidth() {
  const d = data(),
    rule = d.rules[now.net].width;
  now.width = now.width === rule ? d.least.width : rule;
  now.way = null;
  if (now.event) {
    now.worst = room(now.path || [now.at, now.at], now.layer, now.width / 2);
    show();
  }
}
function back() {
  const before = now.past.pop();
  if (!before) {
    cancel();
    return;
  }
  Object.assign(now, before, { way: null, path: [before.at] });
  draw([], false);
}
function flip() {
  now.flip = !now.flip;
}
async function finish() {
  const l = now;
  cancel();
  if (l.runs.length) await commit(l, []);
}
const commit = (l, without) =>
  send("lay", { version: state.version, net: l.net, runs: l.runs, vias: l.vias, without });
function cancel() {
  svg.querySelector(".replaced")?.classList.remove("replaced");
  now = null;
  asked = null;
  draw([], false);
  document.getElementById("tip").hidden = true;
}

// A track taken hold of: its way between its own ends is led past the pointer.
function bend(id) {
  const track = data().tracks.find((one) => one.id === id);
  now = {
    net: track.net,
    layer: track.layer,
    width: data().rules[track.net].width,
    runs: [],
    vias: [],
    bent: track,
    shapes: shapes(id),
    past: [],
  };
  svg.querySelector(`.track[data-id="${CSS.escape(id)}"]`)?.classList.add("replaced");
}
async function drop() {
  const l = now;
  if (l && l.round) l.runs = l.round.runs;
  cancel();
  if (l && l.runs.length) await commit(l, [l.bent.id]);
  return Boolean(l && l.runs.length);
}

const KEYS = { enter: finish, v: changeLayer, n: changeWidth, x: flip, backspace: back };

export const track = {
  active: () => now !== null,
  down: point,
  move(event, p) {
    if (now) move(event, p);
  },
  up() {},
  // Gives whether there was something to give up.
  cancel() {
    const had = now !== null;
    cancel();
    return had;
  },
  key(event) {
    const work = now && KEYS[event.key.toLowerCase()];
    if (work) work();
    return Boolean(work);
  },
  bend,
  drop,
};
