// Popovers: put beside what opened them, inside the window.

/** Below a button, or above it where there is more room. */
export function putBy(pop, button) {
  const box = button.getBoundingClientRect(), { offsetWidth: wide, offsetHeight: high } = pop;
  const below = box.bottom + 6, above = box.top - 6 - high;
  const top = below + high <= innerHeight - 8 || above < 8 ? Math.min(below, innerHeight - 8 - high) : above;
  const left = Math.min(box.left, innerWidth - 8 - wide);
  Object.assign(pop.style, { position: "fixed", inset: "auto", left: `${Math.max(8, left)}px`, top: `${Math.max(8, top)}px` });
}
