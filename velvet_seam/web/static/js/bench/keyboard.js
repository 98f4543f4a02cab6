// The keys: one table of what has a key and what it does, for the keys themselves, their list, and finding.
import { provide } from "../find.js";
import { things } from "./things.js";

// what else people call what has a key, by the first of its keys
const ALSO = {
  6: "onion skin overlay align", b: "double exposure blend modes all", e: "before after", x: "order",
  u: "eyedropper pick picker value readout", a: "guides phone", y: "cut in two", d: "clone copy", h: "eye visible", f: "protect",
  g: "nest merge", k: "animate", m: "marker beat note", v: "graph curves keyframes animation", z: "timeline zoom",
  l: "repeat gif", "?": "help shortcuts keyboard", " ": "preview watch",
};

export class Keyboard {
  constructor(commands) {
    const { bench, player, view } = commands;
    Object.assign(this, { commands, bench, player, view });
    this.actions = this.table();
    this.byKey = new Map(this.actions.flatMap((action) => action.keys.map((key) => [key, action])));
    document.addEventListener("keydown", (event) => this.key(event));
    // a button is pressed by Space when it comes up again: not while Space plays
    document.addEventListener("keyup", (event) => { if (event.key === " " && event.target.matches("button") && !event.target.closest("[popover]")) event.preventDefault(); });
    document.addEventListener("beforetoggle", (event) => this.remember(event), true);
    this.listKeys();
    provide(() => this.find());
  }

  key(event) {
    const { bench, player } = this;
    const inField = event.target.closest("input, select, textarea");
    const control = event.ctrlKey || event.metaKey;
    if (control && event.key.toLowerCase() === "z") {
      if (inField && inField.type === "text") return;
      event.preventDefault();
      if (event.shiftKey) this.commands.redo();
      else this.commands.undo();
      return;
    }
    if (control && event.key === "Enter") {
      event.preventDefault();
      if (!document.getElementById("render").disabled) this.commands.rendering.open();
      return;
    }
    if (inField && !["checkbox", "color"].includes(inField.type)) {
      if (event.key === "Enter" && !inField.matches("textarea")) inField.blur();
      return;
    }
    if (control && event.key.toLowerCase() === "a") {
      event.preventDefault();
      const [first, ...rest] = bench.shot.layers.map((layer) => layer.id).reverse();
      if (first && !bench.layer) bench.choose(`layer:${first}`).then(() => bench.chooseAlso(rest, true));
      else bench.chooseAlso([first, ...rest].filter(Boolean), true);
      return;
    }
    if (control && event.key.startsWith("Arrow")) { event.preventDefault(); this.commands.layers.nudge(event); return; }
    if (control && event.key.toLowerCase() === "c" && this.commands.lanes.any && !String(getSelection())) { event.preventDefault(); this.commands.keyframes.copy(this.commands.lanes.chosen); return; }
    if (control && event.key.toLowerCase() === "v" && this.commands.keyframes.copied) { event.preventDefault(); this.commands.keyframes.paste(); return; }
    if (control) return;
    if (event.altKey && ["ArrowUp", "ArrowDown"].includes(event.key)) {
      event.preventDefault();
      this.commands.stack.shift(event.key === "ArrowUp" ? 1 : -1);
      return;
    }
    if ((event.key === "Enter" || event.key === " ") && event.target.matches(".card")) {
      if (event.key === " " && event.target.matches(".chosen")) { event.preventDefault(); player.toggle(); return; }
      event.preventDefault();
      this.commands.choose(event.target.dataset.choose, event);
      return;
    }
    if (event.key === "Escape" && !document.querySelector(":popover-open") && (this.commands.paint.putDown() || this.commands.roto.putDown())) { event.preventDefault(); return; }
    if (event.key === "Escape" && this.closeTop()) { event.preventDefault(); return; }
    // Space plays wherever one does not type; a button that has the focus is pressed by Enter
    if (event.key === " " && event.target.closest("a, summary, [popover]")) return;
    if (event.key === "Enter" && this.commands.handles.placeHere()) { event.preventDefault(); return; }
    if (event.key === "Enter" && this.commands.handles.drawing?.points?.length > 2) {
      event.preventDefault(); // the button that began it may still have the focus
      this.commands.handles.endLine(false);
      return;
    }
    if (event.key === "Tab") return this.tab(event);
    const action = this.byKey.get(event.key) ?? this.byKey.get(event.key.toLowerCase());
    if (!action || event.altKey) return;
    event.preventDefault();
    action.run(event);
  }

  /** The browser gives the focus back only where a button opened a popover by itself. */
  remember({ target, newState }) {
    if (!target.matches("[popover]")) return;
    if (newState === "open") { target.before_ = document.activeElement; return; }
    const back = target.before_;
    target.before_ = null;
    if (!back?.isConnected || back === document.body) return;
    const free = () => target.contains(document.activeElement) || document.activeElement === document.body;
    // not where what was done has taken the focus elsewhere meanwhile
    if (free()) requestAnimationFrame(() => { if (free() && back.isConnected && !document.querySelector(":popover-open")) back.focus({ preventScroll: true }); });
  }

  /** Close the popover that was opened last; the focus goes back to where it was. Whether there was one. */
  closeTop() {
    const open = [...document.querySelectorAll(":popover-open")].at(-1);
    if (!open) return false;
    open.hidePopover();
    return true;
  }

  table() {
    const { bench, player, view } = this;
    const by = (event) => (event.shiftKey ? 10 : 1);
    const one = (keys, words, run, shown) => ({ keys, words, run, shown: shown ?? keys.map((key) => (key.length === 1 ? key.toUpperCase() : key)) });
    return [
      one([" "], "play, pause", () => player.toggle(), ["Space"]),
      one(["ArrowLeft"], "one frame back; with Shift ten", (event) => this.commands.go(bench.frame - by(event)), ["←"]),
      one(["ArrowRight"], "one frame forward; with Shift ten", (event) => this.commands.go(bench.frame + by(event)), ["→"]),
      one(["Home"], "first frame", () => this.commands.go(0)),
      one(["End"], "last frame", () => this.commands.go(bench.shot.length - 1)),
      one(["1"], "see the joined picture", () => bench.see("joined")),
      one(["2"], "see the matte", () => bench.see("matte")),
      one(["3"], "see the source", () => bench.see("source")),
      one(["4"], "see what is dropped, holes and specks", () => bench.see("dropped")),
      one(["5"], "see the layer alone; again over black, over white", () => bench.see("alone")),
      one(["6"], "compare with another layer: half of each", () => this.commands.compare.pick("half")),
      one(["7"], "compare: the difference; again: raised more", () => this.commands.compare.pick("difference")),
      one(["8"], "compare: blink", () => this.commands.compare.pick("blink")),
      one(["9"], "compare: edges", () => this.commands.compare.pick("outlines")),
      one(["j"], "compare: a stitch across both", () => this.commands.compare.pick("stitch")),
      one(["b"], "blend wall", () => this.commands.act("wall", {})),
      one(["n"], "pull the layer's corners, or scale by them", () => this.commands.act("pin", {})),
      one(["e"], "see the layer without its look, while held", (event) => { if (!event.repeat) this.commands.looks.bare(true); }),
      one(["q"], "roto: the next frame to be looked at; with Shift the one before", (event) => this.commands.rotoOver.look(event.shiftKey ? -1 : 1)),
      one(["x"], "swap the layer with the one below", () => this.commands.act("swap", {})),
      one(["+", "="], "see it larger", () => view.step(1), ["+"]),
      one(["-"], "see it smaller", () => view.step(-1), ["−"]),
      one(["0"], "fit the picture into the mat", () => view.pick("fit")),
      one(["u"], "loupe: colour and coverage under the pointer", () => this.commands.loupe.toggle()),
      one(["a"], "safe areas of a phone on, off", () => view.safe()),
      one([","], "another grey for the mat", () => view.shade(1), [","]),
      one(["i"], "the layer's first frame is here", () => this.commands.layers.edge("first")),
      one(["o"], "the layer's last frame is here", () => this.commands.layers.edge("last")),
      one(["y"], "split the layer or sound at the playhead; with Shift all that is there", (event) => (event.shiftKey ? this.commands.clips.splitAll() : this.commands.clips.split())),
      one(["d"], "duplicate; with Shift the copy begins at the playhead", (event) => this.commands.act(event.shiftKey ? "duplicate-here" : "duplicate", {})),
      one(["h"], "hide, show", () => this.commands.act("hide", {})),
      one(["s"], "show alone; a sound: hear it alone", () => this.commands.act(bench.sound ? "hear-alone" : "solo", {})),
      one(["f"], "lock, unlock", () => this.commands.act("lock", {})),
      one(["g"], "group the chosen layers into a shot of their own", () => this.commands.act("group", {})),
      one(["r"], "rename", () => { const name = document.getElementById("field-name"); name?.focus(); name?.select(); }),
      one(["k"], "keyframe here: of the place, of the mask, else of opacity or gain", () => this.commands.keyframes.whole()),
      one(["m"], "mark here; again takes it away", () => this.commands.strip.marks.toggle()),
      one(["PageUp"], "the mark before", () => this.commands.strip.marks.jump(-1)),
      one(["PageDown"], "the next mark", () => this.commands.strip.marks.jump(1)),
      one(["["], "the keyframe before", () => this.commands.keyframes.jump(-1), ["["]),
      one(["]"], "the next keyframe", () => this.commands.keyframes.jump(1), ["]"]),
      one(["v"], "values of this layer that move, as lanes", () => this.commands.lanes.toggle()),
      one(["<"], "chosen keyframes a frame earlier", () => this.commands.lanes.nudge(-1), ["<"]),
      one([">"], "chosen keyframes a frame later", () => this.commands.lanes.nudge(1), [">"]),
      one(["z"], "time strip: a frame as wide as a finger, and all of the shot again", () => this.commands.strip.zoom(this.commands.strip.wide ? 0 : 24)),
      one(["Delete", "Backspace"], "remove what is chosen; with Shift what comes later moves up", (event) => this.commands.remove(event), ["Delete"]),
      one(["l"], "loop on, off", () => player.setLoop(!player.loop)),
      one(["?"], "show the keys", () => document.getElementById("keys-pop").togglePopover()),
      one(["Escape"], "give up drawing; choose the shot", () => { if (!this.commands.handles.stopDrawing()) bench.choose("shot:"); }, ["Esc"]),
    ];
  }

  /** The list of keys: those of the table, and the few that need a second key or the mouse. */
  listKeys() {
    const others = [
      [["Tab"], "next seam, with Shift the one before (while the stack has the focus)"],
      [["Alt", "↑", "↓"], "move the layer up, down in the stack"],
      [["Ctrl", "click"], "choose one more; with Shift all between"],
      [["Ctrl", "A"], "choose all layers"],
      [["Ctrl", "Z"], "undo; with Shift redo"],
      [["Ctrl", "arrows"], "nudge the layer or the mask by a pixel; with Shift ten"],
      [["Ctrl", "C"], "copy the chosen keyframes; Ctrl V pastes them at the playhead"],
      [["Alt", "drag"], "on a bar: slip its source; where two bars meet: move both ends; on a keyframe: stretch those chosen"],
      [["Ctrl", "wheel"], "over the time strip: wider, narrower"],
      [["Ctrl", "Enter"], "render"],
      [["Ctrl", "wheel"], "zoom the picture at the pointer"],
      [["/"], "find anything"],
    ];
    const list = document.getElementById("keys-list");
    for (const [keys, words] of [...this.actions.map((action) => [action.shown, action.words]), ...others]) {
      const left = document.createElement("span"), right = document.createElement("span");
      for (const key of keys) {
        const cap = document.createElement("kbd");
        cap.textContent = key;
        left.append(cap, " ");
      }
      right.textContent = words;
      list.append(left, right);
    }
  }

  /** Layers, seams, sounds and things to do of this bench, by words. */
  find() {
    const { bench } = this;
    const layers = [...bench.shot.layers].reverse();
    return [
      ...layers.map((layer) => ({ title: layer.name, note: "layer of this shot", go: () => bench.choose(`layer:${layer.id}`) })),
      ...layers.filter((layer) => layer.source.kind !== "camera").map((layer) => ({ title: `Seam of ${layer.name}`, note: "how it joins", go: () => bench.choose(`seam:${layer.id}`) })),
      ...bench.shot.sounds.map((sound) => ({ title: sound.name, note: "sound of this shot", go: () => bench.choose(`sound:${sound.id}`) })),
      ...this.actions.map((action) => ({ title: action.words[0].toUpperCase() + action.words.slice(1), note: `key ${action.shown.join(" ")}`, also: ALSO[action.keys[0]], go: () => action.run({}) })),
      ...things(this.commands),
    ];
  }

  /** Tab walks from seam to seam while the stack has the focus; elsewhere it is the browser's. */
  tab(event) {
    const { bench } = this;
    if (!event.target.closest("#stack")) return;
    const order = [...bench.shot.layers].reverse().filter((layer) => layer.source.kind !== "camera").map((layer) => layer.id);
    const at = bench.kind === "seam" ? order.indexOf(bench.target) : -1;
    const next = at + (event.shiftKey ? -1 : 1);
    if (next < 0 || next >= order.length) return;
    event.preventDefault();
    bench.choose(`seam:${order[next]}`).then(() => document.getElementById(`seam-${order[next]}`)?.focus());
  }
}
