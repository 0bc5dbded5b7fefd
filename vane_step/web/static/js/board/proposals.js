// Proposed arrangements: pointing at one shows its places on the board, its button chooses it.
import { design, send, state } from "../frame.js";
import { drawing, svg } from "./drawing.js";
import { el, ring } from "./svg.js";
import { track } from "./track.js";

const score = document.getElementById("score");
let shown = null;

async function preview(number) {
  if (number === shown) return;
  shown = number;
  const g = document.getElementById("ghosts");
  if (!g || track.active()) return;
  g.replaceChildren();
  svg.classList.toggle("comparing", number !== null);
  if (number === null) return;
  const answer = await fetch(`/d/${design}/proposals/${number}`);
  if (!answer.ok || shown !== number) return;
  const { yards, other, meets } = await answer.json();
  for (const [x, y, first] of other || []) otherPad(g, x, y, first);
  for (const [ref, points] of Object.entries(yards)) {
    el("path", { d: ring(points), class: "proposed" }, g);
    if (!meets) named(g, ref, points);
  }
  for (const m of meets || []) meeting(g, m);
}
function otherPad(g, x, y, first) {
  if (first) el("rect", { x: x - 0.5, y: y - 0.5, width: 1, height: 1, class: "otherpad" }, g);
  else el("circle", { cx: x, cy: y, r: 0.5, class: "otherpad" }, g);
}
function named(g, ref, points) {
  const [x0, x1, y0, y1] = [0, 1].flatMap((i) => {
    const along = points.map((p) => p[i]);
    return [Math.min(...along), Math.max(...along)];
  });
  const size = Math.min(2, (x1 - x0) / (0.62 * ref.length), y1 - y0);
  const middle = `translate(${(x0 + x1) / 2} ${(y0 + y1) / 2 - size * 0.35})`;
  const transform = `${middle} scale(${drawing.below} -1)`;
  el("text", { transform, "font-size": size, class: "proposed-ref" }, g).textContent = ref;
}
function meeting(g, m) {
  const { below } = drawing;
  const place = `translate(${m.x + 0.5 * below} ${m.y + 0.6}) rotate(${45 * below})`;
  const kind = m.clash ? "meets clash" : "meets";
  const transform = `${place} scale(${below} -1)`;
  el("text", { transform, "font-size": 1.1, class: kind }, g).textContent = m.says;
}

const lineOf = (event) => event.target.closest("[data-proposal]");
for (const kind of ["pointerover", "focusin"]) {
  score.addEventListener(kind, (e) => preview(lineOf(e) ? lineOf(e).dataset.proposal : null));
}
for (const kind of ["pointerleave", "focusout"]) {
  score.addEventListener(kind, (e) => {
    if (!score.contains(e.relatedTarget)) preview(null);
  });
}
score.addEventListener("click", (e) => {
  const take = e.target.closest("[data-take]");
  const late = e.target.closest("[data-late]");
  if (take) {
    preview(null);
    send(`proposals/${take.dataset.take}`, {});
  }
  if (late) send("late", { version: state.version, apply: late.dataset.late === "yes" });
});
