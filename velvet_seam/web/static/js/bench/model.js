// What the page knows of its shot. Rules live on the server: an edit is sent, the answer replaces
// the state and the fragments. Everything else listens.
import { ask, say } from "../common.js";

const BEDS = ["on-checker", "on-black", "on-white"];

export class Bench extends EventTarget {
  constructor(id, state, chosen) {
    super();
    this.id = id;
    this.state = state;
    this.layers = new Map();
    this.expected = new Map(); // controls that were asked for, while the shot stays as it is
    this.remember();
    this.chosen = chosen;
    this.frame = 0;
    this.way = "joined";
    this.bed = BEDS[0]; // over what a layer is seen alone
    this.solo = new Set();
    this.heard = new Set(); // sounds, and layers with one, that alone are heard
    this.also = new Set(); // layers and sounds chosen beside the one whose controls are shown
    this.trial = null;
    this.playing = false;
    this.painting = false; // strokes that cut a layer out
    this.autoKey = true; // a change of a value that moves puts a keyframe; else it shifts all of it
    this.saving = 0;
    this.unanswered = new Map(); // values that were set and are not answered yet: by target and path, the last one last
    this.told = new Set(); // stamps of changes that have not been taken over yet
    this.queue = Promise.resolve();
  }

  get shot() { return this.state.shot; }
  get rate() { const [a, b] = this.shot.rate.split("/"); return Number(a) / Number(b ?? 1); }
  get kind() { return this.chosen.split(":")[0]; }
  get target() { return this.chosen.split(":")[1] ?? ""; }
  /** The layer that is chosen, by its card or by its seam. */
  get layer() {
    if (this.kind === "sound") return null;
    return this.shot.layers.find((layer) => layer.id === this.target) ?? null;
  }
  get sound() { return this.shot.sounds.find((sound) => sound.id === this.target) ?? null; }
  thing(id) { return [...this.shot.layers, ...this.shot.sounds].find((thing) => thing.id === id); }

  tell(name, detail) { this.dispatchEvent(new CustomEvent(name, { detail })); }

  /** Send something that changes the shot; calls run one after the other, in order. A `body` that is a
   * function is made when its turn comes, from the shot as it is by then; where it gives nothing, nothing is
   * sent. What a tape is still waiting to send goes first. */
  send(path, body = {}, method = "POST") {
    this.tell("flush");
    this.saving += 1;
    this.tell("saving");
    const answered = this.waitFor(body.edit);
    const run = async () => {
      try {
        const more = typeof body === "function" ? body() : body;
        if (!more) return null;
        const asked = this.chosen;
        const answer = await ask(`/shots/${this.id}/${path}`, { method, body: { chosen: this.chosen, have: this.state.pieces, ...more } })
          .finally(answered);
        this.take(answer, asked);
        if (answer.said) say(answer.said, answer.found === false);
        return answer;
      } catch (problem) {
        this.trial = null;
        this.tell("refused");
        throw problem;
      } finally {
        this.saving -= 1;
        this.tell("saving");
      }
    };
    const next = this.queue.then(run, run);
    this.queue = next.catch(() => {});
    return next;
  }

  /** Keep what an edit sets until it is answered; gives what forgets it. An answer to what was sent before knows
   * nothing of it, and must not put a field back that a hand has just changed. */
  waitFor(edit) {
    const sets = (edit?.edits ?? [edit]).filter((one) => one?.do === "set-values");
    const keys = sets.flatMap(({ target, values }) => Object.entries(values).map(([path, value]) => [`${target ?? ""}|${path}`, { value }]));
    for (const [key, one] of keys) this.unanswered.set(key, [...(this.unanswered.get(key) ?? []), one]);
    return () => {
      for (const [key, one] of keys) {
        const left = this.unanswered.get(key).filter((other) => other !== one);
        if (left.length) this.unanswered.set(key, left);
        else this.unanswered.delete(key);
      }
    };
  }

  /** What a value was set to last while that is not answered, as `{ value }`. */
  setLast(target, path) { return this.unanswered.get(`${target ?? ""}|${path}`)?.at(-1); }

  /** All that is chosen, the one whose controls are shown first. */
  get targets() {
    const first = this.layer ?? this.sound;
    if (!first) return [];
    return [first, ...[...this.also].filter((id) => id !== first.id).map((id) => this.thing(id)).filter(Boolean)];
  }

  /** Choose one more, or one less, to be changed together with what is chosen. */
  chooseAlso(ids, on) {
    for (const id of ids) {
      if (id === this.target) continue;
      if (on ?? !this.also.has(id)) this.also.add(id);
      else this.also.delete(id);
    }
    this.tell("also");
  }

  /** With a layer's look open, or what lies around it, another layer is chosen on the same sheet. */
  sheetOf(choice) {
    const [kind, id] = choice.split(":");
    const bare = this.thing(id)?.source?.kind === "camera"; // which has neither
    return kind === "layer" && !bare && ["look", "around", "track"].includes(this.kind) && id !== this.target ? `${this.kind}:${id}` : choice;
  }

  /** Resolves when all that was sent has been answered. */
  async settled() {
    while (this.saving) await this.queue;
  }

  edit(edit) { return this.send("edits", { edit }).catch(() => null); }

  /** An edit that follows from the shot as it is when its turn comes: a nudge after a nudge. */
  editThen(make) {
    return this.send("edits", () => { const edit = make(); return edit && { edit }; }).catch(() => null);
  }

  /** One edit for each thing, together one step of undo. */
  editAll(label, edits) {
    if (!edits.length) return Promise.resolve(null);
    return this.edit(edits.length === 1 ? edits[0] : { do: "several", label, edits });
  }

  set(target, values) { return this.edit(this.setting(target, values)); }

  /** The frame of a layer or a sound at the playhead, counted from its first and inside its span. */
  at(thing) {
    return Math.min(Math.max(this.frame, thing.span.first), thing.span.last) - thing.span.first;
  }

  /** At which frame a value that moves is changed. */
  when(id) {
    const thing = id && this.thing(id);
    return thing ? { at: this.at(thing), along: !this.autoKey } : {};
  }

  /** What several chosen layers have in common is set on all of them; not their names and places. */
  setting(target, values, at) {
    const paths = Object.keys(values);
    const own = paths.some((path) => /^(name|source|place\.[xy]$|seam\.(matte|masks)\.|look\.parts\.)/.test(path));
    const all = own || !this.also.size || target !== this.target ? [target] : this.targets.map((one) => one.id);
    const edits = all.map((id) => ({ do: "set-values", target: id || null, values, ...this.when(id), ...(at === undefined ? {} : { at, along: false }) }));
    const word = paths[0].split(".").pop().replaceAll("_", " ");
    return edits.length === 1 ? edits[0] : { do: "several", label: `${word} of ${edits.length} layers`, edits };
  }

  /** Show an edit without keeping it: while a handle or a tape is under the hand. */
  try(edit) {
    this.trial = edit;
    this.tell("trial");
  }
  trySet(target, values) { this.try(this.setting(target, values)); }

  /** Fragments for what is chosen, with the state; layers that are here are not sent again. While the shot is the
   * one of a `stamp`, its controls alone. */
  parts(chosen, stamp = "") {
    const have = this.state.pieces.join(",");
    return ask(`/shots/${this.id}/parts?chosen=${encodeURIComponent(chosen)}&have=${have}&stamp=${encodeURIComponent(stamp)}`);
  }

  /** The controls of something, while the shot stays as it is; asked for once. */
  controls(chosen) {
    let asked = this.expected.get(chosen);
    if (!asked) {
      asked = this.parts(chosen, this.state.stamp);
      this.expected.set(chosen, asked);
      asked.catch(() => this.expected.delete(chosen));
    }
    return asked;
  }

  /** The pointer or the focus is on it: it may be chosen next. */
  expect(chosen) {
    if (chosen !== this.chosen && !this.saving && !this.trial) this.controls(chosen).catch(() => {});
  }

  /** The controls again, which tell of more than the shot: of a plate that has been made. */
  async anew() {
    const { chosen } = this;
    this.expected.clear();
    const answer = await this.controls(chosen).catch(() => null);
    if (answer && this.chosen === chosen) this.tell("parts", { panel: answer.parts.panel });
  }

  /** A new state; a layer that has not changed is its digest, and stays the object that it was. */
  hold(state) {
    this.expected.clear();
    state.shot.layers = state.shot.layers.map((layer) => (typeof layer === "string" ? this.layers.get(layer) : layer));
    this.state = state;
    this.remember();
  }

  /** Layers by their digests: those of this state, and of some before it, for an answer that was overtaken. */
  remember() {
    const { pieces, shot } = this.state;
    pieces.forEach((digest, n) => { this.layers.delete(digest); this.layers.set(digest, shot.layers[n]); });
    for (const digest of this.layers.keys()) {
      if (this.layers.size <= 4 * pieces.length + 8) break;
      this.layers.delete(digest);
    }
  }

  /** `asked`: what was chosen when this was asked for. What has been chosen since then stays chosen, and its
   * panel is on its way. */
  take(answer, asked = answer.asked) {
    this.hold(answer.state);
    this.trial = null;
    const before = this.chosen;
    if (answer.chosen !== asked) this.chosen = answer.chosen;
    const changed = before !== this.chosen;
    this.frame = Math.min(this.frame, this.shot.length - 1);
    for (const one of [this.also, this.solo, this.heard]) for (const id of one) if (!this.thing(id)) one.delete(id);
    if (changed) this.tell("chosen");
    this.tell("answered"); // the picture is asked for before the page is busy with its fragments
    const { panel, ...others } = answer.parts;
    this.tell("parts", this.chosen === answer.chosen ? answer.parts : others);
    this.tell("state");
    this.watch();
  }

  /** While footage is still being made ready, look again now and then: proxies make it quicker. */
  watch() {
    clearTimeout(this.watching);
    if (Object.values(this.state.footage).every((one) => one.ready)) return;
    this.watching = setTimeout(async () => {
      const { chosen, saving } = this;
      const answer = await this.parts(chosen).catch(() => null);
      const busy = this.trial || saving || this.saving || this.chosen !== chosen;
      if (answer && !busy && Object.values(answer.state.footage).some((one) => one.ready)) this.take(answer, chosen);
      else this.watch();
    }, 2500);
  }

  /** The shot has changed, here or in another tab. Who is told of two changes may be told of the later one
   * first, so none is forgotten before a state has come that was asked for after it. */
  changed(stamp) {
    this.told.add(stamp);
    return this.catchUp();
  }

  /** Take over what others have changed as soon as the hand is free. */
  async catchUp() {
    clearTimeout(this.changing);
    const again = (after = 150) => { this.changing = setTimeout(() => this.catchUp(), after); };
    if (this.saving || this.trial) { again(); return; }
    this.told.delete(this.state.stamp);
    if (!this.told.size) return;
    const { chosen, told } = this, before = this.state.stamp;
    this.told = new Set();
    let silent = false; // nothing answers just now: a shot that is gone is not asked for again
    const answer = await this.parts(chosen).catch((problem) => { silent = problem.message === "no answer"; return null; });
    if (!answer || this.saving || this.trial || this.chosen !== chosen || this.state.stamp !== before) {
      for (const one of told) this.told.add(one);
      if (answer || silent) again(answer ? 150 : 2000);
    } else if (answer.state.stamp !== before) this.take(answer, chosen);
  }

  async choose(chosen) {
    if (this.also.size) { this.also.clear(); this.tell("also"); }
    if (chosen === this.chosen) return;
    this.chosen = chosen;
    this.tell("chosen");
    await this.settled(); // so that what comes has all that was changed before
    if (this.chosen !== chosen) return;
    const answer = await this.controls(chosen);
    if (this.chosen !== chosen) return;
    if (!answer.state || this.saving || this.state.stamp > answer.state.stamp) this.tell("parts", { panel: answer.parts.panel });
    else this.take(answer, chosen);
  }

  go(frame) {
    const at = Math.min(Math.max(Math.round(frame), 0), this.shot.length - 1);
    if (at === this.frame) return;
    this.frame = at;
    this.tell("frame");
  }

  see(way) {
    if (way !== "joined" && !this.layer) {
      say("Choose a layer or a seam first.");
      return;
    }
    if (way === "alone" && this.way === "alone") this.bed = BEDS[(BEDS.indexOf(this.bed) + 1) % BEDS.length];
    this.way = way;
    this.tell("way");
  }

  /** `3s 12f`, as the server spells it. */
  spell(frame) {
    const second = Math.floor(frame / this.rate + 1e-9);
    const first = Math.ceil(second * this.rate - 1e-9);
    return `${second}s ${String(frame - first).padStart(2, "0")}f`;
  }
}
