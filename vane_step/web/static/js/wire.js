// Drawing a connection on the sheet by dragging from a pin or a net to another; what it will do is said beforehand.
import { ask, design, tell, state } from "./frame.js";
import { t } from "./frame/texts.js";

export const ENDS = "[data-pin], .pill, .supply, .ground, .wire-catch";
const FAR = 5;
const UNNAMED = /^N\d+$/;

function end(at) {
  const found = document.elementFromPoint(at.clientX, at.clientY)?.closest(ENDS);
  if (!found || !(found.dataset.pin || found.dataset.net)) return null;
  return { element: found, pin: found.dataset.pin, net: found.dataset.net };
}
// The sentence that connects two ends; a net of no name becomes part of the other.
function sentence(from, to) {
  if (from.pin && to.pin) return from.pin === to.pin ? null : `join ${from.pin} ${to.pin}`;
  if (from.pin || to.pin) {
    const pin = from.pin || to.pin,
      net = from.pin ? to.net : from.net;
    return `join ${pin} ${net}`;
  }
  if (from.net === to.net) return null;
  return UNNAMED.test(from.net) ? `merge ${from.net} ${to.net}` : `merge ${to.net} ${from.net}`;
}

export function drawConnections(holder) {
  let drag = null;
  const tip = document.createElement("div");
  tip.className = "wire-tip";
  tip.hidden = true;
  document.body.append(tip);

  function point(e) {
    const svg = holder.querySelector("svg");
    return new DOMPoint(e.clientX, e.clientY).matrixTransform(svg.getScreenCTM().inverse());
  }
  async function foretell(text) {
    const answer = await fetch(`/d/${design}/ask`, {
      method: "POST",
      headers: { "Content-Type": "application/json", Accept: "application/json" },
      body: JSON.stringify({ text, version: state.version }),
    }).catch(() => null);
    if (!drag || drag.text !== text || !answer || !answer.ok) return;
    const told = await answer.json();
    tip.textContent = told.says || told.refused;
    tip.classList.toggle("refused", !told.says);
  }
  function stop() {
    if (drag && drag.line) drag.line.remove();
    if (drag && drag.over) drag.over.classList.remove("target");
    tip.hidden = true;
    drag = null;
  }

  holder.addEventListener("pointerdown", (e) => {
    if (e.button) return;
    const from = end(e);
    if (from) drag = { from, x: e.clientX, y: e.clientY, text: "" };
  });
  window.addEventListener("pointermove", (e) => {
    if (!drag) return;
    if (!drag.line) {
      if (Math.hypot(e.clientX - drag.x, e.clientY - drag.y) < FAR) return;
      drag.start = point({ clientX: drag.x, clientY: drag.y });
      drag.line = document.createElementNS("http://www.w3.org/2000/svg", "line");
      drag.line.setAttribute("class", "drawn-wire");
      drag.line.setAttribute("x1", drag.start.x);
      drag.line.setAttribute("y1", drag.start.y);
      holder.querySelector("svg").append(drag.line);
    }
    const here = point(e);
    drag.line.setAttribute("x2", here.x);
    drag.line.setAttribute("y2", here.y);
    const to = end(e);
    if (drag.over && drag.over !== to?.element) drag.over.classList.remove("target");
    drag.over = to?.element;
    if (to) to.element.classList.add("target");
    const text = to ? sentence(drag.from, to) : null;
    tip.hidden = !text;
    tip.style.left = `${e.clientX + 14}px`;
    tip.style.top = `${e.clientY + 14}px`;
    if (text && text !== drag.text) {
      tip.textContent = text;
      drag.text = text;
      foretell(text);
    }
    if (!text) drag.text = "";
  });
  window.addEventListener("pointerup", (e) => {
    if (!drag) return;
    const { line, from } = drag,
      to = line ? end(e) : null,
      text = to ? sentence(from, to) : null;
    stop();
    if (!line) return;
    // The click that may follow a drag chooses nothing.
    const swallow = (click) => click.stopPropagation();
    window.addEventListener("click", swallow, { capture: true });
    setTimeout(() => window.removeEventListener("click", swallow, { capture: true }), 0);
    if (!text) return;
    const both = !from.pin && !to.pin && !UNNAMED.test(from.net) && !UNNAMED.test(to.net);
    if (both) tell(t`Make ${from.net} and ${to.net} one net?`, false, [text]);
    else ask(text);
  });
  window.addEventListener("keydown", (e) => {
    if (e.key === "Escape" && drag) stop();
  });
}
