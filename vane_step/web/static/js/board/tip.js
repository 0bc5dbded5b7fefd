// The reading beside the pointer.
import { svg } from "./drawing.js";

const tip = document.getElementById("tip");

export function say(event, text, bad = false) {
  tip.hidden = !text;
  if (!text) return;
  tip.textContent = text;
  tip.classList.toggle("bad", bad);
  const r = svg.getBoundingClientRect();
  tip.style.left = `${Math.min(event.clientX - r.left + 16, r.width - 240)}px`;
  tip.style.top = `${event.clientY - r.top + 18}px`;
}
