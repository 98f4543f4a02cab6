// The footage page: files arrive side by side, clips scrub under the pointer.
import { acceptDrops, drawTile, say, sendFile, sendWhole } from "./common.js";

const TILES = 16;
const uploads = document.getElementById("uploads");

function row(file) {
  const li = document.createElement("li");
  li.className = "sheet flex items-center gap-3";
  const name = document.createElement("span");
  name.className = "truncate flex-1";
  name.textContent = file.name;
  const bar = document.createElement("div");
  bar.className = "progress w-[220px]";
  bar.append(document.createElement("i"));
  const note = document.createElement("span");
  note.className = "text-quiet w-[90px] text-right";
  const stop = document.createElement("button");
  stop.className = "button h-7";
  stop.textContent = "Cancel";
  li.append(name, bar, note, stop);
  uploads.append(li);
  return { li, bar: bar.firstElementChild, note, stop, barBox: bar };
}

async function take(file) {
  const shown = row(file), stop = {};
  shown.stop.addEventListener("click", () => stop.now?.());
  try {
    await sendFile(file, (part) => {
      if (part === null) { shown.note.textContent = "trying again"; return; }
      shown.bar.style.width = `${100 * part}%`;
      shown.note.textContent = part < 1 ? `${Math.floor(100 * part)} %` : "looking into it";
    }, stop);
    shown.li.remove();
    refresh();
  } catch (problem) {
    if (problem.message === "cancelled") {
      shown.li.remove();
      say(`${file.name} was not brought in.`);
      return;
    }
    shown.barBox.remove();
    shown.note.remove();
    const sentence = document.createElement("span");
    sentence.className = "verdict verdict-fix flex-1";
    sentence.textContent = problem.message;
    shown.li.firstChild.remove();
    shown.li.prepend(sentence);
    shown.stop.textContent = "Close";
    shown.stop.onclick = () => shown.li.remove();
  }
}

async function takeAll(files) {
  const waiting = [...files];
  const lane = async () => { while (waiting.length) await take(waiting.shift()); };
  await Promise.all([lane(), lane(), lane()]);
}

function refresh() {
  const { of, kind } = document.getElementById("cards").dataset;
  window.htmx.ajax("GET", `/footage/cards?of=${of}&kind=${kind}`, { target: "#cards", swap: "innerMorph" });
}

// a file that has gone missing is found again: the right one is put in its place
document.addEventListener("change", async (event) => {
  const again = event.target.closest("[data-again]");
  if (!again) return;
  const file = again.files[0];
  again.value = "";
  if (!file) return;
  say(`Looking into ${file.name}`);
  try {
    const { name } = await sendWhole(`/footage/${again.dataset.again}/file`, file);
    say(`${name} is here again.`);
  } catch (problem) {
    say(problem.message, true);
  }
  refresh();
});

document.getElementById("files").addEventListener("change", (event) => {
  takeAll(event.target.files);
  event.target.value = "";
});
acceptDrops(document.getElementById("drop"), takeAll);

// scrub: the strip is fetched when the pointer first enters, then drawn under it
document.addEventListener("pointermove", (event) => {
  const box = event.target.closest?.("[data-scrub]");
  if (!box) return;
  let canvas = box.querySelector("canvas");
  if (!canvas) {
    canvas = document.createElement("canvas");
    box.append(canvas);
    canvas.strip = new Image();
    canvas.strip.src = box.dataset.scrub;
    box.addEventListener("pointerleave", () => canvas.remove(), { once: true });
  }
  if (!canvas.strip.complete || !canvas.strip.naturalWidth) return;
  const part = (event.clientX - box.getBoundingClientRect().left) / box.clientWidth;
  const tile = Math.min(TILES - 1, Math.max(0, Math.floor(part * TILES)));
  drawTile(canvas, canvas.strip, TILES, tile, false);
});

async function drawWaves() {
  for (const box of document.querySelectorAll("[data-wave]")) {
    const address = box.dataset.wave;
    if (!address) continue; // drawn meanwhile, after another change of the list
    delete box.dataset.wave;
    const answer = await fetch(address).catch(() => null);
    if (!answer?.ok) { box.dataset.wave = address; continue; } // with the next change of the list
    const wave = await answer.json();
    const canvas = document.createElement("canvas");
    box.replaceChildren(canvas);
    canvas.width = box.clientWidth * 2;
    canvas.height = box.clientHeight * 2;
    const context = canvas.getContext("2d");
    context.fillStyle = "#9fd0c6";
    const columns = Math.floor(canvas.width / 3);
    for (let x = 0; x < columns; x += 1) {
      const from = Math.floor((x * wave.length) / columns);
      const to = Math.max(from + 1, Math.floor(((x + 1) * wave.length) / columns));
      const tall = Math.max(2, Math.max(...wave.slice(from, to)) * canvas.height * 0.8);
      context.fillRect(x * 3, (canvas.height - tall) / 2, 2, tall);
    }
  }
}
drawWaves();
document.addEventListener("htmx:after:swap", drawWaves);
