// The points of a drawn curve at a frame, and the line between them; as the server's.
import { around, moves, outer } from "./time/moving.js";

export const STRAIGHT = [[0, 0], [1, 1]];
export const MOST = 16;

/** Each point moves to where it is next; where there are not as many, each curve is asked where the other has one. */
export function curveAt(curve, frame) {
  if (!moves(curve)) return curve;
  const found = around(curve.keys, frame);
  if (!found) return outer(curve.keys, frame);
  const { left, right, part } = found;
  if (part === 0) return left.value;
  let one = left.value, other = right.value;
  if (one.length !== other.length) {
    const levels = allLevels(one, other);
    [one, other] = [one, other].map((points) => levels.map((x) => [x, drawn(points, x)]));
  }
  const inside = (n) => Math.min(1, Math.max(0, n));
  return one.map(([x, y], n) => [inside(x + (other[n][0] - x) * part), inside(y + (other[n][1] - y) * part)]);
}

function allLevels(one, other) {
  let levels = [];
  for (const x of [...one, ...other].map((point) => point[0]).sort((a, b) => a - b)) {
    if (!levels.length || x - levels.at(-1) >= 1e-3) levels.push(x);
  }
  if (levels.length > MOST) {
    const step = (levels.length - 1) / (MOST - 1);
    levels = Array.from({ length: MOST }, (_, n) => levels[Math.round(n * step)]);
  }
  return levels;
}

/** What a curve makes of a level; beyond its ends it stays. */
export function drawn(points, level) {
  const slopes = slopesOf(points);
  let n = points.findIndex(([x]) => x > level) - 1;
  if (n < -1) n = points.length - 2;
  n = Math.max(0, n);
  const [x0, y0] = points[n], [x1, y1] = points[n + 1], wide = x1 - x0;
  const t = Math.min(1, Math.max(0, (level - x0) / wide)), s = 1 - t;
  return (1 + 2 * t) * s * s * y0 + t * s * s * wide * slopes[n] + t * t * (3 - 2 * t) * y1 - t * t * s * wide * slopes[n + 1];
}

/** The slopes of a monotone cubic at its points, by the harmonic mean of those beside it; as the server's. */
export function slopesOf(points) {
  const wide = [], rise = [];
  for (let n = 0; n + 1 < points.length; n += 1) {
    wide.push(points[n + 1][0] - points[n][0]);
    rise.push((points[n + 1][1] - points[n][1]) / wide[n]);
  }
  return points.map((_, n) => {
    if (n === 0) return rise[0];
    if (n === points.length - 1) return rise.at(-1);
    const one = rise[n - 1], other = rise[n];
    if (one * other <= 0) return 0;
    const w = [2 * wide[n] + wide[n - 1], wide[n] + 2 * wide[n - 1]];
    return (w[0] + w[1]) / (w[0] / one + w[1] / other);
  });
}
