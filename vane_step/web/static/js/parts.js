// The parts step: alternates and candidates. Lists come ready from the program.
import { ask, design } from "./frame.js";

const selection = document.getElementById("chosen");
async function show(path) {
  const answer = await fetch(`/d/${design}/${path}`);
  if (answer.ok) selection.innerHTML = await answer.text();
}
document.addEventListener("click", (e) => {
  const d = (e.target.closest("[data-others], [data-candidate], [data-use]") || { dataset: {} }).dataset;
  if (d.others) show(`alternates?ref=${encodeURIComponent(d.others)}`);
  if (d.candidate) show(`candidate/${encodeURIComponent(d.candidate)}`);
  if (d.use) ask(`use controller ${d.use}`);
});
document.addEventListener("vane:visit", (e) => {
  const ref = e.detail.refs.split(" ")[0];
  if (ref) show(`alternates?ref=${encodeURIComponent(ref)}`);
});
document.addEventListener("submit", (e) => {
  if (e.target.id === "search") e.preventDefault();
});
