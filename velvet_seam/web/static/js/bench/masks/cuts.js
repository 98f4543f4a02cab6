// Says where a mask cuts the subject at other frames than the one that is seen.
const REST = 1200;

export class MaskCuts {
  constructor(bench) {
    this.bench = bench;
    this.of = ""; // what the layer was like when it was asked
    this.frame = null;
    for (const name of ["shown", "frame", "refused"]) {
      bench.addEventListener(name, () => {
        this.show();
        clearTimeout(this.timer);
        this.timer = setTimeout(() => this.ask(), REST);
      });
    }
    document.getElementById("panel").addEventListener("click", (event) => {
      if (event.target.closest("#mask-cuts button")) bench.go(this.frame);
    });
  }

  /** Asked once for what the layer is like, when the hand rests. */
  async ask() {
    const { bench } = this, { layer } = bench;
    if (!layer?.seam.masks.length || bench.kind !== "seam" || bench.trial || bench.playing || bench.saving) return;
    const of = JSON.stringify(layer);
    if (of !== this.of) {
      const answer = await fetch(`/shots/${bench.id}/mask-cuts?layer=${layer.id}`).catch(() => null);
      if (!answer?.ok || JSON.stringify(bench.layer) !== of) return;
      this.of = of;
      this.frame = (await answer.json()).frame;
    }
    this.show();
  }

  show() {
    const place = document.getElementById("mask-cuts");
    if (!place) return;
    place.hidden = this.frame === null || this.of !== JSON.stringify(this.bench.layer);
    if (!place.hidden) place.querySelector("span").textContent = `A mask cuts the subject, most at ${this.bench.spell(this.frame)}.`;
  }
}
