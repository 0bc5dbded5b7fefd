// Polygons as flat rings of x and y: drawn, asked whether a place lies within, and for the edge next to a place.
export function pathOf(shapes) {
  const path = new Path2D();
  for (const rings of shapes)
    for (const ring of rings) {
      path.moveTo(ring[0], ring[1]);
      for (let k = 2; k < ring.length; k += 2) path.lineTo(ring[k], ring[k + 1]);
      path.closePath();
    }
  return path;
}

export function inRings(rings, x, y) {
  let within = false;
  for (const ring of rings)
    for (let k = 0, j = ring.length - 2; k < ring.length; j = k, k += 2)
      if (ring[k + 1] > y !== ring[j + 1] > y) {
        const at = ((ring[j] - ring[k]) * (y - ring[k + 1])) / (ring[j + 1] - ring[k + 1]) + ring[k];
        if (x < at) within = !within;
      }
  return within;
}

// The place on an edge of some layers that is nearest to another, where there is one within reach.
export function edgeNear(layers, x, y, reach) {
  let best = reach * reach,
    found = null;
  for (const layer of layers)
    for (const rings of layer.shapes)
      for (const ring of rings)
        for (let k = 0, j = ring.length - 2; k < ring.length; j = k, k += 2) {
          const [ax, ay, bx, by] = [ring[j], ring[j + 1], ring[k], ring[k + 1]];
          if (
            Math.min(ax, bx) - reach > x ||
            Math.max(ax, bx) + reach < x ||
            Math.min(ay, by) - reach > y ||
            Math.max(ay, by) + reach < y
          )
            continue;
          const [dx, dy] = [bx - ax, by - ay];
          const share = Math.max(0, Math.min(1, ((x - ax) * dx + (y - ay) * dy) / (dx * dx + dy * dy || 1)));
          const [px, py] = [ax + share * dx, ay + share * dy];
          const off = (px - x) ** 2 + (py - y) ** 2;
          if (off < best) [best, found] = [off, [px, py]];
        }
  return found;
}
