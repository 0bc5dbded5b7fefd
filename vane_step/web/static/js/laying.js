// Laying tracks by hand: the way under the pointer, round what is in the way, with its gap; and bending laid ones.
import { design, send, state, tell } from "./frame.js";
import { elbow, toShape } from "./geometry.js";

// board: { data, el, line, say, glow } of the board view, data being asked anew each time.
export function laying(board) {
  let lay = null, asked = null, waiting = false;
  const data = () => board.data();
  // On the grid of the ways once it is known, so that drawn and found pieces meet exactly.
  const snap = (p) => { const [x, y, step] = lay && lay.grid || [0, 0, 0.05]; return [x + Math.round((p[0] - x) / step) * step, y + Math.round((p[1] - y) / step) * step]; };
  const same = (a, b) => Math.hypot(a[0] - b[0], a[1] - b[1]) < 1e-9;
  const long = (points) => points.slice(1).reduce((sum, q, i) => sum + Math.hypot(q[0] - points[i][0], q[1] - points[i][1]), 0);

  function shapes(without) {
    const d = data();
    return [
      ...d.pads.map((p) => ({ net: p.net, layers: p.layers, name: `pad ${p.pin}`, poly: p.poly, line: p.line, r: p.r })),
      ...d.tracks.filter((t) => t.id !== without).flatMap((t) => t.points.slice(1).map((q, i) => ({ net: t.net, layers: [t.layer], name: `a track of ${t.net}`, line: [t.points[i], q], r: t.width / 2 }))),
      ...d.vias.map((v) => ({ net: v.net, layers: d.layers, name: `a via of ${v.net}`, line: [[v.x, v.y]], r: v.pad / 2 })),
      ...d.jumpers.flatMap((j) => [j.a, j.b].map((q) => ({ net: j.net, layers: d.layers, name: `jumper ${j.id}`, line: [q], r: j.pad / 2 }))),
    ];
  }
  // The least room of a run of points: gap less what is needed, and between what.
  function room(points, layer, half) {
    const d = data();
    let worst = { room: Infinity };
    const held = (gap, need, name) => { if (gap - need < worst.room) worst = { room: gap - need, gap, need, name }; };
    const own = Math.max(d.least.clearance, d.rules[lay.net].clearance);
    for (const s of lay.shapes) {
      if (s.net === lay.net || !s.layers.includes(layer)) continue;
      const need = Math.max(own, s.net && d.rules[s.net] ? d.rules[s.net].clearance : 0);
      for (let i = 1; i < points.length; i++) held(toShape(points[i - 1], points[i], s) - half, need, s.name);
    }
    for (const edge of d.rims) for (let i = 1; i < edge.length; i++) for (let k = 1; k < points.length; k++) {
      held(toShape(points[k - 1], points[k], { line: [edge[i - 1], edge[i]], r: 0 }) - half, d.least.edge, "the edge");
    }
    return worst;
  }
  function hit(p, net) {
    let best = null;
    for (const s of lay ? lay.shapes : shapes()) {
      if (!s.net || (net && s.net !== net)) continue;
      const d = toShape(p, p, s);
      if (d <= 0.15 && (!best || d < best.d)) best = { d, s };
    }
    return best && best.s;
  }

  function begin(p) {
    const s = hit(p);
    if (!s) { tell("Start on a pad, a via or a track: it tells the net."); return; }
    const middle = s.line && s.line.length === 1 ? s.line[0] : s.poly ? [0, 1].map((i) => s.poly.reduce((a, q) => a + q[i], 0) / s.poly.length) : snap(p);
    const layers = data().layers, layer = s.layers.length > 1 ? (layers.includes("front") ? "front" : "back") : s.layers[0];
    lay = { net: s.net, layer, at: middle, runs: [], vias: [], width: data().rules[s.net].width, flip: false, past: [], shapes: shapes(), end: middle };
    board.glow(s.net);
    askWay(middle);
  }
  // One question at a time; the newest place is asked for when the answer to the last is there.
  async function askWay(end) {
    asked = end;
    if (waiting) return;
    waiting = true;
    while (asked && lay) {
      const to = asked, mine = lay;
      asked = null;
      const body = { version: state.version, net: lay.net, layer: lay.layer, start: lay.at, goal: to, width: lay.width };
      if (lay.bent) Object.assign(body, { start: lay.bent.points[0], goal: lay.bent.points[lay.bent.points.length - 1], through: to, without: [lay.bent.id] });
      const answer = await fetch(`/d/${design}/way`, { method: "POST", headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
      if (lay !== mine) continue;
      if (!answer.ok) { lay.way = { to, runs: null }; continue; }
      const told = await answer.json();
      if (lay !== mine) continue;
      lay.grid = told.grid;
      lay.way = { to, runs: told.runs };
      if (same(to, lay.end)) show();
    }
    waiting = false;
  }
  function move(e, p) {
    lay.end = snap(p);
    lay.event = e;
    if (!lay.bent) {
      lay.path = elbow(lay.at, lay.end, lay.flip);
      lay.worst = room(lay.path, lay.layer, lay.width / 2);
    }
    lay.round = null;
    if (lay.bent || lay.worst.room < -1e-6) {
      if (lay.way && same(lay.way.to, lay.end)) { show(); return; }
      askWay(lay.end);
    }
    show();
  }
  function show() {
    const known = lay.way && same(lay.way.to, lay.end) ? lay.way : null;
    const straight = !lay.bent && lay.worst && lay.worst.room >= -1e-6;
    lay.round = !straight && known && known.runs && known.runs.length ? known : null;
    const runs = lay.round ? lay.round.runs : lay.bent ? [] : [{ layer: lay.layer, width: lay.width, points: lay.path || [lay.at] }];
    const bad = !straight && !lay.round;
    draw(runs, bad);
    if (!lay.event) return;
    let worst = lay.worst;
    if (lay.round) worst = runs.map((r) => room(r.points, r.layer, r.width / 2)).sort((a, b) => a.room - b.room)[0];
    const what = lay.bent ? `${lay.net}, bent` : `${lay.net} on the ${lay.layer}, ${lay.width.toFixed(2)} mm wide`;
    const way = lay.round && !lay.bent ? ", round what is in the way" : "";
    const gap = lay.bent && bad ? (known ? "\nno way through here" : "\nlooking for a way") : worst && Number.isFinite(worst.gap) ? `\ngap ${worst.gap.toFixed(3)} to ${worst.name}, at least ${worst.need.toFixed(2)}` : "";
    board.say(lay.event, `${what}\n${runs.reduce((sum, r) => sum + long(r.points), 0).toFixed(2)} mm${way}${gap}`, bad);
  }
  function draw(runs, bad) {
    const g = document.getElementById("ghosts");
    if (!g) return;
    g.replaceChildren();
    if (!lay) return;
    const gap = Math.max(data().least.clearance, data().rules[lay.net].clearance);
    for (const r of runs) if (r.points.length > 1) board.el("path", { d: board.line(r.points), class: `ghost halo${bad ? " bad" : ""}`, "stroke-width": r.width + 2 * gap }, g);
    for (const r of [...lay.runs, ...runs]) if (r.points.length > 1) board.el("path", { d: board.line(r.points), class: `ghost c-${r.layer}${bad && !lay.runs.includes(r) ? " bad" : ""}`, "stroke-width": r.width }, g);
  }
  async function point(e, p) {
    if (!lay) { begin(p); return; }
    move(e, p);
    if (lay.worst.room < -1e-6 && !lay.round) {
      // The answer for this very place may still be on its way.
      for (let k = 0; k < 400 && lay && !(lay.way && same(lay.way.to, lay.end)); k++) await new Promise((done) => setTimeout(done, 25));
      if (!lay) return;
      show();
      if (!lay.round) { tell(`Gap to ${lay.worst.name} is ${lay.worst.gap.toFixed(3)} mm; at least ${lay.worst.need.toFixed(2)} mm is needed. The track was not laid there.`); return; }
    }
    const runs = lay.round ? lay.round.runs : [{ layer: lay.layer, width: lay.width, points: lay.path }];
    lay.past.push({ at: lay.at, layer: lay.layer, runs: [...lay.runs], vias: [...lay.vias] });
    lay.runs.push(...runs.filter((r) => r.points.length > 1));
    const last = runs[runs.length - 1].points;
    lay.at = last[last.length - 1];
    lay.way = null;
    const s = hit(lay.at, lay.net);
    if (s && s.layers.includes(lay.layer) && lay.runs.length) finish();
    else { lay.path = [lay.at]; askWay(lay.end); }
  }
  function changeLayer() {
    const d = data();
    if (d.layers.length < 2) { tell("This board has one copper layer."); return; }
    const probe = d.layers.map((layer) => room([lay.at, lay.at], layer, d.least.via_pad / 2)).sort((a, b) => a.room - b.room)[0];
    if (probe.room < -1e-6) { tell(`A via here comes ${probe.gap.toFixed(3)} mm near to ${probe.name}; at least ${probe.need.toFixed(2)} mm is needed.`); return; }
    lay.past.push({ at: lay.at, layer: lay.layer, runs: [...lay.runs], vias: [...lay.vias] });
    lay.vias.push(lay.at);
    lay.layer = d.layers[(d.layers.indexOf(lay.layer) + 1) % d.layers.length];
    lay.way = null;
    if (lay.event) show();
  }
  function changeWidth() {
    const d = data(), rule = d.rules[lay.net].width;
    lay.width = lay.width === rule ? d.least.width : rule;
    lay.way = null;
    if (lay.event) { lay.worst = room(lay.path || [lay.at, lay.at], lay.layer, lay.width / 2); show(); }
  }
  function back() {
    const before = lay.past.pop();
    if (!before) { cancel(); return; }
    Object.assign(lay, before, { way: null, path: [before.at] });
    draw([], false);
  }
  function flip() { lay.flip = !lay.flip; }
  async function finish() {
    const l = lay;
    cancel();
    if (l.runs.length) await commit(l, []);
  }
  const commit = (l, without) => send("lay", { version: state.version, net: l.net, runs: l.runs, vias: l.vias, without });
  function cancel() {
    document.querySelector("#board .lifted")?.classList.remove("lifted");
    lay = null; asked = null; draw([], false); document.getElementById("tip").hidden = true;
  }

  // A laid track taken hold of: its way between its own ends is led past the pointer.
  function bend(id) {
    const track = data().tracks.find((t) => t.id === id);
    lay = { net: track.net, layer: track.layer, width: data().rules[track.net].width, runs: [], vias: [], bent: track, shapes: shapes(id), past: [] };
    document.querySelector(`#board .track[data-id="${CSS.escape(id)}"]`)?.classList.add("lifted");
  }
  async function drop() {
    const l = lay;
    if (l && l.round) l.runs = l.round.runs;
    cancel();
    if (l && l.runs.length) await commit(l, [l.bent.id]);
    return Boolean(l && l.runs.length);
  }
  return { active: () => Boolean(lay), point, move, flip, changeLayer, changeWidth, back, finish, cancel, bend, drop };
}
