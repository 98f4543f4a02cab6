// Values that move: a number or an outline with keyframes, at a frame of its layer.

/** The named eases as the handles of their curves, x1 y1 x2 y2; the server's eases, exactly. */
export const CURVES = {
  linear: [1 / 3, 1 / 3, 2 / 3, 2 / 3],
  smooth: [1 / 3, 0, 2 / 3, 1],
  "slow-start": [1 / 3, 0, 2 / 3, 1 / 3],
  "slow-end": [1 / 3, 2 / 3, 2 / 3, 1],
};

export const moves = (value) => Array.isArray(value?.keys);
export const curveOf = (ease) => (Array.isArray(ease) ? ease : CURVES[ease]);

const cubic = (a, b, s) => 3 * (1 - s) ** 2 * s * a + 3 * (1 - s) * s * s * b + s ** 3;

/** How much of the way is gone after the part `t` of the time. */
export function eased(ease, t) {
  if (ease === "hold") return 0;
  if (t <= 0 || t >= 1) return t;
  const [x1, y1, x2, y2] = curveOf(ease);
  if (!Array.isArray(ease)) return cubic(y1, y2, t); // its x at thirds: time runs evenly
  let low = 0, high = 1, s = t;
  for (let n = 0; n < 60 && high - low > 1e-14; n += 1) {
    const off = cubic(x1, x2, s) - t;
    if (Math.abs(off) < 1e-13) break;
    if (off > 0) high = s;
    else low = s;
    const slope = 3 * (1 - s) ** 2 * x1 + 6 * (1 - s) * s * (x2 - x1) + 3 * s * s * (1 - x2);
    const next = s - off / slope;
    s = next > low && next < high ? next : (low + high) / 2;
  }
  return cubic(y1, y2, s);
}

/** The keyframes around a frame and how far it is from one to the other; null outside them. */
export function around(keys, frame) {
  const after = keys.findIndex((key) => key.frame > frame);
  if (after <= 0) return null;
  const left = keys[after - 1], right = keys[after];
  return { left, right, part: eased(left.ease, (frame - left.frame) / (right.frame - left.frame)) };
}

export const outer = (keys, frame) => (frame < keys[0].frame ? keys[0] : keys.at(-1)).value;

export function valueAt(value, frame) {
  if (!moves(value)) return value;
  const found = around(value.keys, frame);
  if (!found) return outer(value.keys, frame);
  return found.left.value + (found.right.value - found.left.value) * found.part;
}

export function outlineAt(outline, frame) {
  if (!moves(outline)) return outline;
  const found = around(outline.keys, frame);
  if (!found) return outer(outline.keys, frame);
  const { left, right, part } = found;
  return left.value.map((a, n) => Object.fromEntries(
    Object.entries(a).map(([name, value]) => [name, value + ((right.value[n][name] ?? 0) - value) * part]),
  ));
}

/** Whether keyframes hold something drawn, rather than numbers. */
const drawn = (keys) => typeof keys[0].value !== "number";

const plain = (value) => value && typeof value === "object" && !Array.isArray(value);

/** A part of the document as it stands at a frame: each of its numbers and outlines plain. */
export function still(part, frame) {
  return Object.fromEntries(Object.entries(part).map(([name, value]) => [
    name, moves(value) ? (name === "outline" ? outlineAt(value, frame) : drawn(value.keys) ? value : valueAt(value, frame)) : plain(value) ? still(value, frame) : value,
  ]));
}

/** The value at a dotted path of a layer or a sound; ids stand for places in lists. */
export function valueOf(thing, path) {
  return path.split(".").reduce((part, name) => (Array.isArray(part) ? part.find((one) => one.id === name) : part?.[name]), thing);
}

/** Seconds that a document writes as a fraction. */
function secondsOf(text) {
  const [a, b] = String(text ?? 0).split("/");
  return Number(a) / Number(b ?? 1);
}

/** The time of its source that a clip shows so many frames after its first: the area under its speed. */
export function sourceSeconds(time, frames, rate) {
  const steps = 16 * Math.max(1, Math.abs(frames));
  let area = 0;
  if (!moves(time.speed)) area = time.speed * frames;
  else for (let n = 0; n < steps; n += 1) area += (valueAt(time.speed, ((n + 0.5) / steps) * frames) * frames) / steps;
  return secondsOf(time.source_in) + area / 100 / rate;
}

/** Every value of a thing that moves, by path, in the order of the document. */
export function moving(thing, path = "") {
  if (moves(thing)) return [{ path, keys: thing.keys, outline: drawn(thing.keys) }];
  if (!thing || typeof thing !== "object") return [];
  const parts = Array.isArray(thing) ? thing.filter((one) => one?.id).map((one) => [one.id, one]) : Object.entries(thing);
  return parts.flatMap(([name, part]) => moving(part, path ? `${path}.${name}` : name));
}

/** Where a bar is in its source, in seconds, by how far along the bar it is asked, 0 to 1: reckoned at some
    places of a ramp and straight between them. */
export function sourceAlong(thing, rate) {
  const frames = thing.span.last + 1 - thing.span.first, { speed } = thing.time;
  const places = moves(speed) ? 48 : 1, known = [sourceSeconds(thing.time, 0, rate)];
  for (let n = 0; n < places; n += 1) {
    let area = moves(speed) ? 0 : speed;
    if (moves(speed)) for (let k = 0; k < 8; k += 1) area += valueAt(speed, ((n + (k + 0.5) / 8) / places) * frames) / 8;
    known.push(known[n] + (area * frames) / places / 100 / rate);
  }
  return (part) => {
    const n = Math.min(Math.floor(part * places), places - 1);
    return known[n] + (known[n + 1] - known[n]) * (part * places - n);
  };
}

/** Where in its recording, `long` seconds of it, a bar is heard, in seconds, by how far along the bar it is asked. */
export function heardAlong(thing, rate, long) {
  const { time, span } = thing;
  if (time.sound === "stay") {
    const begin = secondsOf(time.source_in) + secondsOf(time.ahead), whole = (span.last + 1 - span.first) / rate;
    return (part) => begin + part * whole;
  }
  const along = sourceAlong(thing, rate), within = (second, turn) => ((second % turn) + turn) % turn;
  if (time.ends === "loop") return (part) => within(along(part), long);
  if (time.ends === "bounce") return (part) => Math.abs(within(along(part) + long, 2 * long) - long);
  return along;
}
