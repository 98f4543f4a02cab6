// Play: the sound is the clock; pictures are asked for ahead of it and shown when their time comes. Where a machine's
// sound does not start, the page's own clock is followed, in silence.
import { iconAt, say } from "../../common.js";

const AHEAD = 8;
const IN_FLIGHT = 2;
const SOUNDLESS = 1500; // milliseconds after which sound that has not started is not waited for
const REFUSED = 4; // so many pictures in a row that are refused end it
const AGAIN = 250; // milliseconds until what was refused is asked for again

const pass = (milliseconds) => new Promise((done) => setTimeout(done, milliseconds));

export class Player {
  constructor(bench, live, picture) {
    Object.assign(this, { bench, live, picture });
    this.button = document.getElementById("play");
    this.loopButton = document.getElementById("loop");
    this.loop = true;
    this.log = [];
    this.button.addEventListener("click", () => this.toggle());
    this.loopButton.addEventListener("click", () => this.setLoop(!this.loop));
    bench.addEventListener("pause", () => this.pause());
    bench.addEventListener("heard", () => { if (this.playing) { this.pause(); this.play(); } });
    bench.addEventListener("state", () => {
      if (!this.playing || this.revision === bench.state.revision) return;
      if (!bench.marking) { this.pause(); return; }
      this.revision = this.mixRevision = bench.state.revision; // a mark changes nothing that is seen or heard
    });
  }

  setLoop(on) {
    this.loop = on;
    this.loopButton.setAttribute("aria-pressed", on);
    if (this.source) this.source.loop = on;
  }

  /** The bench knows it, so that nothing is measured under a picture that runs. */
  get playing() { return this.bench.playing; }

  toggle() { return this.playing ? this.pause() : this.play(); }

  async sound() {
    const { bench } = this;
    this.context ??= new AudioContext({ sampleRate: 48000, latencyHint: "interactive" });
    if (this.context.state === "suspended") await Promise.race([this.context.resume(), pass(SOUNDLESS)]);
    const { revision } = bench.state;
    const only = [...bench.heard].sort().join(",");
    if (this.mixRevision !== revision || this.mixOnly !== only) {
      const answer = await fetch(`/shots/${bench.id}/sound.wav${only ? `?only=${only}` : ""}`);
      if (!answer.ok) throw new Error("The sound could not be mixed; the pictures are not affected.");
      this.mix = await this.context.decodeAudioData(await answer.arrayBuffer());
      Object.assign(this, { mixRevision: revision, mixOnly: only });
    }
    return this.mix;
  }

  async play() {
    const { bench } = this;
    if (this.playing) return;
    bench.playing = true;
    this.revision = bench.state.revision;
    this.picture.playing = true;
    this.button.setAttribute("aria-label", "Pause");
    this.button.title = "Pause · Space";
    this.button.querySelector("use").setAttribute("href", iconAt("pause"));
    bench.tell("layout");
    const first = bench.frame >= bench.shot.length - 1 ? 0 : bench.frame;
    this.frames = new Map();
    this.asked = first - 1;
    this.flying = 0;
    this.trip = 20;
    this.begin = undefined;
    this.silent = false;
    this.refused = 0;
    this.refreshed = undefined;
    this.refresh = 1000 / 60; // milliseconds from one refresh of the screen to the next
    this.run = Symbol("run");
    this.log = [];
    const { run } = this;
    try {
      const mix = await this.sound();
      this.pump(first);
      const patience = performance.now() + 1500;
      while (this.run === run && !this.frames.has(first) && performance.now() < patience) {
        await pass(8);
      }
      if (this.run !== run) return;
      this.source = this.context.createBufferSource();
      this.source.buffer = mix;
      this.source.loop = this.loop;
      this.source.connect(this.context.destination);
      this.begin = this.context.currentTime + 0.06 - first / bench.rate;
      this.source.start(this.context.currentTime + 0.06, first / bench.rate);
      this.started = { sound: this.context.currentTime, page: performance.now() };
      requestAnimationFrame((time) => this.tick(run, time));
    } catch (problem) {
      say(problem.message, true);
      this.pause();
    }
  }

  pause() {
    if (!this.playing) return;
    this.bench.playing = false;
    this.run = null;
    this.source?.stop();
    this.source = null;
    for (const bitmap of this.frames.values()) bitmap.close();
    this.frames.clear();
    this.picture.playing = false;
    this.button.setAttribute("aria-label", "Play");
    this.button.title = "Play · Space";
    this.button.querySelector("use").setAttribute("href", iconAt("play"));
    this.bench.tell("layout");
    this.bench.tell("frame");
    this.picture.refresh();
  }

  /** The frame the ear hears now, counted on past the end while looping. */
  heard() {
    if (this.silent) return (performance.now() / 1000 - this.begin) * this.bench.rate;
    // the clock of the sound goes by whole blocks; between two of them the page's own clock says how far it is
    const { contextTime, performanceTime } = this.context.getOutputTimestamp();
    const known = performanceTime > 0 && contextTime > 0;
    const now = known ? contextTime + (performance.now() - performanceTime) / 1000
      : this.context.currentTime - (this.context.outputLatency || 0);
    return (now - this.begin) * this.bench.rate;
  }

  /** Whether sound has started; where it has not after a while, the page's clock is followed. */
  listen() {
    if (this.silent || this.context.currentTime > this.started.sound || performance.now() - this.started.page < SOUNDLESS) return;
    this.begin += performance.now() / 1000 - this.context.currentTime;
    this.silent = true;
    say("This machine's sound does not start; the pictures are played without it.", true);
  }

  pump(now) {
    const { length } = this.bench.shot;
    // ask only for what can still arrive in time, however far ahead that is: nothing else tells that it has become quicker
    const trip = Math.ceil((this.trip / 1000) * this.bench.rate), soonest = now + trip;
    const ahead = Math.max(AHEAD, trip + IN_FLIGHT);
    if (this.begin !== undefined && this.asked < soonest - 1 && !this.ahead(now)) this.asked = soonest - 1;
    while (this.flying < IN_FLIGHT && this.asked < now + ahead) {
      this.asked += 1;
      if (!this.loop && this.asked >= length) return;
      const count = this.asked, { run } = this;
      this.flying += 1;
      const { view } = this.picture;
      const wish = { ...this.picture.wish(view, count % length), trial: null, passing: true };
      if (view === "joined") wish.chosen = null;
      const sent = performance.now();
      this.live.ask(wish).then(({ bitmap, more }) => {
        this.trip += 0.2 * (performance.now() - sent - this.trip);
        if (this.run !== run) { bitmap.close(); return; }
        this.flying -= 1;
        this.refused = 0;
        bitmap.more = more; // an instrument of this very picture
        if (count > (this.log.at(-1)?.count ?? -1)) this.frames.set(count, bitmap);
        else bitmap.close(); // one after it has overtaken it
        this.pump(this.now());
      }, (problem) => this.without(run, problem));
    }
  }

  /** A picture has not come. That it was passed over, or that the socket was closed and is opened again, is no
   * reason to stop; that several in a row are refused is. */
  async without(run, problem) {
    if (this.run !== run) return;
    this.flying -= 1;
    if (!["closed", "passed"].includes(problem.message)) {
      this.refused += 1;
      if (this.refused >= REFUSED) { say(problem.message, true); this.pause(); return; }
    }
    await pass(AGAIN);
    if (this.run === run) this.pump(this.now());
  }

  /** Whether pictures for the next frames are here already. */
  ahead(now) {
    for (const count of this.frames.keys()) if (count > now) return true;
    return false;
  }

  /** The frame that is heard, before the beginning the first. */
  now() { return this.begin === undefined ? 0 : Math.max(0, Math.floor(this.heard())); }

  tick(run, time) {
    if (this.run !== run) return;
    this.listen();
    const { bench } = this;
    const { length } = bench.shot;
    // a picture is shown at the refresh of the screen that is nearest to its time, before or after
    const since = time - (this.refreshed ?? time);
    this.refreshed = time;
    if (since > 3 && since < 50) this.refresh += 0.1 * (since - this.refresh);
    const heard = this.heard();
    const now = Math.max(0, Math.floor(heard + (this.refresh / 2000) * bench.rate));
    if (!this.loop && now >= length) {
      this.pause();
      bench.go(length - 1);
      return;
    }
    // the newest picture whose time has come; older ones are dropped
    let due = -1;
    for (const count of this.frames.keys()) if (count <= now && count > due) due = count;
    if (due >= 0) {
      const bitmap = this.frames.get(due);
      for (const count of [...this.frames.keys()]) {
        if (count > due) continue;
        if (count < due) this.frames.get(count).close();
        this.frames.delete(count);
      }
      this.picture.paint({ bitmap, frame: due % length, trial: false, more: bitmap.more });
      this.log.push({ count: due, heard });
      if (this.log.length > 3000) this.log.shift();
      bench.go(due % length);
    }
    this.pump(now);
    requestAnimationFrame((next) => this.tick(run, next));
  }
}
