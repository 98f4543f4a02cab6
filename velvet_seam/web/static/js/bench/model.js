// What the page knows of its shot. Rules live on the server: an edit is sent, the answer replaces
// the state and the fragments. Everything else listens.
import { ask, say } from "../common.js";

export class Bench extends EventTarget {
  constructor(id, state, chosen) {
    super();
    this.id = id;
    this.state = state;
    this.chosen = chosen;
    this.frame = 0;
    this.way = "joined";
    this.solo = new Set();
    this.trial = null;
    this.saving = 0;
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

  /** Send something that changes the shot; calls run one after the other, in order. */
  send(path, body = {}, method = "POST") {
    const run = async () => {
      this.saving += 1;
      this.tell("saving");
      try {
        const answer = await ask(`/shots/${this.id}/${path}`, { method, body: { chosen: this.chosen, ...body } });
        this.take(answer);
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

  edit(edit) { return this.send("edits", { edit }).catch(() => null); }
  set(target, values) { return this.edit({ do: "set-values", target: target || null, values }); }

  /** Show an edit without keeping it: while a handle or a tape is under the hand. */
  try(edit) {
    this.trial = edit;
    this.tell("trial");
  }
  trySet(target, values) { this.try({ do: "set-values", target: target || null, values }); }

  take(answer) {
    this.state = answer.state;
    this.trial = null;
    const changed = answer.chosen !== this.chosen;
    this.chosen = answer.chosen;
    this.frame = Math.min(this.frame, this.shot.length - 1);
    if (changed) this.tell("chosen");
    this.tell("parts", answer.parts);
    this.tell("state");
    this.watch();
  }

  /** While footage is still being made ready, look again now and then: proxies make it quicker. */
  watch() {
    clearTimeout(this.watching);
    if (Object.values(this.state.footage).every((one) => one.ready)) return;
    this.watching = setTimeout(async () => {
      const { chosen, saving } = this;
      const answer = await ask(`/shots/${this.id}/parts?chosen=${encodeURIComponent(chosen)}`).catch(() => null);
      const busy = this.trial || saving || this.saving || this.chosen !== chosen;
      if (answer && !busy && Object.values(answer.state.footage).some((one) => one.ready)) this.take(answer);
      else this.watch();
    }, 2500);
  }

  /** The shot has changed, here or in another tab: take it over as soon as the hand is free. */
  async changed(stamp) {
    clearTimeout(this.changing);
    const again = () => { this.changing = setTimeout(() => this.changed(stamp), 150); };
    if (this.saving || this.trial) { again(); return; }
    if (stamp === this.state.stamp) return;
    const { chosen } = this, before = this.state.stamp;
    const answer = await ask(`/shots/${this.id}/parts?chosen=${encodeURIComponent(chosen)}`).catch(() => null);
    if (!answer) return;
    if (this.saving || this.trial || this.chosen !== chosen || this.state.stamp !== before) again();
    else if (answer.state.stamp !== before) this.take(answer);
  }

  async choose(chosen) {
    if (chosen === this.chosen) return;
    this.chosen = chosen;
    this.tell("chosen");
    const answer = await ask(`/shots/${this.id}/parts?chosen=${encodeURIComponent(chosen)}`);
    if (this.chosen === chosen) this.take(answer);
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

/** A number that may be keyframed, at a frame of its layer. */
export function valueAt(value, frame) {
  if (typeof value === "number") return value;
  const keys = value.keys;
  const after = keys.findIndex((key) => key.frame > frame);
  if (after === 0) return keys[0].value;
  const left = keys[after < 0 ? keys.length - 1 : after - 1];
  if (after < 0 || left.ease === "hold") return left.value;
  const right = keys[after];
  let t = (frame - left.frame) / (right.frame - left.frame);
  if (left.ease === "smooth") t = t * t * (3 - 2 * t);
  return left.value + (right.value - left.value) * t;
}

export const fixed = (...values) => values.every((value) => typeof value === "number");
