// An SVG that is drawn again and again: the nodes that are there are changed rather than made anew. Under a
// moving hand the browser then paints only what has moved, and does not arrange everything afresh.
const NS = "http://www.w3.org/2000/svg";
const drawn = new WeakMap(); // for each parent that is being redrawn, how many of its nodes are drawn

/** Draw a parent's nodes by calls of `add`; those that are left from before are taken away. */
export function redraw(parent, draw) {
  drawn.set(parent, 0);
  draw();
  while (parent.children.length > drawn.get(parent)) parent.lastElementChild.remove();
}

/** The next node of a parent that is being redrawn. */
export function add(parent, name, attributes, title = "") {
  const place = drawn.get(parent), there = parent.children[place];
  drawn.set(parent, place + 1);
  const node = there?.tagName === name ? there : document.createElementNS(NS, name);
  if (!there) parent.append(node);
  else if (node !== there) there.replaceWith(node);
  for (const key of node.getAttributeNames()) if (!(key in attributes)) node.removeAttribute(key);
  for (const [key, value] of Object.entries(attributes)) {
    if (node.getAttribute(key) !== String(value)) node.setAttribute(key, value);
  }
  if (title !== (node.textContent ?? "")) {
    node.replaceChildren();
    if (title) node.append(document.createElementNS(NS, "title"));
    if (title) node.firstChild.textContent = title;
  }
  return node;
}
