// The make page: enlarging a layer, and saying what a measured ruler means.
import "./frame.js";
import { t } from "./frame/texts.js";

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
      ? worst > 0.2
        ? t`Off by ${worst.toFixed(2)} %: more than 0.2 %, the print will be corrected.`
        : t`Off by ${worst.toFixed(2)} %, within 0.2 %.`
      : t`Type lengths in mm.`;
  });
