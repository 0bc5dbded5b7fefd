// What the program tells of its own accord: versions made in other tabs, jobs, offers.
import { $, arrived, design, refresh, tell } from "./session.js";
import { t } from "./texts.js";

async function catchUp() {
  const answer = await fetch(`/d/${design}/version`, { headers: { Accept: "application/json" } }).catch(
    () => null,
  );
  if (answer && answer.ok) arrived(await answer.json());
}
function hear({ kind, data }) {
  if (kind === "error") $("saved").textContent = t`no connection`;
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
    return () => {
      worker.port.postMessage("bye");
      worker.port.close();
    };
  }
  const source = new EventSource("/events");
  for (const kind of ["version", "job", "offers"])
    source.addEventListener(kind, (e) => hear({ kind, data: JSON.parse(e.data) }));
  for (const kind of ["open", "error"]) source.addEventListener(kind, () => hear({ kind }));
  return () => source.close();
}
let leave = listen();
window.addEventListener("pagehide", () => leave());
// A page that comes back with the back button is as it was left: it listens again and asks what happened meanwhile.
window.addEventListener("pageshow", (e) => {
  if (e.persisted) leave = listen();
});
document.addEventListener("vane:job", (e) => {
  if (e.detail.state === "done" || e.detail.state === "failed")
    tell(e.detail.says, e.detail.state === "done");
});
