"""One visitor does not hold up another, and what one sends does not weigh on all."""

from __future__ import annotations

import asyncio
import json
import threading
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from typing import Any

import httpx
import pytest
from fastapi.testclient import TestClient

from tests.in_loop import run
from tests.web.test_requests import edit, png, send
from velvet_seam.store.tables import database
from velvet_seam.web import live, passphrase
from velvet_seam.web.app import create_app
from velvet_seam.web.limits import MOST_BYTES


@pytest.fixture
def client(tmp_path: Path):
    with TestClient(create_app(tmp_path / "studio"), base_url="http://localhost") as client:
        yield client
    database.close()


@pytest.mark.parametrize(
    "host",
    ["testserver", "localhost.example", "127.0.0.1.example", "example", "localhost:80:example",
     "[::1].example", "[::1", "localhost@example", "", "127.0.0.1:port"],
)  # fmt: skip
def test_a_host_is_compared_whole(client: TestClient, host: str):
    assert client.get("/find", headers={"host": host}).status_code == 403
    for own in ("localhost", "127.0.0.1:8421", "[::1]:8421", "LOCALHOST"):
        assert client.get("/find", headers={"host": own}).status_code == 200


def test_what_is_no_file_has_a_limit_announced_or_not(client: TestClient):
    """Before it is read where the length is said, else as soon as it is passed."""
    shot = client.post("/shots", data={"canvas": "1080x1080"}, follow_redirects=False)
    path = f"{shot.headers['location']}/edits"
    kind = {"content-type": "application/json"}
    sent = 0

    def endless() -> Any:
        nonlocal sent
        yield b'{"edit": {"do": "'
        while sent < 50 * MOST_BYTES:
            sent += 65_536
            yield b"x" * 65_536

    for body in (b" " * (MOST_BYTES + 1), endless()):
        answer = client.post(path, content=body, headers=kind)
        assert answer.status_code == 413
        assert "4 MB at once. Nothing was changed" in answer.json()["problem"]
    small = client.post(path, json={"edit": {"do": "set-values", "values": {"length": 30}}})
    assert small.status_code == 200
    # files have limits of their own
    assert send(client, png() + b"\0" * (MOST_BYTES + 1), "long.png").status_code == 200


def test_a_page_gone_wild_delays_only_itself(client: TestClient):
    """Of hundreds of wishes the newest are served; each of the others is told that it was passed over."""
    shot = client.post("/shots", data={"canvas": "1080x1920"}, follow_redirects=False)
    identity = shot.headers["location"].rsplit("/", 1)[1]
    layer = client.post(f"/shots/{identity}/layers", json={"colour": "#ff0000"}).json()
    target = layer["state"]["shot"]["layers"][0]["id"]
    url = f"ws://localhost/shots/{identity}/live"
    with client.websocket_connect(url) as wild, client.websocket_connect(url) as calm:
        calm.send_text(json.dumps({"number": 1, "frame": 0}))
        calm.receive()
        for n in range(400):
            trial = {"do": "set-values", "target": target, "values": {"place.rotation": n / 10}}
            wild.send_text(json.dumps({"number": n, "frame": n % 150, "trial": trial}))
        calm.send_text(json.dumps({"number": 2, "frame": 3}))
        assert "bytes" in calm.receive()
        passed, pictures = set(), set()
        while len(passed) + len(pictures) < 400:
            answer = wild.receive()
            if answer.get("bytes"):
                pictures.add(live.HEAD.unpack_from(answer["bytes"])[0])
            else:
                words = json.loads(answer["text"])
                passed |= {words["number"]} if words.get("passed") else set()
    assert 399 in pictures
    assert len(pictures) < 100


def visitor(app: Any, address: str) -> httpx.AsyncClient:
    transport = httpx.ASGITransport(app, client=(address, 1234))
    return httpx.AsyncClient(transport=transport, base_url="http://studio.example")


async def guess(client: httpx.AsyncClient, phrase: str) -> httpx.Response:
    return await client.post("/passphrase", data={"passphrase": phrase})


def test_pages_offer_to_end_a_visit(tmp_path: Path):
    address = "http://studio.example"
    with TestClient(create_app(tmp_path / "studio", "moth"), base_url=address) as client:
        client.post("/passphrase", data={"passphrase": "moth"})
        assert 'action="/passphrase/end"' in client.get("/renders").text
        client.post("/passphrase/end", headers={"origin": address})
        assert client.get("/renders").status_code == 401
    with TestClient(create_app(tmp_path / "own"), base_url="http://127.0.0.1:8000") as client:
        assert "passphrase" not in client.get("/renders").text


def test_wrong_guesses_from_elsewhere_keep_nobody_waiting(tmp_path: Path, monkeypatch):
    monkeypatch.setattr(passphrase, "WAIT_SECONDS", 0.25)
    app = create_app(tmp_path / "studio", " moth lantern ")

    async def work() -> None:
        async with visitor(app, "10.0.0.1") as guesser, visitor(app, "10.0.0.2") as friend:
            wrong = [asyncio.create_task(guess(guesser, f"no-{n}")) for n in range(12)]
            await asyncio.sleep(0.05)
            right = await guess(friend, "moth lantern")  # outer spaces are no part of it
            assert right.status_code == 303
            assert sum(one.done() for one in wrong) < 6  # one after the other, from one address
            await asyncio.gather(*wrong)

    run(work())
    database.close()


def test_visits_are_each_their_own_and_end(tmp_path: Path, monkeypatch):
    now = 0.0
    monkeypatch.setattr(passphrase.time, "monotonic", lambda: now)
    gate = passphrase.Passphrase("moth", clock=lambda: now)

    async def app(scope: Any, receive: Any, send: Any) -> None:
        request = passphrase.Request(scope, receive)
        if request.url.path == "/passphrase/end":
            answer = gate.end(request)
        elif gate.knows(request.headers):
            answer = passphrase.PlainTextResponse("in")
        else:
            answer = await gate.answer(request)
        await answer(scope, receive, send)

    async def work() -> None:
        nonlocal now
        async with visitor(app, "10.0.0.1") as one, visitor(app, "10.0.0.2") as other:
            for who in (one, other):
                await guess(who, "moth")
                assert (await who.get("/")).text == "in"
            assert one.cookies[passphrase.COOKIE] != other.cookies[passphrase.COOKIE]
            kept = dict(one.cookies)
            assert (await one.get("/passphrase/end")).status_code == 405  # no link ends a visit
            await one.post("/passphrase/end")
            assert (await one.get("/", cookies=kept)).status_code == 401
            assert (await other.get("/")).text == "in"
            now = passphrase.VISIT_SECONDS - 1.0
            assert (
                await other.get("/")
            ).text == "in"  # each time it is seen it lasts as long again
            now += passphrase.VISIT_SECONDS + 1.0
            assert (await other.get("/")).status_code == 401

    run(work())


def test_the_folder_is_its_owners_alone(client: TestClient):
    root = client.app.state.context.library.folder.root
    assert root.stat().st_mode & 0o077 == 0


def test_slow_looks_hold_up_no_pictures(client: TestClient, monkeypatch):
    """While looks into many new files hang, pages, edits and pictures go on."""
    from velvet_seam.web import footage as page

    begun, released = [], threading.Event()

    def hangs(*_: object) -> None:
        begun.append(1)
        released.wait(60)
        raise page.Problem("It took too long.")

    monkeypatch.setattr(page, "look", hangs)
    shot = client.post("/shots", data={"canvas": "1080x1080"}, follow_redirects=False)
    identity = shot.headers["location"].rsplit("/", 1)[1]
    client.post(f"/shots/{identity}/layers", json={"colour": "#ff0000"})
    with ThreadPoolExecutor(8) as many:
        sent = [many.submit(send, client, png(), f"{n}.png") for n in range(8)]
        while not begun:
            time.sleep(0.01)
        try:
            assert edit(client, identity, do="set-values", values={"length": 44}).status_code == 200
            assert client.get(f"/shots/{identity}/picture.jpg?side=99").status_code == 200
            assert client.get("/footage").status_code == 200
            assert len(begun) <= 2
            assert not any(one.done() for one in sent)
        finally:
            released.set()
        assert {one.result().status_code for one in sent} == {422}
