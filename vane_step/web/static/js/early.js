// Clicks and sent forms that come before the page's own scripts run are kept and given to them once they do.
// Runs first and at once, not as a module; links, fields and folds work without scripts and are left alone.
(() => {
  const kept = [];
  const click = (e) => {
    const at = e.target;
    if (
      !e.isTrusted ||
      !(at instanceof Element) ||
      at.closest("a[href], summary, label, input, select, textarea")
    )
      return;
    const button = at.closest("button");
    if (button && button.type === "submit" && button.form) return;
    kept.push(() =>
      at.dispatchEvent(
        new MouseEvent("click", {
          bubbles: true,
          cancelable: true,
          shiftKey: e.shiftKey,
          ctrlKey: e.ctrlKey,
          metaKey: e.metaKey,
        }),
      ),
    );
  };
  const submit = (e) => {
    e.preventDefault();
    kept.push(() => e.target.requestSubmit(e.submitter));
  };
  document.addEventListener("click", click, true);
  document.addEventListener("submit", submit, true);
  // After every listener of the same event: the libraries begin their work on it too.
  document.addEventListener("DOMContentLoaded", () =>
    setTimeout(() => {
      document.removeEventListener("click", click, true);
      document.removeEventListener("submit", submit, true);
      for (const again of kept) again();
    }),
  );
})();
