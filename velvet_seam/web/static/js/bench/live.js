// Pictures over the socket. Each asks for a frame and gets one; a slot keeps only the newest wish,
// so a fast hand never queues up old pictures.
import { say } from "../common.js";

const HEAD = 20;
const PAUSE = 800; // milliseconds until a socket that was closed is opened again

export class Live {
  constructor(id) {
    this.url = `${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/shots/${id}/live`;
    this.waiting = new Map();
    this.number = 0;
    addEventListener("pagehide", () => { this.leaving = true; });
    this.connect();
  }

  connect() {
    this.socket = new WebSocket(this.url);
    this.socket.binaryType = "arraybuffer";
    this.socket.addEventListener("message", (event) => this.receive(event.data));
    const again = this.number > 0;
    this.turn();
    this.socket.addEventListener("open", () => {
      this.turn();
      if (again) this.onChange?.(null); // it may have changed while nobody told
    });
    this.socket.addEventListener("close", () => {
      for (const { reject } of this.waiting.values()) reject(new Error("closed"));
      this.waiting.clear();
      if (this.leaving) return;
      this.turn();
      setTimeout(() => this.connect(), PAUSE);
    });
  }

  /** The socket is another, open or closed: who waits looks again. */
  turn() {
    this.turned?.();
    this.change = new Promise((done) => { this.turned = done; });
  }

  /** Resolves to {bitmap, frame, revision, trial, stray}: the last says what arrival and stirring make of the
   * chosen layer's place. Rejects with "passed" where so many newer wishes came that nobody needs this one, and
   * with "closed" where the socket was closed meanwhile; while it is closed, what is asked for waits. */
  async ask(wish) {
    while (this.socket.readyState !== WebSocket.OPEN) await this.change;
    this.number += 1;
    const number = this.number;
    return new Promise((resolve, reject) => {
      this.waiting.set(number, { resolve, reject });
      this.socket.send(JSON.stringify({ number, ...wish }));
    });
  }

  async receive(data) {
    if (typeof data === "string") {
      const { number, problem, changed, passed } = JSON.parse(data);
      if (changed !== undefined) { this.onChange?.(changed); return; }
      this.waiting.get(number)?.reject(new Error(passed ? "passed" : problem));
      this.waiting.delete(number);
      return;
    }
    const head = new DataView(data, 0, HEAD);
    const number = head.getUint32(0, true);
    const waiting = this.waiting.get(number);
    this.waiting.delete(number);
    if (!waiting) return;
    const long = head.getUint32(16, true), from = HEAD + long;
    const more = long ? JSON.parse(new TextDecoder().decode(new Uint8Array(data, HEAD, long))) : {};
    const bitmap = data.byteLength === from ? null : await createImageBitmap(new Blob([new Uint8Array(data, from)], { type: "image/jpeg" }));
    waiting.resolve({
      bitmap,
      frame: head.getUint32(4, true),
      revision: head.getUint32(8, true),
      trial: head.getUint32(12, true) === 1,
      stray: more.stray ?? null,
      more,
    });
  }
}

export class Slot {
  constructor(live, show) {
    this.live = live;
    this.show = show;
    this.next = null;
    this.busy = false;
  }

  want(wish) {
    this.next = wish;
    if (!this.busy) this.run();
  }

  async run() {
    this.busy = true;
    while (this.next) {
      const wish = this.next;
      this.next = null;
      try {
        this.show(await this.live.ask(wish), wish);
      } catch (problem) {
        if (!["closed", "passed"].includes(problem.message)) say(problem.message, true);
      }
    }
    this.busy = false;
  }
}
