// The frame of every step; what a step shows is its own module's.
import "./frame/events.js";
import "./frame/forms.js";
import "./frame/keys.js";

export { ask } from "./frame/ask_line.js";
export { select } from "./frame/selection.js";
export { design, onChange, send, state, tell } from "./frame/session.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("frame", () => ({
    folded: false,
    get panelClass() {
      return this.folded ? "folded" : "";
    },
    fold() {
      this.folded = !this.folded;
    },
  }));
});
