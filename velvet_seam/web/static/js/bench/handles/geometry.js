// Where a layer lies: from its own pixels to the canvas and back, and the numbers that say so.
import { valueAt } from "../time/moving.js";

/** Nothing that arrival or stirring adds to a place. */
export const STILL = { x: 0, y: 0, scale: 1, turn: 0 };

export const CORNERS = ["top_left", "top_right", "bottom_right", "bottom_left"]; // clockwise, as the document names them
const LEAST_AREA = 1e-4;

/** The projective matrix of pulled corners, rows of nine numbers (P. Heckbert, 1989), as the server has it; null
 * where they cross. */
export function pinned({ width, height }, pulled) {
  const own = [[0, 0], [width, 0], [width, height], [0, height]];
  const p = own.map(([x, y], n) => [x + pulled[n][0], y + pulled[n][1]]);
  const turns = p.map((a, n) => {
    const b = p[(n + 1) % 4], c = p[(n + 2) % 4];
    return (b[0] - a[0]) * (c[1] - b[1]) - (b[1] - a[1]) * (c[0] - b[0]);
  });
  const least = LEAST_AREA * width * height;
  if (!(Math.min(...turns) > least || Math.max(...turns) < -least)) return null;
  const [[x0, y0], [x1, y1], [x2, y2], [x3, y3]] = p;
  const sx = x0 - x1 + x2 - x3, sy = y0 - y1 + y2 - y3;
  const dx1 = x1 - x2, dx2 = x3 - x2, dy1 = y1 - y2, dy2 = y3 - y2, by = dx1 * dy2 - dx2 * dy1;
  const g = (sx * dy2 - dx2 * sy) / by, h = (dx1 * sy - sx * dy1) / by;
  return [
    (x1 - x0 + g * x1) / width, (x3 - x0 + h * x3) / height, x0,
    (y1 - y0 + g * y1) / width, (y3 - y0 + h * y3) / height, y0, g / width, h / height, 1,
  ];
}

const applied = (m, x, y) => {
  const w = m[6] * x + m[7] * y + m[8];
  return [(m[0] * x + m[1] * y + m[2]) / w, (m[3] * x + m[4] * y + m[5]) / w];
};

const inverse = ([a, b, c, d, e, f, g, h, i]) => [
  e * i - f * h, c * h - b * i, b * f - c * e, f * g - d * i, a * i - c * g, c * d - a * f, d * h - e * g, b * g - a * h, a * e - b * d,
];

/** A point as a camera (nine numbers, row by row) shows it, and back; without one it stays. */
export const through = (camera, { x, y }) => { if (!camera) return { x, y }; const [a, b] = applied(camera, x, y); return { x: a, y: b }; };
export const before = (camera, point) => through(camera && inverse(camera), point);

/** How far each corner is pulled, clockwise from the top left. */
export const pulledAt = (pins, at) => CORNERS.map((corner) => ["x", "y"].map((way) => valueAt(pins?.[`${corner}_${way}`] ?? 0, at)));

/** From source pixels (from the layer's middle) to canvas pixels, and back; of a source of a `size` with its corner
 * pins. `plain` is the same without them. */
export function layerMap(place, at, stray = STILL, size = null) {
  const plain = plainMap(place, at, stray);
  const pulled = size && pulledAt(place.pins, at);
  const pins = pulled?.flat().some(Boolean) ? pinned(size, pulled) : null;
  if (!pins) return { ...plain, plain };
  const back = inverse(pins), u0 = size.width / 2, v0 = size.height / 2;
  return {
    scale: plain.scale,
    plain,
    toCanvas: (u, v) => {
      const [x, y] = applied(pins, u + u0, v + v0);
      return plain.toCanvas(x - u0, y - v0);
    },
    toSource: (px, py) => {
      const there = plain.toSource(px, py), [u, v] = applied(back, there.u + u0, there.v + v0);
      return { u: u - u0, v: v - v0 };
    },
  };
}

function plainMap(place, at, stray) {
  const scale = (valueAt(place.scale, at) / 100) * stray.scale;
  const turn = ((valueAt(place.rotation, at) + stray.turn) * Math.PI) / 180;
  const x = valueAt(place.x, at) + stray.x, y = valueAt(place.y, at) + stray.y;
  const c = Math.cos(turn), s = Math.sin(turn);
  const fx = place.flip_x ? -1 : 1, fy = place.flip_y ? -1 : 1;
  return {
    scale,
    toCanvas: (u, v) => ({
      x: x + scale * (u * fx * c - v * fy * s),
      y: y + scale * (u * fx * s + v * fy * c),
    }),
    toSource: (px, py) => {
      const dx = (px - x) / scale, dy = (py - y) / scale;
      return { u: fx * (dx * c + dy * s), v: fy * (dy * c - dx * s) };
    },
  };
}

export const round = (value, places) => Math.round(value * 10 ** places) / 10 ** places;
export const inSpan = (thing, frame) => thing.span.first <= frame && frame <= thing.span.last;
