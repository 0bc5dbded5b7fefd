// How far a route or an arrangement is, and the button that stops it.
import { send } from "../frame.js";
import { t } from "../frame/texts.js";

const job = document.getElementById("job");
const stop = document.getElementById("stop-route");

document.addEventListener("vane:job", ({ detail: d }) => {
  const over = d.state === "done" || d.state === "failed";
  job.hidden = over;
  stop.hidden = over;
  if (over) {
    if (d.proposals) window.htmx.trigger("#score", "refresh");
    return;
  }
  const bar = job.querySelector("progress");
  const words = job.querySelector("span");
  if (!d.total) {
    bar.removeAttribute("value");
    words.textContent = d.says;
    return;
  }
  bar.max = d.total;
  bar.value = d.settled;
  const left = Math.max(1, Math.round((d.seconds * (d.total - d.settled)) / d.settled));
  const more = d.settled > 0 ? t` · about ${left} s left` : "";
  words.textContent = `${t`${d.settled} of ${d.total} ${d.of}, ${d.seconds} s`}${more}`;
});
stop.addEventListener("click", () => send("route/stop", {}));
