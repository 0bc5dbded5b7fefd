// The frame of every step: version, edits, ask line, ledger, slip and keys. What a step shows is its own module's.
const body = document.body;
export const design = body.dataset.design;
export const step = body.dataset.step;
export const state = { version: Number(body.dataset.version), listeners: [], at: -1 };
const $ = (id) => document.getElementById(id);

document.addEventListener("alpine:init", () => {
  window.Alpine.data("frame", () => ({
    folded: false,
    get ledgerClass() { return this.folded ? "folded" : ""; },
    fold() { this.folded = !this.folded; },
  }));
});

export function onChange(listener) { state.listeners.push(listener); }

// One change after the other: a sentence typed while the last is still on its way goes out on the version that one gives.
let queue = Promise.resolve();
export function send(path, data) {
  queue = queue.catch(() => null).then(() => post(path, "version" in data ? { ...data, version: state.version } : data));
  return queue;
}

async function post(path, data) {
  $("saved").textContent = "saving …";
  const answer = await fetch(`/d/${design}/${path}`, {
    method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" }, body: JSON.stringify(data),
  }).catch(() => null);
  if (!answer) { $("saved").textContent = "not saved"; tell("The program does not answer. Nothing was changed; start it again and go on."); return null; }
  const told = await answer.json().catch(() => null);
  if (!told) { $("saved").textContent = "not saved"; tell(`The program answered ${answer.status} and nothing that can be read. Nothing was changed.`); return null; }
  if (!answer.ok) {
    $("saved").textContent = answer.status >= 500 ? "not saved" : "saved";
    tell([told.where && `${told.where}: `, told.message, told.allowed && ` Allowed: ${told.allowed}.`, told.next_step && ` ${told.next_step}`].filter(Boolean).join(""));
    return null;
  }
  if (told.version) arrived(told); else $("saved").textContent = "saved";
  return told;
}

export function tell(text, good = false) {
  const box = $("notice");
  box.textContent = text;
  box.classList.toggle("good", good);
  box.hidden = false;
  clearTimeout(tell.timer);
  tell.timer = setTimeout(() => { box.hidden = true; }, good ? 4000 : 9000);
}

function arrived(told) {
  $("undo").disabled = !told.undo;
  $("redo").disabled = !told.redo;
  $("last").textContent = told.undo || "no change yet";
  $("saved").textContent = "saved";
  if (told.version === state.version) return;
  state.version = told.version;
  $("version").textContent = told.version;
  document.querySelectorAll("input[name=version]").forEach((field) => { field.value = told.version; });
  refresh();
}

async function fragment(url) {
  const answer = await fetch(url, { headers: { "HX-Request": "true" } });
  return answer.ok ? answer.text() : null;
}

function refresh() {
  document.querySelectorAll("[data-live]").forEach((part) => window.htmx.trigger(part, "refresh"));
  state.listeners.forEach((f) => f());
  if (state.slip) slip(...state.slip);
}

// What was unfolded stays so when its part of the page is written anew.
const unfolded = new Set();
document.addEventListener("toggle", (e) => {
  const key = e.target.dataset && e.target.dataset.fold;
  if (key) unfolded[e.target.open ? "add" : "delete"](key);
}, true);
// What was typed into a form and not sent yet stays too, whoever changed the design meanwhile.
const typed = new Map();
document.addEventListener("input", (e) => {
  const form = e.target.closest("[data-form]");
  if (form && e.target.name) typed.set(`${form.dataset.form} ${e.target.name}`, e.target.value);
});
function restore() {
  document.querySelectorAll("[data-form] [name]").forEach((field) => {
    const kept = typed.get(`${field.form.dataset.form} ${field.name}`);
    if (kept !== undefined) field.value = kept;
  });
}
// So does the hand: whoever types goes on in the same field, and a key pressed on a button does not throw one out.
const GRIPS = "[data-form] [name], [data-form] button, [data-ask], [data-slip], summary";
const gripped = (e) => [e.closest("[data-form]")?.dataset.form, e.name || e.dataset.ask || e.textContent.trim()].join(" ");
function hold() {
  const at = document.activeElement;
  if (!at || !at.matches(GRIPS)) return () => null;
  const key = gripped(at), [from, to] = [at.selectionStart, at.selectionEnd];
  return () => {
    const again = at.isConnected ? null : [...document.querySelectorAll(GRIPS)].find((e) => gripped(e) === key);
    if (!again) return;
    again.focus({ preventScroll: true });
    if (typeof from === "number") again.setSelectionRange(from, to);
  };
}
function written() {
  restore();
  document.querySelectorAll("details[data-fold]").forEach((d) => { d.open = unfolded.has(d.dataset.fold); });
  placement();
}
document.addEventListener("htmx:before:swap", () => {
  // The new content is in place before this microtask runs, and no key can come between.
  const grip = hold();
  queueMicrotask(() => { written(); grip(); });
});
document.addEventListener("htmx:after:swap", () => {
  written();
  const fresh = $("fresh-stair");
  if (fresh) $("stair").replaceChildren(fresh.content.cloneNode(true));
});
function placement() {
  if ($("placement") && $("placement-list")) $("placement").replaceChildren($("placement-list").content.cloneNode(true));
}
placement();

export async function slip(kind, key) {
  const mine = state.slip = kind ? [kind, key] : null;
  const box = $("chosen") || $("slip");
  if (!kind) { box.replaceChildren(); return; }
  const text = await fragment(`/d/${design}/slip?kind=${kind}&key=${encodeURIComponent(key)}`);
  // Answers may come in another order than they were asked for: only what was chosen last is shown.
  if (state.slip !== mine) return;
  const grip = hold();
  if (text === null) { state.slip = null; box.replaceChildren(); } else { box.innerHTML = text; restore(); grip(); }
}

export async function ask(text) {
  const told = await send("ask", { text, version: state.version, commit: true });
  if (told && told.action) act(told.action);
  return told;
}

function act({ name, objects }) {
  if (name === "choose") document.dispatchEvent(new CustomEvent("vane:choose", { detail: { refs: objects } }));
  if (name === "go") document.dispatchEvent(new CustomEvent("vane:go", { detail: { name: objects[0] } }));
}

// -- ask line --
const line = $("ask"), says = $("says"), list = $("completions");
let chosen = -1, waiting = 0;
async function think() {
  const mine = ++waiting;
  const answer = await fetch(`/d/${design}/ask`, {
    method: "POST", headers: { "Content-Type": "application/json", Accept: "application/json" },
    body: JSON.stringify({ text: line.value, version: state.version }),
  }).catch(() => null);
  if (!answer || !answer.ok || mine !== waiting) return;
  const told = await answer.json();
  says.textContent = told.says ? `${told.says}. Enter to do it` : told.refused;
  says.title = says.textContent;
  says.classList.toggle("refused", !told.says && Boolean(told.refused));
  chosen = -1;
  list.replaceChildren(...told.completions.map((word) => {
    const item = document.createElement("li");
    item.textContent = word;
    item.setAttribute("role", "option");
    item.addEventListener("pointerdown", (e) => { e.preventDefault(); take(word); });
    return item;
  }));
  list.hidden = !told.completions.length || document.activeElement !== line;
}
function take(word) {
  const cut = line.value.lastIndexOf(" ") + 1;
  line.value = line.value.slice(0, cut) + word + (word.endsWith(".") ? "" : " ");
  think();
}
line.addEventListener("input", think);
line.addEventListener("focus", think);
line.addEventListener("blur", () => { list.hidden = true; });
line.addEventListener("keydown", async (e) => {
  const items = [...list.children];
  if ((e.key === "ArrowDown" || e.key === "ArrowUp") && items.length && !list.hidden) {
    e.preventDefault();
    chosen = (chosen + (e.key === "ArrowDown" ? 1 : items.length - 1) + (chosen < 0 && e.key === "ArrowUp" ? 1 : 0)) % items.length;
    items.forEach((x, i) => x.setAttribute("aria-selected", i === chosen));
  } else if (e.key === "Tab" && items.length && !list.hidden) {
    e.preventDefault();
    take(items[Math.max(0, chosen)].textContent);
  } else if (e.key === "Enter") {
    e.preventDefault();
    if (chosen >= 0) { take(items[chosen].textContent); return; }
    // The line is free at once for the next sentence; a refused one comes back unless something was typed meanwhile.
    const text = line.value;
    line.value = "";
    waiting += 1;
    list.hidden = true;
    const told = await ask(text);
    if (told && !line.value) { says.textContent = told.says || ""; says.classList.remove("refused"); }
    if (told) return;
    if (!line.value) { line.value = text; think(); }
  } else if (e.key === "Escape") { list.hidden = true; line.blur(); }
});

// -- buttons and forms carry sentences --
document.addEventListener("click", (e) => {
  const button = e.target.closest("[data-ask]");
  if (button) { e.stopPropagation(); ask(button.dataset.ask); return; }
  const more = e.target.closest("[data-slip]");
  if (more) { slip(more.dataset.slip, more.dataset.key); return; }
  const close = e.target.closest("[data-close]");
  if (close) { close.closest("dialog").close(); return; }
  const finding = e.target.closest(".finding");
  if (finding) visit(finding);
});
document.addEventListener("submit", async (e) => {
  const posted = e.target.closest("[data-post]");
  if (posted) {
    e.preventDefault();
    const told = await send(posted.dataset.post, { ...Object.fromEntries(new FormData(posted)), version: state.version });
    if (told) { posted.reset(); if (told.says) tell(told.says, true); }
    return;
  }
  const form = e.target.closest("[data-form]");
  if (!form) return;
  e.preventDefault();
  const fields = new FormData(form);
  // Lines of a longer text become one sentence, parted by commas.
  if ("lines" in form.dataset) for (const [name, text] of [...fields]) fields.set(name, text.split("\n").map((x) => x.trim()).filter(Boolean).join(", "));
  for (const name of fields.keys()) typed.delete(`${form.dataset.form} ${name}`);
  ask(form.dataset.form.replace(/\{(\w*)\}/g, (_, name) => (fields.get(name || "v") || "").replaceAll('"', "").trim()).trim());
});

// Forms whose fields become key=value words: the fields of the kind that is chosen.
document.addEventListener("change", (e) => {
  const form = e.target.name === "family" && e.target.closest("[data-pairs]");
  if (form) form.querySelectorAll("fieldset").forEach((f) => { f.hidden = f.disabled = f.dataset.family !== e.target.value; });
});
document.addEventListener("submit", (e) => {
  const form = e.target.closest("[data-pairs], [data-use-block]");
  if (!form) return;
  e.preventDefault();
  const within = form.dataset.useBlock === undefined ? form.querySelector("fieldset:not([disabled])") : form;
  const words = [...within.querySelectorAll("input")].map((i) => [i.name, i.value.trim().replaceAll(" ", "")]);
  const said = words.filter(([name, value]) => value && (form.dataset.useBlock === undefined || value !== name)).map((w) => w.join("="));
  const head = form.dataset.useBlock === undefined
    ? form.dataset.pairs.replace(/\{(\w+)\}/g, (_, name) => form.elements[name].value.trim()) : `use "${form.dataset.useBlock}"`;
  ask([head, ...said].join(" "));
});

export function visit(finding) {
  document.querySelectorAll(".finding.at").forEach((x) => x.classList.remove("at"));
  finding.classList.add("at");
  finding.scrollIntoView({ block: "nearest" });
  if (finding.dataset.go !== step && ["brief", "parts", "circuit", "power", "board", "make"].includes(finding.dataset.go)) {
    location.href = `/d/${design}/${finding.dataset.go}#${encodeURIComponent(finding.dataset.refs.split(" ")[0] || finding.dataset.net)}`;
    return;
  }
  document.dispatchEvent(new CustomEvent("vane:visit", { detail: { ...finding.dataset } }));
}
document.addEventListener("pointerover", (e) => {
  const finding = e.target.closest && e.target.closest(".finding");
  document.dispatchEvent(new CustomEvent("vane:hover", { detail: finding ? { ...finding.dataset } : null }));
});

// -- undo, redo, keys --
export const undo = () => send("undo", { version: state.version });
export const redo = () => send("redo", { version: state.version });
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
    if (e.key === "z") { e.preventDefault(); undo(); }
    if (e.key === "y") { e.preventDefault(); redo(); }
    return;
  }
  if (typing || e.altKey || document.querySelector("dialog[open]")) return;
  if (e.key === "/") { e.preventDefault(); line.focus(); }
  else if (e.key === "?") help();
  else if (e.key === "." || e.key === ",") {
    const all = [...document.querySelectorAll(".finding")];
    if (!all.length) return;
    const now = all.findIndex((x) => x.classList.contains("at"));
    visit(all[(now + (e.key === "." ? 1 : all.length - 1) + (now < 0 && e.key === "," ? 1 : 0)) % all.length]);
  } else if (/^[1-9]$/.test(e.key)) {
    const tread = document.querySelector(`.tread[data-key="${e.key}"]`);
    if (tread) location.href = tread.href;
  } else if (e.key === "Enter" && e.target.matches(".finding")) visit(e.target);
  else if ((e.key === "Enter" || e.key === " ") && e.target.matches("[role=button]")) { e.preventDefault(); e.target.dispatchEvent(new MouseEvent("click", { bubbles: true })); }
  else if (e.key === "n" || e.key === "N") { const field = $("net-name"); if (field) { e.preventDefault(); field.focus(); field.select(); } }
  else document.dispatchEvent(new CustomEvent("vane:key", { detail: { key: e.key, shift: e.shiftKey, event: e } }));
});

// -- other tabs --
async function catchUp() {
  const answer = await fetch(`/d/${design}/version`, { headers: { Accept: "application/json" } }).catch(() => null);
  if (answer && answer.ok) arrived(await answer.json());
}
function hear({ kind, data }) {
  if (kind === "error") $("saved").textContent = "no connection";
  if (kind === "open") catchUp();
  if (!data || data.design !== design) return;
  if (kind === "version") arrived(data);
  if (kind === "offers") refresh();
  if (kind === "job") document.dispatchEvent(new CustomEvent("vane:job", { detail: data }));
}
function listen() {
  if (window.SharedWorker) {
    const worker = new SharedWorker("/static/js/stream.js", { name: "vane-step" });
    worker.port.onmessage = (e) => hear(e.data);
    return () => { worker.port.postMessage("bye"); worker.port.close(); };
  }
  const source = new EventSource("/events");
  for (const kind of ["version", "job", "offers"]) source.addEventListener(kind, (e) => hear({ kind, data: JSON.parse(e.data) }));
  for (const kind of ["open", "error"]) source.addEventListener(kind, () => hear({ kind }));
  return () => source.close();
}
let leave = listen();
window.addEventListener("pagehide", () => leave());
// A page that comes back with the back button is as it was left: it listens again and asks what happened meanwhile.
window.addEventListener("pageshow", (e) => { if (e.persisted) leave = listen(); });
document.addEventListener("vane:job", (e) => { if (e.detail.state === "done" || e.detail.state === "failed") tell(e.detail.says, e.detail.state === "done"); });
