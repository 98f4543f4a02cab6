// Fields of the panel that are no tape: names, choices, colours, ends of bars, what is found in a clip.

export class Fields {
  constructor(bench, clips, marks) {
    Object.assign(this, { bench, clips, marks });
    document.addEventListener("change", (event) => this.change(event));
    // a text that is typed and a colour that is looked for are seen at once
    document.addEventListener("input", ({ target: field }) => {
      if (!field.matches("textarea[data-value], input[type=color][data-value]")) return;
      bench.trySet(field.closest("[data-target]").dataset.target, { [field.dataset.value]: field.value });
    });
  }

  change(event) {
    const moment = event.target.closest("[data-moment]");
    if (moment) {
      const { target } = moment.closest("[data-target]").dataset, [what, found] = moment.value.split(":");
      moment.value = "";
      if (what === "mark") this.marks.find(target, found);
      else this.marks.lay(this.bench.thing(target), found);
      return;
    }
    if ("ramp" in event.target.dataset) { this.clips.ramp(this.bench.layer, event.target.value); return; }
    if ("rate" in event.target.dataset) { this.clips.changeRate(event.target.value); return; }
    const many = event.target.closest("[data-list]");
    if (many) { // one of a list of colours: the list is set anew
      const { target } = many.closest("[data-target]").dataset, { list } = many.dataset;
      const values = [...many.parentElement.querySelectorAll("[data-list]")].map((one) => one.value);
      this.bench.set(target, { [list]: values }).then((answer) => { if (!answer) this.bench.tell("restore"); });
      return;
    }
    const field = event.target.closest("[data-value], [data-trim]");
    if (!field) return;
    const { bench } = this;
    const target = field.closest("[data-target]").dataset.target;
    if (field.dataset.trim) {
      const to = Number(field.value), thing = bench.thing(target);
      if (!Number.isInteger(to) || !thing) { bench.tell("restore"); return; }
      const edit = field.dataset.trim === "move" ? { do: "move-in-time", target, by: to - thing.span.first } : { do: "trim", target, edge: field.dataset.trim, to };
      bench.edit(edit).then((answer) => { if (!answer) bench.tell("restore"); });
      return;
    }
    let value = field.type === "checkbox" ? field.checked : field.value;
    if (field.type === "checkbox" && field.checked) { // what is switched on is opened
      const fold = field.closest(".part-box")?.querySelector("details");
      if (fold) this.bench.fold(fold, true);
    }
    if ("json" in field.dataset) value = JSON.parse(value);
    if (field.dataset.type === "int") value = Math.round(Number(value));
    if (field.dataset.type === "number") value = Number(value);
    const values = { [field.dataset.value]: value };
    if (field.id === "field-screen") values[field.dataset.value.replace(/colour$/, "colour_from")] = "picked";
    bench.set(target, values).then((answer) => { if (!answer) bench.tell("restore"); });
  }
}
