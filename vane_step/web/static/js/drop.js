// A part dropped on the sheet from beside it: on a pin or a net, or between two, the first held for a moment.
import { t } from "./frame/texts.js";
import { ENDS } from "./wire.js";

const FAR = 6,
  HOLD_MS = 450;

function endAt(e) {
  const found = document.elementFromPoint(e.clientX, e.clientY)?.closest(`#sheet :is(${ENDS})`);
  return found ? found.dataset.pin || found.dataset.net : "";
}

export function dropParts() {
  const tip = document.createElement("div");
  tip.className = "drop-tip";
  tip.hidden = true;
  document.body.append(tip);
  let drag = null,
    waiting = null;

  function stop() {
    if (drag) clearTimeout(drag.timer);
    drag = null;
    tip.hidden = true;
    document.body.classList.remove("dropping");
  }
  function say(e) {
    const ends = [...drag.held, ...(drag.over && !drag.held.includes(drag.over) ? [drag.over] : [])];
    tip.textContent = ends.length
      ? t`${drag.title} at ${ends.join(", ")}`
      : t`${drag.title}: drop it on a pin or a net`;
    tip.style.left = `${e.clientX + 14}px`;
    tip.style.top = `${e.clientY + 14}px`;
    tip.hidden = false;
  }
  document.addEventListener("pointerdown", (e) => {
    const form = e.button ? null : e.target.closest(".tile, .few");
    if (!form || e.target.matches("input")) return;
    const title = form.querySelector("span b, button span, button").textContent.trim();
    drag = { form, title, x: e.clientX, y: e.clientY, moving: false, held: [], over: "", timer: 0 };
  });
  window.addEventListener("pointermove", (e) => {
    if (!drag) return;
    if (!drag.moving) {
      if (Math.hypot(e.clientX - drag.x, e.clientY - drag.y) < FAR) return;
      drag.moving = true;
      document.body.classList.add("dropping");
    }
    const over = endAt(e);
    if (over !== drag.over) {
      clearTimeout(drag.timer);
      drag.over = over;
      if (over)
        drag.timer = setTimeout(() => {
          if (drag && drag.over === over && !drag.held.includes(over)) drag.held.push(over);
        }, HOLD_MS);
    }
    say(e);
  });
  window.addEventListener("pointerup", () => {
    if (!drag) return;
    const { form, moving, held, over } = drag;
    stop();
    if (!moving) return;
    const ends = over && !held.includes(over) ? [...held, over] : held;
    // Dropped beside the sheet nothing is meant; a value still to be typed keeps the place.
    if (!over) return;
    waiting = { form, ends: ends.slice(-2) };
    form.requestSubmit();
  });
  document.addEventListener("vane:adding", (e) => {
    if (!waiting || e.detail.form !== waiting.form) return;
    e.detail.placed = true;
    e.detail.text += ` at ${waiting.ends.join(" ")}`;
    waiting = null;
  });
  window.addEventListener("keydown", (e) => {
    if (e.key !== "Escape") return;
    waiting = null;
    stop();
  });
}
