// What the find box knows of this bench beside its keys: every command without one, every value and every kind,
// by the words people have for them. Each is done, or opened where it is set.
import { say } from "../common.js";
import { looks, masks, mattes, sources, values, ways } from "./kinds.js";

const PASSAGES = ways.map((way) => `${way.label} ${way.find}`).join(" ");
const FIELDS = [
  ["Comes in", "field-arrive", `arrive entrance appear reveal transition ${PASSAGES}`], ["Goes out", "field-leave", `leave exit disappear vanish transition ${PASSAGES}`],
  ["Past its ends", "field-ends", "loop again back and forth bounce hold"], ["Between frames", "field-between", "interpolate flow mix slow motion"],
  ["Ramp", "field-ramp", "speed slow cut"], ["Starts at", "field-start", "begin move time frame"], ["First frame", "field-first", "trim in"], ["Last frame", "field-last", "trim out"],
  ["Again, some frames later", "again-times", "repeat duplicate offset echo copies"], ["To the end, crossfade", "again-fade", "loop repeat fog rain seamless"],
  ["Freeze for some frames", "freeze-frames", "hold still"], ["Name of the layer", "field-name", "rename"], ["Its sound: heard or not", "field-sound", "mute silent audio"],
];
const DO = [
  ["Fit into the canvas", "fit", "size place"], ["Fill the canvas", "fill", "size place cover"], ["Turn the clip round", "reverse", "backwards reverse"],
  ["Freeze here", "freeze", "hold still frame"], ["Each frame once", "conform", "slow motion rate"], ["Replace what it shows", "replace", "source clip footage"],
  ["Pull its corners", "pin", "corner pins perspective distort sign screen"], ["Let its corners go", "unpin", "corner pins reset"], ["Detach its sound", "detach", "audio"], ["Copy how it comes, goes and stirs", "copy-to", "motion paste"], ["Remove from the stack", "remove", "delete"],
];

/** Open a panel and take the focus to one of its controls, unfolding what it lies in. */
async function go(bench, kind, id) {
  const layer = bench.layer ?? bench.shot.layers.at(-1);
  if (!layer) { say("Add a layer first: there is nothing yet that has this."); return; }
  await bench.choose(`${kind}:${layer.id}`);
  const field = document.getElementById(id);
  if (!field) { say(`${layer.name} has no such value. Choose another layer and try again.`); return; }
  for (let part = field.closest("details"); part; part = part.parentElement.closest("details")) bench.fold(part, true);
  field.scrollIntoView({ block: "center" });
  field.focus();
}

/** All of it, as rows for the find box. */
export function things(commands) {
  const { bench } = commands, chosen = () => bench.layer ?? bench.shot.layers.at(-1);
  const act = async (name, data = {}, kind = "layer") => {
    const layer = chosen();
    if (!layer) { say("Add a layer first."); return; }
    await bench.choose(`${kind}:${layer.id}`);
    commands.act(name, data, document.getElementById(`card-${layer.id}`));
  };
  const tape = (path) => `tape-${path.replaceAll(".", "-")}`;
  const row = (title, note, also, run) => ({ title, note, also, go: run });
  const key = ({ kind, begins }) => (begins === "border" ? act("measure", { kind }, "seam") : act(begins === "area" ? "area" : "add-key", { kind }, "seam"));
  const ofLayer = Object.entries(values).filter(([path]) => path.includes(".") || path === "shutter");
  const blends = [...document.querySelectorAll("#wall-groups .wall-tile")].map((tile) => [tile.dataset.blend, tile.querySelector(".wall-title").textContent, tile.closest("section").getAttribute("aria-label")]);
  return [
    ...ofLayer.map(([path, { title, find }]) => {
      const kind = { seam: "seam", look: "look", around: "around", crop: "around" }[path.split(".")[0]] ?? "layer";
      return row(title, { around: "around a layer" }[kind] ?? `value of a ${kind}`, find, () => go(bench, kind, tape(path)));
    }),
    ...FIELDS.map(([title, id, also]) => row(title, "of a layer", also, () => go(bench, "layer", id))),
    ...mattes.map((one) => row(one.label, "add this matte", one.find, () => key(one))),
    ...sources.map((one) => row(one.label, "add this layer", one.find, () => commands.shelf.take({ generated: one.kind }))),
    row("Camera", "add this layer", "pan zoom move all parallax depth ken burns", () => commands.shelf.take({ camera: true })),
    row("Bake", "do it to the layer", "render flatten freeze faster", () => act("bake")), row("Unbake", "do it to the layer", "", () => act("unbake")),
    row("Group the chosen layers", "do it", "nest nested shot", () => commands.act("group", {})),
    row("Adjustment layer", "add this layer", "look grade all below", () => commands.shelf.take({ adjustment: true })),
    ...looks.map((one) => row(one.label, "add this to the look", one.find, () => act("add-look-part", { kind: one.kind }, "look"))),
    ...masks.map(({ kind, label, find }) => row(`${label} mask`, "draw this mask", find, () => act("draw-mask", { kind }, "seam"))),
    ...blends.map(([blend, title, group]) => row(title, `blend, ${group.toLowerCase()}`, "mode", () => { const layer = chosen(); if (layer) bench.set(layer.id, { "seam.blend": blend }); })),
    ...DO.map(([title, name, also]) => row(title, "do it to the layer", also, () => act(name))),
    row("Instruments", "of the picture", "histogram levels waveform vectorscope scopes", () => go(bench, "look", "scopes")),
    row("Tracks", "of a layer", "follow motion stabilise stick attach", () => { const layer = chosen(); if (layer) bench.choose(`track:${layer.id}`); }),
    row("Follow a point", "do it to the layer", "track motion", () => act("draw-point", {}, "track")), row("Follow a plane", "do it to the layer", "track corners sign screen", () => act("draw-plane", {}, "track")),
    row("Line up", "of a layer", "align register overlay takes clone off by", () => { const layer = chosen(); if (layer) bench.choose(`lineup:${layer.id}`); }),
    row("Lock it off", "do it to the layer", "steady shake shaky hand tripod stabilise", () => act("hold", {}, "lineup")),
    row("All others in time with this one", "do it to the layer", "sync synchronise sound takes recorder clap", () => act("all-in-time", {}, "lineup")),
    row("Clean plate", "do it to the layer", "empty background remove somebody vanish", () => act("plate", {}, "lineup")),
    row("Match its light", "do it to the layer", "exposure colour white balance other take", () => act("match", {}, "lineup")),
    row("Find passes", "do it to the layer", "repeated camera move motion control clone", () => act("find-passes", {}, "lineup")),
    row("Show all layers again", "do it", "solo alone only", () => commands.act("show-all", {})),
    row("Keep this frame as a still", "do it", "picture png save snapshot", () => commands.act("keep-frame", {})),
    row("Render", "do it", "export write file post master stills download mp4", () => commands.rendering.open()),
    row("Save the shot as files", "do it", "download zip backup", () => { location.href = `/shots/${bench.id}/files.zip`; }),
    row("Length, canvas and rate of the shot", "of the shot", "background colour linear light frames settings size resolution fps", () => bench.choose("shot:")),
    row("Add a layer", "do it", "footage clip still sound music logo cutaway colour import bring in open", () => { document.getElementById("add-layer").click(); }),
    row("Undo", "do it", "back", () => commands.undo()), row("Redo", "do it", "again", () => commands.redo()),
  ];
}
