// Which parts are chosen. One part is told of in full, several in what can be done with all of them.
import { select } from "../frame.js";
import { svg } from "./drawing.js";

let refs = [];

export const chosen = () => refs;
export function choose(some) {
  refs = some;
  for (const g of svg.querySelectorAll(".part")) g.classList.toggle("chosen", refs.includes(g.dataset.ref));
  if (refs.length > 1) select("group", refs.join(","));
  else select(refs.length ? "part" : null, refs[0]);
}
