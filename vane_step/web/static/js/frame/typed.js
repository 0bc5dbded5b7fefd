// What a person had in hand when a part of the page is written anew: folds, fields not sent yet, the focus.
import { $ } from "./session.js";

// What was unfolded stays so when its part of the page is written anew.
const unfolded = new Set();
const noted = (d) => unfolded[d.open ? "add" : "delete"](d.dataset.fold);
document.addEventListener(
  "toggle",
  (e) => {
    if (e.target.dataset && e.target.dataset.fold) noted(e.target);
  },
  true,
);
// What was typed into a form and not sent yet stays too, whoever changed the design meanwhile.
export const typed = new Map();
document.addEventListener("input", (e) => {
  const form = e.target.closest("[data-form]");
  if (form && e.target.name) typed.set(`${form.dataset.form} ${e.target.name}`, e.target.value);
});
export function restore() {
  document.querySelectorAll("[data-form] [name]").forEach((field) => {
    const kept = typed.get(`${field.form.dataset.form} ${field.name}`);
    if (kept !== undefined) field.value = kept;
  });
}
// So does the hand: whoever types goes on in the same field, and a key pressed on a button does not throw one out.
const GRIPS = "[data-form] [name], [data-form] button, [data-ask], [data-select], summary";
const gripped = (e) =>
  [e.closest("[data-form]")?.dataset.form, e.name || e.dataset.ask || e.textContent.trim()].join(" ");
export function hold() {
  const at = document.activeElement;
  if (!at || !at.matches(GRIPS)) return () => null;
  const key = gripped(at),
    [from, to] = [at.selectionStart, at.selectionEnd];
  return () => {
    const again = at.isConnected
      ? null
      : [...document.querySelectorAll(GRIPS)].find((e) => gripped(e) === key);
    if (!again) return;
    again.focus({ preventScroll: true });
    if (typeof from === "number") again.setSelectionRange(from, to);
  };
}
function written() {
  restore();
  document.querySelectorAll("details[data-fold]").forEach((d) => {
    d.open = unfolded.has(d.dataset.fold);
  });
  placement();
}
document.addEventListener("htmx:before:swap", () => {
  // What was unfolded this moment has not said so yet.
  document.querySelectorAll("details[data-fold]").forEach(noted);
  // The new content is in place before this microtask runs, and no key can come between.
  const grip = hold();
  queueMicrotask(() => {
    written();
    grip();
  });
});
document.addEventListener("htmx:after:swap", () => {
  written();
  const fresh = $("fresh-step-bar");
  if (fresh) $("step-bar").replaceChildren(fresh.content.cloneNode(true));
});
function placement() {
  if ($("placement") && $("placement-list"))
    $("placement").replaceChildren($("placement-list").content.cloneNode(true));
}
placement();
