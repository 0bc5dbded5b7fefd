// The parts step: alternates, candidates, packages from dimensions. Lists come ready from the program.
import { ask, design } from "./frame.js";

const slip = document.getElementById("chosen");
async function show(path) {
  const answer = await fetch(`/d/${design}/${path}`);
  if (answer.ok) slip.innerHTML = await answer.text();
}
document.addEventListener("click", (e) => {
  const d = (e.target.closest("[data-others], [data-candidate], [data-use]") || { dataset: {} }).dataset;
  if (d.others) show(`alternates?ref=${encodeURIComponent(d.others)}`);
  if (d.candidate) show(`candidate/${encodeURIComponent(d.candidate)}`);
  if (d.use) ask(`use controller ${d.use}`);
});
document.addEventListener("vane:visit", (e) => { const ref = e.detail.refs.split(" ")[0]; if (ref) show(`alternates?ref=${encodeURIComponent(ref)}`); });
document.addEventListener("submit", (e) => { if (e.target.id === "search") e.preventDefault(); });

const form = document.getElementById("from-drawing");
if (form) {
  const pick = form.elements.family;
  const fields = () => form.querySelector(`fieldset[data-family="${pick.value}"]`);
  pick.addEventListener("change", () => form.querySelectorAll("fieldset").forEach((f) => { f.hidden = f.disabled = f !== fields(); }));
  form.addEventListener("submit", (e) => {
    e.preventDefault();
    const sizes = [...fields().querySelectorAll("input")].filter((i) => i.value.trim()).map((i) => `${i.name}=${i.value.replaceAll(" ", "")}`);
    ask(`pattern ${form.elements.name.value.trim()} ${pick.value} ${sizes.join(" ")}`);
  });
}
