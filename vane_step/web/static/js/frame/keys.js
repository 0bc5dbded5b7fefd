// Undo and redo, help, and the keys every step has; all others go to the view as "vane:key".
import { visit } from "./findings.js";
import { $, design, fragment, send, state } from "./session.js";

const undo = () => send("undo", { version: state.version });
const redo = () => send("redo", { version: state.version });
$("undo").addEventListener("click", undo);
$("redo").addEventListener("click", redo);
async function help() {
  $("helpbox").innerHTML = await fragment(`/d/${design}/verbs`);
  $("helpbox").showModal();
}
$("help").addEventListener("click", help);
document.addEventListener("keydown", (e) => {
  const typing = e.target.matches("input, select, textarea");
  if ((e.ctrlKey || e.metaKey) && !typing) {
    if (e.key === "z") {
      e.preventDefault();
      undo();
    }
    if (e.key === "y") {
      e.preventDefault();
      redo();
    }
    return;
  }
  if (typing || e.altKey || document.querySelector("dialog[open]")) return;
  if (e.key === "/") {
    e.preventDefault();
    $("ask").focus();
  } else if (e.key === "?") help();
  else if (e.key === "." || e.key === ",") {
    const all = [...document.querySelectorAll(".finding")];
    if (!all.length) return;
    const now = all.findIndex((x) => x.classList.contains("at"));
    visit(
      all[(now + (e.key === "." ? 1 : all.length - 1) + (now < 0 && e.key === "," ? 1 : 0)) % all.length],
    );
  } else if (/^[1-9]$/.test(e.key)) {
    const link = document.querySelector(`.step-link[data-key="${e.key}"]`);
    if (link) location.href = link.href;
  } else if (e.key === "Enter" && e.target.matches(".finding")) visit(e.target);
  else if ((e.key === "Enter" || e.key === " ") && e.target.matches("[role=button]")) {
    e.preventDefault();
    e.target.dispatchEvent(new MouseEvent("click", { bubbles: true }));
  } else if (e.key === "n" || e.key === "N") {
    const field = $("net-name");
    if (field) {
      e.preventDefault();
      field.focus();
      field.select();
    }
  } else
    document.dispatchEvent(
      new CustomEvent("vane:key", { detail: { key: e.key, shift: e.shiftKey, event: e } }),
    );
});
