// Squares at the corners: each corner is pulled by itself, until it would cross another.
import { CORNERS, pinned, pulledAt, round } from "../geometry.js";
import { add } from "../svg.js";

export const pin = {
  grab: "pin",
  draw({ svg, corners, inside, knob }) {
    corners.forEach((corner, n) => {
      const [x, y] = inside(corner);
      add(svg, "rect", { class: "knob", x: x - knob, y: y - knob, width: 2 * knob, height: 2 * knob, "data-grab": "pin", "data-corner": n });
    });
  },
  change({ place, start, size, map, node }) {
    const corner = Number(node.dataset.corner), before = pulledAt(place.pins, 0);
    const from = map.plain.toSource(start.x, start.y), names = ["x", "y"].map((way) => `${CORNERS[corner]}_${way}`);
    let kept = Object.fromEntries(names.map((name) => [name, place.pins[name]]));
    return (now) => {
      const { u, v } = map.plain.toSource(now.x, now.y);
      const pulled = before.map(([x, y], n) => (n === corner ? [round(x + u - from.u, 1), round(y + v - from.v, 1)] : [x, y]));
      if (pinned(size, pulled)) kept = Object.fromEntries(names.map((name, n) => [name, pulled[corner][n]]));
      return { pins: kept };
    };
  },
};
