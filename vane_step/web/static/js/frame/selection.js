// The selection panel: what is told of the part, net or copper that is selected.
import { $, design, fragment, onChange, state, step } from "./session.js";
import { hold, restore } from "./typed.js";

export async function select(kind, key) {
  const mine = (state.selected = kind ? [kind, key] : null);
  document.dispatchEvent(new CustomEvent("vane:selected"));
  const box = $("chosen") || $("selection");
  if (!kind) {
    box.replaceChildren();
    return;
  }
  const text = await fragment(
    `/d/${design}/selection?kind=${kind}&key=${encodeURIComponent(key)}&step=${step}`,
  );
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

onChange(() => {
  if (state.selected) select(...state.selected);
});
