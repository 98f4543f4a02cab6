// What buttons and fields do.
import { say } from "../common.js";
import { ClipTime } from "./time/clip-time.js";
import { Copying } from "./stack/copying.js";
import { Fields } from "./fields.js";
import { Paint } from "./stack/paint.js";
import { Looks } from "./stack/looks.js";
import { Keyboard } from "./keyboard.js";
import { Layers } from "./stack/layers.js";
import { MaskDraw } from "./masks/draw.js";
import { Mattes } from "./stack/mattes.js";
import { Roto } from "./stack/roto.js";
import { RotoOver } from "./stack/roto-over.js";
import { Rendering } from "./rendering.js";
import { Passes } from "./picture/passes.js";
import { Shelf } from "./stack/shelf.js";
import { Tracks } from "./stack/tracks.js";
import { Windows } from "./stack/windows.js";
import { Wall } from "./picture/wall.js";

const newId = (letter) => letter + crypto.randomUUID().replaceAll("-", "").slice(0, 15);

export class Commands {
  constructor({ bench, handles, stack, player, view, loupe, strip, lanes, keyframes, picture }) {
    Object.assign(this, { bench, handles, stack, player, view, loupe, strip, lanes, keyframes, compare: picture.compare });
    this.shelf = new Shelf(bench);
    this.masks = new MaskDraw(bench, handles, newId);
    this.wall = new Wall(bench);
    this.clips = new ClipTime(bench, newId);
    this.mattes = new Mattes(bench, handles);
    this.layers = new Layers(bench, handles, newId);
    this.layers.compare = picture.compare;
    this.copying = new Copying(bench, (layer, part, to) => (part === "look" ? this.looks.copy(layer, to) : this.layers.copy(layer, part, to)));
    this.looks = new Looks(bench, this.copying, picture, newId);
    this.paint = new Paint(bench, handles, picture);
    this.roto = new Roto(bench, handles, picture);
    this.rotoOver = new RotoOver(bench, picture, this.roto, strip);
    this.rendering = new Rendering(bench);
    this.acts = {
      ...this.layers.acts, ...this.clips.acts, ...this.mattes.acts, ...this.masks.acts, ...this.looks.acts, ...new Windows(bench).acts, ...this.paint.acts, ...this.roto.acts, ...this.rotoOver.acts, ...new Passes(bench, (what) => this.layers.watch(what)).acts, ...new Tracks(bench, handles, (what) => this.layers.watch(what)).acts, ...picture.compare.acts,
      "nudge-tenth": ({ dataset, event: pressed }) => { const by = pressed?.shiftKey ? 1 : 0.1; this.layers.nudgeBy(Number(dataset.dx) * by, Number(dataset.dy) * by); },
      wall: ({ layer }) => { if (layer) this.wall.toggle(); else say("Choose a layer or a seam first."); },
      replace: ({ layer, button }) => this.shelf.replace(layer ?? bench.sound, button),
      "copy-to": ({ layer, dataset, button }) => this.copying.open(layer, dataset.part ?? null, button),
      "key-mask": ({ dataset }) => { handles.masks.take(dataset.part); return keyframes.whole(); },
    };
    document.addEventListener("click", (event) => this.click(event));
    new Fields(bench, this.clips, strip.marks);
    document.getElementById("to-start").addEventListener("click", () => this.go(0));
    this.keyboard = new Keyboard(this);
  }

  click(event) {
    const { bench } = this;
    const button = event.target.closest("[data-do], [data-set], [data-way], [data-add], [data-add-colour], [data-add-adjustment], [data-add-camera], [data-add-generated], [data-bring]");
    if (button && !button.disabled) {
      const { dataset } = button;
      if (dataset.do) {
        if (button.closest("summary")) event.preventDefault();
        this.act(dataset.do, dataset, button, event);
      }
      else if (dataset.set) {
        event.preventDefault(); // inside the head of a part it would fold it
        bench.set(button.closest("[data-target]").dataset.target, { [dataset.set]: "json" in dataset ? JSON.parse(dataset.to) : dataset.to });
      }
      else if (dataset.way) bench.see(dataset.way);
      else if (dataset.add) this.shelf.take({ footage: dataset.add });
      else if ("addColour" in dataset) this.shelf.take({ colour: document.getElementById("new-colour").value });
      else if (dataset.addGenerated) this.shelf.take({ generated: dataset.addGenerated });
      else if ("addCamera" in dataset) this.shelf.take({ camera: true });
      else if ("addAdjustment" in dataset) this.shelf.take({ adjustment: true });
      else document.getElementById("files").click();
      return;
    }
    if (event.target.closest("#undo")) this.undo();
    else if (event.target.closest("#redo")) this.redo();
    else if (event.target.closest("#split")) this.clips.split();
    else if (event.target.closest("#render")) this.rendering.open();
    else if (event.target.closest("[data-do-render]")) this.rendering.begin();
    else {
      const choice = event.target.closest("[data-choose]");
      if (choice && !choice.dataset.dragged) this.choose(choice.matches(".card") ? bench.sheetOf(choice.dataset.choose) : choice.dataset.choose, event);
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

  /** Do what a button or a key names, to what is chosen: each room has its own. */
  act(name, dataset, button, event) {
    const { bench } = this;
    const id = dataset.layer ?? bench.layer?.id;
    const layer = bench.shot.layers.find((one) => one.id === id);
    return this.acts[name]?.({ layer, dataset, button, event, targets: this.layers.targets(layer) });
  }

  /** Of all that may be chosen, the smallest goes first: keyframes, a point of an outline, layers. */
  remove(event) {
    if (event.shiftKey) return this.act("close-gap", {});
    return this.lanes.remove() || this.handles.masks.removePoint() || this.act("remove", {});
  }

  undo() { if (this.bench.state.undo) this.bench.send("undo").catch(() => null); }
  redo() { if (this.bench.state.redo) this.bench.send("redo").catch(() => null); }

  go(frame) {
    this.bench.tell("pause");
    this.bench.go(frame);
  }
}
