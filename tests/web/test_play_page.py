"""Play in the browser: with marks put meanwhile, over a socket that closes, without pictures or sound that do not come."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from tests.web.test_bench_page import bench
from tests.web.test_whole_job import clean, until

pytestmark = pytest.mark.browser

__all__ = ["bench", "clean"]


def test_a_mark_is_put_while_playing_and_the_play_goes_on(bench: Page):
    bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 5", seconds=15)
    bench.keyboard.press("m")
    until(bench, "velvetSeam.bench.shot.marks.length === 1")
    assert bench.evaluate("velvetSeam.player.playing")
    bench.keyboard.press(" ")
    bench.click("#undo")
    until(bench, "velvetSeam.bench.shot.marks.length === 0")


def test_play_goes_on_where_the_socket_is_closed_and_opened_again(bench: Page):
    """And what is asked for meanwhile waits: a picture of another frame comes."""
    close = "velvetSeam.picture.slot.live.socket.close()"
    bench.evaluate(f"() => {{ {close}; velvetSeam.bench.go(30); }}")
    bench.wait_for_timeout(100)  # closed, and not yet opened again
    bench.evaluate("velvetSeam.bench.go(60)")
    expect(bench.locator("#picture")).to_have_attribute("data-frame", "60")
    bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 2", seconds=15)
    bench.evaluate(close)
    before = bench.evaluate("velvetSeam.player.log.at(-1).count")
    until(bench, f"velvetSeam.player.log.at(-1).count > {before} + 30", seconds=15)
    assert bench.evaluate("velvetSeam.player.playing")
    bench.keyboard.press(" ")


def test_pictures_that_are_refused_end_play_with_the_reason(bench: Page):
    bench.evaluate(
        """() => { const { live } = velvetSeam.picture.slot, ask = live.ask.bind(live);
            window.refused = 0;
            live.ask = async (wish) => {
                if (!wish.passing || wish.ready) return ask(wish);
                window.refused += 1;
                throw new Error('It is not to be made.');
            }; }"""
    )
    bench.keyboard.press(" ")
    expect(bench.locator("#say")).to_contain_text("It is not to be made.")
    until(bench, "!velvetSeam.player.playing")
    assert bench.evaluate("window.refused") >= 4  # one alone is gone without


def test_play_goes_on_however_long_a_picture_takes(bench: Page):
    """Longer than all that is asked for ahead: then from farther ahead."""
    bench.evaluate(
        """() => { velvetSeam.picture.slot.live.ask = async () => {
            const blank = new OffscreenCanvas(54, 96);
            blank.getContext('2d').fillRect(0, 0, 54, 96);
            await new Promise((done) => setTimeout(done, 900));
            return { bitmap: blank.transferToImageBitmap(), more: {} };
        }; }"""
    )
    bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 10", seconds=15)
    assert bench.evaluate("velvetSeam.player.playing")
    bench.keyboard.press(" ")


def test_a_picture_that_comes_after_a_later_one_is_not_shown(bench: Page):
    """Two are on their way at a time, and the second may be here first."""
    bench.evaluate(
        """() => { velvetSeam.picture.slot.live.ask = async ({ frame }) => {
            const blank = new OffscreenCanvas(54, 96);
            blank.getContext('2d').fillRect(0, 0, 54, 96);
            await new Promise((done) => setTimeout(done, frame % 2 ? 20 : 260));
            return { bitmap: blank.transferToImageBitmap(), more: {} };
        }; }"""
    )
    bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 12", seconds=15)
    bench.keyboard.press(" ")
    counts = bench.evaluate("velvetSeam.player.log.map((one) => one.count)")
    assert counts == sorted(set(counts))


@pytest.mark.parametrize("state", ["suspended", "running"])
def test_without_a_sound_that_starts_pictures_are_played(bench: Page, state: str):
    """A machine whose sound never starts, and one that says it has, and stands."""
    bench.evaluate(
        """(state) => {
            const { prototype } = BaseAudioContext;
            Object.defineProperty(prototype, 'state', { get: () => state });
            Object.defineProperty(prototype, 'currentTime', { get: () => 0 });
            AudioContext.prototype.resume = () => new Promise(() => {});
            AudioContext.prototype.getOutputTimestamp = () => ({ contextTime: 0, performanceTime: 0 });
        }""",
        state,
    )
    bench.keyboard.press(" ")
    until(bench, "velvetSeam.player.log.length > 5", seconds=15)
    expect(bench.locator("#say")).to_contain_text("the pictures are played without it")
    counts = bench.evaluate("velvetSeam.player.log.map((one) => one.count)")
    assert counts == sorted(set(counts))
    bench.keyboard.press(" ")
