// Several parts of the sheet at once: chosen by a box or one after the other, copied, cut and set in elsewhere.
import { design, onChange, select, send, state, tell } from "./frame.js";
import { t } from "./frame/texts.js";

const FAR = 5;
const MARK = '"vane-step-block"';
const fixed = "[data-pin], [data-net], .card-part, .symbol, button, a";

export const chosen = () =>
  state.selected && ["part", "group"].includes(state.selected[0]) ? state.selected[1].split(",") : [];

export function choose(refs) {
  if (!refs.length) select(null);
  else select(refs.length > 1 ? "group" : "part", refs.join(","));
}

export function chooseByBox(holder) {
  let drag = null;
  function paint() {
    const mine = chosen();
    holder
      .querySelectorAll(".card-part, .symbol")
      .forEach((x) => x.classList.toggle("picked", mine.length > 1 && mine.includes(x.dataset.ref)));
  }
  document.addEventListener("vane:selected", paint);
  holder.addEventListener("vane:drawn", paint);
  holder.addEventListener("pointerdown", (e) => {
    if (e.button || e.target.closest(fixed) || !e.target.closest("svg")) return;
    drag = { x: e.clientX, y: e.clientY, box: null, more: e.shiftKey ? chosen() : [] };
  });
  window.addEventListener("pointermove", (e) => {
    if (!drag || (!drag.box && Math.hypot(e.clientX - drag.x, e.clientY - drag.y) < FAR)) return;
    if (!drag.box) {
      drag.box = document.createElement("div");
      drag.box.className = "pick-box";
      document.body.append(drag.box);
    }
    e.preventDefault();
    Object.assign(drag.box.style, {
      left: `${Math.min(e.clientX, drag.x)}px`,
      top: `${Math.min(e.clientY, drag.y)}px`,
      width: `${Math.abs(e.clientX - drag.x)}px`,
      height: `${Math.abs(e.clientY - drag.y)}px`,
    });
  });
  window.addEventListener("pointerup", () => {
    if (!drag) return;
    const { box, more } = drag;
    drag = null;
    if (!box) return;
    const area = box.getBoundingClientRect();
    box.remove();
    const inside = [...holder.querySelectorAll(".card-part, .symbol")].filter((x) => {
      const r = x.getBoundingClientRect();
      return r.left < area.right && area.left < r.right && r.top < area.bottom && area.top < r.bottom;
    });
    choose([...new Set([...more, ...inside.map((x) => x.dataset.ref)])]);
  });
}

// What Ctrl+C takes has to be there when the keys are pressed: it is fetched when parts are chosen.
let ready = { key: "", text: "" };
async function fetchClip() {
  const key = chosen().join(",");
  if (key === ready.key) return;
  ready = { key, text: "" };
  if (!key) return;
  const answer = await fetch(`/d/${design}/clip?refs=${encodeURIComponent(key)}`).catch(() => null);
  if (answer && answer.ok && ready.key === key) ready.text = await answer.text();
}
document.addEventListener("vane:selected", fetchClip);
onChange(() => {
  ready = { key: "", text: "" };
  fetchClip();
});

function taken(e) {
  if (e.target.matches?.("input, textarea, select") || String(window.getSelection())) return false;
  const refs = chosen();
  if (!refs.length) return false;
  if (!ready.text) {
    tell(t`Not copied yet: once more, please.`);
    return false;
  }
  e.preventDefault();
  e.clipboardData.setData("text/plain", ready.text);
  return true;
}
document.addEventListener("copy", (e) => {
  if (taken(e)) tell(t`Copied ${chosen().join(", ")}: Ctrl+V sets them in, here or on another sheet.`, true);
});
document.addEventListener("cut", async (e) => {
  const refs = chosen();
  if (!taken(e)) return;
  select(null);
  await send("ask", {
    text: `remove ${refs.map((r) => `part=${r}`).join(" ")}`,
    version: state.version,
    commit: true,
  });
});
document.addEventListener("paste", async (e) => {
  if (e.target.matches?.("input, textarea, select")) return;
  const text = e.clipboardData.getData("text/plain");
  if (!text.includes(MARK)) return;
  e.preventDefault();
  const told = await send("paste", { text, version: state.version });
  if (!told) return;
  tell(told.says, true);
  choose(told.refs);
});
