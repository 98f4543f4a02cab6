// Shared by every page: asking the server, saying sentences, progress bars, strips that play.

const wait = (ms) => new Promise((done) => setTimeout(done, ms));

/** Show a sentence at the foot of the page; problems stay longer and can be closed. */
export function say(sentence, bad = false) {
  unsay(sentence);
  const box = document.getElementById("say");
  const p = document.createElement("p");
  p.className = bad ? "bad" : "";
  const text = document.createElement("span");
  text.textContent = sentence;
  const close = document.createElement("button");
  close.textContent = "×";
  close.setAttribute("aria-label", "Close");
  close.addEventListener("click", () => p.remove());
  p.append(text, close);
  box.append(p);
  wait(bad ? 12000 : 4000).then(() => p.remove());
}

/** Take a sentence away that is no longer true. */
export function unsay(sentence) {
  for (const old of [...document.getElementById("say").children]) if (old.firstChild.textContent === sentence) old.remove();
}

/** The address of an icon. */
export const iconAt = (name) => `${new URL("../icons.svg", import.meta.url).pathname}#${name}`;

/** Ask the server; answers JSON, or says the problem and throws. */
export async function ask(path, { method = "GET", body } = {}) {
  let response;
  try {
    response = await fetch(path, {
      method,
      headers: body === undefined ? {} : { "content-type": "application/json" },
      body: body === undefined ? undefined : JSON.stringify(body),
    });
  } catch {
    say("Velvet Seam does not answer. What was saved is safe; start it again and go on.", true);
    throw new Error("no answer");
  }
  if (response.status === 204) return null;
  const answer = await response.json().catch(() => ({}));
  if (!response.ok) {
    const sentence = answer.problem ?? "That did not work; nothing was changed.";
    say(sentence, true);
    throw new Error(sentence);
  }
  return answer;
}

const SLICE = 8 << 20;

const CRC = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k += 1) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c;
});

/** CRC-32 of bytes (ISO 3309), going on from that of what came before. */
export function crc32(bytes, before = 0) {
  let c = ~before;
  for (let n = 0; n < bytes.length; n += 1) c = CRC[(c ^ bytes[n]) & 255] ^ (c >>> 8);
  return ~c >>> 0;
}

/** The digest of a file up to a place, slice by slice, so that the page stays quick. */
async function digestTo(file, end, known) {
  while (known.at < end) {
    const to = Math.min(end, known.at + SLICE);
    known.crc = crc32(new Uint8Array(await file.slice(known.at, to).arrayBuffer()), known.crc);
    known.at = to;
  }
  return known.crc;
}
const PATIENCE = [500, 1000, 2000, 4000, 8000, 8000, 8000, 8000];

/** Send a blob with its progress; resolves to the answer, rejects with a sentence or `null` when
 * the connection broke. */
function sendBlob(method, path, blob, onProgress, stop) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open(method, path);
    request.setRequestHeader("content-type", "application/octet-stream");
    request.upload.addEventListener("progress", (event) => onProgress(event.loaded));
    request.addEventListener("load", () => {
      let answer = {};
      try { answer = JSON.parse(request.responseText); } catch { /* not JSON: said below */ }
      if (request.status < 300) resolve(answer);
      else reject(answer.problem ? new Error(answer.problem) : null);
    });
    request.addEventListener("error", () => reject(null));
    request.addEventListener("abort", () => reject(new Error("cancelled")));
    stop.abort = () => request.abort();
    request.send(blob);
  });
}

/** Send one file in slices; a broken connection, or a program started anew, is waited for and what
 * has arrived is not sent again. `stop.now()` gives it up. */
export async function sendFile(file, onProgress, stop = {}, then = "finish") {
  let given = false, tries = 0;
  const known = { at: 0, crc: 0 };
  stop.now = () => { given = true; stop.abort?.(); };
  const about = { name: file.name, size: file.size, modified: file.lastModified };
  for (;;) {
    let here = null;
    try {
      here = await post("/footage/arrivals", about);
      let { have } = here;
      while (have < file.size) {
        if (given) throw new Error("cancelled");
        const from = have;
        await digestTo(file, from, known); // of what has been sent, while the rest is on its way
        const slice = file.slice(from, from + SLICE);
        const at = `/footage/arrivals/${here.id}?at=${from}`;
        have = (await sendBlob("PUT", at, slice, (sent) => onProgress((from + sent) / file.size), stop)).have;
        tries = 0;
      }
      onProgress(1);
      return await post(`/footage/arrivals/${here.id}/${then}`, { crc: await digestTo(file, file.size, known) });
    } catch (problem) {
      if (problem) {
        if (problem.message === "cancelled" && here) fetch(`/footage/arrivals/${here.id}`, { method: "DELETE" });
        throw problem;
      }
      if (tries >= PATIENCE.length) {
        throw new Error(`${file.name} did not arrive: the connection broke. Send it again; what is here is not sent twice.`);
      }
      onProgress(null);
      await wait(PATIENCE[tries]);
      tries += 1;
      if (given) throw new Error("cancelled");
    }
  }
}

/** Post JSON; rejects with the sentence, or with `null` when nothing answers. */
async function post(path, body) {
  let response;
  try {
    response = await fetch(path, { method: "POST", headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
  } catch {
    throw null;
  }
  const answer = await response.json().catch(() => ({}));
  if (!response.ok) throw answer.problem ? new Error(answer.problem) : null;
  return answer;
}

/** Send a whole file to an address of its own, such as that of missing footage. */
export const sendWhole = (path, file) => sendBlob("POST", path, file, () => {}, {}).catch((problem) => {
  throw problem ?? new Error(`${file.name} did not arrive: the connection broke.`);
});

/** Let files be dropped anywhere on the page. */
export function acceptDrops(marked, take) {
  let depth = 0;
  const files = (event) => [...(event.dataTransfer?.types ?? [])].includes("Files");
  addEventListener("dragenter", (event) => {
    if (!files(event)) return;
    depth += 1;
    marked?.classList.add("over");
  });
  addEventListener("dragleave", (event) => {
    if (!files(event)) return;
    depth -= 1;
    if (depth <= 0) marked?.classList.remove("over");
  });
  addEventListener("dragover", (event) => { if (files(event)) event.preventDefault(); });
  addEventListener("drop", (event) => {
    if (!files(event)) return;
    event.preventDefault();
    depth = 0;
    marked?.classList.remove("over");
    take([...event.dataTransfer.files]);
  });
}

/** Draw one tile of a strip of equal tiles so that it covers or fits its canvas. */
export function drawTile(canvas, image, tiles, index, cover) {
  const { clientWidth, clientHeight } = canvas.parentElement;
  const density = Math.min(2, devicePixelRatio || 1);
  canvas.width = clientWidth * density;
  canvas.height = clientHeight * density;
  const width = image.naturalWidth / tiles, height = image.naturalHeight;
  const pick = cover ? Math.max : Math.min;
  const k = pick(canvas.width / width, canvas.height / height);
  const context = canvas.getContext("2d");
  context.imageSmoothingQuality = "high";
  context.drawImage(image, index * width, 0, width, height,
    (canvas.width - width * k) / 2, (canvas.height - height * k) / 2, width * k, height * k);
}

/** Progress bars are drawn from data, since the page allows no inline style. */
export function drawProgress(root = document) {
  for (const bar of root.querySelectorAll("[data-part]")) {
    if (bar.firstElementChild) bar.firstElementChild.style.width = `${100 * bar.dataset.part}%`;
  }
}

drawProgress();
document.addEventListener("htmx:after:swap", () => drawProgress());
document.addEventListener("htmx:after:settle", () => drawProgress());
document.addEventListener("htmx:response:error", (event) => {
  let sentence = "That did not work; nothing was changed.";
  try { sentence = JSON.parse(event.detail.ctx.text).problem ?? sentence; } catch { /* not JSON */ }
  say(sentence, true);
});

/** A sentence that stays while something goes on: it can be said anew, stopped by its button, and taken away. */
export function telling(stop) {
  const p = document.createElement("p"), text = document.createElement("span"), button = document.createElement("button");
  button.textContent = "Stop";
  button.className = "underline";
  button.addEventListener("click", stop);
  p.append(text, button);
  document.getElementById("say").append(p);
  return { say: (words) => { text.textContent = words; }, end: () => p.remove() };
}

/** A sound is heard while the pointer, or the focus, rests on it. */
let heard = null, hearing = 0;
function hear(box) {
  if (box === heard?.box) return;
  clearTimeout(hearing);
  heard?.audio.pause();
  heard = null;
  if (!box) return;
  hearing = setTimeout(() => {
    heard = { box, audio: new Audio(`/footage/${box.dataset.hear}/heard.wav`) };
    heard.audio.play().catch(() => {}); // a browser may want a click on the page first
  }, 220);
}
for (const name of ["pointerover", "focusin"]) document.addEventListener(name, ({ target }) => hear(target.closest?.("[data-hear]") ?? null));
document.addEventListener("visibilitychange", () => { if (document.hidden) hear(null); });
