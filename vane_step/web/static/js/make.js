// The make page: enlarging a layer, what a measured ruler means, forms that go where their answer leads, the bath's clock.
import { tell } from "./frame.js";
import { t } from "./frame/texts.js";

document.addEventListener("click", (e) => {
  const layer = e.target.closest("[data-large]");
  if (layer) {
    const box = document.getElementById("large");
    box.querySelector("img").src = layer.dataset.large;
    box.showModal();
  }
  const seen = e.target.closest("#board-seen");
  const form = document.getElementById("fault-form");
  if (!seen || !form) return;
  const at = new DOMPoint(e.clientX, e.clientY).matrixTransform(seen.getScreenCTM().inverse());
  const { flip, sumX, sumY } = seen.dataset;
  form.elements.x.value = (flip ? sumX - at.x : at.x).toFixed(1);
  form.elements.y.value = (sumY - at.y).toFixed(1);
  form.elements.kind.focus();
});

document.addEventListener("input", (e) => {
  const form = e.target.closest(".scale-form");
  if (!form) return;
  const off = ["across", "upwards"].map((k) => Number(form.elements[k].value.replace(",", ".")) / 50 - 1);
  const worst = Math.max(...off.map(Math.abs)) * 100;
  document.getElementById("scale-says").textContent = Number.isFinite(worst)
    ? worst > 0.2
      ? t`Off by ${worst.toFixed(2)} %: more than 0.2 %, the print will be corrected.`
      : t`Off by ${worst.toFixed(2)} %, within 0.2 %.`
    : t`Type lengths in mm.`;
});

// A refusal is told beside the form, which keeps what was typed.
document.addEventListener("submit", async (e) => {
  const form = e.target.closest("form[data-page]");
  if (!form) return;
  e.preventDefault();
  const fields = new FormData(form, e.submitter);
  const answer = await fetch(form.action, {
    method: "POST",
    body: fields,
    headers: { Accept: "application/json" },
  }).catch(() => null);
  if (!answer) {
    tell(t`The program does not answer. Nothing was changed; start it again and go on.`);
    return;
  }
  if (answer.redirected) {
    const there = answer.url;
    if (there.split("#")[0] === location.href.split("#")[0]) location.reload();
    else location.href = there;
    return;
  }
  const told = await answer.json().catch(() => ({ message: answer.statusText }));
  const allowed = told.allowed ? t` Allowed: ${told.allowed}.` : "";
  tell(`${told.where ? `${told.where}: ` : ""}${told.message}${allowed} ${told.next_step ?? ""}`);
});

// The clock goes by when the board went in, so that it is right after a reload; the title shows it while another tab is open.
const AGITATE_S = 60;
const title = document.title;
// Reminders are heard where that is wanted: a low tone to move the bath, two high ones, every minute, to look.
const HEARD = "vane-step bath sound";
let air = null,
  heard = "";
function hear(tones, mark) {
  if (mark === heard) return;
  heard = mark;
  if (!document.getElementById("bath-sound")?.checked) return;
  air ??= new AudioContext();
  air.resume();
  for (let k = 0; k < tones; k++) {
    const [tone, volume] = [air.createOscillator(), air.createGain()];
    const begin = air.currentTime + 0.3 * k;
    tone.frequency.value = tones > 1 ? 880 : 440;
    volume.gain.setValueAtTime(0.2, begin);
    volume.gain.exponentialRampToValueAtTime(0.001, begin + 0.25);
    tone.connect(volume).connect(air.destination);
    tone.start(begin);
    tone.stop(begin + 0.25);
  }
}
const sound = document.getElementById("bath-sound");
if (sound) sound.checked = localStorage.getItem(HEARD) === "yes";
document.addEventListener("change", (e) => {
  if (e.target.id !== "bath-sound") return;
  localStorage.setItem(HEARD, e.target.checked ? "yes" : "no");
  heard = "";
  if (e.target.checked) hear(1, "tried");
});

function clock() {
  const since = document.querySelector("[data-since]");
  if (!since) {
    document.title = title;
    return;
  }
  const passed = Math.max(0, (Date.now() - new Date(since.dataset.since)) / 1000);
  const [low, high] = ["low", "high"].map((k) => Number(since.dataset[k]));
  const text = `${Math.floor(passed / 60)}:${String(Math.floor(passed % 60)).padStart(2, "0")}`;
  since.querySelector(".clock").textContent = text;
  document.querySelector("#timer progress").value = passed;
  document.title = `${text} · ${title}`;
  const says = document.getElementById("bath-says");
  const moving = !since.dataset.moved && passed % AGITATE_S < 15;
  const now =
    passed > high
      ? t`Longer than eight of ten: is the bath warm, and not tired? Look at the thinnest tracks now.`
      : passed > low
        ? t`Look now, and every minute: take it out when the widest bare areas are clear.`
        : moving
          ? t`Move it, or the bath.`
          : "";
  if (now && says.textContent !== now) says.textContent = now;
  if (passed > low) hear(2, `look ${Math.floor((passed - low) / 60)}`);
  else if (moving) hear(1, `move ${Math.floor(passed / AGITATE_S)}`);
}
clock();
setInterval(clock, 500);
