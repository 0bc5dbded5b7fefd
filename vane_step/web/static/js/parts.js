// The parts step: alternates and candidates, the catalogue's sliders, and parts side by side. Lists come ready.
import { ask, design } from "./frame.js";

const selection = document.getElementById("chosen");
const compared = new Set();

async function show(path, box = selection) {
  const answer = await fetch(`/d/${design}/${path}`);
  if (answer.ok) box.innerHTML = await answer.text();
}
function again() {
  const form = document.getElementById("search");
  if (form) window.htmx.trigger(form, "refresh");
}

document.addEventListener("click", (e) => {
  const found = e.target.closest("[data-others], [data-candidate], [data-use], [data-part], [data-search]");
  const d = found ? found.dataset : {};
  if (d.others) show(`alternates?ref=${encodeURIComponent(d.others)}`);
  if (d.candidate) show(`candidate/${encodeURIComponent(d.candidate)}`);
  if (d.use) ask(`use controller ${d.use}`);
  if (d.part) show(`catalogue/${encodeURIComponent(d.part)}`);
  if (d.search) {
    document.getElementById("q").value = d.search;
    again();
  }
});
document.addEventListener("change", (e) => {
  const { compare } = e.target.dataset;
  if (compare) {
    if (e.target.checked) compared.add(compare);
    else compared.delete(compare);
    const box = document.getElementById("compared"),
      numbers = encodeURIComponent([...compared].join(","));
    if (!compared.size) box.replaceChildren();
    else
      show(`compare?numbers=${numbers}`, box).then(() => {
        if (compared.size > 1) box.scrollIntoView({ block: "nearest" });
      });
  } else if (e.target.form && e.target.form.id === "search" && e.target.id !== "q") again();
});
// What a slider says while it moves; the list follows when it is let go.
document.addEventListener("input", (e) => {
  const slider = e.target.closest(".slider");
  if (!slider) return;
  const steps = JSON.parse(slider.dataset.steps);
  const ends = [...slider.querySelectorAll("input")].map((i) => Number(i.value)).sort((a, b) => a - b);
  slider.querySelector("output").textContent = ends.map((k) => steps[k]).join(" – ");
});
document.addEventListener("htmx:after:swap", () => {
  for (const box of document.querySelectorAll("[data-compare]"))
    box.checked = compared.has(box.dataset.compare);
});
document.addEventListener("vane:visit", (e) => {
  const ref = e.detail.refs.split(" ")[0];
  if (ref) show(`alternates?ref=${encodeURIComponent(ref)}`);
});
document.addEventListener("submit", (e) => {
  if (e.target.id === "search") {
    e.preventDefault();
    again();
  }
});
