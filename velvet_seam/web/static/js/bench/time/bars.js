// Bars of the time strip under the hand: moved, trimmed, slipped, two that meet moved together, fades.
import { valueAt } from "./moving.js";

export class Bars {
  constructor(bench, strip) { Object.assign(this, { bench, strip }); }

  fade(knob) {
    const { bench } = this, { side, thing: id } = knob.dataset, track = bench.thing(id);
    const name = `fade_${side}`, most = track.span.last - track.span.first + 1;
    const before = valueAt(track[name], side === "in" ? 0 : most - 1);
    let frames = before;
    return {
      move: (frame) => {
        const from = side === "in" ? frame - track.span.first : track.span.last + 1 - frame;
        frames = Math.round(Math.min(Math.max(0, from), most));
        this.strip.render({ ...track, [name]: frames });
        this.strip.snap.show({ frame: side === "in" ? track.span.first + frames : track.span.last + 1 - frames, word: `${frames} frames` });
      },
      end: (finished) => {
        if (finished && frames !== before) bench.set(id, { [name]: frames });
        else this.strip.render();
      },
    };
  }

  /** The two bars that meet at an end of one: [the earlier, the later], of one kind. */
  meeting(end) {
    const thing = this.bench.thing(end.dataset.thing), first = end.dataset.grab === "first";
    const others = (thing.seam ? this.bench.shot.layers : this.bench.shot.sounds).filter((one) => one.id !== thing.id && !one.locked);
    const other = others.find((one) => (first ? one.span.last + 1 === thing.span.first : one.span.first === thing.span.last + 1));
    if (!other) return null;
    return first ? [other, thing] : [thing, other];
  }

  /** With Alt the ends of two bars that meet move together; what each shows stays on its frames. */
  bothEnds([before, after], start) {
    const { bench } = this;
    let edit = null;
    return {
      move: (frame) => {
        const hit = this.strip.snap.near(after.span.first + Math.round(frame - start), this.strip.snap.targets(after.id).filter((one) => one.word !== before.name));
        const wanted = hit ? hit.frame : after.span.first + Math.round(frame - start);
        const to = Math.min(Math.max(wanted, before.span.first + 1), after.span.last);
        edit = to === after.span.first ? null : { do: "several", label: "where two bars meet", edits: [
          { do: "trim", target: before.id, edge: "last", to: to - 1 }, { do: "trim", target: after.id, edge: "first", to },
        ] };
        this.strip.snap.show({ frame: to, word: hit ? hit.word : bench.spell(to) });
        if (edit && after.seam) bench.try(edit);
      },
      end: (finished) => {
        if (edit && finished) bench.edit(edit);
        else { bench.trial = null; bench.tell("refused"); }
      },
    };
  }

  /** With Alt the source slips under the bar, which stays where it is. */
  slip(thing, start) {
    const { bench } = this;
    let edit = null;
    return {
      move: (frame) => {
        const by = Math.round(start - frame);
        edit = by ? { do: "slip", target: thing.id, by } : null;
        this.strip.snap.show({ frame: thing.span.first, word: `source ${by < 0 ? "−" : "+"}${Math.abs(by)} frames` });
        if (thing.seam) bench.try(edit ?? { do: "slip", target: thing.id, by: 0 });
      },
      end: (finished) => {
        if (edit && finished) bench.edit(edit);
        else { bench.trial = null; bench.tell("refused"); }
      },
    };
  }

  /** A click on a bar: with Shift or Ctrl one more, or one less, beside what is chosen. */
  choose(thing, press) {
    const { bench } = this;
    if ((press.ctrlKey || press.metaKey || press.shiftKey) && bench.targets.length) bench.chooseAlso([thing.id]);
    else bench.choose(`${thing.seam ? "layer" : "sound"}:${thing.id}`);
  }

  bar(grab, thing, start, press) {
    const { bench } = this;
    const targets = this.strip.snap.targets(thing.id);
    // what is chosen moves together, and none of it leaves the start
    const group = bench.targets.some((one) => one.id === thing.id) ? bench.targets : [thing];
    const room = Math.min(...group.map((one) => one.span.first));
    let edit = null, moved = false;
    const spans = {
      bar: (by) => {
        const length = thing.span.last - thing.span.first;
        const first = thing.span.first + Math.max(-room, by);
        return { first, last: first + length };
      },
      first: (by) => ({ first: Math.min(Math.max(0, thing.span.first + by), thing.span.last), last: thing.span.last }),
      last: (by) => ({ first: thing.span.first, last: Math.max(thing.span.first, thing.span.last + by) }),
    };
    return {
      move: (frame, event) => {
        let by = Math.round(frame - start);
        if (!moved && by === 0) return;
        moved = true;
        let span = spans[grab](by);
        let hit = null;
        if (!event.altKey) {
          const edges = grab === "first" ? [span.first] : grab === "last" ? [span.last + 1] : [span.first, span.last + 1];
          for (const edge of edges) {
            const found = this.strip.snap.near(edge, targets);
            if (found && (!hit || found.away < hit.away)) hit = { ...found, by: found.frame - edge };
          }
          if (hit) {
            by += hit.by;
            span = spans[grab](by);
          }
        }
        const moved_by = span.first - thing.span.first;
        edit = grab === "bar"
          ? { do: "move-in-time", target: thing.id, by: moved_by }
          : { do: "trim", target: thing.id, edge: grab, to: span[grab] };
        if (group.length > 1 && grab === "bar") {
          edit = { do: "several", label: `move ${group.length} in time`, edits: group.map((one) => ({ do: "move-in-time", target: one.id, by: moved_by })) };
        }
        this.strip.render({ ...thing, span });
        this.strip.snap.show(hit);
        if (thing.seam) bench.try(edit);
      },
      end: (finished) => {
        if (!moved) this.choose(thing, press);
        else if (edit && finished) bench.edit(edit);
        else { bench.trial = null; bench.tell("refused"); }
        if (!finished) this.strip.render();
      },
    };
  }
}
