// The make page: enlarging a layer, and saying what a measured ruler means.
import "./frame.js";

document.addEventListener("click", (e) => {
  const layer = e.target.closest("[data-large]");
  if (!layer) return;
  const box = document.getElementById("large");
  box.querySelector("img").src = layer.dataset.large;
  box.showModal();
});
const form = document.querySelector(".scale-form");
if (form)
  form.addEventListener("input", () => {
    const off = ["across", "upwards"].map((k) => Number(form.elements[k].value.replace(",", ".")) / 50 - 1);
    const worst = Math.max(...off.map(Math.abs)) * 100;
    document.getElementById("scale-says").textContent = Number.isFinite(worst)
      ? `Off by ${worst.toFixed(2)} %${worst > 0.2 ? ": more than 0.2 %, the print will be corrected" : ", within 0.2 %"}.`
      : "Type lengths in mm.";
  });
