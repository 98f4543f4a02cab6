// The handles of a layer's place. Each kind is a file of its own: how it is drawn, and what a drag of it changes.
import { layerMap } from "./geometry.js";
import { crop } from "./kinds/crop.js";
import { move } from "./kinds/move.js";
import { pin } from "./kinds/pin.js";
import { scale } from "./kinds/scale.js";
import { turn } from "./kinds/turn.js";
import { still } from "../time/moving.js";

const KNOB = 5;
const MODES = { place: [move, scale, turn], pins: [move, pin], crop: [move, crop] }; // all kinds, in the order in which they are drawn
const KINDS = Object.fromEntries(Object.values(MODES).flat().map((kind) => [kind.grab, kind]));

export class PlaceHandles {
  constructor(handles) {
    this.handles = handles;
    this.mode = "place";
  }

  /** With what lies around a layer open, its crop is what one takes. */
  get shown() { return this.handles.bench.kind === "around" ? "crop" : this.mode; }

  render(layer, given) {
    const { handles } = this, at = handles.at(layer), place = still(given, at);
    const held = { ...still(layer.crop, at), ...given.crop };
    const size = handles.size(layer), stray = handles.stray(layer), map = layerMap(place, at, stray, size);
    const point = (p) => handles.point(p), corners = handles.outline(map, 0, 0, size.width, size.height);
    const { room } = handles.picture; // to ask the page for it would make it arrange itself once more
    const inside = ([x, y]) => [Math.min(Math.max(x, 10), room.width - 10), Math.min(Math.max(y, room.top + 10), room.height - 10)];
    const path = `M${corners.map((p) => p.join(" ")).join("L")}Z`;
    const drawn = { svg: handles.svg, path, corners, inside, knob: KNOB, point, map, size, place, stray, crop: held };
    MODES[this.shown].forEach((kind, n) => {
      kind.draw(drawn);
      if (n === 0) handles.path.render(layer); // the way it takes lies on the layer, and below the knobs
    });
  }

  /** What a drag changes, by the names of the document. */
  change(layer, node, start) {
    const { handles } = this, kind = KINDS[node.dataset.grab];
    const place = still(layer.place, handles.at(layer)), stray = handles.stray(layer), size = handles.size(layer);
    const seen = { x: place.x + stray.x, y: place.y + stray.y };
    const away = (p) => Math.hypot(p.x - seen.x, p.y - seen.y);
    const angle = (p) => (Math.atan2(p.y - seen.y, p.x - seen.x) * 180) / Math.PI;
    const change = kind.change({
      place, start, node, size, away, angle, map: layerMap(place, 0, stray, size), canvas: handles.bench.shot.canvas, k: handles.picture.rect.k, crop: still(layer.crop, handles.at(layer)), shown: this.shown,
    });
    return (now, event) => {
      const next = change(now, event);
      handles.render({ ...place, ...next, pins: { ...place.pins, ...next.pins } });
      const { crop: cut = {}, ...rest } = next;
      return { ...named(cut, "crop"), ...named(rest, "place") };
    };
  }
}

/** Values by their dotted paths. */
function named(values, way) {
  return Object.fromEntries(Object.entries(values).flatMap(([name, value]) => (
    typeof value === "object" ? Object.entries(named(value, `${way}.${name}`)) : [[`${way}.${name}`, value]]
  )));
}
