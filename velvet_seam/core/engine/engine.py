"""Evaluating plans, keeping what may be needed again."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection
from concurrent.futures import Future, ThreadPoolExecutor
from functools import cache
from threading import Lock
from typing import Any, TypeVar
from weakref import WeakValueDictionary

import numba as nb
import numpy as np

from velvet_seam.core.engine.cache import ByteCache
from velvet_seam.core.engine.looking import Tables, no_table
from velvet_seam.core.engine.plan import Footage, Picture, Planner, Sheet, Step, View
from velvet_seam.core.engine.show import on_sheet
from velvet_seam.core.engine.stacking import Known
from velvet_seam.core.kernels import kernel
from velvet_seam.core.picture.placement import Patch
from velvet_seam.core.shot.shot import Shot
from velvet_seam.core.steps import Packing, Shelf, step

PREVIEW_SHORT_SIDE = 540
MEGABYTE = 1 << 20

T = TypeVar("T")


def _whole(size: tuple[int, int], patch: Patch | None) -> Picture:
    return on_sheet(size, patch)


@kernel(parallel=True)
def _start_threads() -> int:
    n = 0
    for k in nb.prange(2):
        n += k
    return n


def frames_at_once() -> int:
    """How many frames can be made side by side, each by a thread of its own."""
    _start_threads()  # only then is it known which kind of threads there are
    return min(4, nb.config.NUMBA_NUM_THREADS) if nb.threading_layer() != "workqueue" else 1


class Engine:
    """Pictures of shots. Same shot and footage, same picture: bit for bit, cached or not.

    Args:
        footage: the footage of an id; raises a Problem where there is none.
        cache_bytes: how much may be kept.
        tables: tables of colours that were brought in, by their ids.
        passing: every frame is asked for once, as in a render: only what lasts is kept.
        shelf: results that outlast this engine.

    ``counts`` tells how many steps of each kind have really been computed.
    """

    def __init__(
        self, footage: Callable[[str], Footage], *, cache_bytes: int = 768 * MEGABYTE,
        passing: bool = False, tables: Tables = no_table, shelf: Shelf | None = None,
    ) -> None:  # fmt: skip
        self._footage, self._tables, self._shelf = footage, tables, shelf
        self._cache: ByteCache[Any] = ByteCache(cache_bytes)
        self._passing = passing
        self._lanes: dict[str, ThreadPoolExecutor] = {}
        self._reading: WeakValueDictionary[str, Future[Any]] = WeakValueDictionary()
        self._soon: dict[str, Future[Any]] = {}
        self._makers: ThreadPoolExecutor | None = None
        self._before: frozenset[str] = frozenset()
        self._known: Known | None = None if passing else {}
        self._once: dict[str, Future[Any]] = {}
        self._once_lock = Lock()
        self.counts: Counter[str] = Counter()

    @property
    def cached_bytes(self) -> int:
        return self._cache.size

    def plan(
        self, shot: Shot, frame: int, *, short_side: int | None = None, view: View = "joined",
        chosen: str | None = None, solo: Collection[str] = (), sheet: Sheet | None = None,
        video: bool = False, quick: str | None = None, beside: str | None = None, gain: float = 4.0,
    ) -> Step:  # fmt: skip
        """The plan of a frame at canvas size, reduced to a short side, or on a given sheet, as a picture
        or as a ``video`` frame; computes nothing. The look of the layer ``quick`` is made of coarser tables: a
        hand is on it."""
        sheet = sheet or Sheet.of(shot, short_side)
        planner = Planner(shot, sheet, self._found(), video, self._known, quick, self._tables)
        return planner.plan(frame, view, chosen, solo, beside, gain)

    def taken(self, shot: Shot, frame: int, layer: str, short_side: int | None) -> Picture:
        """A layer as it lies on the canvas with nothing cut out and no look: (h, w, 4) uint8, clear beside it."""
        sheet = Sheet.of(shot, short_side)
        planner = Planner(shot, sheet, self._found(), tables=self._tables)
        plan = step(
            "taken", _whole, (sheet.size,), planner.as_it_is(shot.layer(layer), frame), keep=False
        )
        return self.picture(plan, passing=True)

    def alone(self, shot: Shot, frame: int) -> Step:
        """The plan of a frame as it lies over nothing, at canvas size: a picture with coverage."""
        planner = Planner(shot, Sheet.of(shot), self._found(), tables=self._tables)
        return planner.alone(frame)

    def _found(self) -> Callable[[str], Footage]:
        """Footage by id, asked for once in a plan: a plan is of one moment."""
        return cache(self._footage)

    def picture(
        self, step: Step, *, passing: bool = False, trying: bool = False, after: Step | None = None
    ) -> Picture:
        """The picture of a plan: (height, width, 4) uint8 RGBA, opaque.

        Args:
            passing: this frame is only passed through, as in play: keep only what lasts.
            trying: a value is being dragged: keep only what the picture before needed too, for the
                rest belongs to a value that the hand has left by now.
            after: the plan that will be asked for next; its footage is read meanwhile.
        """
        lacking = self._lacking(step)
        reads = self._read(lacking)
        self._soon = self._read(self._lacking(after)) if after else {}
        steps = _steps(step).keys()
        stable = self._before if trying else steps
        picture = _Making(self, passing or self._passing, stable, lacking, reads).result(step)
        self._before = frozenset(steps)
        return np.asarray(picture)

    def result(self, step: Step) -> Any:
        """What any step comes to, made as in a render: what lasts is kept."""
        lacking = self._lacking(step)
        return _Making(self, True, (), lacking, self._read(lacking)).result(step)

    def begin(self, step: Step, then: Callable[[Picture], T]) -> Future[T]:
        """Begin a picture that is only passed through, and what is to be done with it then.

        Several of them are made side by side, each by one thread: no thread waits for another
        within a frame, so that it takes less of the machine than :meth:`picture`. To be called in
        the order of the frames, by one thread.
        """
        if self._makers is None:
            self._makers = ThreadPoolExecutor(
                frames_at_once(), "make", initializer=nb.set_num_threads, initargs=(1,)
            )
        lacking = self._lacking(step)
        making = _Making(self, True, (), lacking, self._read(lacking))
        return self._makers.submit(lambda: then(making.result(step)))

    def _lacking(self, step: Step) -> dict[str, Step]:
        """What has to be made for a plan, by key. What lies below a step whose result is kept is not needed."""
        return _steps(step, lambda one: self.kept(one) is None)

    def _read(self, lacking: dict[str, Step]) -> dict[str, Future[Any]]:
        """Begin to read what has to be read, every file in a thread of its own."""
        reads = {}
        for key, one in lacking.items():
            if one.kind != "read":
                continue
            reading = self._reading.get(key)
            if reading is None:
                if one.lane not in self._lanes:
                    self._lanes[one.lane] = ThreadPoolExecutor(1, thread_name_prefix="read")
                reading = self._reading[key] = self._lanes[one.lane].submit(one.run)
            reads[key] = reading
        return reads

    def at_hand(self, step: Step) -> tuple[Any] | None:
        """The result of a step, in a tuple, if it is kept in memory."""
        held: tuple[Any] | None = self._cache.get(step.key)
        return held

    def kept(self, step: Step) -> tuple[Any] | None:
        """The result of a step, in a tuple, if it is kept in memory or on the shelf."""
        held = self.at_hand(step)
        if held is None and self._shelf is not None and step.packing:
            return self._taken(step, step.packing, self._shelf)
        return held

    def _taken(self, step: Step, packing: Packing, shelf: Shelf) -> tuple[Any] | None:
        """A result from the shelf; none where it is not there, or is damaged."""
        lying = shelf.get(step.key)
        if lying is None:
            return None
        try:
            held = (packing.unpack(lying),)
        except ValueError:
            return None
        self._cache.put(step.key, held, _size(held[0]))
        return held

    def once(self, step: Step, make: Callable[[], Any]) -> Any:
        """The result of a step that several threads may ask for at the same time: one of them makes it, the others
        wait. None waits for another that waits for it, for no step is made of itself."""
        with self._once_lock:
            being_made = self._once.get(step.key)
            if being_made is None:
                own = self._once[step.key] = Future()
        if being_made is not None:
            return being_made.result()
        try:
            held = self.kept(step)  # it may have been finished a moment ago
            result = make() if held is None else held[0]
            own.set_result(result)
            return result
        except BaseException as error:
            own.set_exception(error)
            raise
        finally:
            with self._once_lock:
                del self._once[step.key]

    def keep(self, step: Step, result: Any, passing: bool, stable: Collection[str]) -> None:
        """Count a step that has been computed, and keep its result where that is worth while."""
        self.counts[step.kind] += 1
        if self._shelf is not None and step.packing:
            self._shelf.put(step.key, step.packing.pack(result))
        if step.keep and (step.lasting or step.soon if passing else step.key in stable):
            self._cache.put(step.key, (result,), _size(result))


DEEP = 60
"""Steps of a chain that are made in one go."""


class _Making:
    """One picture in the making. What a step has made is let go as soon as the last that needs it has
    had it: the next one then finds memory that is still in the processor's cache. What is ``lacking`` was not kept
    when it began."""

    def __init__(
        self, engine: Engine, passing: bool, stable: Collection[str], lacking: dict[str, Step], reads: dict[str, Future[Any]],
    ) -> None:  # fmt: skip
        self._engine, self._passing, self._stable = engine, passing, stable
        self._lacking, self._reads = lacking, reads
        self._made: dict[str, Any] = {}
        self._needed: Counter[str] = Counter()

    def result(self, step: Step) -> Any:
        for one in self._lacking.values():
            self._needed.update(source.key for source in one.inputs)
        for deep in self._deep(step):
            self._needed[deep.key] += 1
            self._evaluate(deep)
        return self._evaluate(step)

    def _deep(self, step: Step) -> list[Step]:
        """Every so many steps down a long chain one, the deepest first: made in this order, none has many below it that
        are still to be made, and Python's stack is enough however long the chain is."""
        deep: list[Step] = []
        waiting, known = [(step, 0)], {step.key}
        while waiting:
            one, depth = waiting.pop()
            if one.key not in self._lacking:
                continue
            if depth and depth % DEEP == 0:
                deep.append(one)
            for source in one.inputs:
                if source.key not in known:
                    known.add(source.key)
                    waiting.append((source, depth + 1))
        return deep[::-1]

    def _evaluate(self, step: Step) -> Any:
        key = step.key
        self._needed[key] -= 1
        if key in self._made:
            return self._made[key] if self._needed[key] > 0 else self._made.pop(key)
        # another may have made it meanwhile; on the shelf it is looked for once more where it is made
        look = self._engine.at_hand if key in self._lacking else self._engine.kept
        held = look(step)
        if held is not None:
            return held[0]
        if key in self._reads:
            result = self._reads.pop(key).result()
            self._engine.keep(step, result, self._passing, self._stable)
        elif step.packing is not None:  # dear, and asked for by many frames
            result = self._engine.once(step, lambda: self._make(step))
        else:
            result = self._make(step)
        if self._needed[key] > 0:
            self._made[key] = result
        return result

    def _make(self, step: Step) -> Any:
        result = step.run(*[self._evaluate(one) for one in step.inputs])
        self._engine.keep(step, result, self._passing, self._stable)
        return result


def _steps(step: Step, wanted: Callable[[Step], bool] = lambda _: True) -> dict[str, Step]:
    """The steps of a plan by key, but for those that are not wanted and what only they are made of."""
    found: dict[str, Step] = {}
    waiting = [step]
    while waiting:
        one = waiting.pop()
        if one.key not in found and wanted(one):
            found[one.key] = one
            waiting += reversed(one.inputs)
    return found


def _size(result: Any) -> int:
    return int(getattr(result, "nbytes", 0)) + 64
