// One loop for every drag: what is moved is asked once a frame; one that begins while an edit is still on its
// way waits for its answer, so that it goes on from what is there by then, and nothing is lost. A click that only
// chooses waits for nothing: what is done next is done to what was clicked.

/** Follow a pointer from a press on. `begin` gives `{ move(event), end(finished, event) }`, or nothing.
 * Where the hand was meanwhile is caught up with when it begins. A press let go at its place before that is
 * given to `tap(event)`, where there is one, and nothing begins. */
export function follow(node, press, bench, begin, hold = () => {}, tap = null) {
  node.setPointerCapture(press.pointerId);
  let drag = null, last = press, moved = false, ended = null, waiting = false;
  const stop = () => {
    for (const name of ["pointermove", "pointerup", "pointercancel"]) node.removeEventListener(name, name === "pointermove" ? move : end);
  };
  const step = () => {
    waiting = false;
    if (drag && !ended) drag.move(last);
  };
  const finish = () => {
    if (ended.type === "pointerup" && moved) drag.move(ended);
    hold(null);
    drag.end(ended.type === "pointerup", ended);
  };
  const move = (next) => {
    moved ||= Math.abs(next.clientX - press.clientX) + Math.abs(next.clientY - press.clientY) > 0;
    last = next;
    if (drag && !waiting) {
      waiting = true;
      requestAnimationFrame(step);
    }
  };
  const end = (next) => {
    ended = next;
    stop();
    if (drag) finish();
    else if (tap && !moved && next.type === "pointerup") tap(next);
  };
  const start = () => {
    if (bench.saving) { bench.settled().then(start); return; } // also for what a drag before this one has sent
    if (tap && ended && !moved) return;
    drag = begin();
    if (!drag) { stop(); return; }
    hold(drag);
    if (ended) finish();
    else if (moved) drag.move(last);
  };
  node.addEventListener("pointermove", move);
  node.addEventListener("pointerup", end);
  node.addEventListener("pointercancel", end);
  start();
}
