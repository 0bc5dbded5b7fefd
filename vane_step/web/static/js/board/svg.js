// Making elements of a drawing; what is drawn is said by others.
const NS = "http://www.w3.org/2000/svg";

export function el(name, attributes, parent) {
  const node = document.createElementNS(NS, name);
  for (const [k, v] of Object.entries(attributes)) node.setAttribute(k, v);
  if (parent) parent.append(node);
  return node;
}
export const line = (points) => "M" + points.map((p) => `${p[0]} ${p[1]}`).join("L");
export const ring = (points) => line(points) + "Z";
