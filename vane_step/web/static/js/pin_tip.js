// What a pin is and bears, told when it is pointed at or reached by the keyboard.
import { design, onChange } from "./frame.js";

const AFTER_MS = 160;

export function tellPins(holder) {
  const tip = document.createElement("div");
  tip.className = "pin-tip";
  tip.hidden = true;
  document.body.append(tip);
  let known = new Map(),
    waiting = 0,
    at = null;
  onChange(() => {
    known = new Map();
    hide();
  });
  function hide() {
    clearTimeout(waiting);
    at = null;
    tip.hidden = true;
  }
  async function show(tab) {
    const name = tab.dataset.pin;
    if (!known.has(name)) {
      const answer = await fetch(`/d/${design}/pin?name=${encodeURIComponent(name)}`).catch(() => null);
      if (!answer || !answer.ok) return;
      known.set(name, (await answer.json()).says);
    }
    if (at !== tab) return;
    tip.textContent = known.get(name);
    tip.hidden = false;
    const box = tab.getBoundingClientRect();
    tip.style.left = `${Math.max(8, Math.min(box.left, window.innerWidth - tip.offsetWidth - 8))}px`;
    tip.style.top = `${box.top - tip.offsetHeight - 6 < 0 ? box.bottom + 6 : box.top - tip.offsetHeight - 6}px`;
  }
  function reach(e) {
    const tab = e.target.closest("[data-pin]");
    if (tab === at) return;
    hide();
    if (!tab || (e.buttons || 0) !== 0) return;
    at = tab;
    waiting = setTimeout(() => show(tab), AFTER_MS);
  }
  holder.addEventListener("pointerover", reach);
  holder.addEventListener("pointerdown", hide);
  holder.addEventListener("pointerleave", hide);
  holder.addEventListener("focusin", reach);
  holder.addEventListener("focusout", hide);
}
