// Where a viewer looks: a place in micrometres, a scale in pixels a micrometre, and from which side.
const LEAST = 0.0005,
  MOST = 20;

export class Camera {
  scale = 0.01;
  x = 0;
  y = 0;
  flipped = false;
  size = [1, 1];

  // Makes a canvas as fine as the screen; gives its size in its own pixels.
  fitTo(canvas) {
    const ratio = (this.ratio = window.devicePixelRatio || 1);
    const [w, h] = [canvas.clientWidth, canvas.clientHeight].map((v) => Math.max(1, Math.round(v * ratio)));
    if (canvas.width !== w || canvas.height !== h) [canvas.width, canvas.height] = [w, h];
    this.size = [w / ratio, h / ratio];
    return [w, h];
  }

  apply(ctx) {
    const s = this.scale * this.ratio,
      [w, h] = this.size.map((v) => (v * this.ratio) / 2),
      across = this.flipped ? -s : s;
    ctx.setTransform(across, 0, 0, -s, w - across * this.x, h + s * this.y);
  }

  px(count) {
    return count / this.scale;
  }

  at(px, py) {
    const dx = (px - this.size[0] / 2) / this.scale;
    return [this.x + (this.flipped ? -dx : dx), this.y - (py - this.size[1] / 2) / this.scale];
  }

  move(dx, dy) {
    this.x -= ((this.flipped ? -1 : 1) * dx) / this.scale;
    this.y += dy / this.scale;
  }

  // Nearer or farther, so that what lies under a pixel stays there.
  zoom(by, px = this.size[0] / 2, py = this.size[1] / 2) {
    const before = this.at(px, py);
    this.scale = Math.min(MOST, Math.max(LEAST, this.scale * by));
    const after = this.at(px, py);
    this.x += before[0] - after[0];
    this.y += before[1] - after[1];
  }

  fit([x0, y0, x1, y1]) {
    this.scale = 0.92 * Math.min(this.size[0] / Math.max(1, x1 - x0), this.size[1] / Math.max(1, y1 - y0));
    this.x = (x0 + x1) / 2;
    this.y = (y0 + y1) / 2;
  }

  centre(x, y, scale) {
    [this.x, this.y, this.scale] = [x, y, scale];
  }

  flip() {
    this.flipped = !this.flipped;
  }
}
