// How well a thing that can be found fits what is asked for.
const IDLE = new Set(["a", "an", "and", "how", "my", "of", "the", "to"]);

/** As it is compared: without marks, and spelt alike on both sides of the ocean. */
const plain = (text) => text.toLowerCase().replaceAll("our", "or").replaceAll("z", "s").replaceAll("gray", "grey").replaceAll("center", "centre").replace(/[^\p{L}\p{N}]+/gu, " ").trim();

/** The words of what is asked for that say something; "colou" is on its way to "colour". */
export function asked(text) {
  const words = plain(text).split(" ").filter(Boolean).map((word) => word.replace(/ou$/, "o")), telling = words.filter((word) => !IDLE.has(word));
  return telling.length ? telling : words;
}

/** How well a text fits a word: as a whole word, as the beginning of one, or anywhere; Infinity where it does not. */
function fit(text, word, whole, begins, inside) {
  if (` ${text} `.includes(` ${word} `)) return whole;
  if (` ${text}`.includes(` ${word}`)) return begins;
  return text.includes(word) ? inside : Infinity;
}

/** How well a thing fits all words, 0 best; Infinity where one of them is nowhere in it. Its title says more than what else
 *  it is found by, all words in their order more than each somewhere, and a short title more than a long one. */
function rank(one, words) {
  const title = plain(one.title), rest = plain(`${one.note} ${one.also ?? ""}`), all = words.join(" ");
  if (title === all || !all) return 0; // nothing is asked for yet: all in the order that it has
  const long = 0.01 * title.split(" ").length;
  if (words.length > 1) {
    const together = Math.min(fit(title, all, 0.4, 0.5, 0.6), fit(rest, all, 1.2, 1.3, 1.4));
    if (together < Infinity) return together * words.length + long;
  }
  const closed = `${title}${rest}`.replaceAll(" ", ""); // "cutout" is "cut out"
  const each = words.map((word) => {
    const first = title.startsWith(word) ? 0.5 : 0;
    return Math.min(fit(title, word, 1, 2, word.length > 3 ? 4 : 6) - first, fit(rest, word, 4.5, 5, 7), word.length > 5 && closed.includes(word) ? 8 : Infinity);
  });
  return each.reduce((sum, part) => sum + part, long);
}

/** Things with how well each fits, the best first; those that fit alike stay as they came. */
export const ordered = (things, words) => things.map((one) => [rank(one, words), one]).sort((a, b) => a[0] - b[0]);
