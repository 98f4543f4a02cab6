// What buttons and fields do.
import { ask, say } from "../common.js";
import { ClipTime } from "./clip-time.js";
import { round } from "./handles.js";
import { Keyboard } from "./keyboard.js";
import { MaskDraw } from "./mask-draw.js";
import { tidy } from "./mask-handles.js";
import { maskMap, OWN_LENGTHS } from "./mask-shape.js";
import { Mattes } from "./mattes.js";
import { moves, valueAt } from "./moving.js";
import { Shelf } from "./shelf.js";
import { Wall } from "./wall.js";

const newId = (letter) => letter + crypto.randomUUID().replaceAll("-", "").slice(0, 15);

export class Commands {
  constructor({ bench, handles, stack, player, view, loupe, strip, lanes, keyframes }) {
    Object.assign(this, { bench, handles, stack, player, view, loupe, strip, lanes, keyframes });
    this.shelf = new Shelf(bench);
    this.masks = new MaskDraw(bench, handles, newId);
    this.wall = new Wall(bench);
    this.clips = new ClipTime(bench, newId);
    this.mattes = new Mattes(bench, handles, newId);
    document.addEventListener("click", (event) => this.click(event));
    document.addEventListener("change", (event) => this.change(event));
    document.getElementById("to-start").addEventListener("click", () => this.go(0));
    this.keyboard = new Keyboard(this);
  }

  click(event) {
    const { bench } = this;
    const button = event.target.closest("[data-do], [data-set], [data-way], [data-add], [data-add-colour], [data-bring]");
    if (button && !button.disabled) {
      const { dataset } = button;
      if (dataset.do) {
        if (button.closest("summary")) event.preventDefault();
        this.act(dataset.do, dataset, button);
      }
      else if (dataset.set) {
        event.preventDefault(); // inside the head of a part it would fold it
        bench.set(button.closest("[data-target]").dataset.target, { [dataset.set]: "json" in dataset ? JSON.parse(dataset.to) : dataset.to });
      }
      else if (dataset.way) bench.see(dataset.way);
      else if (dataset.add) this.shelf.take({ footage: dataset.add });
      else if ("addColour" in dataset) this.shelf.take({ colour: document.getElementById("new-colour").value });
      else document.getElementById("files").click();
      return;
    }
    if (event.target.closest("#undo")) this.undo();
    else if (event.target.closest("#redo")) this.redo();
    else if (event.target.closest("#split")) this.clips.split();
    else if (event.target.closest("#render")) this.deliver();
    else if (event.target.closest("[data-do-render]")) this.render();
    else {
      const choice = event.target.closest("[data-choose]");
      if (choice && !choice.dataset.dragged) this.choose(choice.dataset.choose, event);
    }
  }

  /** With Ctrl one more or one less is chosen, with Shift all between it and the chosen one. */
  choose(choice, event) {
    const { bench } = this;
    const [kind, id] = choice.split(":");
    const several = (event.ctrlKey || event.metaKey || event.shiftKey) && kind !== "shot" && bench.targets.length;
    if (!several || kind === "seam") { bench.choose(choice); return; }
    if (!event.shiftKey) { bench.chooseAlso([id]); return; }
    const order = [...bench.shot.layers, ...bench.shot.sounds].map((thing) => thing.id);
    const [from, to] = [order.indexOf(bench.target), order.indexOf(id)].sort((a, b) => a - b);
    bench.chooseAlso(order.slice(from, to + 1), true);
  }

  act(name, dataset, button) {
    const { bench } = this;
    const id = dataset.layer ?? bench.layer?.id;
    const layer = bench.shot.layers.find((one) => one.id === id);
    if (name === "hear-alone") return this.hearAlone(dataset.sound ? [dataset.sound] : bench.targets.map((one) => one.id));
    if (name === "mute") return bench.set(dataset.sound, { on: !bench.thing(dataset.sound).on });
    if (name === "remove-sound") return bench.edit({ do: "remove-sound", sound: dataset.sound });
    if (name === "keep-frame") return this.clips.keepFrame();
    if (name === "replace") return this.shelf.replace(layer ?? bench.sound, button);
    // a card's own tools act on all that is chosen when the card is one of them
    if (name === "wall" && !layer) { say("Choose a layer or a seam first."); return null; }
    const things = bench.targets.some((one) => one.id === id) || !layer ? bench.targets : [layer];
    const layers = things.filter((one) => one.seam);
    if (!things.length) return null;
    const all = (word) => `${word} ${things.length} layers`;
    const turn = (field) => bench.editAll(all(field), layers.map((one) => ({ do: "set-values", target: one.id, values: { [field]: !layer?.[field] } })));
    const actions = {
      hide: () => turn("hidden"),
      lock: () => turn("locked"),
      solo: () => {
        const alone = layers.every((one) => bench.solo.has(one.id));
        for (const one of layers) if (alone) bench.solo.delete(one.id); else bench.solo.add(one.id);
        bench.tell("solo");
        bench.tell("frame");
      },
      duplicate: () => bench.editAll(all("duplicate"), layers.map((one) => ({ do: "duplicate-layer", layer: one.id, new_id: newId("l") }))),
      "duplicate-here": () => bench.editAll(all("duplicate"), layers.flatMap((one) => {
        const new_id = newId("l");
        return [{ do: "duplicate-layer", layer: one.id, new_id }, { do: "move-in-time", target: new_id, by: bench.frame - one.span.first }];
      })),
      remove: () => {
        return bench.editAll(all("remove"), things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id })));
      },
      // what begins after the last of what goes moves up by as many frames as they took
      "close-gap": () => {
        const first = Math.min(...things.map((one) => one.span.first)), last = Math.max(...things.map((one) => one.span.last));
        const later = [...bench.shot.layers, ...bench.shot.sounds].filter((one) => one.span.first > last && !one.locked);
        const moved = later.map((one) => ({ do: "move-in-time", target: one.id, by: first - last - 1 }));
        const gone = things.map((one) => (one.seam ? { do: "remove-layer", layer: one.id } : { do: "remove-sound", sound: one.id }));
        return bench.editAll("remove and close the gap", [...gone, ...moved]);
      },
      detach: () => this.clips.detach(layer),
      flip: () => bench.set(id, { [`place.flip_${dataset.axis}`]: !layer.place[`flip_${dataset.axis}`] }),
      fit: () => this.fit(layer, Math.min),
      fill: () => this.fit(layer, Math.max),
      measure: () => this.mattes.measure({ layer: id }),
      area: () => this.mattes.area(layer, dataset),
      "add-key": () => this.mattes.addKey(layer, dataset.kind),
      "plate-here": () => this.mattes.plateHere(layer, dataset.part),
      "drop-sample": () => this.mattes.dropSample(layer, dataset),
      "draw-mask": () => this.masks.start(layer, dataset.kind),
      "save-outline": () => this.masks.save(layer, dataset.part),
      "fix-mask": () => this.fixMask(layer, dataset.part, dataset.to),
      wall: () => this.wall.toggle(),
      "key-mask": () => { this.handles.masks.take(dataset.part); return this.keyframes.whole(); },
      reverse: () => bench.edit({ do: "reverse", target: id }),
      freeze: () => this.clips.freeze(layer, dataset.apart === "true"),
      conform: () => this.clips.conform(layer),
      swap: () => this.swap(layer),
      "remove-part": () => bench.edit({ do: "remove-part", layer: id, part: dataset.part }),
    };
    return actions[name]?.();
  }

  /** Only these are heard, or with them others again; the shot and its renders stay as they are. */
  hearAlone(ids) {
    const { bench } = this, alone = ids.every((id) => bench.heard.has(id));
    for (const id of ids) if (alone) bench.heard.delete(id); else bench.heard.add(id);
    bench.tell("heard");
  }

  /** Move the chosen layer, or the active mask, by pixels of the canvas. */
  nudge(event) {
    const { bench } = this, { layer } = bench;
    if (!layer) return;
    const by = event.shiftKey ? 10 : 1, at = bench.at(layer);
    const dx = { ArrowLeft: -by, ArrowRight: by }[event.key] ?? 0, dy = { ArrowUp: -by, ArrowDown: by }[event.key] ?? 0;
    const mask = bench.kind === "seam" && this.handles.masks.current(layer);
    if (!mask) {
      bench.set(layer.id, { ...(dx ? { "place.x": valueAt(layer.place.x, at) + dx } : {}), ...(dy ? { "place.y": valueAt(layer.place.y, at) + dy } : {}) });
      return;
    }
    const { base } = maskMap(mask, layer, at, bench.shot.canvas);
    const from = base.toSource(0, 0), to = base.toSource(dx, dy);
    const moved = { x: round(valueAt(mask.x, at) + to.u - from.u, 2), y: round(valueAt(mask.y, at) + to.v - from.v, 2) };
    bench.set(layer.id, Object.fromEntries(Object.entries(moved).map(([name, value]) => [`seam.masks.${mask.id}.${name}`, value])));
  }

  /** Of all that may be chosen, the smallest goes first: keyframes, a point of an outline, layers. */
  remove(event) {
    if (event.shiftKey) return this.act("close-gap", {});
    return this.lanes.remove() || this.handles.masks.removePoint() || this.act("remove", {});
  }

  fit(layer, choose) {
    const { bench } = this;
    const { canvas } = bench.shot;
    const { width, height } = this.handles.size(layer);
    const scale = round(100 * choose(canvas.width / width, canvas.height / height), 4);
    bench.set(layer.id, {
      "place.x": canvas.width / 2, "place.y": canvas.height / 2, "place.scale": scale, "place.rotation": 0,
    });
  }

  /** A mask stays where it is seen when it is fixed to something else. */
  fixMask(layer, id, to) {
    const mask = layer.seam.masks.find((one) => one.id === id);
    if (mask.fixed === to) return null;
    const moved = this.seenFrom(mask, layer, to, layer);
    return this.bench.set(layer.id, Object.fromEntries(Object.entries(moved).map(([name, value]) => [`seam.masks.${id}.${name}`, value])));
  }

  /** What changes of a mask when it is fixed to the canvas or to another layer and stays where it is. */
  seenFrom(mask, layer, to, other) {
    const { bench } = this;
    const moved = { fixed: to };
    const lengths = OWN_LENGTHS.slice(2).filter((name) => mask[name] !== undefined);
    if (["x", "y", "rotation", "outline", ...lengths].some((name) => moves(mask[name]))) return moved;
    const at = bench.frame - layer.span.first, there = bench.frame - other.span.first;
    const old = maskMap(mask, layer, at, bench.shot.canvas);
    const spot = old.toCanvas(0, 0);
    const next = maskMap({ ...mask, x: 0, y: 0, fixed: to }, other, there, bench.shot.canvas);
    const { u, v } = next.base.toSource(spot.x, spot.y);
    const k = old.unit / next.unit;
    const turned = (fixed, place, frame) => (fixed === "canvas" ? 0 : valueAt(place.rotation, frame));
    const turn = turned(mask.fixed, layer.place, at) - turned(to, other.place, there);
    Object.assign(moved, { x: round(u, 1), y: round(v, 1), rotation: round(mask.rotation + turn, 1) });
    for (const name of lengths) moved[name] = round(mask[name] * k, 1);
    if (mask.outline) {
      moved.outline = mask.outline.map((one) => tidy(Object.fromEntries(Object.entries(one).map(([key, value]) => [key, key === "feather" ? value : value * k]))));
    }
    return moved;
  }

  /** A matte or a mask for another layer too; a mask lies there where it lies here. */
  copyPart(layer, id, to) {
    const { bench } = this;
    const other = bench.shot.layers.find((one) => one.id === to);
    const mask = layer.seam.masks.find((one) => one.id === id);
    if (mask) {
      const copy = { ...mask, id: newId("m"), ...(mask.fixed === "layer" ? this.seenFrom(mask, layer, "layer", other) : {}) };
      bench.edit({ do: "add-mask", layer: to, mask: copy }).then((done) => { if (done) say(`${other.name} has the mask too.`); });
      return;
    }
    const matte = layer.seam.matte.find((one) => one.id === id);
    bench.edit({ do: "add-matte", layer: to, matte: { ...matte, id: newId("k") } }).then((done) => { if (done) say(`${other.name} has the matte too.`); });
  }

  /** How a layer comes, goes, stirs and echoes, for another one too. */
  copyMotion(layer, to) {
    const { bench } = this, other = bench.shot.layers.find((one) => one.id === to);
    const values = Object.fromEntries(["arrive", "leave", "stir", "echo", "shutter"].map((name) => [name, layer[name]]));
    bench.edit({ do: "several", label: `${other.name} moves as ${layer.name}`, edits: [{ do: "set-values", target: to, values }] })
      .then((done) => { if (done) say(`${other.name} comes, goes and stirs as ${layer.name} does.`); });
  }

  swap(layer) {
    const { bench } = this;
    const at = bench.shot.layers.indexOf(layer);
    if (at <= 0) { say("There is no layer below this one to swap with."); return null; }
    return bench.edit({ do: "reorder-layer", layer: layer.id, index: at - 1 });
  }

  undo() { if (this.bench.state.undo) this.bench.send("undo").catch(() => null); }
  redo() { if (this.bench.state.redo) this.bench.send("redo").catch(() => null); }

  /** Open the choices of a render; their numbers come from the server. */
  async deliver() {
    await this.bench.queue;
    const pop = document.getElementById("deliver-pop");
    await window.htmx.ajax("GET", `/shots/${this.bench.id}/deliver`, { target: "#deliver", swap: "outerHTML" });
    const box = document.getElementById("render").getBoundingClientRect();
    Object.assign(pop.style, { position: "fixed", inset: "auto", left: `${Math.max(8, box.right - 340)}px`, top: `${box.bottom + 6}px` });
    pop.showPopover();
    pop.querySelector("[data-do-render]").focus();
  }

  async render() {
    const chosen = Object.fromEntries(new FormData(document.getElementById("deliver")));
    const body = { kind: chosen.kind, scale: Number(chosen.scale), quality: chosen.quality, rate: chosen.rate || null, loudness: chosen.loudness ?? "as-mixed" };
    const answer = await ask(`/shots/${this.bench.id}/renders`, { method: "POST", body }).catch(() => null);
    if (answer) location.href = "/renders";
  }

  change(event) {
    const moment = event.target.closest("[data-moment]");
    if (moment) {
      const { target } = moment.closest("[data-target]").dataset, [what, found] = moment.value.split(":");
      moment.value = "";
      if (what === "mark") this.strip.marks.find(target, found);
      else this.strip.marks.lay(this.bench.thing(target), found);
      return;
    }
    if ("ramp" in event.target.dataset) { this.clips.ramp(this.bench.layer, event.target.value); return; }
    const copy = event.target.closest("[data-copy-part]");
    if (copy) { this.copyPart(this.bench.layer, copy.dataset.copyPart, copy.value); copy.value = ""; return; }
    if ("copyMotion" in event.target.dataset) { this.copyMotion(this.bench.layer, event.target.value); event.target.value = ""; return; }
    if ("rate" in event.target.dataset) { this.clips.changeRate(event.target.value); return; }
    const field = event.target.closest("[data-value], [data-trim]");
    if (!field) return;
    const { bench } = this;
    const target = field.closest("[data-target]").dataset.target;
    if (field.dataset.trim) {
      const to = Number(field.value);
      if (!Number.isInteger(to)) { bench.tell("restore"); return; }
      bench.edit({ do: "trim", target, edge: field.dataset.trim, to });
      return;
    }
    let value = field.type === "checkbox" ? field.checked : field.value;
    if ("json" in field.dataset) value = JSON.parse(value);
    if (field.dataset.type === "int") value = Math.round(Number(value));
    if (field.dataset.type === "number") value = Number(value);
    const values = { [field.dataset.value]: value };
    if (field.id === "field-screen") values[field.dataset.value.replace(/colour$/, "colour_from")] = "picked";
    bench.set(target, values).then((answer) => { if (!answer) bench.tell("restore"); });
  }

  go(frame) {
    this.bench.tell("pause");
    this.bench.go(frame);
  }

  edge(name) {
    const { bench } = this;
    bench.editAll(`${name} frame of ${bench.targets.length} layers`, bench.targets.map((thing) => ({ do: "trim", target: thing.id, edge: name, to: bench.frame })));
  }
}
