// Bars in the middle of the sides: each cuts the layer smaller on its side; the cut frame is drawn.
import { round } from "../geometry.js";
import { add } from "../svg.js";

const SIDES = { left: [-1, 0], right: [1, 0], top: [0, -1], bottom: [0, 1] };
const LEAST = 1; // per cent of the layer that stay

export const crop = {
  grab: "crop",
  draw({ svg, inside, point, map, size, crop: held }) {
    const side = (name, wide) => (wide * held[name]) / 100;
    const u = [-size.width / 2 + side("left", size.width), size.width / 2 - side("right", size.width)];
    const v = [-size.height / 2 + side("top", size.height), size.height / 2 - side("bottom", size.height)];
    const at = (x, y) => point(map.toCanvas(x, y));
    const frame = [at(u[0], v[0]), at(u[1], v[0]), at(u[1], v[1]), at(u[0], v[1])];
    add(svg, "path", { class: "mask-line", d: `M${frame.map((p) => p.join(" ")).join("L")}Z` });
    const middle = [(u[0] + u[1]) / 2, (v[0] + v[1]) / 2];
    for (const [name, [a, b]] of Object.entries(SIDES)) {
      const [x, y] = inside(at(a ? u[(a + 1) / 2] : middle[0], b ? v[(b + 1) / 2] : middle[1]));
      const [w, h] = a ? [7, 24] : [24, 7];
      add(svg, "rect", { class: "mask-knob", x: x - w / 2, y: y - h / 2, width: w, height: h, rx: 3, "data-grab": "crop", "data-side": name });
    }
  },
  change({ start, size, map, node, crop: held }) {
    const name = node.dataset.side, [a, b] = SIDES[name], whole = a ? size.width : size.height;
    const other = { left: "right", right: "left", top: "bottom", bottom: "top" }[name];
    const along = ({ u, v }) => (a ? u * -a : v * -b);
    const from = along(map.toSource(start.x, start.y));
    return (now) => {
      const moved = held[name] + (100 * (along(map.toSource(now.x, now.y)) - from)) / whole;
      return { crop: { [name]: round(Math.min(Math.max(0, moved), 100 - LEAST - held[other]), 2) } };
    };
  },
};
