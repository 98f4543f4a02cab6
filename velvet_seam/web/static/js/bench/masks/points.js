// Several points of a drawn outline at once: taken by a box or with Shift; moved, scaled and turned together.
import { round } from "../handles/geometry.js";
import { add } from "../handles/svg.js";

/** The box round some places, in canvas pixels. */
function boxOf(places) {
  const xs = places.map((p) => p.x), ys = places.map((p) => p.y);
  return { x0: Math.min(...xs), y0: Math.min(...ys), x1: Math.max(...xs), y1: Math.max(...ys) };
}

export class MaskPoints {
  constructor() { this.taken = new Set(); }

  get many() { return this.taken.size > 1; }
  has(n) { return this.taken.has(n); }
  clear() { this.taken.clear(); }

  /** With Shift a point joins those that are taken, or leaves them. */
  toggle(n, last) {
    if (!this.taken.size && last !== null) this.taken.add(last);
    if (this.taken.has(n)) this.taken.delete(n);
    else this.taken.add(n);
  }

  /** All points in a box given by two of its corners, in canvas pixels. */
  takeIn(mask, map, { from, to }, more) {
    if (!more) this.clear();
    const [x0, x1] = [from.x, to.x].sort((a, b) => a - b), [y0, y1] = [from.y, to.y].sort((a, b) => a - b);
    mask.outline.forEach((vertex, n) => {
      const p = map.toCanvas(vertex.x, vertex.y);
      if (p.x >= x0 && p.x <= x1 && p.y >= y0 && p.y <= y1) this.taken.add(n);
    });
  }

  places(mask, map) {
    return [...this.taken].filter((n) => n < mask.outline.length).map((n) => map.toCanvas(mask.outline[n].x, mask.outline[n].y));
  }

  /** A box round them with a knob at each corner, and one above it to turn them by. */
  render(svg, handles, mask, map) {
    if (!this.many) return;
    const { x0, y0, x1, y1 } = boxOf(this.places(mask, map));
    const gap = 12, [left, top] = handles.point({ x: x0, y: y0 }), [right, bottom] = handles.point({ x: x1, y: y1 });
    const a = { x: left - gap, y: top - gap }, b = { x: right + gap, y: bottom + gap }, middle = (left + right) / 2;
    add(svg, "path", { class: "frame-line", d: `M${a.x} ${a.y}H${b.x}V${b.y}H${a.x}Z` });
    for (const [k, x, y] of [[0, a.x, a.y], [1, b.x, a.y], [2, b.x, b.y], [3, a.x, b.y]]) {
      add(svg, "rect", { class: "mask-knob", x: x - 4.5, y: y - 4.5, width: 9, height: 9, rx: 2, "data-grab": "mask-points-scale", "data-mask": mask.id, "data-corner": k });
    }
    add(svg, "circle", { class: "mask-knob", cx: middle, cy: a.y - 16, r: 5, "data-grab": "mask-points-turn", "data-mask": mask.id });
    add(svg, "path", { class: "frame-line", d: `M${middle - 4} ${a.y - 27}q4 -4 8 0` });
  }

  /** What a drag makes of the outline: a function from where the pointer is to new values. */
  change(grab, mask, map, start, corner) {
    const { x0, y0, x1, y1 } = boxOf(this.places(mask, map));
    const middle = { x: (x0 + x1) / 2, y: (y0 + y1) / 2 };
    const across = { x: corner === 0 || corner === 3 ? x1 : x0, y: corner < 2 ? y1 : y0 };
    const ways = {
      "mask-point": (now) => (p) => ({ x: p.x + now.x - start.x, y: p.y + now.y - start.y }),
      "mask-points-scale": (now, event) => {
        const fixed = event.altKey ? middle : across; // with Alt about the middle
        const part = (name) => (Math.abs(start[name] - fixed[name]) < 1 ? 1 : (now[name] - fixed[name]) / (start[name] - fixed[name]));
        const sx = event.shiftKey ? Math.max(part("x"), part("y")) : part("x"), sy = event.shiftKey ? sx : part("y");
        return (p) => ({ x: fixed.x + (p.x - fixed.x) * sx, y: fixed.y + (p.y - fixed.y) * sy });
      },
      "mask-points-turn": (now, event) => {
        let angle = Math.atan2(now.y - middle.y, now.x - middle.x) - Math.atan2(start.y - middle.y, start.x - middle.x);
        if (event.shiftKey) angle = (Math.round((angle * 12) / Math.PI) * Math.PI) / 12;
        const c = Math.cos(angle), s = Math.sin(angle);
        return (p) => ({ x: middle.x + c * (p.x - middle.x) - s * (p.y - middle.y), y: middle.y + s * (p.x - middle.x) + c * (p.y - middle.y) });
      },
    };
    return (now, event) => {
      const moved = ways[grab](now, event);
      const place = (u, v) => { const p = map.toCanvas(u, v), q = moved(p); return map.toOwn(q.x, q.y); };
      return { outline: mask.outline.map((vertex, n) => {
        if (!this.has(n)) return vertex;
        const at = place(vertex.x, vertex.y), next = { ...vertex, x: at.u, y: at.v };
        for (const side of ["in", "out"]) { // a handle goes where its end goes
          const end = place(vertex.x + vertex[`${side}_x`], vertex.y + vertex[`${side}_y`]);
          next[`${side}_x`] = round(end.u - at.u, 2);
          next[`${side}_y`] = round(end.v - at.v, 2);
        }
        return next;
      }) };
    };
  }
}
