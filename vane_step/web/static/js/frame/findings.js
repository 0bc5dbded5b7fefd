// Findings: going to the place of one, on this step or another.
import { design, step } from "./session.js";

export function visit(finding) {
  document.querySelectorAll(".finding.at").forEach((x) => x.classList.remove("at"));
  finding.classList.add("at");
  finding.scrollIntoView({ block: "nearest" });
  if (
    finding.dataset.go !== step &&
    ["brief", "parts", "circuit", "power", "board", "make"].includes(finding.dataset.go)
  ) {
    location.href = `/d/${design}/${finding.dataset.go}#${encodeURIComponent(finding.dataset.refs.split(" ")[0] || finding.dataset.net)}`;
    return;
  }
  document.dispatchEvent(new CustomEvent("vane:visit", { detail: { ...finding.dataset } }));
}
document.addEventListener("pointerover", (e) => {
  const finding = e.target.closest && e.target.closest(".finding");
  document.dispatchEvent(new CustomEvent("vane:hover", { detail: finding ? { ...finding.dataset } : null }));
});
