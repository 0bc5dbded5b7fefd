// Buttons and forms, which carry sentences.
import { ask } from "./ask_line.js";
import { visit } from "./findings.js";
import { select } from "./selection.js";
import { send, state, tell } from "./session.js";
import { typed } from "./typed.js";

document.addEventListener("click", (e) => {
  const button = e.target.closest("[data-ask]");
  if (button) {
    e.stopPropagation();
    const question = button.closest("#notice");
    if (question) question.hidden = true;
    ask(button.dataset.ask);
    return;
  }
  const more = e.target.closest("[data-select]");
  if (more) {
    select(more.dataset.select, more.dataset.key);
    return;
  }
  const close = e.target.closest("[data-close]");
  if (close) {
    close.closest("dialog").close();
    return;
  }
  const finding = e.target.closest(".finding");
  if (finding) visit(finding);
});
document.addEventListener("submit", async (e) => {
  const posted = e.target.closest("[data-post]");
  if (posted) {
    e.preventDefault();
    const told = await send(posted.dataset.post, {
      ...Object.fromEntries(new FormData(posted)),
      version: state.version,
    });
    if (told) {
      posted.reset();
      if (told.says) tell(told.says, true);
    }
    return;
  }
  const form = e.target.closest("[data-form]");
  if (!form) return;
  e.preventDefault();
  const fields = new FormData(form);
  // Lines of a longer text become one sentence, parted by commas.
  if ("lines" in form.dataset)
    for (const [name, text] of Array.from(fields))
      fields.set(
        name,
        text
          .split("\n")
          .map((x) => x.trim())
          .filter(Boolean)
          .join(", "),
      );
  for (const name of fields.keys()) typed.delete(`${form.dataset.form} ${name}`);
  const said = form.dataset.form
    .replace(/\{(?:(\w+) )?(\w*)\}/g, (_, word, name) => {
      const value = (fields.get(name || "v") || "").replaceAll('"', "").trim();
      // A word before the name is said only where something was filled in.
      return word && value ? `${word} ${value}` : value;
    })
    .trim();
  // A view may say where what is added goes.
  const adding = new CustomEvent("vane:adding", { detail: { text: said, form, placed: false } });
  if ("again" in form.dataset) document.dispatchEvent(adding);
  const told = await ask(adding.detail.text);
  // A form that is used again and again is empty after each time.
  if (told && "again" in form.dataset) form.reset();
});

// Forms whose fields become key=value words: the fields of the kind that is chosen.
document.addEventListener("submit", (e) => {
  const form = e.target.closest("[data-pairs], [data-use-block]");
  if (!form) return;
  e.preventDefault();
  const within = form.dataset.useBlock === undefined ? form.querySelector("fieldset:not([disabled])") : form;
  const words = [...within.querySelectorAll("input")].map((i) => [
    i.name,
    i.value.trim().replaceAll(" ", ""),
  ]);
  const said = words
    .filter(([name, value]) => value && (form.dataset.useBlock === undefined || value !== name))
    .map((w) => w.join("="));
  const head =
    form.dataset.useBlock === undefined
      ? form.dataset.pairs.replace(/\{(\w+)\}/g, (_, name) => form.elements[name].value.trim())
      : `use "${form.dataset.useBlock}"`;
  ask([head, ...said].join(" "));
});
