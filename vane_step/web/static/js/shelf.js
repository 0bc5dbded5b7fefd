// The shelf: one layer is the default of the kitchen table.
document.addEventListener("alpine:init", () => {
  window.Alpine.data("begin", () => ({ rules: "standard-house" }));
});
