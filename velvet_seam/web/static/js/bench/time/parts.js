// What all rows of the time strip share: how wide the names before them are, and nodes of a drawing.
import { round } from "../handles/geometry.js";

const NS = "http://www.w3.org/2000/svg";
export const NAMES = 92;

export function node(name, attributes) {
  const made = document.createElementNS(NS, name);
  for (const [key, value] of Object.entries(attributes)) {
    if (key !== "style") made.setAttribute(key, typeof value === "number" ? round(value, 2) : value);
  }
  return made;
}
