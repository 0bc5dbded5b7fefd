// The sheet: choosing pins, joining them, nudging parts. The drawing itself comes from the program.
import { ask, design, onChange, select, state, tell } from "./frame.js";
import { t } from "./frame/texts.js";
import { choose, chooseByBox, chosen } from "./clip.js";
import { dropParts } from "./drop.js";
import { tellPins } from "./pin_tip.js";
import { drawConnections } from "./wire.js";

const holder = document.getElementById("sheet");
let pins = [];
const svg = () => document.getElementById("sheet-svg");

// The page comes with a sheet for a window 1280 wide; where there is more room the blocks are set side by side.
const OWN_WIDTH = 746;
const room = () => Math.max(OWN_WIDTH, Math.min(1900, Math.floor((holder.clientWidth - 44) / 50) * 50));
let drawn = OWN_WIDTH;
function count() {
  document.getElementById("counts").textContent = holder.querySelector("[data-counts]").dataset.counts;
}
count();
async function redraw() {
  drawn = room();
  const answer = await fetch(
    `/d/${design}/sheet?show=${holder.dataset.show}&width=${drawn}${"page" in holder.dataset ? `&page=${encodeURIComponent(holder.dataset.page)}` : ""}`,
  );
  if (answer.ok) {
    holder.innerHTML = await answer.text();
    mark();
    count();
    holder.dispatchEvent(new Event("vane:drawn"));
  }
}
onChange(redraw);
// Pins that were put on a net are done with: the next one clicked begins anew.
let joining = false;
document.addEventListener("submit", (e) => {
  joining = (e.target.dataset.form || "").startsWith("join ");
});
document.addEventListener("click", (e) => {
  if (e.target.closest('[data-ask^="join "]')) joining = true;
});
onChange(() => {
  if (!joining) return;
  joining = false;
  pins = [];
  mark();
  select(null);
});
const fit = () => {
  if (holder.dataset.show === "sheet" && room() !== drawn) redraw();
};
let resizing = 0;
window.addEventListener("resize", () => {
  clearTimeout(resizing);
  resizing = setTimeout(fit, 200);
});
fit();

function mark() {
  document
    .querySelectorAll(".tab")
    .forEach((tab) => tab.classList.toggle("chosen", pins.includes(tab.dataset.pin)));
}
function light(test) {
  holder
    .querySelectorAll("[data-ref], [data-pin], [data-net]")
    .forEach((x) => x.classList.toggle("lit", test(x.dataset)));
}

holder.addEventListener("click", (e) => {
  const tab = e.target.closest("[data-pin]"),
    net = e.target.closest(".pill, .supply, .ground, .wire-catch"),
    part = e.target.closest("[data-ref]");
  if (tab) {
    pins = pins.includes(tab.dataset.pin)
      ? pins.filter((p) => p !== tab.dataset.pin)
      : [...pins, tab.dataset.pin].slice(-12);
    mark();
    if (pins.length) select("pins", pins.join(","));
    else select(null);
  } else if (net && net.dataset.net) {
    if (pins.length) {
      const text = `join ${pins.join(" ")} ${net.dataset.net}`;
      pins = [];
      ask(text);
    } else select("net", net.dataset.net);
  } else if (part) {
    pins = [];
    mark();
    const { ref } = part.dataset,
      others = chosen().filter((r) => r !== ref);
    // With the shift key parts are chosen one after the other; a second time they are left out again.
    choose(e.shiftKey ? (others.length < chosen().length ? others : [...others, ref]) : [ref]);
  }
});

dropParts();
// What is added from beside the sheet while one or two pins or a net are chosen is connected to them.
document.addEventListener("vane:adding", (e) => {
  if (e.detail.placed) return;
  const [kind, key] = state.selected || [];
  const ends = kind === "pins" ? pins.slice(0, 2) : kind === "net" ? [key] : [];
  if (!ends.length) return;
  e.detail.text += ` at ${ends.join(" ")}`;
  pins = [];
  select(null);
});

// The Delete key: parts go, pins are disconnected; a net has company, so that is asked.
function takeOut(kind, key) {
  if (kind === "net") tell(t`Take all pins off ${key}?`, false, [`remove ${key}`]);
  else {
    pins = [];
    select(null);
    const each = key.split(",");
    ask(
      kind === "pins" ? `disconnect ${each.join(" ")}` : `remove ${each.map((r) => `part=${r}`).join(" ")}`,
    );
  }
}

document.addEventListener("vane:key", (e) => {
  if (e.detail.key.toLowerCase() === "j" && pins.length > 1) {
    const text = document.getElementById("join-pins")?.dataset.ask || `join ${pins.join(" ")}`;
    pins = [];
    ask(text);
  }
  if (e.detail.key === "Delete" && state.selected) takeOut(...state.selected);
  if (e.detail.key === "Escape") {
    pins = [];
    mark();
    select(null);
  }
});

drawConnections(holder);
chooseByBox(holder);
tellPins(holder);

// -- nudging --
let drag = null;
holder.addEventListener("pointerdown", (e) => {
  const part = e.target.closest(".card-part, .symbol");
  if (!part || e.button || e.target.closest("[data-pin]")) return;
  drag = { ref: part.dataset.ref, group: part.closest(".group"), x: e.clientX, y: e.clientY, dx: 0, dy: 0 };
});
window.addEventListener("pointermove", (e) => {
  if (!drag) return;
  const scale = svg().viewBox.baseVal.width / svg().getBoundingClientRect().width;
  drag.dx = Math.round(((e.clientX - drag.x) * scale) / 10);
  drag.dy = Math.round(((e.clientY - drag.y) * scale) / 10);
  drag.group.setAttribute("transform", `translate(${drag.dx * 10} ${drag.dy * 10})`);
});
window.addEventListener("pointerup", async () => {
  if (!drag) return;
  const d = drag;
  drag = null;
  if (!d.dx && !d.dy) return;
  if (!(await ask(`nudge ${d.ref} ${d.dx} ${d.dy}`))) d.group.removeAttribute("transform");
});

// -- findings and going there --
function find(name) {
  return (
    holder.querySelector(`[data-ref="${CSS.escape(name)}"], [data-anchor="${CSS.escape(name)}"]`) ||
    holder.querySelector(`[data-net="${CSS.escape(name)}"]`)
  );
}
document.addEventListener("vane:visit", (e) => {
  const d = e.detail,
    first = (d.refs || "").split(" ")[0] || d.net;
  if (first) {
    find(first)?.scrollIntoView({ block: "center", behavior: "smooth" });
    select(d.refs ? "part" : "net", first);
  }
});
document.addEventListener("vane:choose", (e) => select("group", e.detail.refs.join(",")));
document.addEventListener("vane:go", (e) => {
  find(e.detail.name)?.scrollIntoView({ block: "center", behavior: "smooth" });
  select(holder.querySelector(`[data-ref="${CSS.escape(e.detail.name)}"]`) ? "part" : "net", e.detail.name);
});
document.addEventListener("vane:hover", (e) => {
  const d = e.detail,
    refs = d ? d.refs.split(" ") : [],
    ends = d ? d.pins.split(" ") : [];
  light((x) => Boolean(d) && ((x.ref && refs.includes(x.ref)) || (x.pin && ends.includes(x.pin))));
});
if (location.hash) {
  const name = decodeURIComponent(location.hash.slice(1));
  find(name)?.scrollIntoView({ block: "center" });
}
