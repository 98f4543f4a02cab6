// The way a layer takes over the picture: a dot a frame, a knot at every keyframe of its place.
import { add, round } from "./handles.js";
import { moves, valueAt } from "./moving.js";

const MOST_DOTS = 600;

export class MotionPath {
  constructor(handles) {
    this.handles = handles;
    this.bench = handles.bench;
  }

  /** Frames of the layer at which its place has a keyframe, across or down. */
  keyed({ place }) {
    const frames = [place.x, place.y].filter(moves).flatMap(({ keys }) => keys.map((key) => key.frame));
    return [...new Set(frames)].sort((a, b) => a - b);
  }

  render(layer) {
    const frames = this.keyed(layer);
    if (!frames.length) return;
    const { handles } = this, { svg } = handles, { place, span } = layer;
    const spot = (frame) => handles.point({ x: valueAt(place.x, frame), y: valueAt(place.y, frame) });
    const last = span.last - span.first, step = Math.max(1, Math.ceil(last / MOST_DOTS));
    const dots = [];
    for (let frame = 0; frame <= last; frame += step) dots.push(spot(frame).map((n) => round(n, 1)));
    add(svg, "path", { class: "motion-line", d: `M${dots.map((p) => p.join(" ")).join("L")}` });
    let d = "";
    dots.forEach(([x, y], n) => {
      const [px, py] = dots[n - 1] ?? [-99, -99];
      if (Math.hypot(x - px, y - py) > 1.2) d += `M${x} ${y}h.01`;
    });
    add(svg, "path", { class: "motion-dots", d });
    const here = this.bench.at(layer), now = spot(here);
    for (const frame of frames) {
      const [x, y] = spot(frame);
      // where the layer is just now, it is itself taken, for this frame
      const grab = Math.hypot(x - now[0], y - now[1]) < 9 ? {} : { "data-grab": "motion-key" };
      const knot = add(svg, "circle", { class: `motion-knot${frame === here ? " held" : ""}`, cx: x, cy: y, r: 5, ...grab, "data-frame": frame });
      add(knot, "title", {}).textContent = `Keyframe at ${this.bench.spell(span.first + frame)}`;
    }
  }

  /** Dragging a knot changes the place at its own frame, wherever the playhead is. */
  change(layer, node, start) {
    const frame = Number(node.dataset.frame), { place } = layer;
    const from = { x: valueAt(place.x, frame), y: valueAt(place.y, frame) };
    const change = (now) => {
      const to = { "place.x": round(from.x + now.x - start.x, 1), "place.y": round(from.y + now.y - start.y, 1) };
      return Object.fromEntries(Object.entries(to).filter(([path]) => moves(place[path.at(-1)])));
    };
    change.at = frame;
    return change;
  }
}
