// The time strip: a lane for each layer in stack order, then the sounds; bars are dragged and trimmed.
import { scrolling } from "../stack/arrange.js";
import { follow } from "../drag.js";
import { Bare } from "./bare.js";
import { Bars } from "./bars.js";
import { Films } from "./films.js";
import { Lanes } from "./lanes.js";
import { Marks } from "./marks.js";
import { NAMES, node } from "./parts.js";
import { Ruler, RULER } from "./ruler.js";
import { Snap } from "./snap.js";

const LANES = { usual: [27, 19], compact: [20, 14] }; // of a row, and of its bar; compact from eight rows on
const MANY = 8;
const WIDEST = 24; // pixels a frame

export class TimeStrip {
  constructor(bench) {
    this.bench = bench;
    this.svg = document.getElementById("lanes");
    this.held = null;
    this.marks = new Marks(bench, this);
    this.bars = new Bars(bench, this);
    this.films = new Films(bench, this);
    this.lanes = new Lanes(bench, this);
    this.bare = new Bare(bench, this);
    this.snap = new Snap(bench, this);
    this.ruler = new Ruler(bench, this);
    this.top = RULER;
    this.only = false;
    this.from = 0; // first frame in sight
    this.wide = null; // pixels a frame; none when all of the shot fits
    this.svg.addEventListener("wheel", (event) => this.wheel(event), { passive: false });
    for (const name of ["state", "chosen", "also"]) bench.addEventListener(name, () => { if (!this.held) this.render(); });
    new ResizeObserver(() => this.render()).observe(this.svg.parentElement);
    this.svg.addEventListener("pointerdown", (event) => this.press(event));
    this.render();
  }

  /** What has a lane: all there is, from the top; with `only` what is chosen, if anything is. */
  get things() {
    const { bench } = this, chosen = bench.layer ?? bench.sound;
    if (this.only && chosen) return [chosen];
    return [...bench.shot.layers].reverse().concat(bench.shot.sounds);
  }
  get rows() { return this.things.length >= MANY ? LANES.compact : LANES.usual; }
  /** Pixels a frame. */
  get scale() { return this.wide ?? this.room / this.bench.shot.length; }
  x(frame) { return NAMES + (frame - this.from) * this.scale; }
  frameAt(clientX) {
    const box = this.svg.getBoundingClientRect();
    return (clientX - box.left - NAMES) / this.scale + this.from;
  }

  /** Show a frame so many pixels wide; what lies under a place of the strip stays there. */
  zoom(wide, x = this.x(this.bench.frame)) {
    const { length } = this.bench.shot, least = this.room / length;
    const at = this.from + (x - NAMES) / this.scale;
    this.wide = wide <= least ? null : Math.min(Math.max(wide, least), Math.max(WIDEST, least));
    this.scrollTo(this.wide ? at - (x - NAMES) / this.wide : 0);
  }

  scrollTo(frame) {
    const most = this.bench.shot.length - this.room / this.scale;
    this.from = Math.min(Math.max(0, frame), Math.max(0, most));
    this.render();
    this.bench.tell("strip");
  }

  wheel(event) {
    const across = Math.abs(event.deltaX) > Math.abs(event.deltaY) ? event.deltaX : event.shiftKey ? event.deltaY : 0;
    if (event.ctrlKey || event.metaKey) {
      event.preventDefault();
      this.zoom(this.scale * Math.exp(-event.deltaY * 0.003), event.clientX - this.svg.getBoundingClientRect().left);
    } else if (across && this.wide) {
      event.preventDefault();
      this.scrollTo(this.from + across / this.scale);
    }
  }

  /** All anew; or, while a bar is under the hand, only what it is moved to. */
  render(moved) {
    const { svg, bench } = this;
    if (moved && this.lanes.has(moved)) {
      this.lanes.render(moved, this.things.findIndex((one) => one.id === moved.id));
      this.bare.render(RULER + this.things.length * this.rows[0] + 6, moved);
      return;
    }
    this.lanes.clear();
    this.bare.group = null;
    this.room = Math.max(60, svg.parentElement.clientWidth - NAMES - 8);
    if (this.wide && this.wide < this.room / bench.shot.length) this.wide = null;
    if (!this.wide) this.from = 0;
    const things = this.things;
    const height = RULER + things.length * this.rows[0] + 6;
    svg.setAttribute("height", height);
    svg.setAttribute("viewBox", `0 0 ${this.room + NAMES + 8} ${height}`);
    svg.replaceChildren();
    this.films.clear(this.room + NAMES + 8, height);
    const clip = node("clipPath", { id: "lanes-field" });
    clip.append(node("rect", { x: NAMES - 1, y: 0, width: this.room + 9, height: height + 200 }));
    this.field = node("g", { "clip-path": "url(#lanes-field)" });
    svg.append(clip, this.field);
    this.ruler.render();
    things.forEach((thing, row) => this.lanes.render(thing, row));
    this.bare.render(height);
    this.marks.render(height);
    this.ruler.renderHead(height);
  }

  press(event) {
    const { bench } = this;
    const grab = event.target.dataset?.grab;
    if (event.target.closest("[data-choose]") || event.button !== 0) return;
    event.preventDefault();
    const start = this.frameAt(event.clientX), target = { dataset: { ...event.target.dataset } };
    let y = event.clientY;
    let stop = () => {};
    const changes = ["fade", "mark", "bar", "first", "last"].includes(grab); // the playhead waits for nothing
    follow(this.svg, event, changes ? bench : { saving: 0 }, () => {
      const drag = this.begin(grab, event, start, target);
      if (drag) stop = scrolling(this.svg.parentElement, () => y);
      return drag && {
        move: (next) => { y = next.clientY; drag.move(this.frameAt(next.clientX), next); },
        end: (finished) => { this.snap.show(null); drag.end(finished); },
      };
    }, (held) => { this.held = held; if (!held) stop(); }, grab === "bar" && !event.altKey ? () => this.bars.choose(bench.thing(target.dataset.thing), event) : null);
  }

  /** What a press begins: a fade, a mark, a bar or its end, or moving the playhead. */
  begin(grab, event, start, target) {
    const { bars, bench } = this, thing = bench.thing(target.dataset.thing);
    if (target.dataset.thing && !thing) return null; // it is gone by now
    if (grab === "fade") return bars.fade(target);
    if (grab === "mark") return this.marks.press(event);
    if (grab === "bar" && event.altKey) return bars.slip(thing, start);
    const end = grab === "first" || grab === "last";
    const both = end && event.altKey ? bars.meeting(target) : null;
    if (both) return bars.bothEnds(both, start);
    return end || grab === "bar" ? bars.bar(grab, thing, start, event) : this.dragHead(event);
  }

  dragHead(event) {
    const { bench } = this;
    bench.tell("pause");
    bench.go(Math.floor(this.frameAt(event.clientX)));
    return {
      move: (frame, next) => {
        const hit = next.altKey ? null : this.snap.near(frame, this.snap.targets(null));
        this.snap.show(hit);
        bench.go(hit ? hit.frame : Math.floor(frame));
      },
      end: () => {},
    };
  }
}
