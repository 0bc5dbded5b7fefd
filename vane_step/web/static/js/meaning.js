// What a marked term means, shown beside it while it is pointed at or has the focus; Escape hides it.
const box = document.getElementById("meaning");

function show(term) {
  box.textContent = term.dataset.means;
  box.hidden = false;
  const at = term.getBoundingClientRect();
  const left = Math.min(at.left, innerWidth - box.offsetWidth - 12);
  const below = at.bottom + 6 + box.offsetHeight < innerHeight;
  box.style.left = `${Math.max(12, left)}px`;
  box.style.top = `${below ? at.bottom + 6 : at.top - 6 - box.offsetHeight}px`;
  term.setAttribute("aria-describedby", "meaning");
}

function hide() {
  box.hidden = true;
}

const marked = (e) => e.target instanceof Element && e.target.closest(".term");
for (const [over, out] of [
  ["pointerover", "pointerout"],
  ["focusin", "focusout"],
]) {
  document.addEventListener(over, (e) => {
    if (marked(e)) show(marked(e));
  });
  document.addEventListener(out, (e) => {
    if (marked(e)) hide();
  });
}
document.addEventListener("keydown", (e) => {
  if (e.key === "Escape") hide();
});
document.addEventListener("scroll", hide, true);
