// The selection panel: what is told of the part, net or copper that is selected.
import { $, design, fragment, onChange, state, step } from "./session.js";
import { hold, restore } from "./typed.js";

// The state in which what is selected is read: chosen once, kept while the tab is open.
const PROBED = `probed-state:${design}`;

export async function select(kind, key) {
  const mine = (state.selected = kind ? [kind, key] : null);
  document.dispatchEvent(new CustomEvent("vane:selected"));
  const box = $("chosen") || $("selection");
  if (!kind) {
    box.replaceChildren();
    return;
  }
  const asked = new URLSearchParams({ kind, key, step, state: sessionStorage.getItem(PROBED) ?? "" });
  // The Power page has its state in a form, which may be one nobody named.
  for (const [name, value] of new FormData($("state-form") ?? undefined)) asked.append(name, value);
  const text = await fragment(`/d/${design}/selection?${asked}`);
  // Answers may come in another order than they were asked for: only what was chosen last is shown.
  if (state.selected !== mine) return;
  const grip = hold();
  if (text === null) {
    state.selected = null;
    box.replaceChildren();
  } else {
    box.innerHTML = text;
    restore();
    grip();
  }
}

const again = () => {
  if (state.selected) select(...state.selected);
};
onChange(again);
document.addEventListener("change", (event) => {
  if (!event.target.matches?.("[data-probe]")) return;
  sessionStorage.setItem(PROBED, event.target.value);
  again();
});
document.addEventListener("htmx:after:swap", (event) => {
  if (event.target.id === "flow" || event.detail?.ctx?.target?.id === "flow") again();
});
