// The tool that chooses, moves and bends: what the pointer takes hold of says which kind of drag it is.
import { ask, select } from "../frame.js";
import * as camera from "./camera.js";
import { choose, chosen } from "./choice.js";
import { connections, draw, drawing, glow, partOf, svg } from "./drawing.js";
import { shiftBy, shiftTo } from "./snap.js";
import { el } from "./svg.js";
import { say } from "./tip.js";
import { track } from "./track.js";
import { t } from "../frame/texts.js";

// Each kind of drag: move and drop, both given the event and the place in mm.
let drag = null;
// What of a part keeps to the grid: its first pin, or its place when it has none.
function anchorOf(ref) {
  const { place } = drawing.parts[ref].part;
  const pad = drawing.data.pads.find((p) => partOf(p.pin) === ref);
  return pad ? [pad.x, pad.y] : [place.x_nm / 1e6, place.y_nm / 1e6];
}

function panning(event) {
  const from = camera.shown();
  return {
    move: (e) => camera.pan(from, e.clientX - event.clientX, e.clientY - event.clientY),
    drop() {},
  };
}

function boxing(from) {
  let inside = [];
  const ghosts = document.getElementById("ghosts");
  return {
    move(e, p) {
      const [x0, x1] = [Math.min(p[0], from[0]), Math.max(p[0], from[0])];
      const [y0, y1] = [Math.min(p[1], from[1]), Math.max(p[1], from[1])];
      const within = ({ place: { x_nm: x, y_nm: y } }) =>
        x >= x0 * 1e6 && x <= x1 * 1e6 && y >= y0 * 1e6 && y <= y1 * 1e6;
      inside = Object.values(drawing.parts)
        .filter(({ part }) => within(part))
        .map(({ part }) => part.ref);
      ghosts.replaceChildren();
      el("rect", { x: x0, y: y0, width: x1 - x0, height: y1 - y0, class: "lasso" }, ghosts);
      say(e, t`${inside.length} parts`);
    },
    drop() {
      ghosts.replaceChildren();
      choose(inside);
    },
  };
}

// A track taken hold of is led past the pointer once the pointer has moved.
function bending(event, id) {
  return {
    move(e, p) {
      const far = Math.hypot(e.clientX - event.clientX, e.clientY - event.clientY) > 4;
      if (!track.active() && far) track.bend(id);
      if (track.active()) track.move(e, p);
    },
    async drop() {
      if (track.active()) await track.drop();
    },
  };
}

// A hole or a text.
function carrying(node, from) {
  const { item } = node.dataset;
  const base = node.getAttribute("transform") || "";
  const found = [...drawing.data.holes, ...drawing.data.texts].find((i) => i.id === item);
  let shift = [0, 0];
  const place = () => [found.x + shift[0], found.y + shift[1]];
  return {
    move(e, p) {
      shift = shiftTo(e, from, p, [found.x, found.y]);
      const translate = `translate(${shift[0]} ${shift[1]})`;
      node.setAttribute("transform", `${translate} ${base}`);
      for (const n of drawing.prints[item] || []) n.setAttribute("transform", translate);
      say(
        e,
        `${item}  ${place()
          .map((v) => v.toFixed(2))
          .join(", ")} mm`,
      );
    },
    async drop() {
      if (!shift[0] && !shift[1]) return;
      if (
        !(await ask(
          `move ${item} ${place()
            .map((v) => v.toFixed(3))
            .join(" ")}`,
        ))
      )
        redraw();
    },
  };
}

const redraw = () => draw(chosen());

function moving(ref, from) {
  const refs =
    chosen().length > 1 && chosen().includes(ref) ? chosen().filter((r) => drawing.parts[r]) : [ref];
  const anchor = anchorOf(ref);
  let shift = [0, 0];
  let carried = null;
  let wanted = [];
  return {
    move(e, p) {
      const kept = refs.find((r) => drawing.parts[r].part.place.locked);
      if (kept) {
        say(e, t`${kept} is kept in place`, true);
        return;
      }
      shift = shiftTo(e, from, p, anchor);
      svg.classList.add("dragging");
      if (!carried) [carried, wanted] = [carry(refs), wishes(refs)];
      carried.style.transform = `translate(${shift[0]}px, ${shift[1]}px)`;
      const wished = wanted.map((w) => nearest(w, shift));
      say(e, reading(ref, refs, shift, connections(refs, shift, wished)));
    },
    async drop() {
      if (refs.length === 1) choose([ref]);
      if (shift[0] || shift[1]) {
        await moveParts(refs, shift);
        return;
      }
      if (refs.length > 1) choose([ref]);
      if (carried) redraw();
    },
  };
}

function reading(ref, refs, shift, total) {
  const { place } = drawing.parts[ref].part;
  const to = [place.x_nm / 1e6 + shift[0], place.y_nm / 1e6 + shift[1]];
  const mm = (values) => `${values.map((v) => v.toFixed(2)).join(", ")} mm`;
  const what = refs.length > 1 ? t`${refs.length} parts, ${mm(shift)}` : `${ref}  ${mm(to)}`;
  const open = drawing.data.links.length ? t`, all that are open ${total.all.toFixed(1)} mm` : "";
  const near = refs.length === 1 && nearestDecap(ref, shift);
  const bypass = near ? `\n${t`${near[0].toFixed(1)} mm to ${near[1]}`}` : "";
  return `${what}\n${t`its connections ${total.own.toFixed(1)} mm`}${open}${bypass}`;
}

// What is dragged is drawn apart, so that the board under it need not be drawn again while it moves.
function carry(refs) {
  const pads = (r) => svg.querySelectorAll(`[data-pin^="${CSS.escape(r)}."]`);
  const group = el("g", { class: "carried" });
  group.append(...refs.flatMap((r) => [...pads(r), ...drawing.parts[r].prints, drawing.parts[r].group]));
  document.getElementById("connections").before(group);
  return group;
}

// Where parts that are dragged want to be: for each of their nets without an open connection the nearest pad of others
// on it. Nets that are poured are near everywhere.
function wishes(refs) {
  const { pours, links, pads } = drawing.data;
  const served = new Set(pours.map((p) => p.net));
  for (const k of links) if (refs.includes(partOf(k.a)) || refs.includes(partOf(k.b))) served.add(k.net);
  const nets = new Map();
  for (const p of pads) {
    if (!p.net || served.has(p.net)) continue;
    if (!nets.has(p.net)) nets.set(p.net, { net: p.net, mine: [], others: [] });
    nets.get(p.net)[refs.includes(partOf(p.pin)) ? "mine" : "others"].push(p);
  }
  return [...nets.values()].filter((n) => n.mine.length && n.others.length);
}
function nearest({ net, mine, others }, [dx, dy]) {
  let best = null;
  let least = Infinity;
  for (const p of mine) {
    for (const q of others) {
      const d = (p.x + dx - q.x) ** 2 + (p.y + dy - q.y) ** 2;
      if (d >= least) continue;
      least = d;
      best = { net, a: p.pin, b: q.pin, from: [p.x, p.y], to: [q.x, q.y] };
    }
  }
  return best;
}
function nearestDecap(ref, shift) {
  const { pads, roles } = drawing.data;
  const mine = pads.filter((p) => partOf(p.pin) === ref && p.net && roles[p.net] === "supply");
  let best = null;
  for (const p of mine) {
    for (const q of pads) {
      if (q.net !== p.net || partOf(q.pin) === ref) continue;
      const d = Math.hypot(p.x + shift[0] - q.x, p.y + shift[1] - q.y);
      if (!best || d < best[0]) best = [d, q.pin];
    }
  }
  return best;
}

export async function moveParts(refs, shift) {
  const { place } = drawing.parts[refs[0]].part;
  const to = [place.x_nm / 1e6 + shift[0], place.y_nm / 1e6 + shift[1]];
  const mm = (values) => values.map((v) => v.toFixed(3)).join(" ");
  const one = `place ${refs[0]} ${mm(to)}`;
  if (!(await ask(refs.length === 1 ? one : `shift ${refs.join(" ")} ${mm(shift)}`))) redraw();
}

// What is under the pointer: chosen at once, or taken hold of.
function held(event, p) {
  const { target } = event;
  const { item, id, net, pin } = target.dataset || {};
  const part = target.closest(".part");
  if (part) return moving(part.dataset.ref, p);
  if (item) return carrying(target, p);
  if (id) {
    select("copper", id);
    glow(net);
    return target.classList.contains("track") ? bending(event, id) : null;
  }
  if (net && pin) {
    select("net", net);
    glow(net);
    return null;
  }
  if (event.shiftKey) return boxing(p);
  choose([]);
  glow(null);
  return panning(event);
}

export const arrange = {
  down(event, p) {
    const part = event.target.closest(".part");
    if (event.button !== 0) {
      drag = part ? null : panning(event);
    } else if (part && event.shiftKey) {
      const { ref } = part.dataset;
      choose(chosen().includes(ref) ? chosen().filter((r) => r !== ref) : [...chosen(), ref]);
      return;
    } else drag = held(event, p);
    if (drag) svg.setPointerCapture(event.pointerId);
  },
  move(event, p) {
    if (drag) drag.move(event, p);
  },
  async up(event) {
    if (!drag) return;
    const { drop } = drag;
    drag = null;
    svg.classList.remove("dragging");
    say(event, "");
    await drop();
  },
  // Gives whether there was something to give up.
  cancel() {
    const bent = track.active();
    if (bent) {
      track.cancel();
      drag = null;
    }
    return bent;
  },
  key(event) {
    const refs = chosen();
    if (!refs.length) return false;
    const kept = () => refs.every((r) => drawing.parts[r] && drawing.parts[r].part.place.locked);
    const verbs = { t: () => "turn", u: () => "flip", k: () => (kept() ? "unlock" : "lock") };
    const verb = verbs[event.key.toLowerCase()];
    if (verb) {
      ask(`${verb()} ${refs.join(" ")}`);
      return true;
    }
    if (!event.key.startsWith("Arrow")) return false;
    event.preventDefault();
    const { below } = drawing;
    const ways = {
      ArrowLeft: [-below, 0],
      ArrowRight: [below, 0],
      ArrowUp: [0, 1],
      ArrowDown: [0, -1],
    };
    if (drawing.parts[refs[0]]) moveParts(refs, shiftBy(event, ways[event.key], anchorOf(refs[0])));
    return true;
  },
};
