// The bench, put together.
import { acceptDrops } from "../common.js";
import { divide, sheets } from "./stack/arrange.js";
import { Commands } from "./commands.js";
import { Handles } from "./handles/handles.js";
import { Loupe } from "./picture/loupe.js";
import { Keyframes } from "./time/keyframes.js";
import { ValueLanes } from "./time/value-lanes.js";
import { Live } from "./live.js";
import { MaskCuts } from "./masks/cuts.js";
import { Bench } from "./model.js";
import { Picture } from "./picture/picture.js";
import { Player } from "./time/play.js";
import { Ready } from "./time/ready.js";
import { Stack } from "./stack/stack.js";
import { Tapes } from "./tape.js";
import { TimeStrip } from "./time/strip.js";
import { CurveFields } from "./curve-field.js";
import { Scope } from "./picture/scope.js";
import { Absent } from "./picture/absent.js";
import { Compare } from "./picture/compare.js";
import { Stitch } from "./picture/stitch.js";
import { View } from "./picture/view.js";

const page = document.querySelector(".bench");
const state = JSON.parse(document.getElementById("state").textContent);
const bench = new Bench(page.dataset.shot, state, page.dataset.chosen);
bench.frame = Number(page.dataset.frame);

/** Put fragments in place. Nodes that stay are changed rather than made anew: a press, the focus and the
 * scroll are not lost by an answer that comes meanwhile. */
let panel = "";
bench.addEventListener("parts", ({ detail }) => {
  for (const [id, html] of Object.entries(detail)) show(id, html);
  if (detail.panel) {
    panel = detail.panel;
    document.getElementById("panel").inert = false;
  }
  bench.tell("shown");
});
bench.addEventListener("restore", () => {
  if (panel) show("panel", panel);
  bench.tell("shown");
});

// how far each page of the panel is scrolled
const scrolled = new Map();

function show(id, html) {
  const element = document.getElementById(id);
  // another thing's controls are other controls, whatever they are called
  const [now, then] = [element.querySelector("[data-target]"), /data-target="([^"]*)"/.exec(html)];
  const page = (text) => id === "panel" && `${/<h2>[^<]*/.exec(text)?.[0]} ${/id="tab-(\w+)" aria-pressed="true"/.exec(text)?.[1]}`;
  const from = page(element.innerHTML), to = page(html);
  const same = id !== "panel" || (now?.dataset.target === then?.[1] && from === to);
  if (from !== to) scrolled.set(from, element.scrollTop);
  if (same) window.htmx.swap({ target: element, sourceElement: element, text: html, swap: "innerMorph" });
  else element.innerHTML = html;
  if (from !== to) element.scrollTop = scrolled.get(to) ?? 0; // another page begins at its top, or where one left it
  for (const field of element.querySelectorAll("input, select, textarea")) reset(field);
  for (const tape of element.querySelectorAll(".tape[data-path]")) {
    const set = bench.setLast(targetOf(tape), tape.dataset.path);
    if (typeof set?.value === "number") tapes.show(tape, set.value);
  }
}

function targetOf(field) { return field.closest("[data-target]")?.dataset.target; }

/** A field says what the shot has, unless one is typing into it or has changed it and waits for the answer. */
function reset(field) {
  const set = field.dataset.value && !("json" in field.dataset) && bench.setLast(targetOf(field), field.dataset.value);
  const typing = field === document.activeElement && !field.matches("select");
  if (set && field.type === "checkbox") field.checked = set.value;
  else if (set && field.type === "radio") field.checked = field.value === String(set.value);
  else if (set && field.type !== "file") { if (!typing) field.value = set.value; }
  else if (field.type === "checkbox" || field.type === "radio") field.checked = field.defaultChecked;
  else if (field.matches("select")) {
    const at = [...field.options].findIndex((one) => one.defaultSelected);
    field.selectedIndex = Math.max(0, at);
  } else if (field.type !== "file" && !typing) field.value = field.defaultValue;
}

// what the page has put on a node by itself is not in the fragment, and stays
document.addEventListener("htmx:before:morph:attr", (event) => {
  const { attrName, newValue } = event.detail;
  if (newValue === null && (attrName === "style" || (attrName === "src" && event.target.matches("[data-card]")))) event.preventDefault();
});

// parts stay as one has folded or opened them, whatever an answer says that was on its way meanwhile
const folds = new Map();
bench.fold = (details, open) => {
  details.open = open;
  if (details.dataset.part) folds.set(details.dataset.part, open);
};
document.getElementById("panel").addEventListener("click", ({ target }) => {
  const details = target.closest("summary")?.parentElement;
  if (details?.dataset.part && !target.closest("button")) folds.set(details.dataset.part, !details.open);
});
bench.addEventListener("shown", () => {
  for (const part of document.querySelectorAll("#panel details[data-part]")) {
    const open = folds.get(part.dataset.part);
    if (open !== undefined && part.open !== open) part.open = open;
  }
});

// what the matte is like on this frame, once the hand rests
let counting = 0;
async function tellMatte() {
  const place = document.getElementById("matte-facts");
  const { layer } = bench;
  if (!place || !layer?.seam.matte.length || bench.trial || bench.playing) return;
  const answer = await fetch(`/shots/${bench.id}/matte-facts?layer=${layer.id}&frame=${bench.frame}`).catch(() => null);
  const here = document.getElementById("matte-facts");
  if (!answer?.ok || !here) return;
  const { holes, parts, covered, largest_hole, second_part } = await answer.json();
  const some = (count, word) => (count === 0 ? `no ${word}s` : `${count} ${word}${count === 1 ? "" : "s"}`);
  here.textContent = covered < 0.0005 ? "keyed away wholly" : `covers ${(100 * covered).toFixed(0)} %, ${some(holes, "hole")}, ${some(Math.max(0, parts - 1), "speck")}`;
  here.title = `Largest hole ${largest_hole} px², largest part beside the subject ${second_part} px²`;
  here.classList.toggle("said-look-words", covered < 0.0005);
}
for (const name of ["shown", "frame", "refused"]) {
  bench.addEventListener(name, () => { clearTimeout(counting); counting = setTimeout(tellMatte, 500); });
}

bench.addEventListener("saving", () => {
  const saved = document.getElementById("saved");
  if (saved) saved.textContent = bench.saving ? "saving" : "saved";
});

// what is chosen is marked at once, before the server has answered; its controls are on their way
function mark() {
  for (const one of document.querySelectorAll("#stack [data-choose]")) {
    const here = one.dataset.choose === bench.chosen || (one.matches(".card") && ["look", "around", "track"].includes(bench.kind) && one.dataset.choose === `layer:${bench.target}`)
      || (bench.kind === "lineup" && one.dataset.choose === `seam:${bench.target}`);
    one.classList.toggle("chosen", here);
    for (const name of ["aria-pressed", "aria-current"]) if (one.hasAttribute(name)) one.setAttribute(name, here);
  }
}
bench.addEventListener("chosen", () => {
  document.getElementById("panel").inert = true;
  mark();
});
bench.addEventListener("shown", mark);
bench.addEventListener("shown", () => { if (handles.place.mode === "pins") handles.pin(true); });
// who points at something is about to choose it
for (const name of ["pointerover", "focusin"]) {
  document.addEventListener(name, ({ target }) => {
    const choice = target.closest?.("[data-choose]");
    if (choice) bench.expect(choice.matches(".card") ? bench.sheetOf(choice.dataset.choose) : choice.dataset.choose);
  });
}
bench.addEventListener("way", () => {
  for (const button of document.querySelectorAll("[data-way]")) {
    button.setAttribute("aria-pressed", button.dataset.way === bench.way);
  }
});

const live = new Live(bench.id);
live.onChange = (stamp) => bench.changed(stamp);
const picture = new Picture(bench, live);
picture.compare = new Compare(bench, picture);
const handles = new Handles(bench, picture);
const scope = new Scope(bench, picture);
const stitch = new Stitch(bench, live, picture);
picture.stitch = stitch;
const stack = new Stack(bench);
const player = new Player(bench, live, picture);
const view = new View(bench, picture);
new Absent(bench);
const loupe = new Loupe(bench, picture);
handles.loupe = loupe;
const strip = new TimeStrip(bench);
const lanes = new ValueLanes(bench, strip);
const keyframes = new Keyframes(bench, handles);
const commands = new Commands({ bench, handles, stack, player, view, loupe, strip, lanes, keyframes, picture });
const tapes = new Tapes(bench);
const ready = new Ready(bench, live, player);
acceptDrops(document.getElementById("mat"), (files) => {
  const tables = files.filter((file) => /\.cube$/i.test(file.name));
  for (const file of tables) commands.looks.bring(file);
  commands.shelf.bringIn(files.filter((file) => !tables.includes(file)));
});

divide(bench);
sheets(bench);
new MaskCuts(bench);
new CurveFields(bench);
bench.watch();

// for measuring play from outside: which picture was shown when, against the sound
window.velvetSeam = { bench, player, ready, picture, handles, strip, lanes, commands };
