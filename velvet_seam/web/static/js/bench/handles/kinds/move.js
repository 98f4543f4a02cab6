// The layer itself, taken anywhere: moved, with Shift along one axis; it is drawn to the middle of the canvas.
import { round } from "../geometry.js";
import { add } from "../svg.js";

const NEAR = 6; // pixels of the screen

export const move = {
  grab: "move",
  draw({ svg, path }) {
    add(svg, "path", { class: "grab", d: path, "data-grab": "move" });
    add(svg, "path", { class: "frame-line", d: path });
  },
  change({ place, start, canvas, k }) {
    return (now, event) => {
      let x = place.x + now.x - start.x, y = place.y + now.y - start.y;
      if (event.shiftKey) {
        if (Math.abs(now.x - start.x) > Math.abs(now.y - start.y)) y = place.y;
        else x = place.x;
      }
      const near = NEAR / k;
      if (!event.altKey && Math.abs(x - canvas.width / 2) < near) x = canvas.width / 2;
      if (!event.altKey && Math.abs(y - canvas.height / 2) < near) y = canvas.height / 2;
      return { x: round(x, 1), y: round(y, 1) };
    };
  },
};
