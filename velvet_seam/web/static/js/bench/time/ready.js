// Makes the frames ahead of the playhead ready while nobody asks for anything else, so that play
// starts smooth. One frame at a time, of the least urgency; an edit starts it over. While strokes are painted, each of
// which changes every frame, and while they are followed, which makes what is dear of every frame, it rests.

const REST = 500;

export class Ready {
  constructor(bench, live, player) {
    Object.assign(this, { bench, live, player });
    this.frames = new Set();
    this.key = "";
    for (const name of ["state", "solo"]) bench.addEventListener(name, () => this.start());
    for (const name of ["frame", "trial", "chosen", "way", "followed"]) bench.addEventListener(name, () => this.rest());
    this.start();
  }

  start() {
    const { bench } = this;
    const key = `${bench.state.revision} ${[...bench.solo]}`;
    if (key !== this.key) {
      this.key = key;
      this.frames.clear();
      bench.tell("ready", this.frames);
    }
    this.rest();
  }

  /** Wait until the hand rests. */
  rest() {
    this.run = null;
    clearTimeout(this.timer);
    this.timer = setTimeout(() => this.work(), REST);
  }

  next() {
    const { frame, shot } = this.bench;
    for (let step = 0; step < shot.length; step += 1) {
      const at = (frame + step) % shot.length;
      if (!this.frames.has(at)) return at;
    }
    return -1;
  }

  async work() {
    const { bench } = this;
    if (!bench.shot.layers.length || bench.painting || bench.following) return;
    const run = Symbol("run");
    this.run = run;
    while (this.run === run && !bench.painting && !bench.following && !this.player.playing && !document.hidden) {
      const frame = this.next();
      if (frame < 0) break;
      try {
        await this.live.ask({ frame, view: "joined", chosen: null, solo: [...bench.solo], passing: true, ready: true });
      } catch { return; }
      if (this.run !== run) return;
      this.frames.add(frame);
      if (this.frames.size % 6 === 0) bench.tell("ready", this.frames);
    }
    bench.tell("ready", this.frames);
  }
}
