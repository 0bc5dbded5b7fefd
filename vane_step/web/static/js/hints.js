// Hints: what a marked term means and which key a button has, by pointing or by focus; and fields that are not right yet.
const { Tooltip } = window.bootstrap;

new Tooltip(document.body, {
  selector: ".term, button[title], a[title]",
  container: "body",
  animation: false,
  placement: "bottom",
});
function clear() {
  for (const marked of document.querySelectorAll("[aria-describedby^=tooltip]"))
    Tooltip.getInstance(marked)?.hide();
  // What was pointed at may be gone with its part of the page.
  for (const left of document.querySelectorAll("body > .tooltip")) left.remove();
}
document.addEventListener("keydown", (event) => {
  if (event.key === "Escape") clear();
});
document.addEventListener("htmx:before:swap", clear);
document.addEventListener("scroll", clear, true);

// Only a form that was refused shows which of its fields are not right.
document.addEventListener("invalid", (event) => event.target.form?.classList.add("was-validated"), true);
document.addEventListener("reset", (event) => event.target.classList.remove("was-validated"));
