// A knob inside the upper edge: turned about the layer's middle, with Shift by steps of 15 degrees.
import { round } from "../geometry.js";
import { add } from "../svg.js";

const REACH = 26;

export const turn = {
  grab: "turn",
  draw({ svg, inside, knob, point, map, size, place }) {
    const middle = point(map.toCanvas(0, 0));
    const topEdge = point(map.toCanvas(0, ((place.flip_y ? 1 : -1) * size.height) / 2));
    const long = Math.max(Math.hypot(topEdge[0] - middle[0], topEdge[1] - middle[1]) - REACH, REACH);
    const [a, b] = [topEdge[0] - middle[0], topEdge[1] - middle[1]], length = Math.hypot(a, b) || 1;
    const [x, y] = inside([middle[0] + (long * a) / length, middle[1] + (long * b) / length]);
    add(svg, "circle", { class: "knob", cx: x, cy: y, r: knob + 1, "data-grab": "turn" });
    add(svg, "path", { class: "frame-line", d: `M${x - 4} ${y - 12}q4 -4 8 0` });
  },
  change({ place, start, angle }) {
    return (now, event) => {
      let turned = place.rotation + angle(now) - angle(start);
      turned = ((((turned + 180) % 360) + 360) % 360) - 180;
      if (event.shiftKey) turned = Math.round(turned / 15) * 15;
      return { rotation: round(turned, 1) };
    };
  },
};
