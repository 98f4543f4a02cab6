// Masks on the picture: from a mask's own coordinates to the canvas, outlines, and curves.
import { before, layerMap, through as seenThrough } from "../handles/geometry.js";
import { outlineAt, valueAt } from "../time/moving.js";

const FAR = 6000;

/** From a mask's own coordinates to canvas pixels and back; `unit` is canvas pixels to one of its own. */
export function maskMap(mask, layer, at, canvas, stray, size = null) {
  const turn = (valueAt(mask.rotation ?? 0, at) * Math.PI) / 180;
  const c = Math.cos(turn), s = Math.sin(turn);
  const x = valueAt(mask.x, at), y = valueAt(mask.y, at);
  const base = followed(mask.fixed === "canvas" ? canvasMap(canvas, stray) : layerMap(layer.place, at, stray, size), stray?.masks?.[mask.id]);
  return {
    base,
    unit: base.scale,
    toCanvas: (u, v) => base.toCanvas(x + c * u - s * v, y + s * u + c * v),
    toOwn: (px, py) => {
      const q = base.toSource(px, py);
      const du = q.u - x, dv = q.v - y;
      return { u: c * du + s * dv, v: -s * du + c * dv };
    },
  };
}

/** What is fixed to the canvas moves with cameras, but not with the track that its layer follows. */
function canvasMap({ width, height }, stray) {
  const own = (p, from, to) => (from || to ? before(from, seenThrough(to, p)) : p);
  return {
    scale: 1,
    toCanvas: (u, v) => own({ x: u + width / 2, y: v + height / 2 }, stray?.camera, stray?.canvas),
    toSource: (px, py) => { const { x, y } = own({ x: px, y: py }, stray?.canvas, stray?.camera); return { u: x - width / 2, v: y - height / 2 }; },
  };
}

/** The same for a mask that a track moves, turns and scales by nine numbers. */
function followed(base, by) {
  if (!by) return base;
  return {
    scale: base.scale * Math.hypot(by[0], by[3]),
    toCanvas: (u, v) => { const { x, y } = seenThrough(by, { x: u, y: v }); return base.toCanvas(x, y); },
    toSource: (px, py) => { const { u, v } = base.toSource(px, py), { x, y } = before(by, { x: u, y: v }); return { u: x, v: y }; },
  };
}

/** The outline of a mask in its own coordinates, moved out by `by` of its own units; lists of points. */
export function outlines(mask, at, by = 0) {
  const number = (name) => valueAt(mask[name], at);
  switch (mask.kind) {
    case "straight": return [[[by, -FAR], [by, FAR]]];
    case "band": return [-1, 1].map((side) => [[side * (number("width") / 2 + by), -FAR], [side * (number("width") / 2 + by), FAR]]);
    case "box": return [boxLine(number("width") / 2 + by, number("height") / 2 + by, Math.max(0, number("round") + by))];
    case "oval": return [ring(number("width") / 2 + by, number("height") / 2 + by)];
    case "star": return [starLine(Math.round(number("points")), number("radius") + by, number("inner") / 100)];
    default: return by ? [] : [flattened(outlineAt(mask.outline, at))];
  }
}

export const closed = (mask) => !["straight", "band"].includes(mask.kind);

function ring(a, b, from = 0, to = 2 * Math.PI, steps = 72) {
  return Array.from({ length: steps + 1 }, (_, n) => {
    const t = from + ((to - from) * n) / steps;
    return [Math.max(a, 0) * Math.cos(t), Math.max(b, 0) * Math.sin(t)];
  });
}

function boxLine(w, h, r) {
  const k = Math.min(r, w, h);
  if (k <= 0.5) return [[-w, -h], [w, -h], [w, h], [-w, h]];
  const corner = (cx, cy, from) => ring(k, k, from, from + Math.PI / 2, 8).map(([x, y]) => [cx + x, cy + y]);
  return [
    ...corner(w - k, -h + k, -Math.PI / 2), ...corner(w - k, h - k, 0),
    ...corner(-w + k, h - k, Math.PI / 2), ...corner(-w + k, -h + k, Math.PI),
  ];
}

export function starLine(points, radius, inner) {
  return Array.from({ length: 2 * points }, (_, n) => {
    const r = Math.max(radius, 0) * (n % 2 ? inner : 1), a = (Math.PI * n) / points;
    return [r * Math.sin(a), -r * Math.cos(a)];
  });
}

const controls = (a, b) => [[a.x, a.y], [a.x + (a.out_x ?? 0), a.y + (a.out_y ?? 0)], [b.x + (b.in_x ?? 0), b.y + (b.in_y ?? 0)], [b.x, b.y]];

export function curveAt(a, b, t) {
  const s = 1 - t, [p0, p1, p2, p3] = controls(a, b);
  return [0, 1].map((k) => s ** 3 * p0[k] + 3 * s * s * t * p1[k] + 3 * s * t * t * p2[k] + t ** 3 * p3[k]);
}

export function flattened(outline, steps = 14) {
  const points = [];
  outline.forEach((a, n) => {
    const b = outline[(n + 1) % outline.length];
    const straight = !a.out_x && !a.out_y && !b.in_x && !b.in_y;
    for (let k = 0; k < (straight ? 1 : steps); k += 1) points.push(curveAt(a, b, k / steps));
  });
  return points;
}

/** The place on an outline nearest to a point: which piece, how far along it, how far away. */
export function nearestOn(outline, u, v) {
  let best = { away: Infinity };
  outline.forEach((a, n) => {
    const b = outline[(n + 1) % outline.length];
    for (let k = 0; k <= 40; k += 1) {
      const [x, y] = curveAt(a, b, k / 40);
      const away = Math.hypot(x - u, y - v);
      if (away < best.away) best = { away, n, t: Math.min(Math.max(k / 40, 0.02), 0.98) };
    }
  });
  return best;
}

/** Handles of a smooth point: along the line between its neighbours, a sixth of it long. */
export function smoothed(outline, n) {
  const before = outline.at(n - 1), after = outline[(n + 1) % outline.length];
  const dx = (after.x - before.x) / 6, dy = (after.y - before.y) / 6;
  return { ...outline[n], in_x: -dx, in_y: -dy, out_x: dx, out_y: dy };
}

/** A line drawn by hand, with as few points as keep within `tolerance` of it (Douglas–Peucker). */
export function simplified(points, tolerance) {
  if (points.length < 3) return points;
  const [a, b] = [points[0], points.at(-1)];
  const long = Math.hypot(b[0] - a[0], b[1] - a[1]);
  let worst = 0, at = 0;
  for (let n = 1; n < points.length - 1; n += 1) {
    const [x, y] = points[n];
    const away = long < 1e-6 ? Math.hypot(x - a[0], y - a[1])
      : Math.abs((b[0] - a[0]) * (a[1] - y) - (a[0] - x) * (b[1] - a[1])) / long;
    if (away > worst) { worst = away; at = n; }
  }
  if (worst <= tolerance) return [a, b];
  return [...simplified(points.slice(0, at + 1), tolerance).slice(0, -1), ...simplified(points.slice(at), tolerance)];
}

/** A drawn line without what it does not need, at most so many points, to a tenth. */
export function thinned(points, tolerance, most) {
  let kept = simplified(points, tolerance);
  if (kept.length > most) kept = kept.filter((_, n) => n % Math.ceil(kept.length / most) === 0);
  return kept.map((point) => point.map((n) => Math.round(n * 10) / 10));
}

/** A closed outline of smooth points through some places; sharp turns stay corners. */
export function through(points) {
  const plain = points.map(([x, y]) => ({ x, y, in_x: 0, in_y: 0, out_x: 0, out_y: 0, feather: 0 }));
  return plain.map((one, n) => {
    const before = plain.at(n - 1), after = plain[(n + 1) % plain.length];
    const a = Math.atan2(one.y - before.y, one.x - before.x), b = Math.atan2(after.y - one.y, after.x - one.x);
    const turn = Math.abs(((b - a + 3 * Math.PI) % (2 * Math.PI)) - Math.PI);
    return turn > 1.25 ? one : smoothed(plain, n);
  });
}

/** An outline as the path of an SVG. */
export function toPath(outline) {
  const r = (v) => Math.round(v * 100) / 100;
  let path = `M${r(outline[0].x)} ${r(outline[0].y)}`;
  outline.forEach((a, n) => {
    const [, p1, p2, p3] = controls(a, outline[(n + 1) % outline.length]);
    path += `C${r(p1[0])} ${r(p1[1])} ${r(p2[0])} ${r(p2[1])} ${r(p3[0])} ${r(p3[1])}`;
  });
  return `${path}Z`;
}
