// One design as a page has it: its version, edits that go out one after the other, and who is to hear of a new version.
import { t } from "./texts.js";
const { body } = document;
export const { design, step } = body.dataset;
export const state = { version: Number(body.dataset.version), listeners: [], selected: null };
export const $ = (id) => document.getElementById(id);

export function onChange(listener) {
  state.listeners.push(listener);
}

// One change after the other: a sentence typed while the last is still on its way goes out on the version that one gives.
let queue = Promise.resolve();
export function send(path, data) {
  queue = queue
    .catch(() => null)
    .then(() => post(path, "version" in data ? { ...data, version: state.version } : data));
  return queue;
}

// How far the last change got; one that could not be saved stays told until the next goes well.
function savedAs(text, failed = false) {
  $("saved").textContent = text;
  $("saved").toggleAttribute("data-failed", failed);
}

async function post(path, data) {
  savedAs(t`saving …`);
  const answer = await fetch(`/d/${design}/${path}`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify(data),
  }).catch(() => null);
  if (!answer) {
    savedAs(t`not saved`, true);
    tell(t`The program does not answer. Nothing was changed; start it again and go on.`);
    return null;
  }
  const told = await answer.json().catch(() => null);
  if (!told) {
    savedAs(t`not saved`, true);
    tell(t`The program answered ${answer.status} and nothing that can be read. Nothing was changed.`);
    return null;
  }
  if (!answer.ok) {
    if (answer.status >= 500) savedAs(t`not saved`, true);
    else savedAs(t`saved`);
    tell(
      [
        told.where && `${told.where}: `,
        told.message,
        told.allowed && t` Allowed: ${told.allowed}.`,
        told.next_step && ` ${told.next_step}`,
      ]
        .filter(Boolean)
        .join(""),
      false,
      told.choices,
    );
    return null;
  }
  if (told.version) arrived(told);
  else savedAs(t`saved`);
  return told;
}

// A refusal may come with sentences that each do one of the things that can have been meant: buttons, no time runs out.
export function tell(text, good = false, choices = []) {
  const box = $("notice");
  box.textContent = text;
  for (const sentence of choices || []) {
    const button = document.createElement("button");
    button.type = "button";
    button.className = "btn btn-outline-primary";
    button.dataset.ask = sentence;
    button.textContent = sentence;
    box.append(" ", button);
  }
  box.classList.toggle("good", good);
  box.hidden = false;
  clearTimeout(tell.timer);
  if (choices && choices.length) {
    box.querySelector("button").focus();
    return;
  }
  tell.timer = setTimeout(
    () => {
      box.hidden = true;
    },
    good ? 4000 : 9000,
  );
}

export function arrived(told) {
  $("undo").disabled = !told.undo;
  $("redo").disabled = !told.redo;
  $("last").textContent = told.undo || t`no change yet`;
  // A stream that opens late tells the version there is: that says nothing of a change that failed.
  if (told.version === state.version) {
    if (!$("saved").hasAttribute("data-failed")) savedAs(t`saved`);
    return;
  }
  savedAs(t`saved`);
  state.version = told.version;
  $("version").textContent = told.version;
  document.querySelectorAll("input[name=version]").forEach((field) => {
    field.value = told.version;
  });
  refresh();
}

export async function fragment(url) {
  const answer = await fetch(url, { headers: { "HX-Request": "true" } });
  return answer.ok ? answer.text() : null;
}

export function refresh() {
  document.querySelectorAll("[data-live]").forEach((part) => window.htmx.trigger(part, "refresh"));
  state.listeners.forEach((f) => f());
}
