// Knobs at the corners: scaled about the layer's middle.
import { round } from "../geometry.js";
import { add } from "../svg.js";

export const scale = {
  grab: "scale",
  draw({ svg, corners, inside, knob }) {
    corners.forEach((corner, n) => {
      const [x, y] = inside(corner);
      add(svg, "circle", { class: "knob", cx: x, cy: y, r: knob, "data-grab": "scale", "data-corner": n });
    });
  },
  change({ place, start, away }) {
    return (now) => ({ scale: Math.min(3200, Math.max(1, round((place.scale * away(now)) / Math.max(away(start), 1), 2))) });
  },
};
