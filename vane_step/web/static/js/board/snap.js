// How what is moved keeps to the grid that is shown: a part by its first pin, all else by its own place.
import { drawing, GRIDS } from "./drawing.js";

const shown = () => GRIDS[drawing.grid][0];
// With Shift what is moved leaves the grid, by fine steps.
const stepOf = (event) => (event.shiftKey ? 0.1 : shown() || 0.5);

// Gives the shift of what is held at `anchor` when the pointer has gone from one place to another.
export function shiftTo(event, from, p, anchor) {
  const step = stepOf(event);
  const gone = [p[0] - from[0], p[1] - from[1]];
  if (!shown() || event.shiftKey) return gone.map((v) => Math.round(v / step) * step);
  return gone.map((v, i) => onto(anchor[i] + v, i) - anchor[i]);
}

// Gives the shift to the next line of the grid on a side, or a step where none is shown.
export function shiftBy(event, way, anchor) {
  const step = stepOf(event);
  if (!shown() || event.shiftKey) return way.map((v) => v * step);
  return way.map((v, i) => (v ? onto(anchor[i] + v * step, i) - anchor[i] : 0));
}

function onto(value, i) {
  const begin = drawing.data.grid_at[i];
  return Math.round((value - begin) / shown()) * shown() + begin;
}
