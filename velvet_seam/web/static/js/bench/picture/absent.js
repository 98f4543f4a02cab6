// Who looks at a layer by itself, or at its seam, on a frame where it is not sees nothing: that is said, with the way to
// where it is.
export class Absent {
  constructor(bench) {
    this.bench = bench;
    this.box = document.getElementById("absent");
    this.button = this.box.querySelector("button");
    this.button.addEventListener("click", () => bench.go(this.nearest));
    for (const name of ["way", "frame", "shown", "answered"]) bench.addEventListener(name, () => this.tell());
  }

  /** The frame of the chosen layer that is nearest to the playhead. */
  get nearest() {
    const { first, last } = this.bench.layer.span;
    return Math.min(Math.max(this.bench.frame, first), last, this.bench.shot.length - 1);
  }

  tell() {
    const { bench } = this, { layer, frame } = bench;
    const looked = layer && !bench.playing && (bench.way !== "joined" || bench.kind === "seam" || bench.solo.has(layer.id));
    const away = looked && (frame < layer.span.first || frame > layer.span.last);
    this.box.hidden = !away;
    if (!away) return;
    const { first, last } = layer.span;
    this.button.hidden = first >= bench.shot.length; // the shot ends before it comes
    this.box.querySelector("span").textContent = `${layer.name} is not on this frame: it is there from ${bench.spell(first)} to ${bench.spell(last + 1)}.`;
  }
}
