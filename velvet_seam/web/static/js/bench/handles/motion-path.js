// The way a layer takes over the picture: a dot a frame, a knot at every keyframe of its place.
import { round } from "./geometry.js";
import { moves, valueAt } from "../time/moving.js";
import { add } from "./svg.js";

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
    const { svg, picture } = this.handles, here = this.bench.at(layer);
    const { kept } = this; // while a place is under the hand its path stays as it is
    if (kept?.layer !== layer || kept.rect !== picture.rect || kept.here !== here) {
      this.kept = { layer, rect: picture.rect, here, nodes: this.nodes(layer, here) };
    }
    for (const [name, attributes, title] of this.kept.nodes) add(svg, name, attributes, title);
  }

  /** What is drawn: the name, the attributes and the title of each node. */
  nodes(layer, here) {
    const frames = this.keyed(layer);
    if (!frames.length) return [];
    const { place, span } = layer;
    const spot = (frame) => this.handles.point({ x: valueAt(place.x, frame), y: valueAt(place.y, frame) });
    const last = span.last - span.first, step = Math.max(1, Math.ceil(last / MOST_DOTS));
    const dots = [];
    for (let frame = 0; frame <= last; frame += step) dots.push(spot(frame).map((n) => round(n, 1)));
    let d = "";
    dots.forEach(([x, y], n) => {
      const [px, py] = dots[n - 1] ?? [-99, -99];
      if (Math.hypot(x - px, y - py) > 1.2) d += `M${x} ${y}h.01`;
    });
    const now = spot(here);
    return [
      ["path", { class: "motion-line", d: `M${dots.map((p) => p.join(" ")).join("L")}` }],
      ["path", { class: "motion-dots", d }],
      ...frames.map((frame) => {
        const [x, y] = spot(frame);
        // a knot under the layer's own middle cannot be grabbed: a press there drags the layer, at this frame
        const grab = Math.hypot(x - now[0], y - now[1]) < 9 ? {} : { "data-grab": "motion-key" };
        const look = { class: `motion-knot${frame === here ? " held" : ""}`, cx: x, cy: y, r: 5, ...grab, "data-frame": frame };
        return ["circle", look, `Keyframe at ${this.bench.spell(span.first + frame)}`];
      }),
    ];
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
