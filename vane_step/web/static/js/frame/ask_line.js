// The ask line: what a sentence would do while it is typed, words that complete it, and what an answer asks of the view.
import { $, design, send, state } from "./session.js";
import { t } from "./texts.js";

export async function ask(text) {
  const told = await send("ask", { text, version: state.version, commit: true });
  if (told && told.action) act(told.action);
  return told;
}

function act({ name, objects }) {
  if (name === "choose")
    document.dispatchEvent(new CustomEvent("vane:choose", { detail: { refs: objects } }));
  if (name === "find")
    location.assign(`/d/${design}/parts?show=catalogue&q=${encodeURIComponent(objects[0])}`);
  if (name === "help") $("help").click();
  if (name === "go") document.dispatchEvent(new CustomEvent("vane:go", { detail: { name: objects[0] } }));
}

const line = $("ask"),
  says = $("says"),
  list = $("completions");
let chosen = -1,
  waiting = 0;
async function think() {
  const mine = ++waiting;
  const answer = await fetch(`/d/${design}/ask`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify({ text: line.value, version: state.version }),
  }).catch(() => null);
  if (!answer || !answer.ok || mine !== waiting) return;
  const told = await answer.json();
  says.textContent = told.says ? t`${told.says}. Enter to do it` : told.refused;
  says.title = says.textContent;
  says.classList.toggle("refused", !told.says && Boolean(told.refused));
  chosen = -1;
  list.replaceChildren(
    ...told.completions.map((word) => {
      const item = document.createElement("li");
      item.textContent = word;
      item.setAttribute("role", "option");
      item.addEventListener("pointerdown", (e) => {
        e.preventDefault();
        take(word);
      });
      return item;
    }),
  );
  list.hidden = !told.completions.length || document.activeElement !== line;
}
function take(word) {
  const cut = line.value.lastIndexOf(" ") + 1;
  line.value = line.value.slice(0, cut) + word + (word.endsWith(".") ? "" : " ");
  think();
}
line.addEventListener("input", think);
line.addEventListener("focus", think);
line.addEventListener("blur", () => {
  list.hidden = true;
});
line.addEventListener("keydown", async (e) => {
  const items = [...list.children];
  if ((e.key === "ArrowDown" || e.key === "ArrowUp") && items.length && !list.hidden) {
    e.preventDefault();
    chosen =
      (chosen +
        (e.key === "ArrowDown" ? 1 : items.length - 1) +
        (chosen < 0 && e.key === "ArrowUp" ? 1 : 0)) %
      items.length;
    items.forEach((x, i) => x.setAttribute("aria-selected", i === chosen));
  } else if (e.key === "Tab" && items.length && !list.hidden) {
    e.preventDefault();
    take(items[Math.max(0, chosen)].textContent);
  } else if (e.key === "Enter") {
    e.preventDefault();
    if (chosen >= 0) {
      take(items[chosen].textContent);
      return;
    }
    // The line is free at once for the next sentence; a refused one comes back unless something was typed meanwhile.
    const text = line.value;
    line.value = "";
    waiting += 1;
    list.hidden = true;
    const told = await ask(text);
    if (told && !line.value) {
      says.textContent = told.says || "";
      says.classList.remove("refused");
    }
    if (told) return;
    if (!line.value) {
      line.value = text;
      think();
    }
  } else if (e.key === "Escape") {
    list.hidden = true;
    line.blur();
  }
});
