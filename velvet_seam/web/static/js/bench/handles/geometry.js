// Where a layer lies: from its own pixels to the canvas and back, and the numbers that say so.
import { valueAt } from "../time/moving.js";

/** Nothing that arrival or stirring adds to a place. */
export const STILL = { x: 0, y: 0, scale: 1, turn: 0 };

/** From source pixels (from the layer's middle) to canvas pixels, and back. */
export function layerMap(place, at, stray = STILL) {
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
