// Distances between shapes of the board, in millimetres, for live readings; the judgement is the program's.
export function pointSegment(p, a, b) {
  const dx = b[0] - a[0],
    dy = b[1] - a[1],
    length = dx * dx + dy * dy;
  const t = length ? Math.min(1, Math.max(0, ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / length)) : 0;
  return Math.hypot(p[0] - a[0] - t * dx, p[1] - a[1] - t * dy);
}
function side(a, b, c) {
  return (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
}
export function segments(a, b, c, d) {
  if (side(a, b, c) * side(a, b, d) < 0 && side(c, d, a) * side(c, d, b) < 0) return 0;
  return Math.min(pointSegment(a, c, d), pointSegment(b, c, d), pointSegment(c, a, b), pointSegment(d, a, b));
}
function inside(p, poly) {
  let within = false;
  for (let i = 0, j = poly.length - 1; i < poly.length; j = i++) {
    const a = poly[i],
      b = poly[j];
    if (a[1] > p[1] !== b[1] > p[1] && p[0] < ((b[0] - a[0]) * (p[1] - a[1])) / (b[1] - a[1]) + a[0])
      within = !within;
  }
  return within;
}
export function toShape(a, b, shape) {
  if (shape.poly) {
    if (inside(a, shape.poly) || inside(b, shape.poly)) return 0;
    return Math.min(...shape.poly.map((p, i) => segments(a, b, p, shape.poly[(i + 1) % shape.poly.length])));
  }
  const [p, q] = shape.line.length > 1 ? shape.line : [shape.line[0], shape.line[0]];
  return segments(a, b, p, q) - shape.r;
}
// Two pieces at 45 and 90 degrees from a to b; the long piece comes first.
export function elbow(a, b, flip) {
  const dx = b[0] - a[0],
    dy = b[1] - a[1],
    short = Math.min(Math.abs(dx), Math.abs(dy));
  const straight =
    Math.abs(dx) > Math.abs(dy)
      ? [a[0] + Math.sign(dx) * (Math.abs(dx) - short), a[1]]
      : [a[0], a[1] + Math.sign(dy) * (Math.abs(dy) - short)];
  const slant = [a[0] + Math.sign(dx) * short, a[1] + Math.sign(dy) * short];
  const corner = flip ? slant : straight;
  return Math.hypot(corner[0] - a[0], corner[1] - a[1]) < 1e-6 ||
    Math.hypot(corner[0] - b[0], corner[1] - b[1]) < 1e-6
    ? [a, b]
    : [a, corner, b];
}
