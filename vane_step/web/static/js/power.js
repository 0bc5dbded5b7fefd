// Curves of the power page: a cursor that reads all of them at one place, by pointing or with the arrow keys.
function stand(plot, k) {
  const stops = (plot.stops ??= JSON.parse(plot.dataset.stops));
  plot.at = Math.max(0, Math.min(stops.length - 1, k));
  const [x, title, values] = stops[plot.at];
  const cursor = plot.querySelector(".cursor");
  cursor.setAttribute("x1", x);
  cursor.setAttribute("x2", x);
  cursor.setAttribute("visibility", "visible");
  plot.querySelector("[data-at]").textContent = title;
  plot.querySelectorAll("[data-read]").forEach((place, n) => (place.textContent = values[n]));
}
document.addEventListener("pointermove", (event) => {
  const drawing = event.target.closest?.(".plot svg");
  if (!drawing) return;
  const plot = drawing.parentElement;
  const stops = (plot.stops ??= JSON.parse(plot.dataset.stops));
  const box = drawing.getBoundingClientRect();
  const x = ((event.clientX - box.left) / box.width) * drawing.viewBox.baseVal.width;
  let [low, high] = [0, stops.length - 1];
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (stops[middle][0] < x) low = middle;
    else high = middle;
  }
  stand(plot, x - stops[low][0] < stops[high][0] - x ? low : high);
});
document.addEventListener("keydown", (event) => {
  const drawing = event.target.closest?.(".plot svg");
  const steps = { ArrowLeft: -1, ArrowRight: 1, PageDown: -25, PageUp: 25, Home: -1e9, End: 1e9 }[event.key];
  if (!drawing || !steps) return;
  event.preventDefault();
  const plot = drawing.parentElement;
  stand(plot, (plot.at ?? JSON.parse(plot.dataset.stops).length - 1) + steps * (event.shiftKey ? 10 : 1));
});
