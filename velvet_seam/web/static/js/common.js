// Shared by every page: asking the server, saying sentences, progress bars, strips that play.

const wait = (ms) => new Promise((done) => setTimeout(done, ms));

/** Show a sentence at the foot of the page; problems stay longer and can be closed. */
export function say(sentence, bad = false) {
  const box = document.getElementById("say");
  for (const old of box.children) if (old.firstChild.textContent === sentence) old.remove();
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

/** Send one file with its progress; resolves to the answer or rejects with a sentence. */
export function sendFile(file, onProgress) {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", "/footage");
    request.setRequestHeader("x-name", encodeURIComponent(file.name).slice(0, 3900));
    request.setRequestHeader("content-type", "application/octet-stream");
    request.upload.addEventListener("progress", (event) => {
      if (event.lengthComputable) onProgress(event.loaded / event.total);
    });
    request.addEventListener("load", () => {
      let answer = {};
      try { answer = JSON.parse(request.responseText); } catch { /* not JSON: said below */ }
      if (request.status < 300) resolve(answer);
      else reject(new Error(answer.problem ?? `${file.name} could not be taken in.`));
    });
    request.addEventListener("error", () =>
      reject(new Error(`${file.name} did not arrive: the connection broke. Send it again.`)));
    request.addEventListener("abort", () => reject(new Error("cancelled")));
    onProgress(0, request);
    request.send(file);
  });
}

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
    bar.firstElementChild.style.width = `${100 * bar.dataset.part}%`;
  }
}

drawProgress();
document.addEventListener("htmx:after:swap", () => drawProgress());
document.addEventListener("htmx:response:error", (event) => {
  let sentence = "That did not work; nothing was changed.";
  try { sentence = JSON.parse(event.detail.ctx.text).problem ?? sentence; } catch { /* not JSON */ }
  say(sentence, true);
});
