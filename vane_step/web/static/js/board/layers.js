// The layer keys: the legend of the drawing, which choose the layer that stands out.
import { drawing, svg } from "./drawing.js";
import { t } from "../frame/texts.js";

const SAYS = { front: t`front`, in1: t`inner 1`, in2: t`inner 2`, back: t`back` };
const keys = document.getElementById("layers");
let keysFor = "";

// Makes the keys anew when the board has other layers than they are for.
export function layerKeys() {
  const { layers } = drawing.data;
  if (keysFor === layers.join()) return;
  keysFor = layers.join();
  const names = layers.length > 1 ? ["", ...layers] : layers;
  keys.replaceChildren(...names.map(key));
  only("");
}
function key(name) {
  const button = document.createElement("button");
  button.type = "button";
  button.className = "btn btn-outline-primary";
  if (name) {
    const swatch = document.createElement("i");
    swatch.className = `k-${name}`;
    button.append(swatch);
  }
  button.append(name ? SAYS[name] : t`all`);
  button.addEventListener("click", () => only(name));
  button.dataset.layer = name;
  return button;
}
function only(name) {
  for (const b of keys.querySelectorAll("button")) b.setAttribute("aria-pressed", b.dataset.layer === name);
  for (const layer of Object.keys(SAYS)) {
    svg.classList.toggle(`fade-${layer}`, Boolean(name) && name !== layer);
    svg.classList.toggle(`only-${layer}`, name === layer);
  }
}
