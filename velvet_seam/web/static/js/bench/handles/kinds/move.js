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
  change({ place, start, canvas, k, crop, size, shown }) {
    return (now, event) => {
      if (shown === "crop" && event.altKey) return within(place, crop, size, now.x - start.x, now.y - start.y);
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

/** The picture moved behind its crop, which stays where it is on the canvas, as far as there is picture. */
function within(place, crop, size, dx, dy) {
  const k = place.scale / 100, turn = (-place.rotation * Math.PI) / 180;
  const along = [dx * Math.cos(turn) - dy * Math.sin(turn), dx * Math.sin(turn) + dy * Math.cos(turn)].map((by) => by / k);
  const held = {};
  const kept = [["left", "right", size.width, place.flip_x], ["top", "bottom", size.height, place.flip_y]].map(([first, last, whole, flip], n) => {
    const [one, other] = flip ? [last, first] : [first, last];
    const by = Math.min(Math.max((100 * along[n]) / whole, -crop[other]), crop[one]);
    held[one] = round(crop[one] - by, 3);
    held[other] = round(crop[other] + by, 3);
    return (by * whole * k) / 100;
  });
  const back = -turn, x = kept[0] * Math.cos(back) - kept[1] * Math.sin(back), y = kept[0] * Math.sin(back) + kept[1] * Math.cos(back);
  return { x: round(place.x + x, 2), y: round(place.y + y, 2), crop: held };
}
