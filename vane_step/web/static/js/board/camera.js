// Which piece of the board the view shows, and where on the board a pointer is.
import { drawing, svg } from "./drawing.js";

// The whole board stands above the row of buttons at the foot of the view.
const FOOT_PX = 46;
let box = null;

export const isSet = () => box !== null;
export const shown = () => [...box];
export function setBox(b) {
  box = b;
  svg.setAttribute("viewBox", b.join(" "));
}
function fit(x0, y0, x1, y1, m = 2.5) {
  setBox([(drawing.below > 0 ? x0 : -x1) - m, -y1 - m, x1 - x0 + 2 * m, y1 - y0 + 2 * m]);
}
export function all() {
  fit(...drawing.data.box);
  const { width, height } = svg.getBoundingClientRect();
  if (height <= 3 * FOOT_PX) return;
  const scale = Math.max(box[2] / width, box[3] / (height - FOOT_PX));
  setBox([box[0], box[1], box[2], box[3] + FOOT_PX * scale]);
}
export function fitPart(ref) {
  const node = ref && drawing.parts[ref];
  if (!node) {
    all();
    return;
  }
  const r = node.group.getBBox();
  fit(r.x, r.y, r.x + r.width, r.y + r.height, Math.max(r.width, r.height, 4));
}
export function zoom(f, cx = box[0] + box[2] / 2, cy = box[1] + box[3] / 2) {
  const [x, y, w, h] = box;
  if (w * f < 2 || w * f > 2000) return;
  setBox([cx - (cx - x) * f, cy - (cy - y) * f, w * f, h * f]);
}
// Moves what is shown by a way of the pointer, from the piece shown when it began.
export function pan(from, dx, dy) {
  const { width, height } = svg.getBoundingClientRect();
  const scale = Math.max(box[2] / width, box[3] / height);
  setBox([from[0] - dx * scale, from[1] - dy * scale, box[2], box[3]]);
}
export function show(x, y, reach = 9) {
  setBox([drawing.below * x - reach * 1.4, -y - reach, reach * 2.8, reach * 2]);
}
// Where on the board a pointer is, in mm.
export function at(event) {
  const p = new DOMPoint(event.clientX, event.clientY).matrixTransform(svg.getScreenCTM().inverse());
  return [drawing.below * p.x, -p.y];
}
export function wheel(event) {
  event.preventDefault();
  const p = at(event);
  zoom(event.deltaY > 0 ? 1.2 : 1 / 1.2, drawing.below * p[0], -p[1]);
}
